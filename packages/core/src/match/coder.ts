/**
 * Whole numbers for the requests of a chunk, each read once for all requests whose attributes are the same. Where a
 * feature hangs on one column, the numbers of its dictionary are kept from chunk to chunk.
 */
import { cellOf, FIRST_VALUE_CODE, type Cell, type Dictionary, type ValueColumn } from '../columns/column.js';
import type { Feature } from './features.js';
import { grownWords } from '../columns/grown.js';
import type { ArrayPool } from './array-pool.js';
import { ABSENT, PairMap } from './pair-map.js';
import { Reading } from './reading.js';

/** A chunk as the matcher sees it: a column for each attribute that some request has. */
export interface CodedRows {
  readonly numRows: number;
  column(name: string): ValueColumn | undefined;
  /** Rows with attributes that have no column, ascending; all of a row's attributes. */
  readonly spilledRows: readonly number[];
  attributesAt(row: number): Readonly<Record<string, Cell>>;
}

/** A column that tells requests of the chunk apart. */
interface Telling {
  readonly name: string;
  readonly column: ValueColumn;
  /** Only whether it is there matters. */
  readonly isPresence: boolean;
}

const UNSET = ABSENT;
/** With more values than these, all are let go of when the next dictionary comes. */
const MAX_KEPT_TEXTS = 500_000;
const MAX_TABLES = 8;

/** What was read of the values of one column, all other inputs being the same. */
interface Table {
  /** By code of the dictionary that was seen last: an entry, or `UNSET`. */
  dictionary: Dictionary | undefined;
  byCode: Int32Array;
  /** The entries of what other dictionaries had, so that a text is read once. */
  readonly byText: Map<string, number>;
  /** The numbers of each entry, one a feature. */
  numbers: Int32Array;
  numEntries: number;
}

/** Reads features of the same inputs together. */
export class Coder {
  /** By the column and what is constant. */
  readonly #tables = new Map<string, Table>();

  constructor(
    readonly inputs: readonly string[],
    private readonly features: readonly Feature<number>[],
    private readonly arrays: ArrayPool,
  ) {}

  /** Numbers stand for something else from now on. */
  forget(): void {
    this.#tables.clear();
  }

  /** @returns for each feature a number a row */
  read(rows: CodedRows): Int32Array[] {
    const constants: Record<string, Cell> = {};
    const telling: Telling[] = [];
    for (const input of this.inputs) {
      const isPresence = input.startsWith('?');
      const name = isPresence ? input.slice(1) : input;
      const column = rows.column(name);
      if (!column) continue;
      const only = isPresence ? column.presence : column.onlyCode;
      if (only < 0) telling.push({ name, column, isPresence });
      else if (only > 0) constants[name] = isPresence ? null : cellOf(column, only);
    }
    const into = this.features.map(() => this.arrays.take(rows.numRows));
    if (telling.length === 0) this.#readConstants(constants, into);
    else if (telling.length === 1 && !telling[0]!.isPresence) this.#readOne(telling[0]!, constants, rows.numRows, into);
    else this.#readSeveral(telling, constants, rows.numRows, into);
    for (const row of rows.spilledRows) {
      const reading = new Reading(rows.attributesAt(row));
      this.features.forEach((feature, index) => (into[index]![row] = feature.read(reading)));
    }
    return into;
  }

