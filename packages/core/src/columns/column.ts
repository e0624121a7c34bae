/**
 * The binary form of one column of a chunk of a log.
 *
 * | bytes | what |
 * |---|---|
 * | 4 | magic `JFCL` |
 * | 1 | version, 1 |
 * | 1 | type: 1 integers, 2 values |
 * | 2 | zero |
 * | 4 | number of rows |
 * | 4 | CRC-32 of the payload |
 * | rest | payload |
 *
 * Numbers are little-endian. *Integers*: each value's difference from the one before, as zigzag LEB128. *Values*: the
 * width of a code in bytes (1, 2 or 4), the number of distinct values and the length of their texts in bytes (4 each),
 * the texts as JSON lines, then one code a row: 0 unknown, 1 none, n + 2 the n-th distinct value.
 *
 * Compression is the business of whoever stores the bytes. Rejected: one dictionary for a whole log, which grows without
 * bound on unique query strings.
 */
import { crc32 } from '../binary/checksum.js';

/** A cell as JSON can hold it; `null` is none, `undefined` unknown. */
export type Cell = JsonValue | null | undefined;
type JsonValue = string | number | boolean | readonly JsonValue[] | { readonly [key: string]: JsonValue | null };

/** The distinct values of a column; the same object where columns share them. */
export interface Dictionary {
  readonly numValues: number;
  valueAt(index: number): JsonValue;
}

/** One a row: 0 unknown, 1 none, `FIRST_VALUE_CODE` and more a value of the dictionary. */
export type Codes = Uint8Array | Uint16Array | Uint32Array;

export interface ValueColumn {
  readonly kind: 'values';
  readonly dictionary: Dictionary;
  readonly codes: Codes;
}

export type Column = { readonly kind: 'integers'; readonly values: Float64Array } | ValueColumn;

/** A column whose bytes are not what they should be. The message names what was wrong. */
export class DamagedColumnError extends Error {}

const MAGIC = 0x4c43464a;
const VERSION = 1;
const HEADER_BYTES = 16;
const TYPES = { integers: 1, values: 2 } as const;
export const FIRST_VALUE_CODE = 2;
const encoder = new TextEncoder();
const decoder = new TextDecoder();

/** Gathers the cells of one column and gives each distinct value a code. */
export class ValueColumnBuilder {
  readonly #codes: number[] = [];
  readonly #codeOf = new Map<string | number | boolean, number>();
  readonly #codeOfStructure = new Map<string, number>();
  readonly #distinct: JsonValue[] = [];

  /** @param numRowsBefore rows of the chunk before the column was first seen, which are unknown */
  constructor(numRowsBefore = 0) {
    for (let row = 0; row < numRowsBefore; row += 1) this.#codes.push(0);
  }

  push(cell: Cell): void {
    this.#codes.push(cell === undefined ? 0 : cell === null ? 1 : this.#codeFor(cell));
  }

