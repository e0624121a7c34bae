/** The distinct values of a column while it is written: their bytes one behind the other, found by hash. */
import {
  CELL_WORDS,
  FIRST_VALUE_CODE,
  JSON_KIND,
  NONE,
  NONE_CODE,
  NOUGHT,
  NUM_FIELDS,
  PADDING_BYTES,
} from '../src/kernel/cells';
import { allocate, enlarge, release } from './blocks';
import { areSame, copyTo, hashOf } from './words';

const FIRST_BYTES: usize = 4096;
const FIRST_ENTRIES: u32 = 256;
/** A slot of the table: four words, so that one line of the cache says most of what is asked. */
const SLOT_BITS: u32 = 4;
const SLOT_BYTES: usize = 1 << SLOT_BITS;
const HASH: usize = 0;
/** The number of the entry and one; 0 for a slot that is free. */
const ENTRY: usize = 4;
const START: usize = 8;
/** Of the bytes of the kind and the value. */
const LENGTH: usize = 12;

const CELL_BYTES: usize = CELL_WORDS * 4;
const ROW_BYTES: usize = <usize>NUM_FIELDS * CELL_BYTES;
const nought: usize = memory.data<u8>([0x30, 0, 0, 0, 0, 0, 0, 0]);

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

export function newDictionary(): Dictionary {
  const dictionary = changetype<Dictionary>(allocate(offsetof<Dictionary>()));
  dictionary.tableBytes = <usize>FIRST_ENTRIES * 2 * SLOT_BYTES;
  dictionary.table = emptyTable(dictionary.tableBytes);
  dictionary.bytesRoom = FIRST_BYTES;
  dictionary.bytes = allocate(FIRST_BYTES);
  dictionary.endsRoom = FIRST_ENTRIES;
  dictionary.ends = allocate(FIRST_ENTRIES * 4);
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
 * The number of a value; the first that asks for it makes it.
 * @param kind told apart from the same bytes of another kind, and kept in front of them
 */
export function numberOf(dictionary: Dictionary, kind: u32, start: usize, end: usize): u32 {
  return numberAt(dictionary, hashOf(kind, start, end), kind, start, end);
}

/** The lines that codes are asked of: where their source, cells and kinds of referers lie, and room for codes. */
let source: usize = 0;
let sourceBytes: usize = 0;
let cells: usize = 0;
let kinds: usize = 0;
let codes: usize = 0;
let rowsRoom: usize = 0;

/** Makes room for lines, to be filled by the caller. @returns where their source goes */
export function openLines(numBytes: usize, numRows: usize): usize {
  if (numBytes + PADDING_BYTES > sourceBytes) {
    if (source !== 0) release(source, sourceBytes);
    sourceBytes = numBytes + PADDING_BYTES;
    source = allocate(sourceBytes);
  }
  if (numRows > rowsRoom) {
    if (rowsRoom !== 0) {
      release(cells, rowsRoom * ROW_BYTES);
      release(kinds, rowsRoom);
      release(codes, rowsRoom * 4);
    }
    rowsRoom = numRows;
    cells = allocate(rowsRoom * ROW_BYTES);
    kinds = allocate(rowsRoom);
    codes = allocate(rowsRoom * 4);
  }
  return source;
}

export function cellsOfLines(): usize {
  return cells;
}

export function kindsOfLines(): usize {
  return kinds;
}

/** What slots were read for; only so that they are. */
let touched: usize = 0;

/**
 * The codes of a field of lines that were opened, step by step for all of them, so that waiting for the memory of one
 * overlaps with waiting for that of others.
 * @param kind of all of them, or 0 for that of each row
 * @returns where they lie, a word each
 */
export function codesOf(dictionary: Dictionary, field: usize, kind: u32, from: usize, to: usize): usize {
  const first = cells + field * CELL_BYTES;
  touch(dictionary, first, from, to);
  for (let row = from; row < to; row += 1) {
    const cell = first + row * ROW_BYTES;
    const start = load<i32>(cell);
    let code: u32;
    if (start >= 0) {
      const ownKind = kind === 0 ? <u32>load<u8>(kinds + row) : kind;
      code =
        numberAt(dictionary, load<u32>(cell, 8), ownKind, source + start, source + load<u32>(cell, 4)) +
        FIRST_VALUE_CODE;
    } else if (start === NONE) code = NONE_CODE;
    else code = start === NOUGHT ? numberOf(dictionary, JSON_KIND, nought, nought + 1) + FIRST_VALUE_CODE : 0;
    store<u32>(codes + ((row - from) << 2), code);
  }
  return codes;
}

/** Reads the slots, then the first bytes of what lies there, so that both are in the cache when they are looked at. */
function touch(dictionary: Dictionary, first: usize, from: usize, to: usize): void {
  const table = dictionary.table;
  const mask = dictionary.tableBytes - SLOT_BYTES;
  const bytes = dictionary.bytes;
  for (let row = from; row < to; row += 1) {
    const slot = ((<usize>load<u32>(first + row * ROW_BYTES, 8)) << SLOT_BITS) & mask;
    store<u32>(codes + ((row - from) << 2), load<u32>(table + slot, START));
  }
  let all: usize = 0;
  for (let row = from; row < to; row += 1) all ^= load<u8>(bytes + load<u32>(codes + ((row - from) << 2)));
  touched = all;
}

function numberAt(dictionary: Dictionary, hash: u32, kind: u32, start: usize, end: usize): u32 {
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
