/**
 * Ranges of addresses, each with a value, in typed arrays: some hundred thousand ranges in a few megabytes.
 *
 * Method: ranges may nest and overlap; they are cut into disjoint pieces by one sweep per family, each owned by the
 * smallest range that covers it (at equal size the later one), so that a look-up is one binary search. An index leaves
 * few steps of it: over the top 16 bits of IPv4, with what is left of a start and its value in one word; over the top 26
 * of IPv6, made only below the few top 16 bits that are in use. Measured and rejected: a direct table over 24 bits (32 MB
 * more, no faster from text), searches without branches (slower, since guesses fetch ahead), blocks of texts at once.
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
import {
  FAMILY_BITS,
  fromWords,
  parseIpv4,
  parseIpv6Words,
  type Address,
  type AddressRange,
} from '../request/address.js';
import { Heap } from './heap.js';

/** A range and its value, a whole number below 65,535. */
export interface RangeRow extends AddressRange {
  readonly value: number;
}

const MAGIC = 0x54_52_46_4a;
const VERSION = 1;
const HEADER_WORDS = 8;
const WORD_BYTES = 4;
/** Bits below the top 16 that IPv6 is indexed by. */
const BELOW_BITS = 10;
/** The owner of a piece that no range covers. */
const NOBODY = 0xffff_ffff;
/** The value of such a piece. */
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
  /** The value of each piece. */
  readonly pieceValues: Uint16Array;
}

const scratch = new Uint32Array(4);

export class RangeTable {
  readonly #four: FamilyPart;
  readonly #six: FamilyPart;
  readonly #search4: SearchFour;
  readonly #search6: SearchSix;

  /** @param buffer the binary form; it is used, not copied, and may be shared. @throws DamagedTableError */
  constructor(readonly buffer: ArrayBufferLike) {
    const words = readWords(buffer);
    const [pieces4, ranges4, pieces6, ranges6] = [words[3]!, words[4]!, words[5]!, words[6]!];
    const wanted = HEADER_WORDS + pieces4 * 2 + ranges4 * 3 + pieces6 * 5 + ranges6 * 9;
    if (words.length !== wanted)
      throw new DamagedTableError(`the table has ${words.length} words, expected ${wanted} by its header`);
    this.#four = readPart(words, HEADER_WORDS, 1, pieces4, ranges4);
    this.#six = readPart(words, HEADER_WORDS + pieces4 * 2 + ranges4 * 3, 4, pieces6, ranges6);
    this.#search4 = prepareFour(this.#four);
    this.#search6 = prepareSix(this.#six);
  }

  get numRanges(): number {
    return this.#four.numRanges + this.#six.numRanges;
  }

  /** @returns the smallest range that contains the address, with its value */
  find({ family, value }: Address): RangeRow | undefined {
    if (family === 4) return this.#row(this.#four, ownerAt(this.#four, find4(this.#search4, Number(value) | 0)));
    setWords(scratch, value);
    return this.#row(this.#six, ownerAt(this.#six, find6(this.#search6, this.#six.starts, scratch)));
  }

  /** The value of the smallest range that contains the address, or -1. */
  findValue({ family, value }: Address): number {
    if (family === 4) return this.#value4(Number(value) | 0);
    setWords(scratch, value);
    return this.#value6(scratch);
  }

