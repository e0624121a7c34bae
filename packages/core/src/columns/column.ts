/**
 * The binary form of one column of a chunk of a log, and of what the chunk adds to the column's dictionary.
 *
 * | bytes | what |
 * |---|---|
 * | 4 | magic `JFCL` |
 * | 1 | version, 3 (1 and 2 are still read) |
 * | 1 | type: 1 integers, 2 values, 3 dictionary part, 4 codes |
 * | 2 | zero |
 * | 4 | number of rows, or of entries |
 * | 4 | CRC-32 of the payload |
 * | rest | payload |
 *
 * Numbers are little-endian. *Integers*: a scale, then each value's difference from the one before in units of the scale,
 * as zigzag LEB128; version 1 has no scale. *Dictionary part*: the length of each entry as LEB128, then the entries: one
 * byte of the kind (`s` text, `l` a list of one text, `j` JSON; since version 3 `h` and `H` a list of one URL of the host
 * that the row's Host header names, with http and https, of which only what follows the host is kept), then UTF-8. *Codes*: the number of planes, then the first
 * bytes of all codes, the second bytes, and so on, as many as the largest code needs; without planes the one code of all
 * rows, in four bytes. 0 is unknown, 1 none, n + 2 entry n. *Values* (version 1): the width of a code in bytes, the number
 * of distinct values and the length of their texts in bytes (4 each), the texts as JSON lines, then one code a row.
 *
 * Compression is left to the store. Rejected: one dictionary for a whole log, which grows without
 * bound on unique query strings; one a chunk, which stores what comes up again in every chunk.
 */
import { crc32 } from '../binary/checksum.js';
import { fromZigzag, LebWriter, LebReader, toZigzag } from '../binary/leb.js';
import { FIRST_VALUE_CODE, JSON_KIND, LIST_KIND, OWN_HTTP_KIND, OWN_HTTPS_KIND, TEXT_KIND } from '../kernel/cells.js';

export { FIRST_VALUE_CODE };

/** A cell as JSON can hold it; `null` is none, `undefined` unknown. */
export type Cell = JsonValue | null | undefined;
export type JsonValue = string | number | boolean | readonly JsonValue[] | { readonly [key: string]: JsonValue | null };

/** The distinct values of a column; the same object where columns share them. */
export interface Dictionary {
  readonly numValues: number;
  /** Whether some values depend on the row's host. */
  readonly hasSameOriginUrls: boolean;
  valueAt(index: number): JsonValue | SameOriginUrl;
}

/** One a row: 0 unknown, 1 none, `FIRST_VALUE_CODE` and more a value of the dictionary. */
export type Codes = Uint8Array | Uint16Array | Uint32Array;

export interface ValueColumn {
  readonly kind: 'values';
  readonly dictionary: Dictionary;
  readonly codes: Codes;
  /** The one code that all rows have; -1 where they differ. */
  readonly onlyCode: number;
  /** The host column, if values depend on it. */
  readonly hosts?: ValueColumn;
  /** 1 where all rows have the attribute, 0 where none has, -1 where some have. */
  readonly presence: number;
}

export type Column = { readonly kind: 'integers'; readonly values: Float64Array } | ValueColumn;

/** Finds the dictionary of a column that is stored as codes only. */
export type FindDictionary = () => Dictionary;

/** A column whose bytes are not what they should be. The message names what was wrong. */
export class DamagedColumnError extends Error {}

const MAGIC = 0x4c43464a;
const VERSION = 3;
const HEADER_BYTES = 16;
const TYPES = { integers: 1, values: 2, dictionary: 3, codes: 4 } as const;
const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** @param values whole numbers within ±2^53 */
export function encodeIntegers(values: Float64Array): Uint8Array {
  const scale = commonScale(values);
  const bytes = new LebWriter(values.length * 2);
  bytes.push(scale);
  let previous = 0;
  for (let row = 0; row < values.length; row += 1) {
    const value = values[row]!;
    bytes.push(toZigzag(scale === 1 ? value - previous : (value - previous) / scale));
    previous = value;
  }
  return frame('integers', values.length, [bytes.finish()]);
}

/** Times of whole seconds, minutes or hours are counted in those. */
const SCALES = [3_600_000, 60_000, 1000];

function commonScale(values: Float64Array): number {
  return SCALES.find((scale) => areMultiples(values, scale)) ?? 1;
}

function areMultiples(values: Float64Array, scale: number): boolean {
  for (let row = 0; row < values.length; row += 1)
    if (Math.round(values[row]! / scale) * scale !== values[row]) return false;
  return true;
}