  #readConstants(constants: Record<string, Cell>, into: readonly Int32Array[]): void {
    const reading = new Reading(constants);
    this.features.forEach((feature, index) => into[index]!.fill(feature.read(reading)));
  }

  #readOne(
    { name, column }: Telling,
    constants: Record<string, Cell>,
    numRows: number,
    into: readonly Int32Array[],
  ): void {
    const { codes, dictionary } = column;
    const table = this.#tableFor(name, constants, dictionary);
    const { byCode } = table;
    const reading = new Reading(constants);
    const entries = this.arrays.take(numRows);
    for (let row = 0; row < numRows; row += 1) {
      const code = codes[row]!;
      let entry = byCode[code]!;
      if (entry === UNSET) byCode[code] = entry = this.#entryFor(name, cellOf(column, code), reading, table);
      entries[row] = entry;
    }
    this.#spread(entries, table.numbers, numRows, into);
    this.arrays.give([entries]);
  }

  #tableFor(name: string, constants: Record<string, Cell>, dictionary: Dictionary): Table {
    const context = `${name}\n${JSON.stringify(constants)}`;
    let table = this.#tables.get(context);
    if (!table) {
      if (this.#tables.size > MAX_TABLES) this.#tables.clear();
      table = {
        dictionary: undefined,
        byCode: new Int32Array(),
        byText: new Map(),
        numbers: new Int32Array(64),
        numEntries: 0,
      };
      this.#tables.set(context, table);
    }
    const numCodes = dictionary.numValues + FIRST_VALUE_CODE;
    if (table.dictionary !== dictionary) {
      table.dictionary = dictionary;
      table.byCode = new Int32Array(numCodes).fill(UNSET);
      if (table.numEntries > MAX_KEPT_TEXTS) {
        table.byText.clear();
        table.numEntries = 0;
      }
    } else if (table.byCode.length < numCodes) {
      // The dictionary has grown since.
      const larger = new Int32Array(numCodes * 2).fill(UNSET);
      larger.set(table.byCode);
      table.byCode = larger;
    }
    return table;
  }

  #entryFor(name: string, cell: Cell, reading: Reading, table: Table): number {
    const text = onlyText(cell);
    const known = text === undefined ? undefined : table.byText.get(text);
    if (known !== undefined) return known;
    reading.set(name, cell);
    const entry = table.numEntries++;
    const numFeatures = this.features.length;
    while ((entry + 1) * numFeatures > table.numbers.length) table.numbers = grownWords(table.numbers);
    for (let index = 0; index < numFeatures; index += 1)
      table.numbers[entry * numFeatures + index] = this.features[index]!.read(reading);
    if (text !== undefined) table.byText.set(text, entry);
    return entry;
  }

  #readSeveral(
    telling: readonly Telling[],
    constants: Record<string, Cell>,
    numRows: number,
    into: readonly Int32Array[],
  ): void {
    // The combination of each row, and a row of each combination.
    const combined = new Int32Array(numRows);
    let firstRows: number[] = [];
    telling.forEach(({ column: { codes }, isPresence }) => {
      const seen = new PairMap();
      firstRows = [];
      for (let row = 0; row < numRows; row += 1) {
        const code = isPresence ? Math.min(codes[row]!, 1) : codes[row]!;
        let number = seen.get(combined[row]!, code);
        if (number === ABSENT) {
          number = firstRows.push(row) - 1;
          seen.add(combined[row]!, code, number);
        }
        combined[row] = number;
      }
    });
    const reading = new Reading(constants);
    const numbers = new Int32Array(firstRows.length * this.features.length);
    firstRows.forEach((row, combination) => {
      for (const { name, column, isPresence } of telling) {
        const code = column.codes[row]!;
        reading.set(name, code === 0 ? undefined : isPresence ? null : cellOf(column, code));
      }
      this.features.forEach((feature, index) => {
        numbers[combination * this.features.length + index] = feature.read(reading);
      });
    });
    this.#spread(combined, numbers, numRows, into);
  }

  /** The numbers of each feature for all rows. @param numbers by entry, one a feature */
  #spread(entries: Int32Array, numbers: Int32Array, numRows: number, into: readonly Int32Array[]): void {
    const stride = into.length;
    into.forEach((array, index) => {
      for (let row = 0; row < numRows; row += 1) array[row] = numbers[entries[row]! * stride + index]!;
    });
  }
}

/** A text, or a list of one, told apart; undefined for other values. */
function onlyText(cell: Cell): string | undefined {
  if (typeof cell === 'string') return cell.startsWith('\0') ? undefined : cell;
  return Array.isArray(cell) && cell.length === 1 && typeof cell[0] === 'string' ? `\0${cell[0]}` : undefined;
}
