/**
 * Lines of the NCSA formats in their bytes. Only lines as servers write them nearly always are taken; whatever else a line
 * may be is left to the caller.
 */
import {
  AGENT,
  AGENT_BITS,
  BYTES,
  BYTES_BITS,
  CELL_WORDS,
  CLIENT,
  CLIENT_BITS,
  EMPTY,
  ESCAPED,
  HOST,
  HOST_BITS,
  JSON_KIND,
  LIST_KIND,
  METHOD,
  MISSING,
  NONE,
  ZERO_BYTES,
  NUM_FIELDS,
  OWN_HTTP_KIND,
  OWN_HTTPS_KIND,
  PADDING_BYTES,
  PATH,
  QUERY,
  QUERY_BITS,
  REFERER,
  REFERER_BITS,
  STATUS,
  TEXT_KIND,
  USER,
  USER_BITS,
  VALUE,
  VERSION,
  ZONE_BITS,
} from '../src/kernel/cells';
import { allocate, release } from './blocks';
import { quotedEnd, unescape } from './escapes';
import { capitalsEnd, digitsEnd, isDigit, pathEnd, queryEnd, textEnd, wordEnd } from './scan';
import { areSame, hashOf } from './words';

const LINE_FEED: u8 = 0x0a;
const CARRIAGE_RETURN: u8 = 0x0d;
const SPACE: u8 = 0x20;
const QUOTE: u8 = 0x22;
const DASH: u8 = 0x2d;
const DOT: u8 = 0x2e;
const SLASH: u8 = 0x2f;
const ZERO: u8 = 0x30;
const COLON: u8 = 0x3a;
const QUESTION: u8 = 0x3f;
const HASH: u8 = 0x23;
const OPEN: u8 = 0x5b;
const CLOSE: u8 = 0x5d;
/** `HTTP`, `http`, `://`, `s://` as words. */
const VERSION_WORD: u32 = 0x50545448;
const SCHEME_WORD: u32 = 0x70747468;
const AFTER_SCHEME: u32 = 0x2f2f3a;
const AFTER_SECURE_SCHEME: u32 = 0x2f2f3a73;
/** `10/Oct/2026:13:55:36 +0200` */
const TIME_BYTES: usize = 26;
/** The offset of the seconds in a time. */
const SECONDS_AT: usize = 18;
/** More digits than a number has that is written as JSON writes it, whatever its value. */
const MAX_DIGITS: usize = 15;
/** No line that is taken is shorter. */
const MIN_BYTES: usize = 48;
const CELL_BYTES: usize = CELL_WORDS * 4;
const HOST_CELL: usize = <usize>HOST * CELL_BYTES;
const ROW_BYTES: usize = <usize>NUM_FIELDS * CELL_BYTES;

/** Reads the time at a place. @returns milliseconds since the epoch of its minute; NaN where it is none */
declare function readMinute(at: usize): f64;
/** The number of the zone of the time that was read last. */
declare function readZone(): i32;

let isCombined: bool = false;
let hasHost: bool = false;
let maxLineBytes: usize = 0;
/** The piece that is read, and room for its lines. */
let source: usize = 0;
let sourceBytes: usize = 0;
let rowsRoom: usize = 0;
let numbers: usize = 0;
let times: usize = 0;
let shapes: usize = 0;
let kinds: usize = 0;
let cells: usize = 0;
let numRows: usize = 0;

/** Of the line that is read: how it is written, the kind of its referer, and its cells. */
let shape: u32 = 0;
let refererKind: u32 = 0;
let row: usize = 0;

/** The text of a time in the minute that was read last. */
const minute: usize = memory.data(32);
let minuteUnixMs: f64 = NaN;
let zone: u32 = 0;

export function openFormat(combined: bool, withHost: bool, longest: usize): void {
  isCombined = combined;
  hasHost = withHost;
  maxLineBytes = longest;
}

