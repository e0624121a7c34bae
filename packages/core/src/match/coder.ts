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
import type { Attributes } from '../request/record.js';
import type { Feature } from './features.js';
import { ABSENT, PairMap } from './pair-map.js';

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

export class Coder {
  /** By dictionary and by what else is constant. */
  #tables = new WeakMap<Dictionary, Map<string, Int32Array>>();

  constructor(private readonly feature: Feature<number>) {}

  /** Numbers stand for something else from now on. */
  forget(): void {
    this.#tables = new WeakMap();
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
    if (telling.length === 0) into.fill(this.feature.read(constants as Attributes), 0, rows.numRows);
    else if (telling.length === 1 && !telling[0]!.isPresence)
      this.#fillFromOne(telling[0]!, constants, rows.numRows, into);
    else this.#fillFromSeveral(telling, constants, rows.numRows, into);
    for (const row of rows.spilledRows) into[row] = this.feature.read(rows.attributesAt(row) as Attributes);
  }

  #fillFromOne({ name, column }: Telling, constants: Record<string, Cell>, numRows: number, into: Int32Array): void {
    const { codes, dictionary } = column;
    const context = `${name}\n${JSON.stringify(constants)}`;
    let tables = this.#tables.get(dictionary);
    if (!tables) this.#tables.set(dictionary, (tables = new Map()));
    let table = tables.get(context);
    const numCodes = dictionary.numValues + FIRST_VALUE_CODE;
    if (!table || table.length < numCodes) {
      // Room for what a dictionary that grows will have.
      const larger = new Int32Array(Math.max(numCodes, (table?.length ?? 0) * 2)).fill(UNSET);
      if (table) larger.set(table);
      tables.set(context, (table = larger));
    }
    for (let row = 0; row < numRows; row += 1) {
      const code = codes[row]!;
      let number = table[code]!;
      if (number === UNSET) {
        number = this.feature.read(withCell(constants, name, cellOf(column, code)));
        table[code] = number;
      }
      into[row] = number;
    }
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
    const numbers = Int32Array.from(firstRows, (row) => {
      let attributes = constants as Attributes;
      for (const { name, column, isPresence } of telling) {
        const code = column.codes[row]!;
        if (code > 0) attributes = withCell(attributes, name, isPresence ? null : cellOf(column, code));
      }
      return this.feature.read(attributes);
    });
    for (let row = 0; row < numRows; row += 1) into[row] = numbers[combined[row]!]!;
  }
}

function withCell(attributes: Attributes | Record<string, Cell>, name: string, cell: Cell): Attributes {
  return cell === undefined ? (attributes as Attributes) : ({ ...attributes, [name]: cell } as Attributes);
}

/** The one code that all rows have, or -1. Of presence only 0 and 1 are told apart. */
function onlyCode(codes: Codes, numRows: number, isPresence: boolean): number {
  const first = isPresence ? Math.min(codes[0]!, 1) : codes[0]!;
  for (let row = 1; row < numRows; row += 1)
    if (codes[row] !== first && (!isPresence || Math.min(codes[row]!, 1) !== first)) return -1;
  return first;
}
