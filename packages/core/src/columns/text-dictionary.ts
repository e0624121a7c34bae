/** The distinct values of a column while it is written: their bytes one behind the other, found by hash without a string an entry. */
import { grownBytes, grownWords } from './grown.js';

const FIRST_BYTES = 4096;
const FIRST_ENTRIES = 256;
/** Words of a slot of the table, one line of the cache for most of what is asked: where the entry lies stands with its hash. */
const SLOT = 4;
const SLOT_SHIFT = 2;
const HASH = 0;
/** The number of the entry and one; 0 for a slot that is free. */
const ENTRY = 1;
const START = 2;
/** Of the bytes of the kind and the value. */
const LENGTH = 3;

/** Values that lie in bytes: each cell three words, from where to where and the hash; a negative start is no value. */
export interface Cells {
  /** Of what the bytes are the text, one of `KINDS`; where they differ, each that of its row. */
  readonly kind: number | Uint8Array;
  readonly source: DataView;
  readonly cells: Int32Array;
  /** Where the first cell stands, and how far the next is from one. */
  readonly firstWord: number;
  readonly wordsApart: number;
  readonly numCells: number;
}

export class TextDictionary {
  bytes = new Uint8Array(FIRST_BYTES);
  /** The same bytes, read four at a time, which is much faster than one by one. */
  #view = new DataView(this.bytes.buffer);
  /** Where each entry ends. */
  ends = new Int32Array(FIRST_ENTRIES);
  numEntries = 0;
  /** Open addressing, half full at most. */
  #table = new Int32Array(FIRST_ENTRIES * 2 * SLOT);
  #touched = new Int32Array(FIRST_ENTRIES);

  get numBytes(): number {
    return this.numEntries === 0 ? 0 : this.ends[this.numEntries - 1]!;
  }

  /**
   * The number of a value; the first that asks for it makes it.
   * @param kind told apart from the same bytes of another kind, and kept in front of them
   */
  numberOf(kind: number, source: DataView, start: number, end: number): number {
    return this.#numberAt(hashOf(kind, source, start, end), kind, source, start, end);
  }

  /**
   * The numbers of many values at once, step by step for all of them, so that waiting for the memory of one overlaps with
   * waiting for that of others.
   * @param numbers where they go, from `first` on, each with `offset` added; those of cells without a value are left alone
   */
  numbersOf(all: Cells, numbers: Int32Array, first: number, offset: number): void {
    this.#touch(all);
    const { kind, source, cells, firstWord, wordsApart, numCells } = all;
    for (let cell = 0, at = firstWord; cell < numCells; cell += 1, at += wordsApart) {
      const start = cells[at]!;
      if (start < 0) continue;
      const ownKind = typeof kind === 'number' ? kind : kind[cell]!;
      numbers[first + cell] = this.#numberAt(cells[at + 2]!, ownKind, source, start, cells[at + 1]!) + offset;
    }
  }

  /** Reads the slots, then the first bytes of what lies there, so that both are in the cache when they are looked at. */
  #touch({ cells, firstWord, wordsApart, numCells }: Cells): void {
    const table = this.#table;
    const mask = table.length - SLOT;
    while (this.#touched.length < numCells) this.#touched = grownWords(this.#touched);
    const touched = this.#touched;
    const { bytes } = this;
    for (let cell = 0, at = firstWord + 2; cell < numCells; cell += 1, at += wordsApart)
      touched[cell] = table[slotOf(cells[at]!, mask) + START]!;
    for (let cell = 0; cell < numCells; cell += 1) touched[cell] = bytes[touched[cell]!]!;
  }

  #numberAt(hash: number, kind: number, source: DataView, start: number, end: number): number {
    const table = this.#table;
    const mask = table.length - SLOT;
    let slot = slotOf(hash, mask);
    for (let entry = table[slot + ENTRY]!; entry !== 0; entry = table[slot + ENTRY]!) {
      if (
        table[slot + HASH] === hash &&
        table[slot + LENGTH] === end - start + 1 &&
        this.#holds(table[slot + START]!, kind, source, start, end)
      )
        return entry - 1;
      slot = (slot + SLOT) & mask;
    }
    return this.#add(slot, hash, kind, source, start, end);
  }

  #holds(entryStart: number, kind: number, source: DataView, start: number, end: number): boolean {
    const view = this.#view;
    if (view.getUint8(entryStart) !== kind) return false;
    let at = entryStart + 1;
    let from = start;
    for (; from + 4 <= end; from += 4, at += 4)
      if (view.getInt32(at, true) !== source.getInt32(from, true)) return false;
    for (; from < end; from += 1, at += 1) if (view.getUint8(at) !== source.getUint8(from)) return false;
    return true;
  }

  #add(slot: number, hash: number, kind: number, source: DataView, start: number, end: number): number {
    const entry = this.numEntries;
    const entryStart = this.numBytes;
    const length = 1 + end - start;
    while (entryStart + length > this.bytes.length) {
      this.bytes = grownBytes(this.bytes);
      this.#view = new DataView(this.bytes.buffer);
    }
    if (entry === this.ends.length) this.ends = grownWords(this.ends);
    const view = this.#view;
    view.setUint8(entryStart, kind);
    let at = entryStart + 1;
    let from = start;
    for (; from + 4 <= end; from += 4, at += 4) view.setInt32(at, source.getInt32(from, true), true);
    for (; from < end; from += 1, at += 1) view.setUint8(at, source.getUint8(from));
    this.ends[entry] = at;
    const table = this.#table;
    table[slot + HASH] = hash;
    table[slot + ENTRY] = entry + 1;
    table[slot + START] = entryStart;
    table[slot + LENGTH] = length;
    this.numEntries += 1;
    if (this.numEntries * 2 * SLOT > table.length) this.#rehash();
    return entry;
  }

  #rehash(): void {
    const old = this.#table;
    const table = (this.#table = new Int32Array(old.length * 2));
    const mask = table.length - SLOT;
    for (let from = 0; from < old.length; from += SLOT) {
      if (old[from + ENTRY] === 0) continue;
      let slot = slotOf(old[from + HASH]!, mask);
      while (table[slot + ENTRY] !== 0) slot = (slot + SLOT) & mask;
      for (let word = 0; word < SLOT; word += 1) table[slot + word] = old[from + word]!;
    }
  }
}

/** Where the search for a hash begins. */
function slotOf(hash: number, mask: number): number {
  return (hash << SLOT_SHIFT) & mask;
}

/** Multiplies four bytes at a time into a hash, and mixes at the end, since the table takes the low bits. */
export function hashOf(kind: number, source: DataView, start: number, end: number): number {
  let hash = kind ^ 0x811c9dc5;
  let at = start;
  for (; at + 4 <= end; at += 4) {
    hash = Math.imul(hash ^ source.getInt32(at, true), 0x9e3779b1);
    hash ^= hash >>> 15;
  }
  for (; at < end; at += 1) hash = Math.imul(hash ^ source.getUint8(at), 0x01000193);
  hash = Math.imul(hash ^ (hash >>> 15), 0x2c1b3c6d);
  return hash ^ (hash >>> 13);
}
