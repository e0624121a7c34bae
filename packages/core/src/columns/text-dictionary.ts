/** The distinct values of a column while it is written: their bytes one behind the other, found by hash without a string an entry. */
import { grownBytes, grownWords } from './grown.js';

const FIRST_BYTES = 4096;
const FIRST_ENTRIES = 256;
const EMPTY = -1;

export class TextDictionary {
  bytes = new Uint8Array(FIRST_BYTES);
  /** Where each entry ends. */
  ends = new Int32Array(FIRST_ENTRIES);
  numEntries = 0;
  #hashes = new Int32Array(FIRST_ENTRIES);
  #table = new Int32Array(FIRST_ENTRIES * 2).fill(EMPTY);

  get numBytes(): number {
    return this.numEntries === 0 ? 0 : this.ends[this.numEntries - 1]!;
  }

  /**
   * The number of a value; the first that asks for it makes it.
   * @param kind told apart from the same bytes of another kind, and kept in front of them
   */
  numberOf(kind: number, source: Uint8Array, start: number, end: number): number {
    // FNV-1a, mixed at the end, since the table takes the low bits.
    let hash = kind ^ 0x811c9dc5;
    for (let at = start; at < end; at += 1) hash = Math.imul(hash ^ source[at]!, 0x01000193);
    hash = Math.imul(hash ^ (hash >>> 15), 0x2c1b3c6d);
    hash ^= hash >>> 13;
    const mask = this.#table.length - 1;
    let place = hash & mask;
    for (let entry = this.#table[place]!; entry !== EMPTY; entry = this.#table[place]!) {
      if (this.#hashes[entry] === hash && this.#holds(entry, kind, source, start, end)) return entry;
      place = (place + 1) & mask;
    }
    return this.#add(place, hash, kind, source, start, end);
  }

  #holds(entry: number, kind: number, source: Uint8Array, start: number, end: number): boolean {
    let at = entry === 0 ? 0 : this.ends[entry - 1]!;
    const { bytes } = this;
    if (this.ends[entry]! - at !== end - start + 1 || bytes[at] !== kind) return false;
    at += 1;
    for (let from = start; from < end; from += 1, at += 1) if (bytes[at] !== source[from]) return false;
    return true;
  }

  #add(place: number, hash: number, kind: number, source: Uint8Array, start: number, end: number): number {
    const entry = this.numEntries;
    const at = this.numBytes;
    const endsAt = at + 1 + end - start;
    while (endsAt > this.bytes.length) this.bytes = grownBytes(this.bytes);
    if (entry === this.ends.length) {
      this.ends = grownWords(this.ends);
      this.#hashes = grownWords(this.#hashes);
    }
    this.bytes[at] = kind;
    this.bytes.set(source.subarray(start, end), at + 1);
    this.ends[entry] = endsAt;
    this.#hashes[entry] = hash;
    this.#table[place] = entry;
    this.numEntries += 1;
    if (this.numEntries * 2 > this.#table.length) this.#rehash();
    return entry;
  }

  #rehash(): void {
    this.#table = new Int32Array(this.#table.length * 2).fill(EMPTY);
    const mask = this.#table.length - 1;
    for (let entry = 0; entry < this.numEntries; entry += 1) {
      let place = this.#hashes[entry]! & mask;
      while (this.#table[place] !== EMPTY) place = (place + 1) & mask;
      this.#table[place] = entry;
    }
  }
}