/** @param entries the ranges of the entries in `bytes`, contiguous */
export function encodeDictionaryPart(bytes: Uint8Array, ends: Int32Array, from: number, to: number): Uint8Array {
  const lengths = new LebWriter((to - from) * 2);
  const start = from === 0 ? 0 : ends[from - 1]!;
  let before = start;
  for (let entry = from; entry < to; entry += 1) {
    lengths.push(ends[entry]! - before);
    before = ends[entry]!;
  }
  return frame('dictionary', to - from, [lengths.finish(), bytes.subarray(start, before)]);
}

/** @param codes as they are stored: how many planes, and those, or the one code of all rows */
export function encodeCodes(codes: Uint8Array, numRows: number): Uint8Array {
  return frame('codes', numRows, [codes]);
}

/** How many bytes those take. */
export function encodedCodesSize(numPlanes: number, numRows: number): number {
  return 1 + (numPlanes === 0 ? 4 : numPlanes * numRows);
}

function frame(kind: keyof typeof TYPES, count: number, parts: readonly Uint8Array[]): Uint8Array {
  const bytes = new Uint8Array(HEADER_BYTES + parts.reduce((sum, part) => sum + part.length, 0));
  let at = HEADER_BYTES;
  for (const part of parts) {
    bytes.set(part, at);
    at += part.length;
  }
  const view = new DataView(bytes.buffer);
  view.setUint32(0, MAGIC, true);
  bytes[4] = VERSION;
  bytes[5] = TYPES[kind];
  view.setUint32(8, count, true);
  view.setUint32(12, crc32(bytes.subarray(HEADER_BYTES)), true);
  return bytes;
}

interface Frame {
  readonly version: number;
  readonly type: number;
  readonly count: number;
  readonly payload: Uint8Array;
}

/** @throws DamagedColumnError when the bytes are no column of a version that can be read, or are damaged */
function openFrame(bytes: Uint8Array): Frame {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < HEADER_BYTES || view.getUint32(0, true) !== MAGIC)
    throw new DamagedColumnError('the bytes do not begin as a column');
  const version = bytes[4]!;
  if (version < 1 || version > VERSION)
    throw new DamagedColumnError(`the column has version ${version}, expected at most ${VERSION}`);
  const payload = bytes.subarray(HEADER_BYTES);
  if (view.getUint32(12, true) !== crc32(payload)) throw new DamagedColumnError('the checksum does not fit the bytes');
  return { version, type: bytes[5]!, count: view.getUint32(8, true), payload };
}

/** The entries that a chunk adds to a dictionary. @throws DamagedColumnError */
export function decodeDictionaryPart(part: Uint8Array): { readonly bytes: Uint8Array; readonly ends: Int32Array } {
  const { type, count, payload } = openFrame(part);
  if (type !== TYPES.dictionary) throw new DamagedColumnError('the bytes are no part of a dictionary');
  const leb = new LebReader(payload, 0);
  const ends = new Int32Array(count);
  for (let entry = 0, end = 0; entry < count; entry += 1) ends[entry] = end += leb.next();
  return { bytes: payload.subarray(leb.at), ends };
}

/** The value of an entry: the byte of its kind, then its text. */
export function decodeEntry(entry: Uint8Array): JsonValue | SameOriginUrl {
  return valueOfKind(entry[0]!, decoder.decode(entry.subarray(1)));
}

/** @param kind one of `KINDS` */
export function valueOfKind(kind: number, text: string): JsonValue | SameOriginUrl {
  switch (kind) {
    case KINDS.text:
      return text;
    case KINDS.list:
      return [text];
    case KINDS.sameOriginHttp:
      return new SameOriginUrl('http://', text);
    case KINDS.sameOriginHttps:
      return new SameOriginUrl('https://', text);
    default:
      return JSON.parse(text) as JsonValue;
  }
}

/** Of what an entry is the text. */
export const KINDS = {
  text: TEXT_KIND,
  list: LIST_KIND,
  json: JSON_KIND,
  sameOriginHttp: OWN_HTTP_KIND,
  sameOriginHttps: OWN_HTTPS_KIND,
} as const;
/** Schemes of URLs that are kept without their host, by kind. */
export const SAME_ORIGIN_SCHEMES = { [KINDS.sameOriginHttp]: 'http://', [KINDS.sameOriginHttps]: 'https://' } as const;