/** Makes room for a piece and its lines. @returns where the bytes of the piece go */
export function openPiece(numBytes: usize): usize {
  numRows = 0;
  const needed = numBytes + PADDING_BYTES;
  if (needed > sourceBytes) {
    if (sourceBytes !== 0) release(source, sourceBytes);
    sourceBytes = needed;
    source = allocate(needed);
  }
  memory.fill(source + numBytes, 0, PADDING_BYTES);
  const needsRows = numBytes / MIN_BYTES + 1;
  if (needsRows > rowsRoom) {
    if (rowsRoom !== 0) {
      release(numbers, rowsRoom * 8);
      release(times, rowsRoom * 8);
      release(shapes, rowsRoom * 4);
      release(kinds, rowsRoom);
      release(cells, rowsRoom * ROW_BYTES);
    }
    rowsRoom = needsRows;
    numbers = allocate(rowsRoom * 8);
    times = allocate(rowsRoom * 8);
    shapes = allocate(rowsRoom * 4);
    kinds = allocate(rowsRoom);
    cells = allocate(rowsRoom * ROW_BYTES);
  }
  return source;
}

export function numRowsOfPiece(): usize {
  return numRows;
}
export function numbersOfPiece(): usize {
  return numbers;
}
export function timesOfPiece(): usize {
  return times;
}
export function shapesOfPiece(): usize {
  return shapes;
}
export function kindsOfPiece(): usize {
  return kinds;
}
export function cellsOfPiece(): usize {
  return cells;
}

/** How many lines the last call passed, empty ones included. */
let numPassed: u32 = 0;
export function numPassedLines(): u32 {
  return numPassed;
}

/**
 * Takes lines of the piece, each as a row, up to one that is not well-formed.
 * @param number of the first line
 * @returns where the first line begins that was not taken, or the end
 */
export function takeLines(from: usize, end: usize, number: f64): usize {
  const stop = source + end;
  let start = source + from;
  numPassed = 0;
  while (start < stop) {
    const first = load<u8>(start);
    const isEmpty = first === LINE_FEED || (first === CARRIAGE_RETURN && load<u8>(start, 1) === LINE_FEED);
    const lineEnd = isEmpty ? start + (first === LINE_FEED ? 0 : 1) : takeLine(start, number + <f64>numPassed);
    if (lineEnd === 0) break;
    numPassed += 1;
    start = lineEnd + 1;
  }
  return start - source;
}

/** @returns the address of its line feed; 0 if the line is not well-formed, and then nothing is taken */
function takeLine(start: usize, number: f64): usize {
  if (numRows === rowsRoom) return 0;
  row = cells + numRows * ROW_BYTES;
  shape = 0;
  refererKind = LIST_KIND;
  const hostEnd = hasHost ? wordEnd(start) : start;
  const clientStart = hasHost ? hostEnd + 1 : start;
  if (hasHost && !isWord(start, hostEnd)) return 0;
  const clientEnd = wordEnd(clientStart);
  // The identity is never known.
  if (!isWord(clientStart, clientEnd) || load<u8>(clientEnd, 1) !== DASH || load<u8>(clientEnd, 2) !== SPACE) return 0;
  const userStart = clientEnd + 3;
  const userEnd = wordEnd(userStart);
  if (!isWord(userStart, userEnd) || load<u8>(userEnd, 1) !== OPEN || load<u8>(userStart) === OPEN) return 0;
  const atUnixMs = readTime(userEnd + 2);
  const timeEnd = userEnd + 2 + TIME_BYTES;
  if (isNaN(atUnixMs) || load<u8>(timeEnd) !== CLOSE || load<u8>(timeEnd, 1) !== SPACE) return 0;
  if (load<u8>(timeEnd, 2) !== QUOTE) return 0;
  if (hasHost) takeWord(HOST, HOST_BITS, start, hostEnd, LIST_KIND);
  takeWord(CLIENT, CLIENT_BITS, clientStart, clientEnd, TEXT_KIND);
  takeWord(USER, USER_BITS, userStart, userEnd, TEXT_KIND);
  const versionEnd = takeRequest(timeEnd + 3);
  if (versionEnd === 0 || load<u8>(versionEnd, 1) !== SPACE) return 0;
  const bytesEnd = takeAnswer(versionEnd + 2);
  if (bytesEnd === 0) return 0;
  let refererEnd: usize = 0;
  let agentEnd: usize = 0;
  let answerEnd = bytesEnd;
  if (isCombined) {
    refererEnd = quotedEnd(bytesEnd);
    agentEnd = refererEnd === 0 ? 0 : quotedEnd(refererEnd + 1);
    if (agentEnd === 0) return 0;
    answerEnd = agentEnd + 1;
  }
  const lineEnd = load<u8>(answerEnd) === CARRIAGE_RETURN ? answerEnd + 1 : answerEnd;
  if (load<u8>(lineEnd) !== LINE_FEED || lineEnd - start > maxLineBytes) return 0;
  // Unescaping changes the bytes of the line, so only now that it is taken.
  if (isCombined) {
    takeReferer(bytesEnd + 2, refererEnd);
    takeQuoted(AGENT, AGENT_BITS, refererEnd + 3, agentEnd, TEXT_KIND);
  }
  store<f64>(numbers + (numRows << 3), number);
  store<f64>(times + (numRows << 3), atUnixMs);
  store<u32>(shapes + (numRows << 2), shape | (zone << ZONE_BITS));
  store<u8>(kinds + numRows, <u8>refererKind);
  numRows += 1;
  return lineEnd;
}

