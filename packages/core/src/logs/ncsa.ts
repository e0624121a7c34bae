import { parseAddress } from '../request/address.js';
import type { Attributes } from '../request/record.js';
import { parseRequestLine } from '../request/request-line.js';
import { parseNcsaTime } from '../request/time.js';
import { decodeWithMarks } from './byte-marks.js';
import type { ParsedLine } from './reader.js';

/** A field between quotation marks: escaped quotes and backslashes inside. */
const QUOTED = String.raw`"([^"\\]*(?:\\.[^"\\]*)*)"`;
const COMMON = String.raw`(\S+) (\S+) (.*?) \[([^\]]*)\] ${QUOTED} (\d{3}|-) (\d+|-)`;
const COMBINED = `${COMMON} ${QUOTED} ${QUOTED}`;
const SHAPES = {
  combined: { plain: new RegExp(`^${COMBINED}\\s*$`), withHost: new RegExp(`^(\\S+) ${COMBINED}\\s*$`) },
  common: { plain: new RegExp(`^${COMMON}\\s*$`), withHost: new RegExp(`^(\\S+) ${COMMON}\\s*$`) },
};

/**
 * Reads a line of the NCSA common or combined format, with the host in front or without. `-` and empty are none; what
 * the common format does not have is unknown.
 * @param host the host of every line, where the format has no column for it
 */
export function parseNcsaLine(
  text: string,
  shape: 'common' | 'combined',
  hasHostColumn: boolean,
  host?: string,
): ParsedLine {
  const match = SHAPES[shape][hasHostColumn ? 'withHost' : 'plain'].exec(text);
  if (!match) return 'not-the-format';
  // Read by number, not by slicing: this is the hottest place of every command that reads a log.
  const at = hasHostColumn ? 2 : 1;
  const hostColumn = hasHostColumn ? match[1] : host;
  const [client, identity, user, time] = [match[at]!, match[at + 1]!, match[at + 2]!, match[at + 3]!];
  const [request, status, bytes] = [match[at + 4]!, match[at + 5]!, match[at + 6]!];
  const [referer, agent] = [match[at + 7], match[at + 8]];
  // A host in front would be taken for the client, and the client for the identity (RFC 1413), which is never an address.
  if (!hasHostColumn && parseAddress(identity)) return 'not-the-format';
  const atUnixMs = readTime(time);
  if (atUnixMs === undefined) return time === '' || time === '-' ? 'no-time' : 'bad-time';
  const line = parseRequestLine(unescapeField(request));
  const shownHost = line.authority ?? (hostColumn === undefined ? undefined : orNone(hostColumn));
  const attributes: Attributes = {
    'client.address': orNone(client),
    ...(line.version === null ? {} : { 'network.protocol.version': line.version }),
    ...(line.full === null ? { 'url.path': line.path, 'url.query': line.query } : { 'url.full': line.full }),
    'http.request.method': line.method,
    ...(shownHost === undefined ? {} : { 'http.request.header.host': shownHost === null ? null : [shownHost] }),
    ...(referer === undefined ? {} : { 'http.request.header.referer': listOrNone(referer) }),
    'http.response.status_code': status === '-' ? null : Number(status),
    'http.response.body.size': bytes === '-' ? 0 : Number(bytes),
    ...(agent === undefined ? {} : { 'user_agent.original': orNone(unescapeField(agent)) }),
    'user.name': orNone(user),
  };
  return { atUnixMs, attributes };
}

let lastTime: { readonly text: string; readonly atUnixMs: number | undefined } = { text: '', atUnixMs: undefined };

/** Requests of one second share the text of their time, so the last one is remembered. */
function readTime(text: string): number | undefined {
  if (text !== lastTime.text) lastTime = { text, atUnixMs: parseNcsaTime(text) };
  return lastTime.atUnixMs;
}

function orNone(text: string): string | null {
  return text === '-' || text === '' ? null : text;
}

function listOrNone(text: string): readonly string[] | null {
  const value = orNone(unescapeField(text));
  return value === null ? null : [value];
}

const ESCAPES: Record<string, number> = { 'n': 10, 'r': 13, 't': 9, 'b': 8, 'f': 12, 'v': 11, '"': 34, '\\': 92 };
/** Undoes `\"`, `\\`, `\n` and `\xHH`; the bytes of a run of escapes are UTF-8, and marks where they are not. */
export function unescapeField(text: string): string {
  if (!text.includes('\\')) return text;
  return text.replace(/(?:\\x[0-9a-fA-F]{2}|\\[nrtbfv"\\])+/g, (run) => {
    const bytes = Array.from(run.matchAll(/\\x(..)|\\(.)/g), ([, hex, letter]) =>
      hex === undefined ? ESCAPES[letter!]! : Number.parseInt(hex, 16),
    );
    return decodeWithMarks(Uint8Array.from(bytes));
  });
}
