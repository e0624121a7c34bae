/** Gathers rows into chunks, and chunks into segments that share their dictionaries. */
import {
  HOST_COLUMN,
  LINE_COLUMN,
  REFERER_COLUMN,
  RESERVED_COLUMNS,
  SPILL_COLUMN,
  TIME_COLUMN,
  RAW_LINE,
  WRITTEN_COLUMN,
  type EncodedChunk,
  type Row,
} from './chunk.js';
import { engineBounds } from '../bounds.js';
import { ColumnMemory, type ColumnWriter, type LinesInBytes } from './column-writer.js';
import { encodeIntegers, KINDS, SAME_ORIGIN_SCHEMES, type Cell } from './column.js';
import { growFloats } from '../arrays/grow.js';

const LONE_SURROGATE = /\p{Surrogate}/u;
const OWN_URLS = Object.entries(SAME_ORIGIN_SCHEMES).map(([kind, scheme]) => ({ kind: Number(kind), scheme }));

/** The text of a list of one. */
function onlyText(cell: Cell): string | undefined {
  const text = Array.isArray(cell) && cell.length === 1 ? (cell as readonly unknown[])[0] : undefined;
  return typeof text === 'string' ? text : undefined;
}

/** Whether a host ends before this character of a URL: at a path, a query or a fragment. */
function isHostEnd(code: number): boolean {
  return code === 0x2f || code === 0x3f || code === 0x23;
}

export class SegmentWriter {
  readonly #memory = new ColumnMemory();
  readonly #bounds = engineBounds();
  #columns = new Map<string, ColumnWriter>();
  #lines = new Float64Array(this.#bounds.writerRows);
  #times = new Float64Array(this.#bounds.writerRows);
  #numChunks = 0;
  /** Counts the segments that were begun; columns belong to one. */
  segment = 0;
  /** Rows of the chunk that is being collected. */
  numRows = 0;

  get isChunkFull(): boolean {
    return this.numRows === this.#bounds.chunkRows;
  }

  /** Rows for which the chunk still has room. */
  get numRowsLeft(): number {
    return this.#bounds.chunkRows - this.numRows;
  }

  /** @returns the number of the row in its chunk */
  beginRow(line: number, atUnixMs: number): number {
    const row = this.numRows++;
    if (row === this.#lines.length) {
      this.#lines = growFloats(this.#lines);
      this.#times = growFloats(this.#times);
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
      this.#lines = growFloats(this.#lines);
      this.#times = growFloats(this.#times);
    }
    this.#lines.set(lines, first);
    this.#times.set(timesUnixMs, first);
    return first;
  }

  /** Makes lines those that codes are set by. */
  load(lines: LinesInBytes): void {
    this.#memory.load(lines);
  }

  /** @param rawLine the bytes of the line, where they are kept */
  push({ line, atUnixMs, attributes }: Row, rawLine?: Uint8Array): void {
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
    if (rawLine) {
      const column = this.column(WRITTEN_COLUMN);
      column.setCode(row, column.codeOfBytes(KINDS.text, RAW_LINE, rawLine));
    }
  }

  /** Keeps a URL without its host where that is the host of the row. @returns false where it is not */
  #setOwnUrl(column: ColumnWriter, row: number, cell: Cell, host: Cell): boolean {
    const url = onlyText(cell);
    const name = onlyText(host);
    if (!url || !name || !this.#attribute(HOST_COLUMN)) return false;
    for (const { kind, scheme } of OWN_URLS) {
      const start = scheme.length + name.length;
      const isOwn = url.startsWith(scheme) && url.startsWith(name, scheme.length);
      if (!isOwn || !(url.length === start || isHostEnd(url.charCodeAt(start))) || LONE_SURROGATE.test(url)) continue;
      column.setText(row, kind, url.slice(start));
      return true;
    }
    return false;
  }

  /**
   * The column of an attribute; undefined where there is no room for one, or a database cannot hold its name. Such
   * attributes are kept together, row by row, in one column of objects.
   */
  #attribute(name: string): ColumnWriter | undefined {
    const known = RESERVED_COLUMNS.has(name) ? undefined : this.#columns.get(name);
    if (known) return known;
    const hasRoom =
      this.#columns.size < this.#bounds.valueColumns && !name.includes('\0') && !RESERVED_COLUMNS.has(name);
    return hasRoom ? this.column(name) : undefined;
  }

  column(name: string): ColumnWriter {
    let column = this.#columns.get(name);
    if (!column) this.#columns.set(name, (column = this.#memory.createColumn()));
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
      dictionaryBytes += column.dictionaryBytes;
      const codes = column.takeCodes(numRows);
      if (!codes) continue;
      columns.set(name, codes);
      const part = column.takePart();
      if (part) dictionaries.set(name, part);
    }
    const beginsSegment = this.#numChunks === 0;
    this.#numChunks += 1;
    this.numRows = 0;
    const { segmentChunks, dictionaryBytes: maxDictionaryBytes } = this.#bounds;
    if (this.#numChunks === segmentChunks || dictionaryBytes > maxDictionaryBytes) {
      this.#numChunks = 0;
      this.segment += 1;
      for (const column of this.#columns.values()) column.release();
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