function isWord(start: usize, end: usize): bool {
  return end > start && load<u8>(end) === SPACE;
}

/** @returns the address of the quotation mark behind the request line, or 0 */
function takeRequest(methodStart: usize): usize {
  const methodEnd = capitalsEnd(methodStart);
  const pathStart = methodEnd + 1;
  if (!isWord(methodStart, methodEnd) || load<u8>(pathStart) !== SLASH) return 0;
  const mark = pathEnd(pathStart);
  const hasMark = load<u8>(mark) === QUESTION;
  const targetEnd = hasMark ? queryEnd(mark + 1) : mark;
  if (load<u8>(targetEnd) !== SPACE) return 0;
  const versionEnd = versionEndOf(targetEnd + 1);
  if (versionEnd === 0) return 0;
  takeValue(METHOD, methodStart, methodEnd, TEXT_KIND);
  takeValue(PATH, pathStart, mark, TEXT_KIND);
  takeValue(VERSION, targetEnd + 6, versionEnd, TEXT_KIND);
  // Without a mark there is no query, and with nothing behind it an empty one.
  if (hasMark && mark + 1 < targetEnd) {
    shape |= VALUE << QUERY_BITS;
    takeValue(QUERY, mark + 1, targetEnd, TEXT_KIND);
  } else {
    shape |= (hasMark ? EMPTY : MISSING) << QUERY_BITS;
    takeNone(QUERY, NONE);
  }
  return versionEnd;
}

/** The quotation mark behind `HTTP/1.1`, or 0. */
function versionEndOf(start: usize): usize {
  if (load<u32>(start) !== VERSION_WORD || load<u8>(start, 4) !== SLASH || !isDigit(load<u8>(start, 5))) return 0;
  if (load<u8>(start, 6) === QUOTE) return start + 6;
  return load<u8>(start, 6) === DOT && isDigit(load<u8>(start, 7)) && load<u8>(start, 8) === QUOTE ? start + 8 : 0;
}

/** Status and bytes. @returns where they end, or 0 */
function takeAnswer(statusStart: usize): usize {
  const statusEnd = digitsEnd(statusStart);
  if (statusEnd - statusStart !== 3 || load<u8>(statusStart) === ZERO || load<u8>(statusEnd) !== SPACE) return 0;
  takeValue(STATUS, statusStart, statusEnd, JSON_KIND);
  const bytesStart = statusEnd + 1;
  let bytesEnd = bytesStart + 1;
  if (load<u8>(bytesStart) === DASH) {
    // Nothing sent is zero bytes.
    shape |= MISSING << BYTES_BITS;
    takeNone(BYTES, ZERO_BYTES);
  } else {
    bytesEnd = digitsEnd(bytesStart);
    const numDigits = bytesEnd - bytesStart;
    if (numDigits === 0 || numDigits > MAX_DIGITS || (numDigits > 1 && load<u8>(bytesStart) === ZERO)) return 0;
    shape |= VALUE << BYTES_BITS;
    takeValue(BYTES, bytesStart, bytesEnd, JSON_KIND);
  }
  return bytesEnd;
}

