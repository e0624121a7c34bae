/** Gathers rows into chunks, and chunks into segments that share their dictionaries. */
import {
  CHUNK_ROWS,
  HOST_COLUMN,
  LINE_COLUMN,
  MAX_VALUE_COLUMNS,
  REFERER_COLUMN,
  RESERVED_COLUMNS,
  SPILL_COLUMN,
  TIME_COLUMN,
  WRITTEN_COLUMN,
  type EncodedChunk,
  type Row,
} from './chunk.js';
import { FIRST_VALUE_CODE, NONE_CODE } from '../kernel/cells.js';
import { encodeCodes, encodeDictionaryPart, encodeIntegers, KINDS, OWN_SCHEMES, type Cell } from './column.js';
import { Dictionaries, type LinesInBytes, type TextDictionary } from './dictionaries.js';
import { grownFloats, grownWords } from './grown.js';

/** Chunks whose columns share their dictionaries. */
export const SEGMENT_CHUNKS = 16;
/** A segment ends early where its dictionaries come to this many bytes. */
const MAX_DICTIONARY_BYTES = 64 * 1024 * 1024;
const FIRST_ROWS = 256;

const LONE_SURROGATE = /\p{Surrogate}/u;

/** The text of a list of one. */
function onlyText(cell: Cell): string | undefined {
  const text = Array.isArray(cell) && cell.length === 1 ? (cell as readonly unknown[])[0] : undefined;
  return typeof text === 'string' ? text : undefined;
}

/** Whether a host ends before this character of a URL: at a path, a query or a fragment. */
export function isHostEnd(code: number): boolean {
  return code === 0x2f || code === 0x3f || code === 0x23;
}

/** One column while its segment is written. */
export class ColumnWriter {
  /** One a row of the chunk; rows that say nothing are unknown. */
  codes = new Int32Array(FIRST_ROWS);
  isUsed = false;
  /** Entries that chunks before this one have. */
  #numWritten = 0;

  constructor(readonly dictionary: TextDictionary) {}

  /** @param kind of what the value is the text, one of `KINDS` */
  setValue(row: number, kind: number, value: Uint8Array | string): void {
    this.setCode(row, this.codeOf(kind, value));
  }

  codeOf(kind: number, value: Uint8Array | string): number {
    return this.dictionary.numberOf(kind, value) + FIRST_VALUE_CODE;
  }

  /** @param code as `codeOf` gave it in this segment */
  setCode(row: number, code: number): void {
    if (row >= this.codes.length) this.makeRoom(row);
    this.codes[row] = code;
    this.isUsed = true;
  }

  /** Sets the codes of rows that follow each other. */
  setCodes(firstRow: number, codes: Int32Array): void {
    this.makeRoom(firstRow + codes.length - 1);
    this.codes.set(codes, firstRow);
    this.isUsed = true;
  }

  setNone(row: number): void {
    this.setCode(row, NONE_CODE);
  }

  makeRoom(row: number): void {
    while (row >= this.codes.length) this.codes = grownWords(this.codes);
  }

  set(row: number, cell: Cell): void {
    if (cell === undefined) return;
    if (cell === null) this.setNone(row);
    else if (typeof cell === 'string') this.setText(row, KINDS.text, cell);
    else if (Array.isArray(cell) && cell.length === 1 && typeof cell[0] === 'string')
      this.setText(row, KINDS.list, cell[0]);
    else this.setText(row, KINDS.json, JSON.stringify(cell));
  }

  setText(row: number, kind: number, text: string): void {
    // Of half a surrogate pair UTF-8 knows nothing, but JSON does.
    if (LONE_SURROGATE.test(text)) this.setText(row, KINDS.json, JSON.stringify(kind === KINDS.list ? [text] : text));
    else this.setValue(row, kind, text);
  }

