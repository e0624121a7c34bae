/**
 * Whole numbers for the requests of a chunk, each read once for all requests whose attributes are the same. Where a
 * feature hangs on one column, the numbers of its dictionary are kept from chunk to chunk, and rows are not looked at.
 */
import {
  cellAt,
  cellOf,
  FIRST_VALUE_CODE,
  type Cell,
  type Codes,
  type Dictionary,
  type ValueColumn,
} from '../../columns/column.js';
import { engineBounds } from '../../bounds.js';
import type { Feature } from '../features/features.js';
import { ABSENT, PairMap } from '../../arrays/pair-map.js';
import { AttributeReader } from '../features/attribute-reader.js';

/** A chunk as the matcher sees it: a column for each attribute that some request has. */
export interface EncodedRows {
  readonly numRows: number;
  column(name: string): ValueColumn | undefined;
  /** Rows with attributes that have no column, ascending; all of a row's attributes. */
  readonly spilledRows: readonly number[];
  attributesAt(row: number): Readonly<Record<string, Cell>>;
}

/** The numbers of the rows of a chunk under one feature: each row has a key, and each key a number. */
export interface RowNumbers {
  readonly keys: Codes | Int32Array;
  readonly numbers: Int32Array;
}

/** Of each row its key, and of each key the numbers under several features. */
interface KeyedRows {
  readonly keys: Codes | Int32Array;
  /** By feature and key. */
  readonly numbers: readonly Int32Array[];
}

/** A column whose values differ between requests of the chunk. */
interface DistinguishingColumn {
  readonly name: string;
  readonly column: ValueColumn;
  /** Only whether it is there matters. */
  readonly isPresence: boolean;
  /** It is no input, but another column's values hang on it. */
  readonly isHidden?: boolean;
}

const UNSET = ABSENT;
/** What was read of the values of one column, all other inputs being the same. */
interface CodeTable {
  /** The dictionary that was seen last. */
  dictionary: Dictionary | undefined;
  /** By feature and code of that dictionary: the number, or `UNSET`. */
  byCode: Int32Array[];
  /** From the first value up to here no code is `UNSET`. */
  numRead: number;
  /** The places in `kept` of what dictionaries before had, so that a text is read once; filled when the next one comes. */
  readonly byText: Map<string, number>;
  /** By feature. */
  retained: Int32Array[];
}

/** Reads features of the same inputs together. */
export class ColumnEncoder {
  /** By the column and what is constant. */
  readonly #tables = new Map<string, CodeTable>();
  readonly #bounds = engineBounds();
  /** The one key of rows that nothing distinguishes. */
  #zeros = new Uint8Array();

  constructor(
    readonly inputs: readonly string[],
    private readonly features: readonly Feature<number>[],
  ) {}

  /** Invalidates all numbers. */
  clear(): void {
    this.#tables.clear();
  }

  /** @returns the numbers of all rows, by feature */
  read(rows: EncodedRows): RowNumbers[] {
    const { keys, numbers } = this.#withSpilled(rows, this.#readColumns(rows));
    return numbers.map((ofFeature) => ({ keys, numbers: ofFeature }));
  }

