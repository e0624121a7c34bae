/**
 * Lines of the NCSA formats in their bytes, without a string a line. Only lines as servers write them nearly always are
 * taken; any other line is left to the text reader.
 */
import { CELL_WORDS, NUM_FIELDS } from '../../kernel/cells.js';
import { Kernel } from '../../kernel/kernel.js';
import { parseNcsaTime } from '../../request/time.js';
import type { Line, LineSplitter } from '../lines/lines.js';
import type { NcsaShape, ParsedRows } from './ncsa-fields.js';

const LINE_FEED = 0x0a;
const ZERO = 0x30;
/** `10/Oct/2026:13:55:36 +0200` */
const TIME_BYTES = 26;
const ZONE_BYTES = 6;
/** The offset of the seconds in a time. */
const SECONDS_AT = 18;
const decoder = new TextDecoder();

export class NcsaLines {
  readonly #kernel = new Kernel({ readMinute: (at) => this.#readMinute(at), readZone: () => this.#zone });
  readonly #zones: string[] = [];
  #zone = 0;
  /** The line that began in the piece before. */
  #begun: Uint8Array = new Uint8Array();
  #source: Uint8Array = new Uint8Array();

  /** @param splitter that is given the rest of the log */
  constructor(
    { isCombined, hasHost }: NcsaShape,
    private readonly splitter: LineSplitter,
  ) {
    this.#kernel.calls.openFormat(isCombined, hasHost, splitter.maxLineBytes);
  }

  /** Lines that were taken of this piece. */
  get numRows(): number {
    return this.#kernel.calls.numRowsOfPiece();
  }

  /** Takes the lines that end in a piece and are well-formed, and hands over all others as they come. */
  split(piece: Uint8Array, takeOther: (line: Line) => void): void {
    const { splitter } = this;
    // Parts of Node's own kind of array take longer to make.
    let rest = new Uint8Array(piece.buffer, piece.byteOffset, piece.length);
    if (this.#isOverlong(piece)) {
      splitter.split(this.#open(), takeOther);
      const end = piece.indexOf(LINE_FEED) + 1 || piece.length;
      splitter.split(piece.subarray(0, end), takeOther);
      rest = rest.subarray(end);
    }
    const numBegun = this.#begun.length;
    const bytes = this.#open(rest);
    const end = bytes.lastIndexOf(LINE_FEED) + 1;
    for (let at = this.#takeLines(0, end); at < end; at = this.#takeLines(at, end)) {
      const start = at;
      at = bytes.indexOf(LINE_FEED, start) + 1;
      // Bytes of the piece stay as they are, while those of the kernel change.
      const line = start >= numBegun ? rest.subarray(start - numBegun, at - numBegun) : bytes.slice(start, at);
      splitter.split(line, takeOther);
    }
    this.#begun = bytes.slice(end);
  }

  /** Takes what the log ends in. */
  finish(takeOther: (line: Line) => void, isCut = false): void {
    if (isCut) {
      // Its end is missing, so it is not what it seems.
      this.splitter.split(this.#begun, takeOther);
      this.#open();
    } else this.split(this.#begun.length > 0 ? Uint8Array.of(LINE_FEED) : new Uint8Array(), takeOther);
    this.splitter.finish(takeOther, isCut);
  }

  /** @returns the lines that were taken; as they are until the next piece */
  finishRows(): ParsedRows | undefined {
    const kernel = this.#kernel;
    const { calls } = kernel;
    const numRows = calls.numRowsOfPiece();
    if (numRows === 0) return undefined;
    return {
      numRows,
      source: this.#source,
      numbers: kernel.floats(calls.numbersOfPiece(), numRows),
      timesUnixMs: kernel.floats(calls.timesOfPiece(), numRows),
      shapes: kernel.words(calls.shapesOfPiece(), numRows),
      zones: this.#zones,
      refererKinds: kernel.bytes(calls.kindsOfPiece(), numRows),
      cells: kernel.words(calls.cellsOfPiece(), numRows * NUM_FIELDS * CELL_WORDS),
    };
  }

  /** Whether the line that has begun is, or becomes, longer than a line may be. */
  #isOverlong(piece: Uint8Array): boolean {
    if (this.splitter.isWithinLine) return true;
    const end = piece.indexOf(LINE_FEED);
    return this.#begun.length + (end < 0 ? piece.length : end) > this.splitter.maxLineBytes;
  }

  /** Puts a piece into the memory of the kernel, behind what had begun before. @returns both */
  #open(piece: Uint8Array = new Uint8Array()): Uint8Array {
    const kernel = this.#kernel;
    const begun = this.#begun;
    this.#begun = new Uint8Array();
    const numBytes = begun.length + piece.length;
    this.#source = kernel.bytes(kernel.calls.openPiece(numBytes), numBytes);
    this.#source.set(begun);
    this.#source.set(piece, begun.length);
    return this.#source;
  }

  /** @returns where the first line begins that was not taken, or the end */
  #takeLines(from: number, end: number): number {
    if (from === end) return end;
    const at = this.#kernel.calls.takeLines(from, end, this.splitter.nextNumber);
    this.splitter.pass(this.#kernel.calls.numPassedLines());
    return at;
  }

  #readMinute(at: number): number {
    const bytes = this.#kernel.bytes(at, TIME_BYTES).slice();
    bytes.fill(ZERO, SECONDS_AT, SECONDS_AT + 2);
    const text = decoder.decode(bytes);
    const minuteUnixMs = parseNcsaTime(text);
    if (minuteUnixMs === undefined) return NaN;
    const zone = text.slice(-ZONE_BYTES);
    this.#zone = this.#zones.indexOf(zone);
    if (this.#zone < 0) this.#zone = this.#zones.push(zone) - 1;
    return minuteUnixMs;
  }
}
