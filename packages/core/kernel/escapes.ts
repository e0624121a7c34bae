/** Texts between quotation marks as servers write them: what would end them, or is no printable character, is escaped. */
import { isDigit, textEnd } from './scan';

const SPACE: u8 = 0x20;
const QUOTE: u8 = 0x22;
const ZERO: u8 = 0x30;
const BACKSLASH: u8 = 0x5c;
const SMALL_A: u8 = 0x61;
const SMALL_X: u8 = 0x78;
/** Of `\xHH`. */
const ESCAPE_BYTES: usize = 4;

/**
 * The closing mark of ` "text"`, or 0. Inside are plain characters, escaped quotation marks and backslashes, and characters
 * outside ASCII as `\xHH` for each of their bytes, in small letters.
 */
export function quotedEnd(start: usize): usize {
  if (load<u8>(start) !== SPACE || load<u8>(start, 1) !== QUOTE) return 0;
  let end = textEnd(start + 2);
  while (load<u8>(end) === BACKSLASH) {
    const escaped = load<u8>(end, 1);
    const next = escaped === QUOTE || escaped === BACKSLASH ? end + 2 : escapedCharacterEnd(end);
    if (next === 0) return 0;
    end = textEnd(next);
  }
  return load<u8>(end) === QUOTE ? end : 0;
}

/** Where an escaped character outside ASCII ends, or 0 where its bytes are no UTF-8 (RFC 3629, 4). */
function escapedCharacterEnd(start: usize): usize {
  const lead = escapedByte(start);
  if (lead < 0xc2 || lead > 0xf4) return 0;
  const second = escapedByte(start + ESCAPE_BYTES);
  const least = lead === 0xe0 ? 0xa0 : lead === 0xf0 ? 0x90 : 0x80;
  const most = lead === 0xed ? 0x9f : lead === 0xf4 ? 0x8f : 0xbf;
  if (second < least || second > most) return 0;
  const end = start + ESCAPE_BYTES * (lead < 0xe0 ? 2 : lead < 0xf0 ? 3 : 4);
  for (let at = start + 2 * ESCAPE_BYTES; at < end; at += ESCAPE_BYTES) {
    const byte = escapedByte(at);
    if (byte < 0x80 || byte > 0xbf) return 0;
  }
  return end;
}

/** The byte that `\xHH` encodes, or a negative number. */
function escapedByte(at: usize): i32 {
  if (load<u8>(at) !== BACKSLASH || load<u8>(at, 1) !== SMALL_X) return -1;
  // Either being none makes the whole negative.
  return (hexOf(load<u8>(at, 2)) << 4) | hexOf(load<u8>(at, 3));
}

function hexOf(digit: u8): i32 {
  if (isDigit(digit)) return digit - ZERO;
  return digit - SMALL_A < 6 ? digit - SMALL_A + 10 : -1;
}

/** Takes the backslashes of escapes out of a text, in its place. @returns where it ends then */
export function unescape(start: usize, end: usize): usize {
  let from = start;
  let to = start;
  let next = textEnd(from);
  while (next < end) {
    if (to !== from) memory.copy(to, from, next - from);
    to += next - from;
    const isByte = load<u8>(next, 1) === SMALL_X;
    store<u8>(to, isByte ? <u8>escapedByte(next) : load<u8>(next, 1));
    to += 1;
    from = next + (isByte ? ESCAPE_BYTES : 2);
    next = textEnd(from);
  }
  memory.copy(to, from, end - from);
  return to + end - from;
}
