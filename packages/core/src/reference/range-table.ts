/**
 * Ranges of addresses, each with a value, in typed arrays: some hundred thousand ranges in a few megabytes.
 *
 * Method: ranges may nest and overlap; they are cut into disjoint pieces by one sweep per family, each owned by the
 * smallest range that covers it (at equal size the later one), so that a lookup finds the piece with the last start at
 * or below an address, and the place of the value of this piece among the few that there are.
 *
 * The binary form is the arrays themselves behind a header, so that loading copies nothing and threads can share it:
 *
 * | bytes | what |
 * |---|---|
 * | 4 | magic `JFRT` |
 * | 4 | version, 1 |
 * | 4 | CRC-32 of everything behind the header |
 * | 16 | IPv4 pieces, IPv4 ranges, IPv6 pieces, IPv6 ranges |
 * | 4 | zero |
 * | rest | per family: starts of pieces, owners of pieces, first and last addresses of ranges, values of ranges |
 *
 * Numbers are little-endian; an IPv6 address is four words of 32 bits, the highest first.
 */
import { crc32 } from '../binary/checksum.js';
import { DamagedTableError } from '../binary/damaged.js';
import { FAMILY_BITS, fromWords, type Address, type AddressRange } from '../request/address.js';
import { cutIntoPieces, NO_OWNER } from './range-pieces.js';
import { findIpv4, findIpv6, buildIpv4Index, buildIpv6Index, type Ipv4Index, type Ipv6Index } from './range-search.js';

/** A range and its value, a whole number below 65,535. */
export interface RangeRow extends AddressRange {
  readonly value: number;
}

const MAGIC = 0x54_52_46_4a;
const VERSION = 1;
const HEADER_WORDS = 8;
const WORD_BYTES = 4;
/** The value of a piece that no range covers. */
const NO_VALUE = 0xffff;

interface FamilyPart {
  /** Words of an address. */
  readonly width: 1 | 4;
  readonly numPieces: number;
  readonly numRanges: number;
  readonly starts: Uint32Array;
  readonly owners: Uint32Array;
  readonly firsts: Uint32Array;
  readonly lasts: Uint32Array;
  readonly values: Uint32Array;
  /** For each piece, the place of its value among all that pieces have. */
  readonly codes: Uint8Array | Uint16Array;
  readonly valueOfCode: Uint16Array;
}

const scratch = new Uint32Array(4);

export class RangeTable {
  readonly #four: FamilyPart;
  readonly #six: FamilyPart;
  readonly #search4: Ipv4Index;
  readonly #search6: Ipv6Index;

  /** @param buffer the binary form; it is used, not copied, and may be shared. @throws DamagedTableError */
  constructor(readonly buffer: ArrayBufferLike) {
    const words = readWords(buffer);
    const [pieces4, ranges4, pieces6, ranges6] = [words[3]!, words[4]!, words[5]!, words[6]!];
    const wanted = HEADER_WORDS + pieces4 * 2 + ranges4 * 3 + pieces6 * 5 + ranges6 * 9;
    if (words.length !== wanted)
      throw new DamagedTableError(`the table has ${words.length} words, expected ${wanted} by its header`);
    this.#four = readPart(words, HEADER_WORDS, 1, pieces4, ranges4);
    this.#six = readPart(words, HEADER_WORDS + pieces4 * 2 + ranges4 * 3, 4, pieces6, ranges6);
    this.#search4 = buildIpv4Index(this.#four.starts);
    this.#search6 = buildIpv6Index(this.#six.starts);
  }

  get numRanges(): number {
    return this.#four.numRanges + this.#six.numRanges;
  }

  /** @returns the smallest range that contains the address, with its value */
  find(address: Address): RangeRow | undefined {
    const part = address.family === 4 ? this.#four : this.#six;
    return this.#row(part, ownerAt(part, this.#pieceOf(address)));
  }

