/** Lays out the table of `host-table.ts` from entries as they come. */
import { crc32 } from '../binary/checksum.js';
import {
  asciiOf,
  bucketOf,
  DOT,
  hashHost,
  headBytes,
  HEADER_BYTES,
  HostTable,
  MAGIC,
  MAX_LABELS,
  MAX_PATH_BYTES,
  MAX_VALUE,
  PATHS_FLAG,
  VERSION,
  WORD_BYTES,
  type HostRow,
  type Layout,
} from './host-table.js';

const ENTRIES_A_BUCKET = 2;
/** Bytes that grow by doubling. */
const FIRST_BYTES = 65_536;
/** Every entry is collected as: host length, path length (2), value (2), host, path. */
const GATHERED: Layout = { valueBytes: 2, hasPaths: true };
const GATHERED_HEAD = headBytes(GATHERED);

/** Gathers entries as they come, in bytes and not as objects, and lays them out at the end. */
export class HostTableBuilder {
  #bytes = new Uint8Array(FIRST_BYTES);
  #numBytes = 0;
  #numEntries = 0;
  #labels = 0;
  #maxValue = 0;
  #hasPaths = false;

  get numEntries(): number {
    return this.#numEntries;
  }

  /** @returns false where the path is too long to be kept */
  add({ host, path, value }: HostRow): boolean {
    if (path.length > MAX_PATH_BYTES || value > MAX_VALUE) return false;
    const size = GATHERED_HEAD + host.length + path.length;
    if (this.#numBytes + size > this.#bytes.length) this.#grow(size);
    const bytes = this.#bytes;
    let at = this.#numBytes;
    bytes[at++] = host.length;
    bytes[at++] = path.length & 255;
    bytes[at++] = path.length >>> 8;
    bytes[at++] = value & 255;
    bytes[at++] = value >>> 8;
    let labels = 1;
    for (let index = 0; index < host.length; index += 1) {
      const code = host.charCodeAt(index);
      if (code === DOT) labels += 1;
      bytes[at++] = code;
    }
    for (let index = 0; index < path.length; index += 1) bytes[at++] = path.charCodeAt(index);
    this.#numBytes = at;
    this.#numEntries += 1;
    this.#labels |= 1 << Math.min(labels, MAX_LABELS);
    this.#maxValue = Math.max(this.#maxValue, value);
    this.#hasPaths ||= path !== '';
    return true;
  }

  /** Adds a host without a path, as bytes. @param numLabels of it @param value at most `MAX_VALUE` */
  addPlain(bytes: Uint8Array, start: number, end: number, numLabels: number, value: number): void {
    const size = GATHERED_HEAD + end - start;
    if (this.#numBytes + size > this.#bytes.length) this.#grow(size);
    const gathered = this.#bytes;
    let at = this.#numBytes;
    gathered[at++] = end - start;
    gathered[at++] = 0;
    gathered[at++] = 0;
    gathered[at++] = value & 255;
    gathered[at++] = value >>> 8;
    for (let from = start; from < end; from += 1) gathered[at++] = bytes[from]!;
    this.#numBytes = at;
    this.#numEntries += 1;
    this.#labels |= 1 << Math.min(numLabels, MAX_LABELS);
    this.#maxValue = Math.max(this.#maxValue, value);
  }

  /** The table; an entry that was added twice is in it once. The builder is used up. */
  build(): HostTable {
    const layout: Layout = {
      valueBytes: this.#maxValue === 0 ? 0 : this.#maxValue < 256 ? 1 : 2,
      hasPaths: this.#hasPaths,
    };
    const numBuckets = Math.max(1, Math.ceil(this.#numEntries / ENTRIES_A_BUCKET));
    const order = this.#orderByBucket(numBuckets);
    const isTwin = this.#findTwins(order);
    const startsBytes = (numBuckets + 1) * WORD_BYTES;
    const head = headBytes(layout);
    let numBytes = 0;
    for (let index = 0; index < order.offsets.length; index += 1)
      if (!isTwin[index]) numBytes += this.#sizeAt(order.offsets[index]!) - GATHERED_HEAD + head;
    const buffer = new ArrayBuffer(HEADER_BYTES + startsBytes + numBytes);
    const starts = new Uint32Array(buffer, HEADER_BYTES, numBuckets + 1);
    const entries = new Uint8Array(buffer, HEADER_BYTES + startsBytes);
    let at = 0;
    let numEntries = 0;
    for (let bucket = 0; bucket < numBuckets; bucket += 1) {
      starts[bucket] = at;
      for (let index = order.starts[bucket]!; index < order.starts[bucket + 1]!; index += 1) {
        if (isTwin[index]) continue;
        at = this.#copy(order.offsets[index]!, entries, at, layout);
        numEntries += 1;
      }
    }
    starts[numBuckets] = at;
    const flags = layout.valueBytes | (layout.hasPaths ? PATHS_FLAG : 0);
    const header = new Uint32Array(buffer, 0, HEADER_BYTES / WORD_BYTES);
    header.set([MAGIC, VERSION, 0, numEntries, numBuckets, this.#labels, flags, numBytes]);
    header[2] = crc32(new Uint8Array(buffer, HEADER_BYTES));
    return new HostTable(buffer, true);
  }

  #grow(size: number): void {
    const grown = new Uint8Array(Math.max(this.#bytes.length * 2, this.#numBytes + size));
    grown.set(this.#bytes.subarray(0, this.#numBytes));
    this.#bytes = grown;
  }

  #sizeAt(at: number): number {
    return GATHERED_HEAD + this.#bytes[at]! + (this.#bytes[at + 1]! | (this.#bytes[at + 2]! << 8));
  }

  /** Counting sort, which keeps the order of entries within a bucket. */
  #orderByBucket(numBuckets: number): { offsets: Uint32Array; starts: Uint32Array } {
    const buckets = new Uint32Array(this.#numEntries);
    const starts = new Uint32Array(numBuckets + 1);
    for (let at = 0, index = 0; at < this.#numBytes; at += this.#sizeAt(at), index += 1) {
      const hostAt = at + GATHERED_HEAD;
      const bucket = bucketOf(hashHost(this.#bytes, hostAt, hostAt + this.#bytes[at]!), numBuckets);
      buckets[index] = bucket;
      starts[bucket + 1]! += 1;
    }
    for (let bucket = 0; bucket < numBuckets; bucket += 1) starts[bucket + 1]! += starts[bucket]!;
    const next = starts.slice();
    const offsets = new Uint32Array(this.#numEntries);
    for (let at = 0, index = 0; at < this.#numBytes; at += this.#sizeAt(at), index += 1)
      offsets[next[buckets[index]!]!++] = at;
    return { offsets, starts };
  }

  /** Which entries are in their bucket already. Buckets hold two entries, but all paths of a host are in one. */
  #findTwins({ offsets, starts }: { offsets: Uint32Array; starts: Uint32Array }): Uint8Array {
    const isTwin = new Uint8Array(offsets.length);
    for (let bucket = 0; bucket + 1 < starts.length; bucket += 1) {
      const [from, to] = [starts[bucket]!, starts[bucket + 1]!];
      if (to - from > FEW) {
        const seen = new Set<string>();
        for (let index = from; index < to; index += 1) {
          const text = asciiOf(this.#bytes, offsets[index]!, offsets[index]! + this.#sizeAt(offsets[index]!));
          if (seen.has(text)) isTwin[index] = 1;
          seen.add(text);
        }
        continue;
      }
      for (let index = from + 1; index < to; index += 1)
        for (let other = from; other < index && !isTwin[index]; other += 1)
          if (this.#areEqual(offsets[index]!, offsets[other]!)) isTwin[index] = 1;
    }
    return isTwin;
  }

  #areEqual(a: number, b: number): boolean {
    const size = this.#sizeAt(a);
    if (size !== this.#sizeAt(b)) return false;
    for (let byte = 0; byte < size; byte += 1) if (this.#bytes[a + byte] !== this.#bytes[b + byte]) return false;
    return true;
  }

  #copy(from: number, entries: Uint8Array, to: number, { valueBytes, hasPaths }: Layout): number {
    const bytes = this.#bytes;
    let at = to;
    entries[at++] = bytes[from]!;
    if (hasPaths) {
      entries[at++] = bytes[from + 1]!;
      entries[at++] = bytes[from + 2]!;
    }
    for (let byte = 0; byte < valueBytes; byte += 1) entries[at++] = bytes[from + 3 + byte]!;
    const end = from + this.#sizeAt(from);
    for (let byte = from + GATHERED_HEAD; byte < end; byte += 1) entries[at++] = bytes[byte]!;
    return at;
  }
}

/** Entries of a bucket that are compared with each other one by one. */
const FEW = 16;

/** A table of rows that are all here. */
export function createHostTable(rows: Iterable<HostRow>): HostTable {
  const builder = new HostTableBuilder();
  for (const row of rows) builder.add(row);
  return builder.build();
}
