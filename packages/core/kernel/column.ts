/** Columns while their chunks are written: a dictionary and a code a row. */
import {
  CELL_WORDS,
  FIRST_VALUE_CODE,
  JSON_KIND,
  NONE,
  NONE_CODE,
  ZERO_BYTES,
  NUM_FIELDS,
  PADDING_BYTES,
} from '../src/kernel/cells';
import { allocate, enlarge, release } from './blocks';
import { Dictionary, newDictionary, numberAt, numberOf, releaseDictionary, slotOf, startAt } from './dictionary';

let firstRows: usize = 256;
const CELL_BYTES: usize = CELL_WORDS * 4;
const ROW_BYTES: usize = <usize>NUM_FIELDS * CELL_BYTES;
const zero: usize = memory.data<u8>([0x30, 0, 0, 0, 0, 0, 0, 0]);

@unmanaged
export class Column {
  dictionary: Dictionary;
  /** A word a row; 0 for rows without a value. */
  codes: usize;
  codesRoom: usize;
}

/** @param rows a power of two that a new column has room for */
export function setColumnRows(rows: usize): void {
  firstRows = rows;
}

export function newColumn(): Column {
  const column = changetype<Column>(allocate(offsetof<Column>()));
  column.dictionary = newDictionary();
  column.codesRoom = firstRows;
  column.codes = allocate(firstRows * 4);
  memory.fill(column.codes, 0, firstRows * 4);
  return column;
}

export function releaseColumn(column: Column): void {
  releaseDictionary(column.dictionary);
  release(column.codes, column.codesRoom * 4);
  release(changetype<usize>(column), offsetof<Column>());
}

export function dictionaryOf(column: Column): Dictionary {
  return column.dictionary;
}

/** Where the codes lie, once there is room for those of so many rows. */
export function codesFor(column: Column, numRows: usize): usize {
  while (numRows > column.codesRoom) {
    const bytes = column.codesRoom * 4;
    column.codes = enlarge(column.codes, bytes, bytes * 2);
    memory.fill(column.codes + bytes, 0, bytes);
    column.codesRoom *= 2;
  }
  return column.codes;
}

export function setCode(column: Column, row: usize, code: u32): void {
  store<u32>(codesFor(column, row + 1) + (row << 2), code);
}

/** The lines that codes are set from: the addresses of their source, cells and kinds of referers. */
let source: usize = 0;
let sourceBytes: usize = 0;
let cells: usize = 0;
let kinds: usize = 0;
/** What was read ahead, a word a row. */
let ahead: usize = 0;
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
      release(ahead, rowsRoom * 4);
    }
    rowsRoom = numRows;
    cells = allocate(rowsRoom * ROW_BYTES);
    kinds = allocate(rowsRoom);
    ahead = allocate(rowsRoom * 4);
  }
  return source;
}

export function cellsOfLines(): usize {
  return cells;
}

export function kindsOfLines(): usize {
  return kinds;
}

/**
 * Sets the codes of a field of lines that were opened, step by step for all of them, so that waiting for the memory of one
 * overlaps with waiting for that of others.
 * @param kind of all of them, or 0 for that of each line
 * @param row of the first
 */
export function setCodes(column: Column, row: usize, field: usize, kind: u32, from: usize, to: usize): void {
  const dictionary = column.dictionary;
  const first = cells + field * CELL_BYTES;
  readAhead(dictionary, first, from, to);
  let code = codesFor(column, row + to - from) + (row << 2);
  for (let line = from; line < to; line += 1) {
    const cell = first + line * ROW_BYTES;
    const start = load<i32>(cell);
    if (start >= 0) {
      const ownKind = kind === 0 ? <u32>load<u8>(kinds + line) : kind;
      const number = numberAt(dictionary, load<u32>(cell, 8), ownKind, source + start, source + load<u32>(cell, 4));
      store<u32>(code, number + FIRST_VALUE_CODE);
    } else if (start === NONE) store<u32>(code, NONE_CODE);
    else if (start === ZERO_BYTES) store<u32>(code, numberOf(dictionary, JSON_KIND, zero, zero + 1) + FIRST_VALUE_CODE);
    code += 4;
  }
}

/** Reads the slots, then the first bytes of what lies there, so that both are in the cache when they are looked at. */
function readAhead(dictionary: Dictionary, first: usize, from: usize, to: usize): void {
  for (let line = from; line < to; line += 1) {
    const slot = slotOf(dictionary, load<u32>(first + line * ROW_BYTES, 8));
    store<u32>(ahead + ((line - from) << 2), startAt(slot));
  }
  const bytes = dictionary.bytes;
  let all: u32 = 0;
  for (let line = from; line < to; line += 1) all ^= load<u8>(bytes + load<u32>(ahead + ((line - from) << 2)));
  store<u32>(ahead, all);
}

/** Where the codes lie that were taken, and room for them. */
let planes: usize = 0;
let planesRoom: usize = 0;

/**
 * Takes the codes of a chunk, and clears them: how many bytes the largest needs, then the first bytes of all, the
 * second bytes, and so on; if all are the same, zero and that byte.
 * @returns where they lie
 */
export function takeCodes(column: Column, numRows: usize): usize {
  const codes = codesFor(column, numRows);
  const first = load<u32>(codes);
  const end = codes + (numRows << 2);
  let all: u32 = 0;
  let differing: u32 = 0;
  for (let at = codes; at < end; at += 4) {
    const code = load<u32>(at);
    all |= code;
    differing |= code ^ first;
  }
  const numPlanes: u32 = differing === 0 ? 0 : (39 - clz<u32>(all)) >> 3;
  openPlanes(1 + 4 * numRows + PADDING_BYTES);
  store<u8>(planes, <u8>numPlanes);
  store<u32>(planes, first, 1);
  for (let plane: u32 = 0; plane < numPlanes; plane += 1)
    takePlane(codes, plane << 3, numRows, planes + 1 + <usize>plane * numRows);
  memory.fill(codes, 0, numRows << 2);
  return planes;
}

function openPlanes(numBytes: usize): void {
  if (numBytes <= planesRoom) return;
  if (planesRoom !== 0) release(planes, planesRoom);
  planesRoom = numBytes;
  planes = allocate(numBytes);
}

/** One byte of each code; up to fifteen bytes behind the last are written, too. */
function takePlane(codes: usize, shift: u32, numRows: usize, to: usize): void {
  const byte = i32x4.splat(0xff);
  for (let row: usize = 0; row < numRows; row += 16) {
    const at = codes + (row << 2);
    const one = v128.and(i32x4.shr_u(v128.load(at), shift), byte);
    const two = v128.and(i32x4.shr_u(v128.load(at, 16), shift), byte);
    const three = v128.and(i32x4.shr_u(v128.load(at, 32), shift), byte);
    const four = v128.and(i32x4.shr_u(v128.load(at, 48), shift), byte);
    const low = i16x8.narrow_i32x4_u(one, two);
    const high = i16x8.narrow_i32x4_u(three, four);
    v128.store(to + row, i8x16.narrow_i16x8_u(low, high));
  }
}