  /**
   * The value of the smallest range that contains an address, from its plain text.
   * @returns -1 where no range does, undefined where the text is not plain (a port, brackets, a zone) or no address
   */
  findText(text: string): number | undefined {
    const four = parseIpv4(text);
    if (four !== undefined) return this.#value4(four);
    if (!parseIpv6Words(text, scratch)) return undefined;
    if (scratch[0] === 0 && scratch[1] === 0 && scratch[2] === 0xffff) return this.#value4(scratch[3]! | 0);
    return this.#value6(scratch);
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
        const value = part.pieceValues[piece]!;
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

  #value4(bits: number): number {
    const piece = find4(this.#search4, bits);
    const value = piece < 0 ? NO_VALUE : this.#search4.packed[piece]! & 0xffff;
    return value === NO_VALUE ? -1 : value;
  }

  #value6(words: Uint32Array): number {
    const piece = find6(this.#search6, this.#six.starts, words);
    const value = piece < 0 ? NO_VALUE : this.#search6.pairs[2 * piece + 1]! & 0xffff;
    return value === NO_VALUE ? -1 : value;
  }

  #row(part: FamilyPart, owner: number): RangeRow | undefined {
    if (owner === NOBODY) return undefined;
    return {
      family: part.width === 1 ? 4 : 6,
      first: addressAt(part, part.firsts, owner),
      last: addressAt(part, part.lasts, owner),
      value: part.values[owner]!,
    };
  }
}

function setWords(words: Uint32Array, value: bigint): void {
  for (let word = 3, rest = value; word >= 0; word -= 1, rest >>= 32n) words[word] = Number(rest & 0xffff_ffffn);
}

function addressAt({ width }: FamilyPart, words: Uint32Array, at: number): bigint {
  return width === 1
    ? BigInt(words[at]!)
    : fromWords(words[at * 4]!, words[at * 4 + 1]!, words[at * 4 + 2]!, words[at * 4 + 3]!);
}

function ownerAt({ owners }: FamilyPart, piece: number): number {
  return piece < 0 ? NOBODY : owners[piece]!;
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
  const pieceValues = Uint16Array.from(owners, (owner) => (owner === NOBODY ? NO_VALUE : values[owner]!));
  return { width, numPieces, numRanges, starts, owners, firsts, lasts, values, pieceValues };
}

/** What finds the piece of an IPv4 address. */
interface SearchFour {
  /** For each value of the top 16 bits, how many pieces begin below it. */
  readonly index: Uint32Array;
  /** The lower 16 bits of each start, then its value, so that a look-up reads one line of the cache. */
  readonly packed: Uint32Array;
}

function prepareFour(part: FamilyPart): SearchFour {
  const packed = part.starts.map((start, piece) => ((start & 0xffff) << 16) | part.pieceValues[piece]!);
  const index = new Uint32Array(0x10001);
  countBelow(part, 0, part.numPieces, 16, index, 16);
  return { index, packed };
}

/** Writes, for each value of `bits` bits of the first word, `shift` from its right, how many pieces begin below it. */
function countBelow(
  { width, starts }: FamilyPart,
  from: number,
  to: number,
  shift: number,
  into: Uint32Array,
  bits: number,
): void {
  const size = 1 << bits;
  for (let piece = from; piece < to; piece += 1) into[((starts[piece * width]! >>> shift) & (size - 1)) + 1]! += 1;
  into[0] = from;
  for (let at = 0; at < size; at += 1) into[at + 1]! += into[at]!;
}

/** What finds the piece of an IPv6 address. */
interface SearchSix {
  /** For each value of the top 16 bits, how many pieces begin below it. */
  readonly top: Uint32Array;
  /** Where pieces begin with the same top 16 bits, where in `below` is the index of their next 10, else -1. */
  readonly belowAt: Int32Array;
  readonly below: Uint32Array;
  /** The 32 bits of each start behind those of the index, then its value, and whether the start goes on behind these bits. */
  readonly pairs: Uint32Array;
}

function prepareSix(part: FamilyPart): SearchSix {
  const top = new Uint32Array(0x10001);
  countBelow(part, 0, part.numPieces, 16, top, 16);
  const size = (1 << BELOW_BITS) + 1;
  const belowAt = new Int32Array(0x10000).fill(-1);
  const used = Array.from({ length: 0x10000 }, (_, value) => value).filter((value) => top[value + 1]! > top[value]!);
  const below = new Uint32Array(used.length * size);
  for (const [nth, value] of used.entries()) {
    belowAt[value] = nth * size;
    const into = below.subarray(nth * size, (nth + 1) * size);
    countBelow(part, top[value]!, top[value + 1]!, 16 - BELOW_BITS, into, BELOW_BITS);
  }
  const pairs = new Uint32Array(2 * part.numPieces);
  for (let piece = 0; piece < part.numPieces; piece += 1) {
    pairs[2 * piece] = keyOf(part.starts[4 * piece]!, part.starts[4 * piece + 1]!);
    pairs[2 * piece + 1] = part.pieceValues[piece]! | (goesOn(part.starts, 4 * piece) ? GOES_ON : 0);
  }
  return { top, belowAt, below, pairs };
}

