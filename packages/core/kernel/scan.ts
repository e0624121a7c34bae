/** Where words and numbers of a line end. Bytes are looked at sixteen at a time; every piece ends in a byte that ends all. */

const SPACE: u8 = 0x20;
const QUOTE: u8 = 0x22;
const BACKSLASH: u8 = 0x5c;
const DELETE: u8 = 0x7f;
const QUESTION: u8 = 0x3f;
const HASH: u8 = 0x23;

/** Those of sixteen bytes that are below one, no ASCII, or one of three. */
function marksOf(bytes: v128, least: i8): v128 {
  // As signed numbers all bytes outside ASCII are negative.
  const outside = v128.or(i8x16.lt_s(bytes, i8x16.splat(least)), isAny(bytes, DELETE));
  return v128.or(outside, v128.or(isAny(bytes, QUOTE), isAny(bytes, BACKSLASH)));
}

function isAny(bytes: v128, byte: u8): v128 {
  return i8x16.eq(bytes, i8x16.splat(byte));
}

/** The first byte from there on that is no character of a plain word: a space, a quotation mark, a control character ... */
export function wordEnd(from: usize): usize {
  let at = from;
  let marks: i32;
  while ((marks = i8x16.bitmask(marksOf(v128.load(at), SPACE + 1))) === 0) at += 16;
  return at + ctz(marks);
}

/** The same, where a question mark and a number sign end it, too. */
export function pathEnd(from: usize): usize {
  let at = from;
  let marks: i32;
  while ((marks = i8x16.bitmask(targetMarks(v128.load(at)))) === 0) at += 16;
  return at + ctz(marks);
}

function targetMarks(bytes: v128): v128 {
  return v128.or(marksOf(bytes, SPACE + 1), v128.or(isAny(bytes, QUESTION), isAny(bytes, HASH)));
}

/** The same, where only a number sign does. */
export function queryEnd(from: usize): usize {
  let at = from;
  let marks: i32;
  while ((marks = i8x16.bitmask(queryMarks(v128.load(at)))) === 0) at += 16;
  return at + ctz(marks);
}

function queryMarks(bytes: v128): v128 {
  return v128.or(marksOf(bytes, SPACE + 1), isAny(bytes, HASH));
}

/** The first byte that is no character of a plain text, spaces included. */
export function textEnd(from: usize): usize {
  let at = from;
  let marks: i32;
  while ((marks = i8x16.bitmask(marksOf(v128.load(at), SPACE))) === 0) at += 16;
  return at + ctz(marks);
}

/** The first byte that is no capital letter. */
export function capitalsEnd(from: usize): usize {
  let at = from;
  let marks: i32;
  while ((marks = i8x16.bitmask(notCapital(v128.load(at)))) === 0) at += 16;
  return at + ctz(marks);
}

function notCapital(bytes: v128): v128 {
  return i8x16.ge_u(i8x16.sub(bytes, i8x16.splat(0x41)), i8x16.splat(26));
}

/** The first byte that is no digit. */
export function digitsEnd(from: usize): usize {
  let at = from;
  while (isDigit(load<u8>(at))) at += 1;
  return at;
}

export function isDigit(byte: u8): bool {
  return byte - 0x30 < 10;
}
