/**
 * Bytes that are not UTF-8, kept apart while a line is read: each becomes a mark, a lone low surrogate from U+DC80 to
 * U+DCFF. At the end the bytes of a path are percent-encoded as they are, so that different paths stay different; in
 * other text they become U+FFFD.
 */
import { joinBytes } from '../../binary/join-bytes.js';
import type { Attributes, AttributeValue } from '../../request/record.js';

const decoder = new TextDecoder('utf-8', { ignoreBOM: true });
const strictDecoder = new TextDecoder('utf-8', { ignoreBOM: true, fatal: true });
const encoder = new TextEncoder();
/** A byte of 0x80 is U+DC80. */
const MARK_BASE = 0xdc00;
const MARKS = /[\udc80-\udcff]/u;
const RUNS = /([\udc80-\udcff]+)|[^\udc80-\udcff]+/gu;
const REPLACEMENT = '\ufffd';
const MAX_SEQUENCE_BYTES = 4;

let numMarks = 0;

/** How many marks were made so far: where it stays the same, a text has none. */
export function countMarks(): number {
  return numMarks;
}

/** Decodes UTF-8. @returns the text, with a mark for each byte that belongs to no character */
export function decodeWithMarks(bytes: Uint8Array): string {
  const text = decoder.decode(bytes);
  if (!text.includes(REPLACEMENT)) return text;
  const parts: string[] = [];
  let validFrom = 0;
  for (let at = 0; at < bytes.length;) {
    const length = sequenceLength(bytes, at);
    if (length === 0) {
      numMarks += 1;
      parts.push(decoder.decode(bytes.subarray(validFrom, at)), String.fromCharCode(MARK_BASE + bytes[at]!));
      validFrom = at + 1;
    }
    at += length || 1;
  }
  parts.push(decoder.decode(bytes.subarray(validFrom)));
  return parts.join('');
}

/** @returns how many bytes the character there has; 0 where there is none */
function sequenceLength(bytes: Uint8Array, at: number): number {
  const lead = bytes[at]!;
  if (lead < 0x80) return 1;
  const length = lead >= 0xf0 ? MAX_SEQUENCE_BYTES : lead >= 0xe0 ? 3 : 2;
  if (at + length > bytes.length) return 0;
  try {
    strictDecoder.decode(bytes.subarray(at, at + length));
    return length;
  } catch {
    return 0;
  }
}

/** The text with U+FFFD instead of marks. */
export function replaceMarks(text: string): string {
  return MARKS.test(text) ? decoder.decode(toBytes(text)) : text;
}

/** The same attributes without marks. */
export function resolveMarks(attributes: Attributes): Attributes {
  const resolved = Object.create(null) as Record<string, AttributeValue | null>;
  for (const [name, value] of Object.entries(attributes))
    if (value !== undefined) resolved[replaceMarks(name)] = resolveValue(name, value);
  return resolved;
}

function resolveValue(name: string, value: AttributeValue | null): AttributeValue | null {
  if (typeof value === 'string') {
    if (!MARKS.test(value)) return value;
    if (name === 'url.path') return escapeMarks(value);
    const parts = name === 'url.full' ? /^([^:/?#]*:\/\/[^/?#]*)([^?#]*)(.*)$/su.exec(value) : null;
    return parts
      ? `${replaceMarks(parts[1]!)}${escapeMarks(parts[2]!)}${replaceMarks(parts[3]!)}`
      : replaceMarks(value);
  }
  if (Array.isArray(value))
    return (value as readonly AttributeValue[]).map((attributeValue) => resolveValue('', attributeValue)!);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value).map(([key, one]) => [replaceMarks(key), resolveValue('', one)]),
  ) as AttributeValue;
}

function escapeMarks(text: string): string {
  return text.replace(RUNS, (run, marks: string | undefined) =>
    marks === undefined
      ? run
      : Array.from(marks, (mark) => `%${(mark.charCodeAt(0) - MARK_BASE).toString(16).toUpperCase()}`).join(''),
  );
}

function toBytes(text: string): Uint8Array {
  return joinBytes(
    Array.from(text.matchAll(RUNS), ([run, marks]) =>
      marks === undefined ? encoder.encode(run) : Uint8Array.from(marks, (mark) => mark.charCodeAt(0) - MARK_BASE),
    ),
  );
}
