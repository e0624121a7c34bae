/**
 * Whole numbers for the requests of a chunk, each read once for all requests whose attributes are the same. Where a
 * feature hangs on one column, the numbers of its dictionary are kept from chunk to chunk.
 */
import {
  cellOf,
  FIRST_VALUE_CODE,
  type Cell,
  type Codes,
  type Dictionary,
  type ValueColumn,
} from '../columns/column.js';
import type { Feature } from './features.js';
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
/** Texts of values whose numbers are kept for the dictionaries to come. */
const MAX_KEPT_TEXTS = 500_000;
const MAX_TABLES = 8;

/** Numbers of the values of one column, all other inputs being the same. */
interface Table {
  /** By code of the dictionary that was seen last. */
  dictionary: Dictionary | undefined;
  byCode: Int32Array;
  /** What other dictionaries had, so that a text is read once. */
  readonly byText: Map<string, number>;
}

export class Coder {
  /** By the column and what is constant. */
  readonly #tables = new Map<string, Table>();

  constructor(private readonly feature: Feature<number>) {}

  /** Numbers stand for something else from now on. */
  forget(): void {
    this.#tables.clear();
  }

  /** @param into as long as the chunk has rows, or longer */
  fill(rows: CodedRows, into: Int32Array): void {
    const constants: Record<string, Cell> = {};
    const telling: Telling[] = [];
    for (const input of this.feature.inputs) {
      const isPresence = input.startsWith('?');
      const name = isPresence ? input.slice(1) : input;
      const column = rows.column(name);
      if (!column) continue;
      const only = onlyCode(column.codes, rows.numRows, isPresence);
      if (only < 0) telling.push({ name, column, isPresence });
      else if (only > 0) constants[name] = isPresence ? null : cellOf(column, only);
    }
    if (telling.length === 0) into.fill(this.feature.read(new Reading(constants)), 0, rows.numRows);
    else if (telling.length === 1 && !telling[0]!.isPresence)
      this.#fillFromOne(telling[0]!, constants, rows.numRows, into);
    else this.#fillFromSeveral(telling, constants, rows.numRows, into);
    for (const row of rows.spilledRows) into[row] = this.feature.read(new Reading(rows.attributesAt(row)));
  }

  #fillFromOne({ name, column }: Telling, constants: Record<string, Cell>, numRows: number, into: Int32Array): void {
    const { codes } = column;
    const table = this.#tableFor(name, constants, column.dictionary);
    const { byCode } = table;
    const reading = new Reading(constants);
    for (let row = 0; row < numRows; row += 1) {
      const code = codes[row]!;
      const known = byCode[code]!;
      into[row] =
        known === UNSET ? (byCode[code] = this.#numberFor(name, cellOf(column, code), reading, table)) : known;
    }
  }

  #tableFor(name: string, constants: Record<string, Cell>, dictionary: Dictionary): Table {
    const context = `${name}\n${JSON.stringify(constants)}`;
    let table = this.#tables.get(context);
    if (this.#tables.size > MAX_TABLES) this.#tables.clear();
    if (!table)
      this.#tables.set(context, (table = { dictionary: undefined, byCode: new Int32Array(), byText: new Map() }));
    const numCodes = dictionary.numValues + FIRST_VALUE_CODE;
    if (table.dictionary !== dictionary) {
      table.dictionary = dictionary;
      table.byCode = new Int32Array(numCodes).fill(UNSET);
    } else if (table.byCode.length < numCodes) {
      // The dictionary has grown since.
      const larger = new Int32Array(numCodes * 2).fill(UNSET);
      larger.set(table.byCode);
      table.byCode = larger;
    }
    return table;
  }

  #numberFor(name: string, cell: Cell, reading: Reading, { byText }: Table): number {
    const text = onlyText(cell);
    const known = text === undefined ? undefined : byText.get(text);
    if (known !== undefined) return known;
    reading.set(name, cell);
    const number = this.feature.read(reading);
    if (text !== undefined) {
      if (byText.size >= MAX_KEPT_TEXTS) byText.clear();
      byText.set(text, number);
    }
    return number;
  }

  #fillFromSeveral(
    telling: readonly Telling[],
    constants: Record<string, Cell>,
    numRows: number,
    into: Int32Array,
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
    const numbers = Int32Array.from(firstRows, (row) => {
      for (const { name, column, isPresence } of telling) {
        const code = column.codes[row]!;
        reading.set(name, code === 0 ? undefined : isPresence ? null : cellOf(column, code));
      }
      return this.feature.read(reading);
    });
    for (let row = 0; row < numRows; row += 1) into[row] = numbers[combined[row]!]!;
  }
}

/** A text, or a list of one, told apart; undefined for other values. */
function onlyText(cell: Cell): string | undefined {
  if (typeof cell === 'string') return cell.startsWith('\0') ? undefined : cell;
  return Array.isArray(cell) && cell.length === 1 && typeof cell[0] === 'string' ? `\0${cell[0]}` : undefined;
}

/** The one code that all rows have, or -1. Of presence only 0 and 1 are told apart. */
function onlyCode(codes: Codes, numRows: number, isPresence: boolean): number {
  const first = isPresence ? Math.min(codes[0]!, 1) : codes[0]!;
  for (let row = 1; row < numRows; row += 1)
    if (codes[row] !== first && (!isPresence || Math.min(codes[row]!, 1) !== first)) return -1;
  return first;
}