  /** The value of the smallest range that contains the address, or -1. */
  findValue(address: Address): number {
    return valueAt(address.family === 4 ? this.#four : this.#six, this.#pieceOf(address));
  }

  /** Every range, IPv4 before IPv6, each family as it was added. */
  *rows(): Generator<RangeRow> {
    for (const part of [this.#four, this.#six])
      for (let owner = 0; owner < part.numRanges; owner += 1) yield this.#row(part, owner)!;
  }

  /** How many addresses each value has, by pieces, so that an address counts for the one range that owns it. */
  countAddresses(): Map<number, { four: bigint; six: bigint }> {
    const counts = new Map<number, { four: bigint; six: bigint }>();
    const add = (part: FamilyPart, family: 'four' | 'six', end: bigint): void => {
      for (let piece = 0; piece < part.numPieces; piece += 1) {
        const value = part.valueOfCode[part.codes[piece]!]!;
        if (value === NO_VALUE) continue;
        const last = piece + 1 < part.numPieces ? addressAt(part, part.starts, piece + 1) : end;
        const count = counts.get(value) ?? { four: 0n, six: 0n };
        count[family] += last - addressAt(part, part.starts, piece);
        counts.set(value, count);
      }
    };
    add(this.#four, 'four', 1n << 32n);
    add(this.#six, 'six', 1n << 128n);
    return counts;
  }

  #pieceOf(address: Address): number {
    if (address.family === 4) return findIpv4(this.#search4, address.word3);
    scratch[0] = address.word0;
    scratch[1] = address.word1;
    scratch[2] = address.word2;
    scratch[3] = address.word3;
    return findIpv6(this.#search6, scratch);
  }

  #row(part: FamilyPart, owner: number): RangeRow | undefined {
    if (owner === NO_OWNER) return undefined;
    return {
      family: part.width === 1 ? 4 : 6,
      first: addressAt(part, part.firsts, owner),
      last: addressAt(part, part.lasts, owner),
      value: part.values[owner]!,
    };
  }
}

function addressAt({ width }: FamilyPart, words: Uint32Array, at: number): bigint {
  return width === 1
    ? BigInt(words[at]!)
    : fromWords(words[at * 4]!, words[at * 4 + 1]!, words[at * 4 + 2]!, words[at * 4 + 3]!);
}

function valueAt({ codes, valueOfCode }: FamilyPart, piece: number): number {
  const value = piece < 0 ? NO_VALUE : valueOfCode[codes[piece]!]!;
  return value === NO_VALUE ? -1 : value;
}

function ownerAt({ owners }: FamilyPart, piece: number): number {
  return piece < 0 ? NO_OWNER : owners[piece]!;
}

function readWords(buffer: ArrayBufferLike): Uint32Array {
  if (buffer.byteLength < HEADER_WORDS * WORD_BYTES || buffer.byteLength % WORD_BYTES !== 0)
    throw new DamagedTableError('the bytes are too few for a table of ranges');
  const words = new Uint32Array(buffer);
  if (words[0] !== MAGIC) throw new DamagedTableError('the bytes do not begin as a table of ranges');
  if (words[1] !== VERSION)
    throw new DamagedTableError(`the table of ranges has version ${words[1]}, expected ${VERSION}`);
  if (words[2] !== crc32(new Uint8Array(buffer, HEADER_WORDS * WORD_BYTES)))
    throw new DamagedTableError('the checksum of the table of ranges does not fit its bytes');
  return words;
}

function readPart(words: Uint32Array, from: number, width: 1 | 4, numPieces: number, numRanges: number): FamilyPart {
  let at = from;
  const take = (length: number): Uint32Array => words.subarray(at, (at += length));
  const starts = take(numPieces * width);
  const owners = take(numPieces);
  const firsts = take(numRanges * width);
  const lasts = take(numRanges * width);
  const values = take(numRanges);
  const pieceValues = Uint16Array.from(owners, (owner) => (owner === NO_OWNER ? NO_VALUE : values[owner]!));
  const valueOfCode = Uint16Array.from(new Set(pieceValues));
  const codeOfValue = new Map(Array.from(valueOfCode, (value, code) => [value, code]));
  const codes = valueOfCode.length > 0x100 ? new Uint16Array(numPieces) : new Uint8Array(numPieces);
  pieceValues.forEach((value, piece) => (codes[piece] = codeOfValue.get(value)!));
  return { width, numPieces, numRanges, starts, owners, firsts, lasts, values, codes, valueOfCode };
}

/** Cuts ranges into pieces and writes the binary form. */
export function createRangeTable(rows: readonly RangeRow[]): RangeTable {
  const parts = ([4, 6] as const).map((family) => {
    const ranges = rows.filter((row) => row.family === family);
    return { width: family === 4 ? 1 : 4, ranges, pieces: cutIntoPieces(ranges, 1n << BigInt(FAMILY_BITS[family])) };
  });
  const numWords = parts.reduce(
    (sum, { width, ranges, pieces }) => sum + pieces.starts.length * (width + 1) + ranges.length * (2 * width + 1),
    HEADER_WORDS,
  );
  const words = new Uint32Array(numWords);
  words.set([MAGIC, VERSION, 0, ...parts.flatMap(({ pieces, ranges }) => [pieces.starts.length, ranges.length])]);
  let at = HEADER_WORDS;
  for (const { width, ranges, pieces } of parts) {
    const putAddress = (value: bigint): void => {
      for (let word = width - 1, rest = value; word >= 0; word -= 1, rest >>= 32n)
        words[at + word] = Number(rest & 0xffff_ffffn);
      at += width;
    };
    pieces.starts.forEach(putAddress);
    for (const owner of pieces.owners) words[at++] = owner;
    for (const { first } of ranges) putAddress(first);
    for (const { last } of ranges) putAddress(last);
    for (const { value } of ranges) words[at++] = value;
  }
  words[2] = crc32(new Uint8Array(words.buffer, HEADER_WORDS * WORD_BYTES));
  return new RangeTable(words.buffer);
}
