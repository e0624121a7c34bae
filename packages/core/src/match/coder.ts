/**
 * Whole numbers for the requests of a chunk, each read once for all requests whose attributes are the same. Where a
 * feature hangs on one column, the numbers of its dictionary are kept from chunk to chunk.
 */
import { cellAt, cellOf, FIRST_VALUE_CODE, type Cell, type Dictionary, type ValueColumn } from '../columns/column.js';
import type { Feature } from './features.js';
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
  /** It is no input, but another column's values hang on it. */
  readonly isHidden?: boolean;
}

const UNSET = ABSENT;
/** With more values than these, all are let go of when the next dictionary comes. */
const MAX_KEPT_TEXTS = 500_000;
const MAX_TABLES = 8;

/** What was read of the values of one column, all other inputs being the same. */
interface Table {
  /** The dictionary that was seen last. */
  dictionary: Dictionary | undefined;
  /** By code of that dictionary and feature: the number, or `UNSET`. Those of a code lie together. */
  byCode: Int32Array;
  /** The numbers of what dictionaries before had, so that a text is read once; filled when the next dictionary comes. */
  readonly byText: Map<string, number>;
  /** Where `byText` says: by feature, one text behind the other. */
  kept: Int32Array;
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
      if (!isPresence && column.hosts && only !== 0) {
        telling.push({ name, column, isPresence }, { name: '', column: column.hosts, isPresence, isHidden: true });
        continue;
      }
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
    const reading = new Reading(constants);
    const { byCode } = table;
    const numFeatures = this.features.length;
    for (let row = 0; row < numRows; row += 1) {
      const code = codes[row]!;
      const place = code * numFeatures;
      if (byCode[place] === UNSET) this.#readValue(code, name, cellOf(column, code), reading, table);
      for (let feature = 0; feature < numFeatures; feature += 1) into[feature]![row] = byCode[place + feature]!;
    }
  }

  #tableFor(name: string, constants: Record<string, Cell>, dictionary: Dictionary): Table {
    const context = `${name}\n${JSON.stringify(constants)}`;
    let table = this.#tables.get(context);
    if (!table) {
      if (this.#tables.size > MAX_TABLES) this.#tables.clear();
      table = { dictionary: undefined, byCode: new Int32Array(), byText: new Map(), kept: new Int32Array() };
      this.#tables.set(context, table);
    }
    const size = (dictionary.numValues + FIRST_VALUE_CODE) * this.features.length;
    if (table.dictionary !== dictionary) {
      this.#keepTexts(table);
      table.dictionary = dictionary;
      table.byCode = new Int32Array(size).fill(UNSET);
    } else if (table.byCode.length < size) {
      // The dictionary has grown since.
      const larger = new Int32Array(size * 2).fill(UNSET);
      larger.set(table.byCode);
      table.byCode = larger;
    }
    return table;
  }

  /** Keeps what was read of the dictionary that is left. */
  #keepTexts(table: Table): void {
    const { dictionary, byCode, byText } = table;
    if (!dictionary) return;
    if (byText.size > MAX_KEPT_TEXTS) byText.clear();
    const numFeatures = this.features.length;
    const kept = new Int32Array(byText.size * numFeatures + byCode.length);
    kept.set(table.kept.subarray(0, byText.size * numFeatures));
    table.kept = kept;
    for (let code = FIRST_VALUE_CODE; code * numFeatures < byCode.length; code += 1) {
      const place = code * numFeatures;
      if (byCode[place] === UNSET) continue;
      const text = onlyText(dictionary.valueAt(code - FIRST_VALUE_CODE) as Cell);
      if (text === undefined || byText.has(text)) continue;
      kept.set(byCode.subarray(place, place + numFeatures), byText.size * numFeatures);
      byText.set(text, byText.size);
    }
  }

  /** Reads all features of a value. */
  #readValue(code: number, name: string, cell: Cell, reading: Reading, { byCode, byText, kept }: Table): void {
    const numFeatures = this.features.length;
    const text = byText.size === 0 ? undefined : onlyText(cell);
    const known = text === undefined ? undefined : byText.get(text);
    if (known === undefined) reading.set(name, cell);
    for (let feature = 0; feature < numFeatures; feature += 1)
      byCode[code * numFeatures + feature] =
        known === undefined ? this.features[feature]!.read(reading) : kept[known * numFeatures + feature]!;
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
    const numbers = this.features.map(() => new Int32Array(firstRows.length));
    firstRows.forEach((row, combination) => {
      for (const { name, column, isPresence, isHidden } of telling) {
        if (isHidden) continue;
        reading.set(name, column.codes[row] === 0 ? undefined : isPresence ? null : cellAt(column, row));
      }
      this.features.forEach((feature, index) => (numbers[index]![combination] = feature.read(reading)));
    });
    into.forEach((array, index) => {
      const ofFeature = numbers[index]!;
      for (let row = 0; row < numRows; row += 1) array[row] = ofFeature[combined[row]!]!;
    });
  }
}

/** A text, or a list of one, told apart; undefined for other values. */
function onlyText(cell: Cell): string | undefined {
  if (typeof cell === 'string') return cell.startsWith('\0') ? undefined : cell;
  return Array.isArray(cell) && cell.length === 1 && typeof cell[0] === 'string' ? `\0${cell[0]}` : undefined;
}
