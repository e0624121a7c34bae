import { DECISION_ATTRIBUTES, type AttributeValue } from '../../request/record.js';
import type { Naming } from '../naming/naming.js';
import type { ParsedLine } from '../lines/line-parser.js';
import type { TimeReader } from '../naming/times.js';

const DECISION_KEYS = new Set(DECISION_ATTRIBUTES);
const ROOTS = new Set([
  'client',
  'network',
  'server',
  'destination',
  'url',
  'http',
  'user_agent',
  'user',
  'tls',
  'jade',
]);

interface NdjsonOptions {
  /** Of requests whose line names none. */
  readonly host?: string | undefined;
  readonly times: TimeReader;
  /** Where keys are not called as attributes are. */
  readonly naming?: Naming | undefined;
  readonly lineTime?: number | undefined;
}

/**
 * Reads one JSON object with OpenTelemetry attribute names, flat (`"url.path"`) or nested (`"url": {"path": ...}`), or
 * with the names of a mapping. `null`, `""` and `[]` are none; a missing key is unknown. Attributes that a judgement
 * wrote are left out.
 */
export function parseNdjsonLine(text: string, { host, times, naming, lineTime }: NdjsonOptions): ParsedLine {
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch {
    return 'not-json';
  }
  if (typeof parsed !== 'object' || parsed === null || Array.isArray(parsed)) return 'not-an-object';
  if (isDeeperThan(parsed, MAX_DEPTH)) return 'too-deep';
  // Without a prototype, so that keys such as `__proto__` are ordinary keys.
  const attributes = Object.create(null) as Record<string, AttributeValue | null>;
  flatten(parsed as Record<string, AttributeValue | null>, '', attributes, naming !== undefined);
  if (naming) {
    const exact = exactNumbers(text, true);
    const collected = naming.buildRecord(new Map(Object.entries(attributes)), (name) => exact?.[name]);
    return collected.finish(times, host, lineTime);
  }
  const timestamp =
    typeof attributes['timestamp'] === 'number'
      ? (exactNumbers(text, false)?.['timestamp'] ?? attributes['timestamp'])
      : attributes['timestamp'];
  delete attributes['timestamp'];
  if (timestamp == null && lineTime === undefined) return 'no-time';
  const atUnixMs = timestamp == null ? lineTime : times.read(timestamp);
  if (atUnixMs === undefined) return 'bad-time';
  if (host !== undefined && !SAYS_HOST.some((name) => name in attributes))
    attributes['http.request.header.host'] = [host];
  return { atUnixMs, attributes };
}

const SAYS_HOST = ['http.request.header.host', 'url.full', 'server.address', 'tls.client.server_name'];
const MAX_DEPTH = 32;

/** A number outside a string, from its beginning and without an exponent, that a double may not hold exactly. */
const LONG_NUMBER = /("(?:[^"\\]|\\.)*")|((?<![\d.eE+-])-?\d[\d.]{15,})(?![\d.eE])/g;
const HAS_LONG_NUMBER = /[\d.]{16}/;

/** The values of a line whose long numbers are text, digit by digit; undefined where it has none. */
function exactNumbers(text: string, flattensAll: boolean): Record<string, AttributeValue | null> | undefined {
  if (!HAS_LONG_NUMBER.test(text)) return undefined;
  const quoted = text.replace(LONG_NUMBER, (_, string: string | undefined, number: string) => string ?? `"${number}"`);
  const attributes = Object.create(null) as Record<string, AttributeValue | null>;
  flatten(JSON.parse(quoted) as Record<string, AttributeValue | null>, '', attributes, flattensAll);
  return attributes;
}

function isDeeperThan(value: unknown, levels: number): boolean {
  if (typeof value !== 'object' || value === null) return false;
  return levels === 0 || Object.values(value).some((item) => isDeeperThan(item, levels - 1));
}

/** Header names are case-insensitive (RFC 9110, 5.1), so their attributes are kept in lower case. */
function flatten(
  object: Record<string, AttributeValue | null>,
  prefix: string,
  into: Record<string, AttributeValue | null>,
  flattensAll: boolean,
): void {
  for (const [key, value] of Object.entries(object)) {
    const dotted = prefix === '' ? key : `${prefix}.${key}`;
    const name = dotted.startsWith('http.request.header.') ? dotted.toLowerCase() : dotted;
    if (DECISION_KEYS.has(name)) continue;
    const isNested =
      typeof value === 'object' &&
      value !== null &&
      !Array.isArray(value) &&
      (flattensAll || ROOTS.has(name.split('.')[0]!));
    if (isNested) flatten(value as Record<string, AttributeValue | null>, name, into, flattensAll);
    else
      into[name] = (value === '' && name !== 'url.path') || (Array.isArray(value) && value.length === 0) ? null : value;
  }
}
