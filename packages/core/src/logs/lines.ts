export const DEFAULT_MAX_LINE_BYTES = 65_536;
const SHOWN_BYTES = 200;
const LINE_FEED = 0x0a;
const CARRIAGE_RETURN = 0x0d;

const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** One line of a log before any format has looked at it. Its bytes belong to whoever pushed them. */
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
  ) {}

  /** Invalid UTF-8 is U+FFFD. */
  get text(): string {
    return (this.#text ??= decoder.decode(this.bytes.subarray(this.start, this.end)));
  }

  get isEmpty(): boolean {
    return this.start === this.end && !this.isOverlong;
  }
}

/**
 * Cuts a stream of bytes into lines, whatever the size of its pieces. LF and CRLF end a line, and a last line without a
 * break counts. Memory is bounded by the longest allowed line: the rest of an overlong line is skipped, not kept.
 */
export class LineSplitter {
  #carry: Uint8Array[] = [];
  #carryBytes = 0;
  #number = 0;

  /** Bytes of an unfinished line that are worth keeping: what a line may have, or what is shown of one that is too long. */
  readonly #keptBytes: number;

  constructor(private readonly maxLineBytes: number = DEFAULT_MAX_LINE_BYTES) {
    this.#keptBytes = Math.max(maxLineBytes, SHOWN_BYTES) + 1;
  }

  /** Hands over the lines that end within this piece. */
  split(piece: Uint8Array, take: (line: Line) => void): void {
    let start = 0;
    for (let end = piece.indexOf(LINE_FEED); end >= 0; end = piece.indexOf(LINE_FEED, start)) {
      take(
        this.#carryBytes > 0
          ? this.#carriedLine(piece.subarray(start, end))
          : this.#line(piece, start, end, end - start),
      );
      start = end + 1;
    }
    if (start < piece.length) this.#keep(piece.subarray(start));
  }

  /** Hands over the line that the stream ended in without a line break, if any. */
  finish(take: (line: Line) => void): void {
    if (this.#carryBytes > 0) take(this.#carriedLine(new Uint8Array()));
  }

  /** Keeps a copy: the piece belongs to whoever pushed it. */
  #keep(bytes: Uint8Array): void {
    if (this.#carryBytes < this.#keptBytes) this.#carry.push(new Uint8Array(bytes.subarray(0, this.#keptBytes)));
    this.#carryBytes += bytes.length;
  }

  #carriedLine(tail: Uint8Array): Line {
    const bytes = concatenate([...this.#carry, tail.subarray(0, this.#keptBytes)]);
    const numBytes = this.#carryBytes + tail.length;
    this.#carry = [];
    this.#carryBytes = 0;
    return this.#line(bytes, 0, bytes.length, numBytes);
  }

  #line(bytes: Uint8Array, start: number, end: number, numBytes: number): Line {
    this.#number += 1;
    if (numBytes > this.maxLineBytes)
      return new Line(this.#number, bytes, start, Math.min(end, start + SHOWN_BYTES), true);
    const hasReturn = end > start && bytes[end - 1] === CARRIAGE_RETURN;
    return new Line(this.#number, bytes, start, hasReturn ? end - 1 : end, false);
  }
}

function concatenate(parts: readonly Uint8Array[]): Uint8Array {
  const whole = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}

const encoder = new TextEncoder();

/** The first 200 bytes of a text, for showing a rejected line. */
export function startOf(text: string): string {
  const bytes = encoder.encode(text.slice(0, SHOWN_BYTES));
  return bytes.length <= SHOWN_BYTES
    ? text.slice(0, SHOWN_BYTES)
    : new TextDecoder().decode(bytes.subarray(0, SHOWN_BYTES)).replace(/\ufffd$/, '');
}