const GOES_ON = 0x1_0000;

function goesOn(starts: Uint32Array, at: number): boolean {
  const behindKey = (1 << (16 - BELOW_BITS)) - 1;
  return (starts[at + 1]! & behindKey) !== 0 || starts[at + 2] !== 0 || starts[at + 3] !== 0;
}

function keyOf(w0: number, w1: number): number {
  return ((w0 << (16 + BELOW_BITS)) | (w1 >>> (16 - BELOW_BITS))) >>> 0;
}

/** The piece with the last start at or below the address, or -1. */
function find4({ index, packed }: SearchFour, bits: number): number {
  const top = bits >>> 16;
  const key = ((bits << 16) | 0xffff) >>> 0;
  let low = index[top]!;
  let high = index[top + 1]!;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (packed[middle]! <= key) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

function find6({ top, belowAt, below, pairs }: SearchSix, starts: Uint32Array, words: Uint32Array): number {
  const w0 = words[0]!;
  const key = keyOf(w0, words[1]!);
  const at = belowAt[w0 >>> 16]!;
  if (at < 0) return top[w0 >>> 16]! - 1;
  const next = at + ((w0 >>> (16 - BELOW_BITS)) & ((1 << BELOW_BITS) - 1));
  let low = below[next]!;
  let high = below[next + 1]!;
  while (low < high) {
    const middle = (low + high) >>> 1;
    const found = pairs[2 * middle]!;
    // Of two that begin alike, a start that does not go on is not above the address.
    const isAtOrBelow =
      found < key || (found === key && (pairs[2 * middle + 1]! < GOES_ON || !isBelow(words, starts, 4 * middle)));
    if (isAtOrBelow) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

function isBelow(words: Uint32Array, starts: Uint32Array, at: number): boolean {
  for (let word = 1; word < 4; word += 1)
    if (words[word] !== starts[at + word]) return words[word]! < starts[at + word]!;
  return false;
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

interface Pieces {
  /** Ascending; a piece ends where the next begins. */
  readonly starts: readonly bigint[];
  /** An index into the ranges, or nobody. */
  readonly owners: readonly number[];
}

/** Goes over the edges of the ranges in order, with the open ranges in a heap; a range that has ended is dropped when it comes to the top. */
function cutIntoPieces(ranges: readonly RangeRow[], endOfFamily: bigint): Pieces {
  const byStart = ranges.map((_, index) => index).sort((a, b) => compare(ranges[a]!.first, ranges[b]!.first));
  const edges = ranges.flatMap(({ first, last }) => [first, last + 1n]).sort(compare);
  const open = new Heap<number>((a, b) => {
    const difference = compare(ranges[a]!.last - ranges[a]!.first, ranges[b]!.last - ranges[b]!.first);
    return difference === 0 ? a > b : difference < 0;
  });
  const starts: bigint[] = [];
  const owners: number[] = [];
  let next = 0;
  for (const [at, edge] of edges.entries()) {
    if (edge === endOfFamily) break;
    if (at > 0 && edge === edges[at - 1]) continue;
    for (; next < byStart.length && ranges[byStart[next]!]!.first === edge; next += 1) open.push(byStart[next]!);
    while (open.top !== undefined && ranges[open.top]!.last < edge) open.pop();
    const owner = open.top ?? NOBODY;
    if (owner === (owners.at(-1) ?? NOBODY)) continue;
    starts.push(edge);
    owners.push(owner);
  }
  return { starts, owners };
}

function compare(a: bigint, b: bigint): number {
  return a < b ? -1 : a > b ? 1 : 0;
}
