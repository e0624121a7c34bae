import {
  cellAt,
  DamagedColumnError,
  decodeColumn,
  encodeIntegers,
  ValueColumnBuilder,
  type Cell,
  type Column,
  type ValueColumn,
} from './column.js';

/** Rows of a chunk, but for the last of a log. */
export const CHUNK_ROWS = 65_536;

/**
 * A chunk with more names than this keeps the rest together, row by row, in one column of objects; so are names that a
 * database cannot hold or that are taken.
 */
const MAX_VALUE_COLUMNS = 64;

/** Columns that every chunk has; the names of all others are attributes. */
export const LINE_COLUMN = 'line';
export const TIME_COLUMN = 'time';
const SPILL_COLUMN = 'spill';
const RESERVED = new Set([LINE_COLUMN, TIME_COLUMN, SPILL_COLUMN]);

/** A row going in or coming out. */
export interface Row {
  readonly line: number;
  readonly atUnixMs: number;
  readonly attributes: { readonly [name: string]: Cell };
}

export interface EncodedChunk {
  readonly numRows: number;
  readonly fromUnixMs: number;
  readonly toUnixMs: number;
  readonly columns: ReadonlyMap<string, Uint8Array>;
}

/** Gathers rows into the columns of one chunk. */
export class ChunkBuilder {
  readonly #lines: number[] = [];
  readonly #times: number[] = [];
  readonly #columns = new Map<string, ValueColumnBuilder>();
  #spill: ValueColumnBuilder | undefined;

  get numRows(): number {
    return this.#times.length;
  }

  get isFull(): boolean {
    return this.numRows >= CHUNK_ROWS;
  }

  push({ line, atUnixMs, attributes }: Row): void {
    const row = this.numRows;
    this.#lines.push(line);
    this.#times.push(atUnixMs);
    const spilled = Object.create(null) as Record<string, Cell>;
    for (const name of Object.keys(attributes)) {
      if (this.#columns.has(name) || attributes[name] === undefined) continue;
      if (this.#columns.size < MAX_VALUE_COLUMNS && !name.includes('\0') && !RESERVED.has(name))
        this.#columns.set(name, new ValueColumnBuilder(row));
      else spilled[name] = attributes[name];
    }
    for (const [name, column] of this.#columns) column.push(attributes[name]);
    if (Object.keys(spilled).length > 0) this.#spill ??= new ValueColumnBuilder(row);
    this.#spill?.push(Object.keys(spilled).length > 0 ? (spilled as Cell) : undefined);
  }

  /** @returns undefined where no row was pushed */
  encode(): EncodedChunk | undefined {
    if (this.numRows === 0) return undefined;
    const columns = new Map([
      [LINE_COLUMN, encodeIntegers(this.#lines)],
      [TIME_COLUMN, encodeIntegers(this.#times)],
    ]);
    for (const [name, column] of this.#columns) columns.set(name, column.encode());
    if (this.#spill) columns.set(SPILL_COLUMN, this.#spill.encode());
    const fromUnixMs = this.#times.reduce((a, b) => Math.min(a, b));
    const toUnixMs = this.#times.reduce((a, b) => Math.max(a, b));
    return { numRows: this.numRows, fromUnixMs, toUnixMs, columns };
  }
}

/** The columns of a stored chunk, decoded and checked, read row by row. */
export class ChunkRows {
  readonly #columns: ReadonlyMap<string, Column>;

  /**
   * @param columns the bytes of each column by name, decompressed
   * @throws DamagedColumnError naming the column
   */
  constructor(
    readonly numRows: number,
    columns: ReadonlyMap<string, Uint8Array>,
  ) {
    this.#columns = new Map([...columns].map(([name, bytes]) => [name, decodeNamed(name, bytes, numRows)]));
  }

  row(index: number): Row {
    const attributes = this.attributesAt(index);
    return { line: this.#integer(LINE_COLUMN, index), atUnixMs: this.#integer(TIME_COLUMN, index), attributes };
  }

  /** All attributes of a row, those that were spilled included. */
  attributesAt(index: number): Record<string, Cell> {
    // Without a prototype, so that no name can stand for anything but itself.
    const attributes = Object.create(null) as Record<string, Cell>;
    for (const [name, column] of this.#columns) {
      if (name === LINE_COLUMN || name === TIME_COLUMN) continue;
      const cell = cellAt(column, index);
      if (cell === undefined) continue;
      if (name === SPILL_COLUMN) Object.assign(attributes, cell);
      else attributes[name] = cell;
    }
    return attributes;
  }

  /** The column of an attribute, where one of the rows has it and it was not spilled. */
  column(attribute: string): ValueColumn | undefined {
    if (RESERVED.has(attribute)) return undefined;
    const column = this.#columns.get(attribute);
    return column?.kind === 'values' ? column : undefined;
  }

  /** Rows with attributes that have no column, ascending. */
  get spilledRows(): readonly number[] {
    const spill = this.#columns.get(SPILL_COLUMN);
    if (spill?.kind !== 'values') return [];
    return Array.from(spill.codes.keys()).filter((row) => spill.codes[row] !== 0);
  }

  /** The times of all rows, in milliseconds since the epoch. */
  timesUnixMs(): Float64Array {
    const times = this.#columns.get(TIME_COLUMN);
    return times?.kind === 'integers' ? times.values : new Float64Array(this.numRows);
  }

  #integer(name: string, index: number): number {
    const column = this.#columns.get(name);
    return column?.kind === 'integers' ? column.values[index]! : 0;
  }
}

function decodeNamed(name: string, bytes: Uint8Array, numRows: number): Column {
  try {
    return decodeColumn(bytes, numRows);
  } catch (error) {
    throw new DamagedColumnError(`column ${name}: ${(error as Error).message}`);
  }
}
