import { joinBytes } from '../../binary/join-bytes.js';
import { decodeWithMarks } from './byte-marks.js';

export const DEFAULT_MAX_LINE_BYTES = 65_536;
const SHOWN_BYTES = 200;
const LINE_FEED = 0x0a;
const CARRIAGE_RETURN = 0x0d;
const [QUOTE, COMMA, SEMICOLON] = [0x22, 0x2c, 0x3b];

const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** One line of a log before any format has looked at it. Its bytes belong to the caller. */
export class Line {
  #text: string | undefined;

  constructor(
    /** 1-based. */
    readonly number: number,
    readonly bytes: Uint8Array,
    /** Without its line break. */
    readonly start: number,
    readonly end: number,
    /** Then the bytes are only its first 200. */
    readonly isOverlong: boolean,
    /** The log ends within it, so that its rest is missing. */
    readonly isCut = false,
  ) {}

  /** Invalid UTF-8 is U+FFFD. */
  get text(): string {
    return (this.#text ??= decoder.decode(this.bytes.subarray(this.start, this.end)));
  }

  /** The same with a mark for each invalid byte. */
  get markedText(): string {
    return decodeWithMarks(this.bytes.subarray(this.start, this.end));
  }

  get isEmpty(): boolean {
    return this.start === this.end && !this.isOverlong;
  }
}

/** Cuts a stream of bytes into what a format reads one by one. */
export interface Splitter {
  /** Hands over what ends within this piece. */
  split(piece: Uint8Array, take: (line: Line) => void): void;
  /** Hands over what the stream ended in, if any. @param isCut whether the stream ended too early */
  finish(take: (line: Line) => void, isCut?: boolean): void;
}

/**
 * Cuts a stream of bytes into lines, whatever the size of its pieces. LF and CRLF end a line, and a last line without a
 * break counts. Memory is bounded by the longest allowed line: the rest of an overlong line is skipped, not kept.
 */
export class LineSplitter implements Splitter {
  #carry: Uint8Array[] = [];
  #carryBytes = 0;
  #number = 0;

  /** Bytes of an unfinished line that are worth keeping: what a line may have, or what is shown of one that is too long. */
  readonly #keptBytes: number;
  /** Line breaks seen, within cells too. */
  #numBreaks = 0;
  #isInQuotes = false;

  /** @param joinsQuoted whether a line goes on where a cell in quotation marks has not ended (RFC 4180, 2.6) */
  constructor(
    readonly maxLineBytes: number = DEFAULT_MAX_LINE_BYTES,
    private readonly joinsQuoted = false,
  ) {
    this.#keptBytes = Math.max(maxLineBytes, SHOWN_BYTES) + 1;
  }

  /** Whether a line has begun that has not ended. */
  get isWithinLine(): boolean {
    return this.#carryBytes > 0;
  }

  /** The number of the line that comes next. */
  get nextNumber(): number {
    return this.#number + 1;
  }

  /** Counts lines that another user cuts off between two pieces. */
  pass(numLines: number): void {
    this.#number += numLines;
    this.#numBreaks += numLines;
  }

  split(piece: Uint8Array, take: (line: Line) => void): void {
    let start = 0;
    let next = 0;
    for (let end = piece.indexOf(LINE_FEED); end >= 0; end = piece.indexOf(LINE_FEED, next)) {
      this.#numBreaks += 1;
      const goesOn = this.joinsQuoted && this.#readQuotes(piece, next, end) && !this.#isFull(end - start);
      next = end + 1;
      if (goesOn) continue;
      this.#isInQuotes = false;
      take(
        this.#carryBytes > 0
          ? this.#carriedLine(piece.subarray(start, end))
          : this.#line(piece, start, end, end - start),
      );
      start = next;
    }
    if (this.joinsQuoted) this.#readQuotes(piece, next, piece.length);
    if (start < piece.length) this.#keep(piece.subarray(start));
  }

  finish(take: (line: Line) => void, isCut = false): void {
    if (this.#carryBytes === 0) return;
    const { number, bytes, start, end, isOverlong } = this.#carriedLine(new Uint8Array());
    take(new Line(number, bytes, start, end, isOverlong, isCut));
  }

  /** Where quotation marks never end, the line that is too long does. */
  #isFull(numBytes: number): boolean {
    return this.#carryBytes + numBytes > this.maxLineBytes;
  }

  /** Reads on to the end. @returns whether a cell in quotation marks is open there */
  #readQuotes(bytes: Uint8Array, from: number, end: number): boolean {
    if (!this.#isInQuotes && !bytes.subarray(from, end).includes(QUOTE)) return false;
    for (let at = from; at < end; at += 1) {
      const byte = bytes[at]!;
      const before = at > from ? bytes[at - 1]! : LINE_FEED;
      // A doubled mark closes the cell and opens it again.
      const mayOpen = before === LINE_FEED || before === COMMA || before === SEMICOLON || before === QUOTE;
      if (byte === QUOTE && (this.#isInQuotes || mayOpen)) this.#isInQuotes = !this.#isInQuotes;
    }
    return this.#isInQuotes;
  }

  /** Keeps a copy: the piece belongs to the caller. */
  #keep(bytes: Uint8Array): void {
    if (this.#carryBytes < this.#keptBytes) this.#carry.push(new Uint8Array(bytes.subarray(0, this.#keptBytes)));
    this.#carryBytes += bytes.length;
  }

  #carriedLine(tail: Uint8Array): Line {
    const bytes = joinBytes([...this.#carry, tail.subarray(0, this.#keptBytes)]);
    const numBytes = this.#carryBytes + tail.length;
    this.#carry = [];
    this.#carryBytes = 0;
    return this.#line(bytes, 0, bytes.length, numBytes);
  }

  #line(bytes: Uint8Array, start: number, end: number, numBytes: number): Line {
    const number = this.#number + 1;
    this.#number = Math.max(this.#numBreaks, number);
    if (numBytes > this.maxLineBytes) return new Line(number, bytes, start, Math.min(end, start + SHOWN_BYTES), true);
    const hasReturn = end > start && bytes[end - 1] === CARRIAGE_RETURN;
    return new Line(number, bytes, start, hasReturn ? end - 1 : end, false);
  }
}

/** What is shown of bytes that are too many. */
export function cutShort(bytes: Uint8Array): Uint8Array {
  return bytes.subarray(0, SHOWN_BYTES);
}

const encoder = new TextEncoder();

/** The first 200 bytes of a text, for showing a rejected line. */
export function startOf(text: string): string {
  const bytes = encoder.encode(text.slice(0, SHOWN_BYTES));
  return bytes.length <= SHOWN_BYTES
    ? text.slice(0, SHOWN_BYTES)
    : new TextDecoder().decode(bytes.subarray(0, SHOWN_BYTES)).replace(/\ufffd$/, '');
}
