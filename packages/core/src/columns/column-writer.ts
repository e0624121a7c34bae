/** Columns of a segment while they are written, in the memory of a kernel. */
import { CELL_WORDS, FIRST_VALUE_CODE, NONE_CODE, NUM_FIELDS, PADDING_BYTES } from '../kernel/cells.js';
import { engineBounds } from '../bounds.js';
import { Kernel, type Pointer } from '../kernel/kernel.js';
import { encodeCodes, encodeDictionaryPart, KINDS, encodedCodesSize, type Cell } from './column.js';

const ROW_WORDS = CELL_WORDS * NUM_FIELDS;
/** Bytes of UTF-8 that a unit of a text takes at most. */
const MAX_UNIT_BYTES = 3;
const LONE_SURROGATE = /\p{Surrogate}/u;
const encoder = new TextEncoder();

/** Lines whose values lie in their bytes. */
export interface LinesInBytes {
  readonly numRows: number;
  readonly source: Uint8Array;
  /** By row and field of `FIELDS`. */
  readonly cells: Int32Array;
  /** By row. */
  readonly refererKinds: Uint8Array;
}

/** The memory that columns share. */
export class ColumnMemory {
  readonly #kernel = new Kernel();
  #loaded: LinesInBytes | undefined;
  /** Where values lie while they are looked up. */
  #scratchBytes: number;
  #scratch: Pointer;
  #view: Uint8Array<ArrayBuffer> | undefined;

  constructor() {
    const { kernelRows, kernelEntries, kernelBytes, kernelValueBytes } = engineBounds();
    const { calls } = this.#kernel;
    calls.setColumnRows(kernelRows);
    calls.setDictionarySizes(kernelEntries, kernelBytes);
    this.#scratchBytes = kernelValueBytes;
    this.#scratch = calls.allocate(kernelValueBytes);
  }

