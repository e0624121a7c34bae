/**
 * Hosts, and hosts with paths, each with a value: five million in about twenty bytes an entry, exactly.
 *
 * Method: entries lie in buckets by the hash of their host, two to a bucket on average; an array of bucket starts finds
 * them. A host is hashed from right to left, which gives the hash of every domain above it in the same pass. Paths lie
 * with their host. Rejected: a Set of strings, which takes 67 bytes an entry and hashes a new string for every domain.
 *
 * The binary form is the buckets themselves behind a header, so that loading copies nothing and threads can share it:
 *
 * | bytes | what |
 * |---|---|
 * | 4 | magic `JFHT` |
 * | 4 | version, 1 |
 * | 4 | CRC-32 of everything behind the header |
 * | 4 | entries |
 * | 4 | buckets |
 * | 4 | which numbers of labels there are, a bit each |
 * | 4 | bytes of a value (0, 1 or 2), 256 more where entries have paths |
 * | 4 | bytes of the entries |
 * | rest | starts of the buckets and the end of the last, 4 bytes each; then the entries |
 *
 * An entry: the length of the host, where there are paths the length of the path (2 bytes), the value, host, path.
 */
import { crc32 } from '../binary/checksum.js';
import { DamagedTableError } from '../binary/damaged.js';
import { isAddressHost } from '../request/host.js';

/** A host, optionally with a path. In normal form, so ASCII. */
export interface HostRow {
  readonly host: string;
  /** Empty where the entry is for the whole host. */
  readonly path: string;
  /** Below 65,536. */
  readonly value: number;
}

export const MAGIC = 0x54_48_46_4a;
export const VERSION = 1;
export const HEADER_BYTES = 32;
export const WORD_BYTES = 4;
export const MAX_VALUE = 0xffff;
export const MAX_PATH_BYTES = 0xffff;
export const MAX_LABELS = 31;
export const PATHS_FLAG = 256;
const HASH_START = 0x811c9dc5;
const HASH_PRIME = 0x01000193;
export const DOT = 0x2e;

/** Where an entry lies and what it is made of. */
export interface Layout {
  readonly valueBytes: number;
  readonly hasPaths: boolean;
}

export class HostTable {
  readonly numEntries: number;
  readonly #numBuckets: number;
  readonly #labels: number;
  readonly #layout: Layout;
  readonly #headBytes: number;
  readonly #starts: Uint32Array;
  readonly #entries: Uint8Array;
  /** Of the last host: where each domain above it starts and its hash, the shortest first and the host itself last. */
  readonly #suffixStarts = new Int32Array(128);
  readonly #suffixHashes = new Uint32Array(128);

