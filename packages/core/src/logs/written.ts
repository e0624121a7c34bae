/**
 * How the line of a request was written: its bytes, or a template in which attributes and the time are left out, since
 * they are kept in columns of their own.
 */
import type { Row } from '../columns/chunk.js';

/** The first character: a template follows, or the line itself. */
export const TEMPLATE = 't';
export const RAW = 'r';
/** Around the name of an attribute that is left out. */
export const ATTRIBUTE_START = '\u0001';
export const ATTRIBUTE_END = '\u0002';
/** Stands for the time of the NCSA formats in the zone that follows. */
export const TIME_MARK = '\u0003';

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
const encoder = new TextEncoder();
const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** @param line the bytes of a line, without its line break */
export function writtenAs(line: Uint8Array): Uint8Array {
  const bytes = new Uint8Array(line.length + 1);
  bytes[0] = RAW.charCodeAt(0);
  bytes.set(line, 1);
  return bytes;
}

/** The line of a request, byte for byte, without its line break. */
export function lineOf(written: Uint8Array, { attributes, atUnixMs }: Omit<Row, 'line'>): Uint8Array {
  if (written[0] === RAW.charCodeAt(0)) return written.subarray(1);
  const text = decoder
    .decode(written.subarray(1))
    .replace(/\u0001([^\u0002]*)\u0002|\u0003( [+-]\d{4})/g, (_, name: string | undefined, zone: string) =>
      name === undefined ? `${ncsaTime(atUnixMs, zone)}${zone}` : textOf(attributes[name]),
    );
  return encoder.encode(text);
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
