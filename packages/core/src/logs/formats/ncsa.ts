import { parseAddress } from '../../request/address.js';
import type { Attributes } from '../../request/record.js';
import { parseRequestLine } from '../../request/request-line.js';
import { parseNcsaTime } from '../../request/time.js';
import { decodeWithMarks } from '../lines/byte-marks.js';
import type { ParsedLine } from '../lines/line-parser.js';

/** A field between quotation marks: escaped quotes and backslashes inside. */
const QUOTED = String.raw`"([^"\\]*(?:\\.[^"\\]*)*)"`;
const COMMON = String.raw`(\S+) (\S+) (.*?) \[([^\]]*)\] ${QUOTED} (\d{3}|-) (\d+|-)`;
const COMBINED = `${COMMON} ${QUOTED} ${QUOTED}`;
/** What servers write in place of a host. */
const NO_HOST = /^[-_.]*$/;
const SHAPES = {
  combined: { plain: new RegExp(`^${COMBINED}\\s*$`), withHost: new RegExp(`^(\\S+) ${COMBINED}\\s*$`) },
  common: { plain: new RegExp(`^${COMMON}\\s*$`), withHost: new RegExp(`^(\\S+) ${COMMON}\\s*$`) },
};

/**
 * Reads a line of the NCSA common or combined format, with the host in front or without. `-` and empty are none; what
 * the common format does not have is unknown.
 * @param host the host of every line that names none
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
  const hostColumn = hasHostColumn && !(host !== undefined && NO_HOST.test(match[1]!)) ? match[1] : host;
  const [client, identity, user, time] = [match[at]!, match[at + 1]!, match[at + 2]!, match[at + 3]!];
  const [request, status, bytes] = [match[at + 4]!, match[at + 5]!, match[at + 6]!];
  const [referer, agent] = [match[at + 7], match[at + 8]];
  // A host in front would be taken for the client, and the client for the identity (RFC 1413), which is never an address.
  if (!hasHostColumn && parseAddress(identity)) return 'not-the-format';
  const atUnixMs = readTime(time);
  if (atUnixMs === undefined) return time === '' || time === '-' ? 'no-time' : 'bad-time';
  const line = parseRequestLine(unescapeField(request));
  const shownHost = line.authority ?? (hostColumn === undefined ? undefined : orNone(hostColumn));
  // Assigned one by one: spreading parts costs more than all the rest.
  const attributes: Record<string, Attributes[string]> = { 'client.address': orNone(client) };
  if (line.version !== null) attributes['network.protocol.version'] = line.version;
  if (line.full === null) {
    attributes['url.path'] = line.path;
    attributes['url.query'] = line.query;
  } else attributes['url.full'] = line.full;
  attributes['http.request.method'] = line.method;
  if (shownHost !== undefined) attributes['http.request.header.host'] = shownHost === null ? null : [shownHost];
  if (referer !== undefined) attributes['http.request.header.referer'] = listOrNone(referer);
  attributes['http.response.status_code'] = status === '-' ? null : Number(status);
  attributes['http.response.body.size'] = bytes === '-' ? 0 : Number(bytes);
  if (agent !== undefined) attributes['user_agent.original'] = orNone(unescapeField(agent));
  attributes['user.name'] = orNone(user);
  return { atUnixMs, attributes };
}

/** `10/Oct/2026:13:55:36 +0200`: the seconds, and all of it. */
const SECONDS_AT = 18;
const TIME_LENGTH = 26;
let lastTime: { readonly start: string; readonly zone: string; readonly minuteUnixMs: number } | undefined;

/** Requests of one minute share the text of their time but for the seconds, so the last one is kept. */
function readTime(text: string): number | undefined {
  const seconds = /^[0-5]\d$/.test(text.slice(SECONDS_AT, SECONDS_AT + 2)) && text.length === TIME_LENGTH;
  // A leap second, or no time at all.
  if (!seconds) return parseNcsaTime(text);
  const secondsMs = Number(text.slice(SECONDS_AT, SECONDS_AT + 2)) * 1000;
  if (lastTime && text.startsWith(lastTime.start) && text.endsWith(lastTime.zone))
    return lastTime.minuteUnixMs + secondsMs;
  const atUnixMs = parseNcsaTime(text);
  if (atUnixMs !== undefined)
    lastTime = {
      start: text.slice(0, SECONDS_AT),
      zone: text.slice(SECONDS_AT + 2),
      minuteUnixMs: atUnixMs - secondsMs,
    };
  return atUnixMs;
}

function orNone(text: string): string | null {
  return text === '-' || text === '' ? null : text;
}

function listOrNone(text: string): readonly string[] | null {
  const value = orNone(unescapeField(text));
  return value === null ? null : [value];
}

const ESCAPES: Record<string, number> = { 'n': 10, 'r': 13, 't': 9, 'b': 8, 'f': 12, 'v': 11, '"': 34, '\\': 92 };
const HEX_DIGITS = '0123456789abcdef';

/** Undoes `\"`, `\\`, `\n` and `\xHH`; the bytes of a run of escapes are UTF-8, and marks where they are not. */
export function unescapeField(text: string): string {
  let at = text.indexOf('\\');
  if (at < 0) return text;
  let result = '';
  let plainFrom = 0;
  while (at >= 0) {
    const bytes: number[] = [];
    const runStart = at;
    let isAscii = true;
    let ascii = '';
    for (let byte = escapedByte(text, at); byte >= 0; byte = escapedByte(text, at)) {
      bytes.push(byte);
      ascii += String.fromCharCode(byte);
      isAscii &&= byte < 0x80;
      at += text[at + 1] === 'x' ? 4 : 2;
    }
    if (bytes.length > 0) {
      const run = isAscii ? ascii : decodeWithMarks(Uint8Array.from(bytes));
      result += text.slice(plainFrom, runStart) + run;
      plainFrom = at;
    } else at += 1;
    at = text.indexOf('\\', at);
  }
  return result + text.slice(plainFrom);
}

/** The byte that is escaped there; negative where no escape begins. */
function escapedByte(text: string, at: number): number {
  if (text[at] !== '\\') return -1;
  const letter = text[at + 1];
  if (letter !== 'x') return (letter !== undefined && ESCAPES[letter]) || -1;
  const high = digitOf(text[at + 2]);
  const low = digitOf(text[at + 3]);
  return high < 0 || low < 0 ? -1 : high * 16 + low;
}

function digitOf(character: string | undefined): number {
  return character === undefined ? -1 : HEX_DIGITS.indexOf(character.toLowerCase());
}