  /** What the dictionary has more than after the chunk before; undefined for nothing. */
  takePart(): Uint8Array | undefined {
    const { bytes, ends, numEntries } = this.dictionary;
    if (numEntries === this.#numWritten) return undefined;
    const part = encodeDictionaryPart(bytes, ends, this.#numWritten, numEntries);
    this.#numWritten = numEntries;
    return part;
  }
}

export class SegmentWriter {
  readonly #dictionaries = new Dictionaries();
  #columns = new Map<string, ColumnWriter>();
  #lines = new Float64Array(FIRST_ROWS);
  #times = new Float64Array(FIRST_ROWS);
  #numChunks = 0;
  /** Counts the segments that were begun; columns belong to one. */
  segment = 0;
  /** Rows of the chunk that is being gathered. */
  numRows = 0;

  get isChunkFull(): boolean {
    return this.numRows === CHUNK_ROWS;
  }

  /** @returns the number of the row in its chunk */
  beginRow(line: number, atUnixMs: number): number {
    const row = this.numRows++;
    if (row === this.#lines.length) {
      this.#lines = grownFloats(this.#lines);
      this.#times = grownFloats(this.#times);
    }
    this.#lines[row] = line;
    this.#times[row] = atUnixMs;
    return row;
  }

  /** @returns the number of the first in its chunk, which must have room for them */
  beginRows(lines: Float64Array, timesUnixMs: Float64Array): number {
    const first = this.numRows;
    this.numRows += lines.length;
    while (this.numRows > this.#lines.length) {
      this.#lines = grownFloats(this.#lines);
      this.#times = grownFloats(this.#times);
    }
    this.#lines.set(lines, first);
    this.#times.set(timesUnixMs, first);
    return first;
  }

  /** Makes lines those that codes are asked of. */
  load(lines: LinesInBytes): void {
    this.#dictionaries.load(lines);
  }

  /** @param written how the line was written */
  push({ line, atUnixMs, attributes }: Row, written?: Uint8Array): void {
    const row = this.beginRow(line, atUnixMs);
    let spilled: Record<string, Cell> | undefined;
    for (const name of Object.keys(attributes)) {
      const cell = attributes[name];
      if (cell === undefined) continue;
      const column = this.#attribute(name);
      if (name === REFERER_COLUMN && column && this.#setOwnUrl(column, row, cell, attributes[HOST_COLUMN])) continue;
      if (column) column.set(row, cell);
      else (spilled ??= Object.create(null) as Record<string, Cell>)[name] = cell;
    }
    if (spilled) this.column(SPILL_COLUMN).set(row, spilled as Cell);
    if (written) this.column(WRITTEN_COLUMN).setValue(row, KINDS.text, written);
  }

  /** Keeps a URL without its host where that is the host of the row. @returns false where it is not */
  #setOwnUrl(column: ColumnWriter, row: number, cell: Cell, host: Cell): boolean {
    const [url, name] = [onlyText(cell), onlyText(host)];
    if (!url || !name || !this.#attribute(HOST_COLUMN) || LONE_SURROGATE.test(url)) return false;
    for (const [kind, scheme] of Object.entries(OWN_SCHEMES)) {
      const start = scheme.length + name.length;
      const isOwn = url.startsWith(scheme) && url.startsWith(name, scheme.length);
      if (!isOwn || !(url.length === start || isHostEnd(url.charCodeAt(start)))) continue;
      column.setText(row, Number(kind), url.slice(start));
      return true;
    }
    return false;
  }

  /** The column of an attribute; undefined where there is no room for one, or a database cannot hold its name. */
  #attribute(name: string): ColumnWriter | undefined {
    const known = RESERVED_COLUMNS.has(name) ? undefined : this.#columns.get(name);
    if (known) return known;
    const hasRoom = this.#columns.size < MAX_VALUE_COLUMNS && !name.includes('\0') && !RESERVED_COLUMNS.has(name);
    return hasRoom ? this.column(name) : undefined;
  }

  column(name: string): ColumnWriter {
    let column = this.#columns.get(name);
    if (!column) this.#columns.set(name, (column = new ColumnWriter(this.#dictionaries.create())));
    return column;
  }

  /** Ends the chunk. @returns undefined where it has no row */
  endChunk(): EncodedChunk | undefined {
    const { numRows } = this;
    if (numRows === 0) return undefined;
    const times = this.#times.subarray(0, numRows);
    const columns = new Map([
      [LINE_COLUMN, encodeIntegers(this.#lines.subarray(0, numRows))],
      [TIME_COLUMN, encodeIntegers(times)],
    ]);
    const dictionaries = new Map<string, Uint8Array>();
    let dictionaryBytes = 0;
    for (const [name, column] of this.#columns) {
      dictionaryBytes += column.dictionary.bytes.length;
      if (!column.isUsed) continue;
      column.makeRoom(numRows - 1);
      columns.set(name, encodeCodes(column.codes.subarray(0, numRows)));
      const part = column.takePart();
      if (part) dictionaries.set(name, part);
      column.codes.fill(0);
      column.isUsed = false;
    }
    const beginsSegment = this.#numChunks === 0;
    this.#numChunks += 1;
    this.numRows = 0;
    if (this.#numChunks === SEGMENT_CHUNKS || dictionaryBytes > MAX_DICTIONARY_BYTES) {
      this.#numChunks = 0;
      this.segment += 1;
      for (const { dictionary } of this.#columns.values()) dictionary.release();
      this.#columns = new Map();
    }
    let [fromUnixMs, toUnixMs] = [times[0]!, times[0]!];
    for (const time of times) {
      fromUnixMs = Math.min(fromUnixMs, time);
      toUnixMs = Math.max(toUnixMs, time);
    }
    return { numRows, fromUnixMs, toUnixMs, columns, dictionaries, beginsSegment };
  }
}
