/** The distinct values of a column while it is written: their bytes contiguous, found by hash. */
import { PADDING_BYTES } from '../src/kernel/cells';
import { allocate, enlarge, release } from './blocks';
import { areSame, copyTo, hashOf } from './words';

let firstBytes: usize = 4096;
let firstEntries: u32 = 256;
/** A slot of the table: four words, so that one cache line answers most lookups. */
const SLOT_BITS: u32 = 4;
const SLOT_BYTES: usize = 1 << SLOT_BITS;
const HASH: usize = 0;
/** The number of the entry and one; 0 for a slot that is free. */
const ENTRY: usize = 4;
const START: usize = 8;
/** Of the bytes of the kind and the value. */
const LENGTH: usize = 12;

@unmanaged
export class Dictionary {
  /** Open addressing, half full at most. */
  table: usize;
  tableBytes: usize;
  bytes: usize;
  bytesRoom: usize;
  numBytes: u32;
  /** Where each entry ends. */
  ends: usize;
  endsRoom: u32;
  numEntries: u32;
}

/** @param entries, @param bytes powers of two that a new dictionary has room for */
export function setDictionarySizes(entries: u32, bytes: usize): void {
  firstEntries = entries;
  firstBytes = bytes;
}

export function newDictionary(): Dictionary {
  const dictionary = changetype<Dictionary>(allocate(offsetof<Dictionary>()));
  dictionary.tableBytes = <usize>firstEntries * 2 * SLOT_BYTES;
  dictionary.table = emptyTable(dictionary.tableBytes);
  dictionary.bytesRoom = firstBytes;
  dictionary.bytes = allocate(firstBytes);
  dictionary.endsRoom = firstEntries;
  dictionary.ends = allocate(firstEntries * 4);
  dictionary.numBytes = 0;
  dictionary.numEntries = 0;
  return dictionary;
}

export function releaseDictionary(dictionary: Dictionary): void {
  release(dictionary.table, dictionary.tableBytes);
  release(dictionary.bytes, dictionary.bytesRoom);
  release(dictionary.ends, dictionary.endsRoom * 4);
  release(changetype<usize>(dictionary), offsetof<Dictionary>());
}

export function numEntriesOf(dictionary: Dictionary): u32 {
  return dictionary.numEntries;
}

export function bytesOf(dictionary: Dictionary): usize {
  return dictionary.bytes;
}

export function numBytesOf(dictionary: Dictionary): u32 {
  return dictionary.numBytes;
}

export function endsOf(dictionary: Dictionary): usize {
  return dictionary.ends;
}

/**
 * The number of a value, assigned at the first call.
 * @param kind distinguished from the same bytes of another kind, and kept in front of them
 */
export function numberOf(dictionary: Dictionary, kind: u32, start: usize, end: usize): u32 {
  return numberAt(dictionary, hashOf(kind, start, end), kind, start, end);
}

/** Where the search for a hash begins. */
export function slotOf(dictionary: Dictionary, hash: u32): usize {
  return dictionary.table + (((<usize>hash) << SLOT_BITS) & (dictionary.tableBytes - SLOT_BYTES));
}

/** Where the entry begins that a slot may have. */
export function startAt(slot: usize): u32 {
  return load<u32>(slot, START);
}

/** The same as `numberOf`, with the hash. */
export function numberAt(dictionary: Dictionary, hash: u32, kind: u32, start: usize, end: usize): u32 {
  const table = dictionary.table;
  const mask = dictionary.tableBytes - SLOT_BYTES;
  const length = <u32>(end - start) + 1;
  let slot = ((<usize>hash) << SLOT_BITS) & mask;
  let entry = load<u32>(table + slot, ENTRY);
  while (entry !== 0) {
    const isLike = load<u32>(table + slot, HASH) === hash && load<u32>(table + slot, LENGTH) === length;
    if (isLike && holds(dictionary.bytes + load<u32>(table + slot, START), kind, start, length - 1)) return entry - 1;
    slot = (slot + SLOT_BYTES) & mask;
    entry = load<u32>(table + slot, ENTRY);
  }
  return add(dictionary, table + slot, hash, kind, start, length);
}

function holds(entry: usize, kind: u32, start: usize, numBytes: usize): bool {
  return <u32>load<u8>(entry) === kind && areSame(entry + 1, start, numBytes);
}

function add(dictionary: Dictionary, slot: usize, hash: u32, kind: u32, start: usize, length: u32): u32 {
  const entry = dictionary.numEntries;
  const entryStart = dictionary.numBytes;
  while (<usize>entryStart + length + PADDING_BYTES > dictionary.bytesRoom) {
    dictionary.bytes = enlarge(dictionary.bytes, dictionary.bytesRoom, dictionary.bytesRoom * 2);
    dictionary.bytesRoom *= 2;
  }
  if (entry === dictionary.endsRoom) {
    dictionary.ends = enlarge(dictionary.ends, dictionary.endsRoom * 4, dictionary.endsRoom * 8);
    dictionary.endsRoom *= 2;
  }
  const to = dictionary.bytes + entryStart;
  store<u8>(to, <u8>kind);
  copyTo(to + 1, start, length - 1);
  dictionary.numBytes = entryStart + length;
  store<u32>(dictionary.ends + ((<usize>entry) << 2), dictionary.numBytes);
  store<u32>(slot, hash, HASH);
  store<u32>(slot, entry + 1, ENTRY);
  store<u32>(slot, entryStart, START);
  store<u32>(slot, length, LENGTH);
  dictionary.numEntries = entry + 1;
  if (<usize>(entry + 1) * 2 * SLOT_BYTES > dictionary.tableBytes) rehash(dictionary);
  return entry;
}

function rehash(dictionary: Dictionary): void {
  const old = dictionary.table;
  const oldBytes = dictionary.tableBytes;
  const tableBytes = oldBytes * 2;
  const table = emptyTable(tableBytes);
  const mask = tableBytes - SLOT_BYTES;
  for (let from = old; from < old + oldBytes; from += SLOT_BYTES) {
    if (load<u32>(from, ENTRY) === 0) continue;
    let slot = ((<usize>load<u32>(from, HASH)) << SLOT_BITS) & mask;
    while (load<u32>(table + slot, ENTRY) !== 0) slot = (slot + SLOT_BYTES) & mask;
    store<u64>(table + slot, load<u64>(from));
    store<u64>(table + slot, load<u64>(from, 8), 8);
  }
  release(old, oldBytes);
  dictionary.table = table;
  dictionary.tableBytes = tableBytes;
}

function emptyTable(bytes: usize): usize {
  const table = allocate(bytes);
  memory.fill(table, 0, bytes);
  return table;
}
