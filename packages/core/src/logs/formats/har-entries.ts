/** Cuts a HAR file into its entries, however large it is, without holding it whole. */
import { joinBytes } from '../../binary/join-bytes.js';
import { cutShort, Line, type Splitter } from '../lines/lines.js';

/** An entry may carry the body of its response. */
const DEFAULT_MAX_ENTRY_BYTES = 16 * 1024 * 1024;
const [QUOTE, BACKSLASH, COLON, OPEN, CLOSE, OPEN_ARRAY, CLOSE_ARRAY] = [0x22, 0x5c, 0x3a, 0x7b, 0x7d, 0x5b, 0x5d];
/** How deep the entries lie: in the list of the log of the file. */
const ENTRIES_DEPTH = 3;
const PATH = ['log', 'entries'];

const decoder = new TextDecoder();

export class HarSplitter implements Splitter {
  #depth = 0;
  #isInString = false;
  #isEscaped = false;
  /** The text of the last string above the entries, which may be a key. */
  #string: number[] = [];
  /** The keys that lead to where we are. */
  readonly #keys: string[] = [];
  #isInEntries = false;
  #hasEntries = false;
  #number = 0;
  /** Of the entry that has begun. */
  #parts: Uint8Array[] = [];
  #numBytes = 0;
  #isInEntry = false;
  #start: Uint8Array = new Uint8Array();

  constructor(private readonly maxEntryBytes: number = DEFAULT_MAX_ENTRY_BYTES) {}

  split(piece: Uint8Array, take: (line: Line) => void): void {
    if (this.#start.length === 0) this.#start = new Uint8Array(cutShort(piece));
    let entryStart = 0;
    for (let at = 0; at < piece.length; at += 1) {
      const byte = piece[at]!;
      if (this.#isInString) {
        this.#readInString(byte);
        continue;
      }
      if (byte === QUOTE) {
        this.#isInString = true;
        this.#string = [];
      } else if (byte === COLON) {
        if (this.#depth > 0 && this.#depth < ENTRIES_DEPTH && !this.#isInEntries)
          this.#keys[this.#depth - 1] = decoder.decode(Uint8Array.from(this.#string));
      } else if (byte === OPEN || byte === OPEN_ARRAY) {
        if (this.#isInEntries && this.#depth === ENTRIES_DEPTH) {
          entryStart = at;
          this.#isInEntry = true;
        }
        this.#depth += 1;
        if (
          byte === OPEN_ARRAY &&
          this.#depth === ENTRIES_DEPTH &&
          PATH.every((key, level) => this.#keys[level] === key)
        )
          this.#isInEntries = this.#hasEntries = true;
      } else if (byte === CLOSE || byte === CLOSE_ARRAY) {
        this.#depth -= 1;
        if (this.#isInEntry && this.#depth === ENTRIES_DEPTH) {
          this.#keep(piece.subarray(entryStart, at + 1));
          this.#endEntry(take);
        }
        if (this.#depth < ENTRIES_DEPTH) this.#isInEntries = false;
      }
    }
    if (this.#isInEntry) this.#keep(piece.subarray(entryStart));
  }

  /** An entry that the file ends in is handed over as it is; so is the beginning of a file without entries. */
  finish(take: (line: Line) => void, isCut = false): void {
    if (this.#isInEntry) this.#endEntry(take, isCut);
    else if (!this.#hasEntries && this.#start.length > 0) take(new Line(1, this.#start, 0, this.#start.length, false));
  }

  #readInString(byte: number): void {
    if (this.#isEscaped) this.#isEscaped = false;
    else if (byte === BACKSLASH) this.#isEscaped = true;
    else if (byte === QUOTE) this.#isInString = false;
    if (this.#isInString && !this.#isInEntries && this.#string.length < 16) this.#string.push(byte);
  }

  /** Keeps a copy: the piece belongs to the caller. */
  #keep(bytes: Uint8Array): void {
    if (this.#numBytes <= this.maxEntryBytes) this.#parts.push(new Uint8Array(bytes));
    this.#numBytes += bytes.length;
  }

  #endEntry(take: (line: Line) => void, isCut = false): void {
    const isOverlong = this.#numBytes > this.maxEntryBytes;
    const whole = joinBytes(this.#parts);
    const bytes = isOverlong ? cutShort(whole) : whole;
    this.#number += 1;
    this.#parts = [];
    this.#numBytes = 0;
    this.#isInEntry = false;
    take(new Line(this.#number, bytes, 0, bytes.length, isOverlong, isCut));
  }
}
