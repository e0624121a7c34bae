import {
  cellAt,
  DamagedColumnError,
  decodeColumn,
  FIRST_VALUE_CODE,
  type Cell,
  type Column,
  type ValueColumn,
} from './column.js';
import { SegmentDictionaries } from './segment-dictionaries.js';

/** Columns that every chunk has; the names of all others are attributes. */
export const LINE_COLUMN = 'line';
export const TIME_COLUMN = 'time';
export const SPILL_COLUMN = 'spill';
/** How the line was written, with the attributes left out of it. */
export const WRITTEN_COLUMN = 'written';
/** The first byte there: the bytes of the line follow (`r`). */
export const RAW_LINE = 0x72;
/** The attribute that URLs are kept relative to, and the one that is. */
export const HOST_COLUMN = 'http.request.header.host';
export const REFERER_COLUMN = 'http.request.header.referer';
/** Columns that are read whatever is requested. */
export const COMMON_COLUMNS: readonly string[] = [LINE_COLUMN, TIME_COLUMN, SPILL_COLUMN];
export const RESERVED_COLUMNS: ReadonlySet<string> = new Set([LINE_COLUMN, TIME_COLUMN, SPILL_COLUMN, WRITTEN_COLUMN]);

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
  /** What the chunk adds to the dictionaries of its segment, by column. */
  readonly dictionaries: ReadonlyMap<string, Uint8Array>;
  /** The dictionaries begin with this chunk. */
  readonly beginsSegment: boolean;
}

/** The columns of a stored chunk, decoded and checked, read row by row. */
export class ChunkRows {
  readonly #columns: Map<string, Column>;

  /**
   * @param columns the bytes of each column by name, decompressed
   * @param dictionaries those of the segment, with what this chunk and those before it added
   * @throws DamagedColumnError naming the column
   */
  constructor(
    readonly numRows: number,
    columns: ReadonlyMap<string, Uint8Array>,
    private readonly dictionaries: SegmentDictionaries = new SegmentDictionaries(),
  ) {
    this.#columns = new Map(
      [...columns].map(([name, bytes]) => [name, decodeNamed(name, bytes, numRows, dictionaries)]),
    );
    const hosts = this.column(HOST_COLUMN);
    for (const [name, column] of this.#columns)
      if (hosts && column.kind === 'values' && column.dictionary.hasSameOriginUrls)
        this.#columns.set(name, { ...column, hosts });
  }

  row(index: number): Row {
    const attributes = this.attributesAt(index);
    return { line: this.#integer(LINE_COLUMN, index), atUnixMs: this.#integer(TIME_COLUMN, index), attributes };
  }

  /** All attributes of a row, those that were spilled included. */
  attributesAt(index: number): Record<string, Cell> {
    // Without a prototype, so that names such as `__proto__` are ordinary keys.
    const attributes = Object.create(null) as Record<string, Cell>;
    for (const [name, column] of this.#columns) {
      if (name === LINE_COLUMN || name === TIME_COLUMN || name === WRITTEN_COLUMN) continue;
      const cell = cellAt(column, index);
      if (cell === undefined) continue;
      if (name === SPILL_COLUMN) Object.assign(attributes, cell);
      else attributes[name] = cell;
    }
    return attributes;
  }

  /** The raw line of a row; undefined if it was not kept. */
  writtenAt(index: number): Uint8Array | undefined {
    const column = this.#columns.get(WRITTEN_COLUMN);
    const code = column?.kind === 'values' ? column.codes[index]! : 0;
    return code < FIRST_VALUE_CODE
      ? undefined
      : this.dictionaries
          .of(WRITTEN_COLUMN)
          .bytesAt(code - FIRST_VALUE_CODE)
          .subarray(1);
  }

  /** The column of an attribute, where one of the rows has it and it was not spilled. */
  column(attribute: string): ValueColumn | undefined {
    if (RESERVED_COLUMNS.has(attribute)) return undefined;
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

  /** The lines of all rows in their log. */
  lines(): Float64Array {
    const lines = this.#columns.get(LINE_COLUMN);
    return lines?.kind === 'integers' ? lines.values : new Float64Array(this.numRows);
  }

  #integer(name: string, index: number): number {
    const column = this.#columns.get(name);
    return column?.kind === 'integers' ? column.values[index]! : 0;
  }
}

function decodeNamed(name: string, bytes: Uint8Array, numRows: number, dictionaries: SegmentDictionaries): Column {
  try {
    return decodeColumn(bytes, numRows, () => dictionaries.of(name));
  } catch (error) {
    throw new DamagedColumnError(`column ${name}: ${(error as Error).message}`);
  }
}