  #readColumns(rows: EncodedRows): KeyedRows {
    const constants: Record<string, Cell> = {};
    const columns: DistinguishingColumn[] = [];
    for (const input of this.inputs) {
      const isPresence = input.startsWith('?');
      const name = isPresence ? input.slice(1) : input;
      const column = rows.column(name);
      if (!column) continue;
      const only = isPresence ? column.presence : column.onlyCode;
      if (!isPresence && column.hosts && only !== 0) {
        columns.push({ name, column, isPresence }, { name: '', column: column.hosts, isPresence, isHidden: true });
        continue;
      }
      if (only < 0) columns.push({ name, column, isPresence });
      else if (only > 0) constants[name] = isPresence ? null : cellOf(column, only);
    }
    if (columns.length === 0) return this.#readConstants(constants, rows.numRows);
    if (columns.length === 1 && !columns[0]!.isPresence) return this.#readOne(columns[0]!, constants);
    return this.#readSeveral(columns, constants, rows.numRows);
  }

  #readConstants(constants: Record<string, Cell>, numRows: number): KeyedRows {
    if (this.#zeros.length < numRows) this.#zeros = new Uint8Array(numRows);
    const reading = new AttributeReader(constants);
    return { keys: this.#zeros, numbers: this.features.map((feature) => Int32Array.of(feature.read(reading))) };
  }

  #readOne({ name, column }: DistinguishingColumn, constants: Record<string, Cell>): KeyedRows {
    const { codes, dictionary } = column;
    const table = this.#tableFor(name, constants, dictionary);
    const [isRead] = table.byCode as [Int32Array];
    const reading = new AttributeReader(constants);
    const read = (code: number): void => this.#readValue(code, name, cellOf(column, code), reading, table);
    // Codes without a value: if no row has one, all rows may turn out to have the same number.
    for (let code = 0; code < FIRST_VALUE_CODE; code += 1)
      if (isRead[code] === UNSET && codes.includes(code)) read(code);
    const numCodes = dictionary.numValues + FIRST_VALUE_CODE;
    if (numCodes - table.numRead > codes.length) {
      // A chunk from the middle of its segment: most values may be those of others.
      for (let row = 0; row < codes.length; row += 1) if (isRead[codes[row]!] === UNSET) read(codes[row]!);
    } else {
      for (let code = table.numRead; code < numCodes; code += 1) if (isRead[code] === UNSET) read(code);
      table.numRead = numCodes;
    }
    return { keys: codes, numbers: table.byCode };
  }

  #tableFor(name: string, constants: Record<string, Cell>, dictionary: Dictionary): CodeTable {
    const context = `${name}\n${JSON.stringify(constants)}`;
    let table = this.#tables.get(context);
    if (!table) {
      if (this.#tables.size > this.#bounds.keptTables) this.#tables.clear();
      const empty = this.features.map(() => new Int32Array());
      table = { dictionary: undefined, byCode: empty, numRead: FIRST_VALUE_CODE, byText: new Map(), retained: empty };
      this.#tables.set(context, table);
    }
    const numCodes = dictionary.numValues + FIRST_VALUE_CODE;
    if (table.dictionary !== dictionary) {
      this.#keepTexts(table);
      table.dictionary = dictionary;
      table.byCode = this.features.map(() => new Int32Array(numCodes).fill(UNSET));
      table.numRead = FIRST_VALUE_CODE;
    } else if (table.byCode[0]!.length < numCodes)
      // The dictionary has grown since.
      table.byCode = table.byCode.map((numbers) => longer(numbers, numCodes * 2));
    return table;
  }

  /** Keeps what was read of the dictionary that is left. */
  #keepTexts(table: CodeTable): void {
    const { dictionary, byCode, byText } = table;
    if (!dictionary) return;
    if (byText.size > this.#bounds.keptTexts) byText.clear();
    const [isRead] = byCode as [Int32Array];
    // After they were cleared, more places than are needed may be there already.
    const numPlaces = byText.size + isRead.length;
    const kept = table.retained.map((numbers) => (numbers.length < numPlaces ? longer(numbers, numPlaces) : numbers));
    table.retained = kept;
    for (let code = FIRST_VALUE_CODE; code < isRead.length; code += 1) {
      if (isRead[code] === UNSET) continue;
      const text = onlyText(dictionary.valueAt(code - FIRST_VALUE_CODE) as Cell);
      if (text === undefined || byText.has(text)) continue;
      kept.forEach((numbers, feature) => (numbers[byText.size] = byCode[feature]![code]!));
      byText.set(text, byText.size);
    }
  }

  /** Reads all features of a value. */
  #readValue(
    code: number,
    name: string,
    cell: Cell,
    reading: AttributeReader,
    { byCode, byText, retained }: CodeTable,
  ): void {
    const text = byText.size === 0 ? undefined : onlyText(cell);
    const known = text === undefined ? undefined : byText.get(text);
    if (known === undefined) reading.set(name, cell);
    for (let feature = 0; feature < byCode.length; feature += 1)
      byCode[feature]![code] = known === undefined ? this.features[feature]!.read(reading) : retained[feature]![known]!;
  }

  #readSeveral(columns: readonly DistinguishingColumn[], constants: Record<string, Cell>, numRows: number): KeyedRows {
    // The combination of each row, and a row of each combination.
    const combined = new Int32Array(numRows);
    let firstRows: number[] = [];
    columns.forEach(({ column: { codes }, isPresence }) => {
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
    const reading = new AttributeReader(constants);
    const numbers = this.features.map(() => new Int32Array(firstRows.length));
    firstRows.forEach((row, combination) => {
      for (const { name, column, isPresence, isHidden } of columns) {
        if (isHidden) continue;
        reading.set(name, column.codes[row] === 0 ? undefined : isPresence ? null : cellAt(column, row));
      }
      this.features.forEach((feature, index) => (numbers[index]![combination] = feature.read(reading)));
    });
    return { keys: combined, numbers };
  }

  /** Rows with attributes that have no column get separate keys. */
  #withSpilled(rows: EncodedRows, columns: KeyedRows): KeyedRows {
    const { spilledRows } = rows;
    if (spilledRows.length === 0) return columns;
    const first = columns.numbers[0]!.length;
    const keys = Int32Array.from(columns.keys);
    const numbers = columns.numbers.map((ofKeys) => longer(ofKeys, first + spilledRows.length));
    spilledRows.forEach((row, index) => {
      keys[row] = first + index;
      const reading = new AttributeReader(rows.attributesAt(row));
      this.features.forEach((feature, at) => (numbers[at]![first + index] = feature.read(reading)));
    });
    return { keys, numbers };
  }
}

/** The same numbers, and room for others, which are not set. */
function longer(numbers: Int32Array, length: number): Int32Array {
  const array = new Int32Array(length).fill(UNSET, numbers.length);
  array.set(numbers);
  return array;
}

/** A text, or a list of one, distinguished; undefined for other values. */
function onlyText(cell: Cell): string | undefined {
  if (typeof cell === 'string') return cell.startsWith('\0') ? undefined : cell;
  return Array.isArray(cell) && cell.length === 1 && typeof cell[0] === 'string' ? `\0${cell[0]}` : undefined;
}