  #codeFor(value: JsonValue): number {
    const isStructure = typeof value === 'object';
    const codes: Map<string | number | boolean, number> = isStructure ? this.#codeOfStructure : this.#codeOf;
    const key = isStructure ? JSON.stringify(value) : value;
    let code = codes.get(key);
    if (code === undefined) {
      code = this.#distinct.push(value) + FIRST_VALUE_CODE - 1;
      codes.set(key, code);
    }
    return code;
  }

  encode(): Uint8Array {
    const numCodes = this.#distinct.length + FIRST_VALUE_CODE;
    const width = numCodes <= 0x100 ? 1 : numCodes <= 0x10000 ? 2 : 4;
    const texts = encoder.encode(this.#distinct.map((value) => JSON.stringify(value)).join('\n'));
    const payload = new Uint8Array(9 + texts.length + this.#codes.length * width);
    const view = new DataView(payload.buffer);
    payload[0] = width;
    view.setUint32(1, this.#distinct.length, true);
    view.setUint32(5, texts.length, true);
    payload.set(texts, 9);
    let at = 9 + texts.length;
    for (const code of this.#codes) {
      if (width === 1) payload[at] = code;
      else if (width === 2) view.setUint16(at, code, true);
      else view.setUint32(at, code, true);
      at += width;
    }
    return frame('values', this.#codes.length, payload);
  }
}

/** @param values whole numbers within ±2^53 */
export function encodeIntegers(values: readonly number[]): Uint8Array {
  const bytes: number[] = [];
  let previous = 0;
  for (const value of values) {
    const delta = value - previous;
    let zigzag = delta < 0 ? -2 * delta - 1 : 2 * delta;
    while (zigzag >= 0x80) {
      bytes.push((zigzag % 0x80) + 0x80);
      zigzag = Math.floor(zigzag / 0x80);
    }
    bytes.push(zigzag);
    previous = value;
  }
  return frame('integers', values.length, Uint8Array.from(bytes));
}

function frame(kind: Column['kind'], numRows: number, payload: Uint8Array): Uint8Array {
  const bytes = new Uint8Array(HEADER_BYTES + payload.length);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, MAGIC, true);
  bytes[4] = VERSION;
  bytes[5] = TYPES[kind];
  view.setUint32(8, numRows, true);
  view.setUint32(12, crc32(payload), true);
  bytes.set(payload, HEADER_BYTES);
  return bytes;
}

/**
 * @param numRows how many rows the chunk has
 * @throws DamagedColumnError when the bytes are no column of this version, are damaged, or have another number of rows
 */
export function decodeColumn(bytes: Uint8Array, numRows: number): Column {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < HEADER_BYTES || view.getUint32(0, true) !== MAGIC)
    throw new DamagedColumnError('the bytes do not begin as a column');
  if (bytes[4] !== VERSION) throw new DamagedColumnError(`the column has version ${bytes[4]}, expected ${VERSION}`);
  if (view.getUint32(8, true) !== numRows)
    throw new DamagedColumnError(`the column has ${view.getUint32(8, true)} rows, expected ${numRows}`);
  const payload = bytes.subarray(HEADER_BYTES);
  if (view.getUint32(12, true) !== crc32(payload)) throw new DamagedColumnError('the checksum does not fit the bytes');
  if (bytes[5] === TYPES.integers) return { kind: 'integers', values: decodeIntegers(payload, numRows) };
  if (bytes[5] === TYPES.values) return decodeValues(payload, numRows);
  throw new DamagedColumnError(`the column has the unknown type ${bytes[5]}`);
}

function decodeIntegers(payload: Uint8Array, numRows: number): Float64Array {
  const values = new Float64Array(numRows);
  let at = 0;
  let previous = 0;
  for (let row = 0; row < numRows; row += 1) {
    let zigzag = 0;
    let scale = 1;
    let byte: number;
    do {
      byte = payload[at++]!;
      zigzag += (byte & 0x7f) * scale;
      scale *= 0x80;
    } while (byte >= 0x80);
    previous += zigzag % 2 === 0 ? zigzag / 2 : -(zigzag + 1) / 2;
    values[row] = previous;
  }
  return values;
}

function decodeValues(payload: Uint8Array, numRows: number): Column {
  const view = new DataView(payload.buffer, payload.byteOffset, payload.byteLength);
  const width = payload[0]!;
  const numDistinct = view.getUint32(1, true);
  const textBytes = view.getUint32(5, true);
  const texts = decoder.decode(payload.subarray(9, 9 + textBytes));
  const distinct = numDistinct === 0 ? [] : texts.split('\n').map((text) => JSON.parse(text) as JsonValue);
  // A copy, so that wider codes are aligned; not slice(), which copies nothing where the bytes are a Node Buffer.
  const codeBytes = new Uint8Array(payload.subarray(9 + textBytes, 9 + textBytes + numRows * width));
  const codes =
    width === 1 ? codeBytes : width === 2 ? new Uint16Array(codeBytes.buffer) : new Uint32Array(codeBytes.buffer);
  return { kind: 'values', dictionary: { numValues: numDistinct, valueAt: (index) => distinct[index]! }, codes };
}

/** The cell of a row. */
export function cellAt(column: Column, row: number): Cell {
  return column.kind === 'integers' ? column.values[row] : cellOf(column, column.codes[row]!);
}

/** The cell that a code stands for. */
export function cellOf({ dictionary }: ValueColumn, code: number): Cell {
  return code === 0 ? undefined : code === 1 ? null : dictionary.valueAt(code - FIRST_VALUE_CODE);
}
