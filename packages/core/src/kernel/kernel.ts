/** The parts of an import that look at each byte, in WebAssembly. Their source is `packages/core/kernel/`. */
import { KERNEL_BASE64 } from './kernel-bytes.js';

/** Where something lies in the memory of a kernel, in bytes from its beginning. */
export type Pointer = number;

/** What a kernel can do. Pointers are valid until a call that allocates; memory is full at two gigabytes. */
export interface KernelCalls {
  /** @returns where a block begins that holds so many bytes, whatever was in it before */
  allocate(numBytes: number): Pointer;
  /** @param numBytes as it was allocated with */
  release(block: Pointer, numBytes: number): void;

  /** First sizes of columns and dictionaries, powers of two. */
  setColumnRows(numRows: number): void;
  setDictionarySizes(numEntries: number, numBytes: number): void;

  newColumn(): Pointer;
  releaseColumn(column: Pointer): void;
  dictionaryOf(column: Pointer): Pointer;
  numEntriesOf(dictionary: Pointer): number;
  /** Its entries, contiguous: a byte of the kind and the value. */
  bytesOf(dictionary: Pointer): Pointer;
  numBytesOf(dictionary: Pointer): number;
  /** Where each entry ends, a word each. */
  endsOf(dictionary: Pointer): Pointer;
  /** The number of a value, assigned at the first call. Bytes of padding behind it are read. */
  numberOf(dictionary: Pointer, kind: number, start: Pointer, end: Pointer): number;
  /** Where the codes of a column lie, a word a row, once there is room for so many. */
  codesFor(column: Pointer, numRows: number): Pointer;
  setCode(column: Pointer, row: number, code: number): void;
  /** Makes room for lines that codes are set by. @returns where their source goes */
  openLines(numBytes: number, numRows: number): Pointer;
  /** Where the cells and the kinds of referers of those lines go. */
  cellsOfLines(): Pointer;
  kindsOfLines(): Pointer;
  /** Sets the codes of rows by a field of those lines. @param kind of all, or 0 for that of each line */
  setCodes(column: Pointer, row: number, field: number, kind: number, fromLine: number, toLine: number): void;
  /** Takes the codes of a chunk as they are stored, and clears them. @returns how many planes, and those */
  takeCodes(column: Pointer, numRows: number): Pointer;

  /** Sets which lines of the NCSA format are read. */
  openFormat(isCombined: boolean, hasHost: boolean, maxLineBytes: number): void;
  /** Makes room for a piece of a log and its lines. @returns where the bytes of the piece go */
  openPiece(numBytes: number): Pointer;
  /**
   * Takes lines of the piece, each as a row, up to one that is not well-formed.
   * @param end behind a line feed
   * @param number of the first line
   * @returns where in the piece the first line begins that was not taken, or the end
   */
  takeLines(from: number, end: number, number: number): number;
  /** How many lines the last call passed, empty ones included. */
  numPassedLines(): number;
  numRowsOfPiece(): number;
  /** Of those rows: numbers of lines and times as floats, shapes and cells as words, kinds of referers as bytes. */
  numbersOfPiece(): Pointer;
  timesOfPiece(): Pointer;
  shapesOfPiece(): Pointer;
  kindsOfPiece(): Pointer;
  cellsOfPiece(): Pointer;
}

/** How the kernel has times read. */
export interface MinuteReader {
  /** @returns milliseconds since the epoch of the minute of the time at this position; NaN if it is invalid */
  readMinute(at: Pointer): number;
  /** The number of the zone of that time. */
  readZone(): number;
}

let compiled: WebAssembly.Module | undefined;

/** A kernel with its own memory. */
export class Kernel {
  readonly calls: KernelCalls;
  readonly #memory: WebAssembly.Memory;

  /** @param minutes needed where lines are read */
  constructor(minutes: MinuteReader = { readMinute: () => NaN, readZone: () => 0 }) {
    compiled ??= new WebAssembly.Module(Uint8Array.from(atob(KERNEL_BASE64), (character) => character.charCodeAt(0)));
    const { exports } = new WebAssembly.Instance(compiled, { ncsa: { ...minutes } });
    this.calls = exports as unknown as KernelCalls;
    this.#memory = exports.memory as WebAssembly.Memory;
  }

  /** Views of the memory: as true as places are. */
  bytes(at: Pointer, length: number): Uint8Array<ArrayBuffer> {
    return new Uint8Array(this.#memory.buffer, at, length);
  }

  words(at: Pointer, length: number): Int32Array<ArrayBuffer> {
    return new Int32Array(this.#memory.buffer, at, length);
  }

  floats(at: Pointer, length: number): Float64Array<ArrayBuffer> {
    return new Float64Array(this.#memory.buffer, at, length);
  }
}