  /**
   * @param buffer the binary form; it is used, not copied, and may be shared
   * @param isFresh it was just built, so its checksum need not be verified
   * @throws DamagedTableError
   */
  constructor(
    readonly buffer: ArrayBufferLike,
    isFresh = false,
  ) {
    if (buffer.byteLength < HEADER_BYTES) throw new DamagedTableError('the bytes are too few for a table of hosts');
    const header = new Uint32Array(buffer, 0, HEADER_BYTES / WORD_BYTES);
    if (header[0] !== MAGIC) throw new DamagedTableError('the bytes do not begin as a table of hosts');
    if (header[1] !== VERSION)
      throw new DamagedTableError(`the table of hosts has version ${header[1]}, expected ${VERSION}`);
    this.numEntries = header[3]!;
    this.#numBuckets = header[4]!;
    this.#labels = header[5]!;
    this.#layout = { valueBytes: header[6]! & 3, hasPaths: (header[6]! & PATHS_FLAG) !== 0 };
    this.#headBytes = headBytes(this.#layout);
    const startsBytes = (this.#numBuckets + 1) * WORD_BYTES;
    if (buffer.byteLength !== HEADER_BYTES + startsBytes + header[7]!)
      throw new DamagedTableError(`the table of hosts has ${buffer.byteLength} bytes, not those of its header`);
    if (!isFresh && header[2] !== crc32(new Uint8Array(buffer, HEADER_BYTES)))
      throw new DamagedTableError('the checksum of the table of hosts does not fit its bytes');
    this.#starts = new Uint32Array(buffer, HEADER_BYTES, this.#numBuckets + 1);
    this.#entries = new Uint8Array(buffer, HEADER_BYTES + startsBytes);
  }

  /** Whether some entry is for a path. */
  get hasPaths(): boolean {
    return this.#layout.hasPaths;
  }

  /** Whether the host or a domain above it is in the table. An address is requested as a whole. */
  covers(host: string): boolean {
    const numSuffixes = this.#hashSuffixes(host);
    for (let suffix = 0; suffix < numSuffixes; suffix += 1) if (this.#firstAt(host, suffix) >= 0) return true;
    return false;
  }

  /**
   * The entries of the host, then of each domain above it, the longest first, until `accept` has accepted some.
   * @param accept whether an entry counts; `isItself` is true for an entry of the host itself
   * @returns the accepted entries of the first that has any, in the order in which they were added
   */
  find(host: string, accept: (row: HostRow, isItself: boolean) => boolean): HostRow[] {
    const numSuffixes = this.#hashSuffixes(host);
    for (let suffix = numSuffixes - 1; suffix >= 0; suffix -= 1) {
      const first = this.#firstAt(host, suffix);
      if (first < 0) continue;
      const item: HostRow[] = [];
      const end = this.#starts[this.#bucketAt(suffix) + 1]!;
      for (let at = first; at < end; at += this.#sizeAt(at)) {
        if (!this.#isHostAt(at, host, this.#suffixStarts[suffix]!)) continue;
        const row = this.#rowAt(at);
        if (accept(row, this.#suffixStarts[suffix] === 0)) item.push(row);
      }
      if (item.length > 0) return item;
    }
    return [];
  }

  /** How many entries have each value. */
  countValues(): Map<number, number> {
    const counts = new Map<number, number>();
    for (let at = 0; at < this.#entries.length; at += this.#sizeAt(at)) {
      const value = this.#valueAt(at);
      counts.set(value, (counts.get(value) ?? 0) + 1);
    }
    return counts;
  }

  /** Every entry, in no order that means anything. */
  *rows(): Generator<HostRow> {
    for (let at = 0; at < this.#entries.length; at += this.#sizeAt(at)) yield this.#rowAt(at);
  }

  /** @returns how many suffixes there are, the shortest first and the host itself last; those of a number of labels that no entry has are left out */
  #hashSuffixes(host: string): number {
    const isWhole = isAddressHost(host);
    let hash = HASH_START;
    let labels = 1;
    let count = 0;
    for (let at = host.length - 1; at >= 0; at -= 1) {
      const code = host.charCodeAt(at);
      if (code === DOT) {
        if (!isWhole && (this.#labels >>> Math.min(labels, MAX_LABELS)) & 1) {
          this.#suffixStarts[count] = at + 1;
          this.#suffixHashes[count++] = hash;
        }
        labels += 1;
      }
      hash = Math.imul(hash ^ code, HASH_PRIME);
    }
    if ((this.#labels >>> Math.min(labels, MAX_LABELS)) & 1) {
      this.#suffixStarts[count] = 0;
      this.#suffixHashes[count++] = hash;
    }
    return count;
  }

  #bucketAt(suffix: number): number {
    return bucketOf(this.#suffixHashes[suffix]!, this.#numBuckets);
  }

  /** Where the first entry of a suffix lies, or -1. */
  #firstAt(host: string, suffix: number): number {
    const bucket = this.#bucketAt(suffix);
    const end = this.#starts[bucket + 1]!;
    const from = this.#suffixStarts[suffix]!;
    for (let at = this.#starts[bucket]!; at < end; at += this.#sizeAt(at))
      if (this.#isHostAt(at, host, from)) return at;
    return -1;
  }

  #sizeAt(at: number): number {
    return this.#headBytes + this.#entries[at]! + this.#pathBytesAt(at);
  }

  #pathBytesAt(at: number): number {
    return this.#layout.hasPaths ? this.#entries[at + 1]! | (this.#entries[at + 2]! << 8) : 0;
  }

  #isHostAt(at: number, host: string, from: number): boolean {
    const entries = this.#entries;
    const length = host.length - from;
    if (entries[at] !== length) return false;
    for (let index = 0, byte = at + this.#headBytes; index < length; index += 1, byte += 1)
      if (entries[byte] !== host.charCodeAt(from + index)) return false;
    return true;
  }

  #valueAt(at: number): number {
    const { valueBytes, hasPaths } = this.#layout;
    const valueAt = at + (hasPaths ? 3 : 1);
    return (valueBytes > 0 ? this.#entries[valueAt]! : 0) | (valueBytes > 1 ? this.#entries[valueAt + 1]! << 8 : 0);
  }

  #rowAt(at: number): HostRow {
    const hostAt = at + this.#headBytes;
    const pathAt = hostAt + this.#entries[at]!;
    return {
      host: asciiOf(this.#entries, hostAt, pathAt),
      path: asciiOf(this.#entries, pathAt, pathAt + this.#pathBytesAt(at)),
      value: this.#valueAt(at),
    };
  }
}

export function headBytes({ valueBytes, hasPaths }: Layout): number {
  return 1 + (hasPaths ? 2 : 0) + valueBytes;
}

/** Spreads the hash over the buckets: its mixed bits as a fraction of all of them. */
export function bucketOf(hash: number, numBuckets: number): number {
  let mixed = hash ^ (hash >>> 16);
  mixed = Math.imul(mixed, 0x85ebca6b);
  mixed ^= mixed >>> 13;
  mixed = Math.imul(mixed, 0xc2b2ae35);
  mixed ^= mixed >>> 16;
  return Math.floor(((mixed >>> 0) * numBuckets) / 0x1_0000_0000);
}

export function hashHost(bytes: Uint8Array, from: number, to: number): number {
  let hash = HASH_START;
  for (let at = to - 1; at >= from; at -= 1) hash = Math.imul(hash ^ bytes[at]!, HASH_PRIME);
  return hash >>> 0;
}

export function asciiOf(bytes: Uint8Array, from: number, to: number): string {
  let text = '';
  for (let at = from; at < to; at += 1) text += String.fromCharCode(bytes[at]!);
  return text;
}