/** A URL of the host that the row's Host header names: most pages are reached from pages of the same site. */
export class SameOriginUrl {
  /** @param rest what follows the host */
  constructor(
    readonly scheme: string,
    readonly rest: string,
  ) {}

  /** @param host the cell of the Host header */
  on(host: Cell): JsonValue {
    const name = Array.isArray(host) ? (host as readonly JsonValue[])[0] : undefined;
    if (typeof name !== 'string') throw new DamagedColumnError('a URL is kept without its host, and the row has none');
    return [`${this.scheme}${name}${this.rest}`];
  }
}

/**
 * @param numRows how many rows the chunk has
 * @param findDictionary of columns stored as codes only
 * @throws DamagedColumnError when the bytes are no column of this version, are damaged, or have another number of rows
 */
export function decodeColumn(bytes: Uint8Array, numRows: number, findDictionary: FindDictionary): Column {
  const { version, type, count, payload } = openFrame(bytes);
  if (count !== numRows) throw new DamagedColumnError(`the column has ${count} rows, expected ${numRows}`);
  if (type === TYPES.integers)
    return { kind: 'integers', values: decodeIntegers(new LebReader(payload, 0), numRows, version > 1) };
  if (type === TYPES.values) return decodeValues(payload, numRows);
  if (type === TYPES.codes) return valueColumn(findDictionary(), decodeCodes(payload, numRows));
  throw new DamagedColumnError(`the column has the unknown type ${type}`);
}

/** @throws DamagedColumnError where a code is none of the dictionary */
function valueColumn(dictionary: Dictionary, codes: Codes): ValueColumn {
  let highest = 0;
  for (let row = 0; row < codes.length; row += 1) if (codes[row]! > highest) highest = codes[row]!;
  if (highest - FIRST_VALUE_CODE >= dictionary.numValues)
    throw new DamagedColumnError(`a code has no value: ${highest - FIRST_VALUE_CODE}`);
  const first = codes[0] ?? 0;
  const presence = !codes.includes(0) && codes.length > 0 ? 1 : highest === 0 ? 0 : -1;
  return { kind: 'values', dictionary, codes, onlyCode: codes.every((code) => code === first) ? first : -1, presence };
}

function decodeIntegers(leb: LebReader, numRows: number, hasScale: boolean): Float64Array {
  const scale = hasScale ? leb.next() : 1;
  const values = new Float64Array(numRows);
  let previous = 0;
  for (let row = 0; row < numRows; row += 1) {
    previous += fromZigzag(leb.next()) * scale;
    values[row] = previous;
  }
  return values;
}

function decodeCodes(payload: Uint8Array, numRows: number): Codes {
  const numPlanes = payload[0]!;
  const plane = (index: number): Uint8Array => payload.subarray(1 + index * numRows, 1 + (index + 1) * numRows);
  if (numPlanes === 0) {
    const view = new DataView(payload.buffer, payload.byteOffset, payload.byteLength);
    return new Uint32Array(numRows).fill(view.getUint32(1, true));
  }
  if (numPlanes === 1) return plane(0);
  const codes = numPlanes === 2 ? new Uint16Array(numRows) : new Uint32Array(numRows);
  const [low, high] = [plane(0), plane(1)];
  for (let row = 0; row < numRows; row += 1) codes[row] = low[row]! | (high[row]! << 8);
  for (let index = 2; index < numPlanes; index += 1) {
    const higher = plane(index);
    for (let row = 0; row < numRows; row += 1) codes[row]! |= higher[row]! << (index * 8);
  }
  return codes;
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
  return valueColumn({ numValues: numDistinct, hasSameOriginUrls: false, valueAt: (index) => distinct[index]! }, codes);
}

/** The cell of a row. */
export function cellAt(column: Column, row: number): Cell {
  if (column.kind === 'integers') return column.values[row];
  const { dictionary, codes, hosts } = column;
  const code = codes[row]!;
  if (!hosts || code < FIRST_VALUE_CODE) return cellOf(column, code);
  const value = dictionary.valueAt(code - FIRST_VALUE_CODE);
  return value instanceof SameOriginUrl ? value.on(cellAt(hosts, row)) : value;
}

/** The cell of a code, in a column that does not depend on another. */
export function cellOf({ dictionary }: ValueColumn, code: number): Cell {
  if (code < FIRST_VALUE_CODE) return code === 0 ? undefined : null;
  const value = dictionary.valueAt(code - FIRST_VALUE_CODE);
  if (value instanceof SameOriginUrl)
    throw new DamagedColumnError('a URL is kept without its host, and there are none');
  return value;
}