  createColumn(): ColumnWriter {
    return new ColumnWriter(this.#kernel, this);
  }

  /** Makes lines those that codes are set by. */
  load(lines: LinesInBytes): void {
    if (lines === this.#loaded) return;
    this.#loaded = lines;
    const { numRows, source, cells, refererKinds } = lines;
    const kernel = this.#kernel;
    kernel.bytes(kernel.calls.openLines(source.length, numRows), source.length).set(source);
    const numWords = numRows * ROW_WORDS;
    kernel.words(kernel.calls.cellsOfLines(), numWords).set(cells.subarray(0, numWords));
    kernel.bytes(kernel.calls.kindsOfLines(), numRows).set(refererKinds.subarray(0, numRows));
  }

  /** Where the value lies that was written last. */
  get start(): Pointer {
    return this.#scratch;
  }

  /** Writes a value to where it is looked up. @returns where it ends; it begins at `start` */
  write(value: Uint8Array | string): Pointer {
    const view = this.#viewFor(value.length * (typeof value === 'string' ? MAX_UNIT_BYTES : 1));
    if (typeof value === 'string') return this.#scratch + encoder.encodeInto(value, view).written;
    view.set(value);
    return this.#scratch + value.length;
  }

  /** Writes a byte and what follows it. */
  writeAfter(first: number, rest: Uint8Array): Pointer {
    const view = this.#viewFor(rest.length + 1);
    view[0] = first;
    view.set(rest, 1);
    return this.#scratch + rest.length + 1;
  }

  #viewFor(numBytes: number): Uint8Array<ArrayBuffer> {
    if (numBytes + PADDING_BYTES > this.#scratchBytes) {
      this.#kernel.calls.release(this.#scratch, this.#scratchBytes);
      this.#scratchBytes = numBytes + PADDING_BYTES;
      this.#scratch = this.#kernel.calls.allocate(this.#scratchBytes);
      this.#view = undefined;
    }
    // Where the memory has grown since, the view has no bytes any more.
    if (this.#view === undefined || this.#view.length === 0)
      this.#view = this.#kernel.bytes(this.#scratch, this.#scratchBytes);
    return this.#view;
  }
}

/** One column while its segment is written. */
export class ColumnWriter {
  readonly #column: Pointer;
  readonly #dictionary: Pointer;
  /** Whether any row of the chunk has a value. */
  isUsed = false;
  /** Entries that chunks before this one have. */
  #numWritten = 0;
  /** Codes of texts that were set one by one, by kind; few, since most that come again come soon. */
  readonly #codes = new Map<number, Map<string, number>>();
  readonly #codesOfNumbers = new Map<number, number>();
  readonly #keptCodes = engineBounds().keptCodes;

  constructor(
    private readonly kernel: Kernel,
    private readonly memory: ColumnMemory,
  ) {
    this.#column = kernel.calls.newColumn();
    this.#dictionary = kernel.calls.dictionaryOf(this.#column);
  }

  get dictionaryBytes(): number {
    return this.kernel.calls.numBytesOf(this.#dictionary);
  }

  /** The code of a value in this segment. @param kind of what it is the text, one of `KINDS` */
  codeOf(kind: number, value: Uint8Array | string): number {
    return this.#codeOfWritten(kind, this.memory.write(value));
  }

  /** The code of a byte and what follows it. */
  codeOfBytes(kind: number, first: number, rest: Uint8Array): number {
    return this.#codeOfWritten(kind, this.memory.writeAfter(first, rest));
  }

  #codeOfWritten(kind: number, end: Pointer): number {
    return this.kernel.calls.numberOf(this.#dictionary, kind, this.memory.start, end) + FIRST_VALUE_CODE;
  }

  /** @param code as `codeOf` gave it in this segment */
  setCode(row: number, code: number): void {
    this.kernel.calls.setCode(this.#column, row, code);
    this.isUsed = true;
  }

  /** Sets the codes of rows that follow each other. */
  setCodes(firstRow: number, codes: Int32Array): void {
    const place = this.kernel.calls.codesFor(this.#column, firstRow + codes.length);
    this.kernel.words(place, firstRow + codes.length).set(codes, firstRow);
    this.isUsed = true;
  }

  /** Sets the codes of rows by a field of the lines that were loaded. @param kind of all, or 0 for that of each line */
  setField(firstRow: number, field: number, kind: number, fromLine: number, toLine: number): void {
    this.kernel.calls.setCodes(this.#column, firstRow, field, kind, fromLine, toLine);
    this.isUsed = true;
  }

  setValue(row: number, kind: number, value: Uint8Array | string): void {
    this.setCode(row, this.codeOf(kind, value));
  }

  set(row: number, cell: Cell): void {
    if (cell === undefined) return;
    if (cell === null) this.setCode(row, NONE_CODE);
    else if (typeof cell === 'string') this.setText(row, KINDS.text, cell);
    else if (Array.isArray(cell) && cell.length === 1 && typeof cell[0] === 'string')
      this.setText(row, KINDS.list, cell[0]);
    else if (typeof cell === 'number' && !Object.is(cell, -0)) this.setNumber(row, cell);
    else this.setValue(row, KINDS.json, JSON.stringify(cell));
  }

  /** Numbers of a log are few: statuses, ports, sizes. */
  setNumber(row: number, value: number): void {
    let code = this.#codesOfNumbers.get(value);
    if (code === undefined) {
      code = this.codeOf(KINDS.json, JSON.stringify(value));
      if (this.#codesOfNumbers.size < this.#keptCodes) this.#codesOfNumbers.set(value, code);
    }
    this.setCode(row, code);
  }

  setText(row: number, kind: number, text: string): void {
    let codes = this.#codes.get(kind);
    if (!codes) this.#codes.set(kind, (codes = new Map()));
    let code = codes.get(text);
    if (code === undefined) {
      // UTF-8 has no form for half a surrogate pair, but JSON has.
      code = LONE_SURROGATE.test(text)
        ? this.codeOf(KINDS.json, JSON.stringify(kind === KINDS.list ? [text] : text))
        : this.codeOf(kind, text);
      if (codes.size < this.#keptCodes) codes.set(text, code);
    }
    this.setCode(row, code);
  }

  /** The codes of a chunk; undefined if no row has a value. */
  takeCodes(numRows: number): Uint8Array | undefined {
    if (!this.isUsed) return undefined;
    this.isUsed = false;
    const place = this.kernel.calls.takeCodes(this.#column, numRows);
    const numPlanes = this.kernel.bytes(place, 1)[0]!;
    return encodeCodes(this.kernel.bytes(place, encodedCodesSize(numPlanes, numRows)), numRows);
  }

  /** What the dictionary has more than after the chunk before; undefined for nothing. */
  takePart(): Uint8Array | undefined {
    const { calls } = this.kernel;
    const numEntries = calls.numEntriesOf(this.#dictionary);
    if (numEntries === this.#numWritten) return undefined;
    const bytes = this.kernel.bytes(calls.bytesOf(this.#dictionary), this.dictionaryBytes);
    const ends = this.kernel.words(calls.endsOf(this.#dictionary), numEntries);
    const part = encodeDictionaryPart(bytes, ends, this.#numWritten, numEntries);
    this.#numWritten = numEntries;
    return part;
  }

  /** Gives its memory to others; it must not be used again. */
  release(): void {
    this.kernel.calls.releaseColumn(this.#column);
  }
}
