/** The distinct values of a column while it is written: their bytes one behind the other, found by hash without a string an entry. */
import { grownBytes, grownWords } from './grown.js';

const FIRST_BYTES = 4096;
const FIRST_ENTRIES = 256;
const EMPTY = -1;

export class TextDictionary {
  bytes = new Uint8Array(FIRST_BYTES);
  /** The same bytes, read four at a time, which is much faster than one by one. */
  #view = new DataView(this.bytes.buffer);
  /** Where each entry ends. */
  ends = new Int32Array(FIRST_ENTRIES);
  numEntries = 0;
  /** Open addressing: the hash of an entry and its number, in turn. */
  #table = new Int32Array(FIRST_ENTRIES * 4).fill(EMPTY);

  get numBytes(): number {
    return this.numEntries === 0 ? 0 : this.ends[this.numEntries - 1]!;
  }

  /**
   * The number of a value; the first that asks for it makes it.
   * @param kind told apart from the same bytes of another kind, and kept in front of them
   */
  numberOf(kind: number, source: DataView, start: number, end: number): number {
    return this.numberAt(hashOf(kind, source, start, end), kind, source, start, end);
  }

  /** @param hash of the value, as `hashOf` gives it */
  numberAt(hash: number, kind: number, source: DataView, start: number, end: number): number {
    const table = this.#table;
    const mask = table.length / 2 - 1;
    let place = hash & mask;
    for (let entry = table[place * 2 + 1]!; entry !== EMPTY; entry = table[place * 2 + 1]!) {
      if (table[place * 2] === hash && this.#holds(entry, kind, source, start, end)) return entry;
      place = (place + 1) & mask;
    }
    return this.#add(place, hash, kind, source, start, end);
  }

  #holds(entry: number, kind: number, source: DataView, start: number, end: number): boolean {
    let at = entry === 0 ? 0 : this.ends[entry - 1]!;
    const view = this.#view;
    if (this.ends[entry]! - at !== end - start + 1 || view.getUint8(at) !== kind) return false;
    at += 1;
    let from = start;
    for (; from + 4 <= end; from += 4, at += 4) if (view.getInt32(at) !== source.getInt32(from)) return false;
    for (; from < end; from += 1, at += 1) if (view.getUint8(at) !== source.getUint8(from)) return false;
    return true;
  }

  #add(place: number, hash: number, kind: number, source: DataView, start: number, end: number): number {
    const entry = this.numEntries;
    const at = this.numBytes;
    const endsAt = at + 1 + end - start;
    while (endsAt > this.bytes.length) {
      this.bytes = grownBytes(this.bytes);
      this.#view = new DataView(this.bytes.buffer);
    }
    if (entry === this.ends.length) this.ends = grownWords(this.ends);
    this.bytes[at] = kind;
    this.bytes.set(new Uint8Array(source.buffer, source.byteOffset + start, end - start), at + 1);
    this.ends[entry] = endsAt;
    this.#table[place * 2] = hash;
    this.#table[place * 2 + 1] = entry;
    this.numEntries += 1;
    if (this.numEntries * 4 > this.#table.length) this.#rehash();
    return entry;
  }

  #rehash(): void {
    const old = this.#table;
    this.#table = new Int32Array(old.length * 2).fill(EMPTY);
    const mask = this.#table.length / 2 - 1;
    for (let at = 0; at < old.length; at += 2) {
      if (old[at + 1] === EMPTY) continue;
      let place = old[at]! & mask;
      while (this.#table[place * 2 + 1] !== EMPTY) place = (place + 1) & mask;
      this.#table[place * 2] = old[at]!;
      this.#table[place * 2 + 1] = old[at + 1]!;
    }
  }
}

/** Multiplies four bytes at a time into a hash, and mixes at the end, since the table takes the low bits. */
export function hashOf(kind: number, source: DataView, start: number, end: number): number {
  let hash = kind ^ 0x811c9dc5;
  let at = start;
  for (; at + 4 <= end; at += 4) {
    hash = Math.imul(hash ^ source.getInt32(at), 0x9e3779b1);
    hash ^= hash >>> 15;
  }
  for (; at < end; at += 1) hash = Math.imul(hash ^ source.getUint8(at), 0x01000193);
  hash = Math.imul(hash ^ (hash >>> 15), 0x2c1b3c6d);
  return hash ^ (hash >>> 13);
}