/** A text between quotation marks that may be missing or have escapes. */
function takeQuoted(field: usize, bits: u32, start: usize, end: usize, kind: u32): void {
  // Between plain characters there is nothing else that ends a text.
  if (textEnd(start) >= end) {
    takeWord(field, bits, start, end, kind);
    return;
  }
  shape |= ESCAPED << bits;
  takeValue(field, start, unescape(start, end), kind);
}

/** Of a URL of the host only what follows that is kept. */
function takeReferer(start: usize, quotedEnd: usize): void {
  const isEscaped = textEnd(start) < quotedEnd;
  const end = isEscaped ? unescape(start, quotedEnd) : quotedEnd;
  const restStart = hasHost ? ownRest(start, end) : 0;
  if (restStart === 0 && !isEscaped) {
    takeWord(REFERER, REFERER_BITS, start, end, LIST_KIND);
    return;
  }
  shape |= (isEscaped ? ESCAPED : VALUE) << REFERER_BITS;
  if (restStart === 0) {
    takeValue(REFERER, start, end, LIST_KIND);
    return;
  }
  refererKind = load<u8>(start, 4) === COLON ? OWN_HTTP_KIND : OWN_HTTPS_KIND;
  takeValue(REFERER, restStart, end, refererKind);
}

/** What follows the host in a URL of it; 0 where it is none. */
function ownRest(start: usize, end: usize): usize {
  const hostStart = load<i32>(row, HOST_CELL);
  if (hostStart < 0 || load<u32>(start) !== SCHEME_WORD) return 0;
  const after = load<u32>(start, 4);
  const nameStart = (after & 0xffffff) === AFTER_SCHEME ? start + 7 : after === AFTER_SECURE_SCHEME ? start + 8 : 0;
  if (nameStart === 0) return 0;
  const hostBytes = load<i32>(row, HOST_CELL + 4) - hostStart;
  const rest = nameStart + hostBytes;
  if (rest > end || !areSame(source + hostStart, nameStart, hostBytes)) return 0;
  const next = load<u8>(rest);
  return rest === end || next === SLASH || next === QUESTION || next === HASH ? rest : 0;
}

/** A word that may be missing. */
function takeWord(field: usize, bits: u32, start: usize, end: usize, kind: u32): void {
  const how: u32 = start === end ? EMPTY : end - start === 1 && load<u8>(start) === DASH ? MISSING : VALUE;
  shape |= how << bits;
  if (how === VALUE) takeValue(field, start, end, kind);
  else takeNone(field, NONE);
}

function takeValue(field: usize, start: usize, end: usize, kind: u32): void {
  const cell = row + field * CELL_BYTES;
  store<u32>(cell, <u32>(start - source));
  store<u32>(cell, <u32>(end - source), 4);
  store<u32>(cell, hashOf(kind, start, end), 8);
}

function takeNone(field: usize, instead: i32): void {
  store<i32>(row + field * CELL_BYTES, instead);
}

/** Requests of one minute share the text of their time but for two digits. @returns NaN where it is none */
function readTime(start: usize): f64 {
  const isSameMinute =
    load<u64>(start) === load<u64>(minute) &&
    load<u64>(start, 8) === load<u64>(minute, 8) &&
    load<u16>(start, 16) === load<u16>(minute, 16) &&
    load<u32>(start, 20) === load<u32>(minute, 20) &&
    load<u16>(start, 24) === load<u16>(minute, 24);
  if (!isSameMinute) {
    memory.copy(minute, start, TIME_BYTES);
    minuteUnixMs = readMinute(start);
    zone = readZone();
  }
  const seconds = load<u8>(start, SECONDS_AT) - ZERO;
  const digit = load<u8>(start, SECONDS_AT + 1) - ZERO;
  // A leap second is shown as the second that follows, and so is not written as it was.
  return seconds < 6 && digit < 10 ? minuteUnixMs + <f64>(<u32>seconds * 10 + digit) * 1000 : NaN;
}
