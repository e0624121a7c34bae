/**
 * How the line of a request was written: its bytes, or a template in which attributes and the time are left out, since
 * they are kept in separate columns.
 */
import { MONTHS } from '../../request/time.js';
import { RAW_LINE, type Row } from '../../columns/chunk.js';

/** The first character where a template follows; where the line itself does, it is `RAW_LINE`. */
export const TEMPLATE = 't';
/** Around the name of an attribute that is left out. */
export const ATTRIBUTE_START = '\u0001';
export const ATTRIBUTE_END = '\u0002';
/**
 * Before the name of one that is written with backslashes before quotation marks and backslashes, and with `\xHH` for each
 * byte outside ASCII.
 */
export const ESCAPED_START = '\u0004';
/** Placeholder of the time of the NCSA formats in the zone that follows. */
export const TIME_MARK = '\u0003';

const MARKS = /\u0001([^\u0002]*)\u0002|\u0004([^\u0002]*)\u0002|\u0003( [+-]\d{4})/g;
const encoder = new TextEncoder();
const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** The line of a request, byte for byte, without its line break. */
export function restoreLine(written: Uint8Array, { attributes, atUnixMs }: Omit<Row, 'line'>): Uint8Array {
  if (written[0] === RAW_LINE) return written.subarray(1);
  const text = decoder
    .decode(written.subarray(1))
    .replace(MARKS, (_, name: string | undefined, escapedName: string | undefined, zone: string) => {
      if (name !== undefined) return textOf(attributes[name]);
      if (escapedName !== undefined) return escape(textOf(attributes[escapedName]));
      return `${ncsaTime(atUnixMs, zone)}${zone}`;
    });
  return encoder.encode(text);
}

function escape(text: string): string {
  return text
    .replace(/["\\]/g, '\\$&')
    .replace(/[^\u0000-\u007f]+/g, (run) =>
      Array.from(encoder.encode(run), (byte) => `\\x${byte.toString(16)}`).join(''),
    );
}

function textOf(cell: Row['attributes'][string]): string {
  const value = Array.isArray(cell) ? (cell as readonly string[])[0]! : cell;
  return String(value);
}

function ncsaTime(atUnixMs: number, zone: string): string {
  const minutes = (zone[1] === '-' ? -1 : 1) * (Number(zone.slice(2, 4)) * 60 + Number(zone.slice(4)));
  const iso = new Date(atUnixMs + minutes * 60_000).toISOString();
  return `${iso.slice(8, 10)}/${MONTHS[Number(iso.slice(5, 7)) - 1]!}/${iso.slice(0, 4)}:${iso.slice(11, 19)}`;
}
