import { DECISION_ATTRIBUTES, type AttributeValue } from '../request/record.js';
import type { ParsedLine } from './reader.js';
import { parseEpoch, parseRfc3339 } from '../request/time.js';

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

/**
 * Reads one JSON object with OpenTelemetry attribute names, flat (`"url.path"`) or nested (`"url": {"path": ...}`).
 * `null`, `""` and `[]` are none; a missing key is unknown. Attributes that a judgement wrote are left out.
 */
export function parseNdjsonLine(text: string): ParsedLine {
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch {
    return 'not-json';
  }
  if (typeof parsed !== 'object' || parsed === null || Array.isArray(parsed)) return 'not-an-object';
  if (isDeeperThan(parsed, MAX_DEPTH)) return 'too-deep';
  // Without a prototype, so that no key of a log can stand for anything but itself.
  const attributes = Object.create(null) as Record<string, AttributeValue | null>;
  flatten(parsed as Record<string, AttributeValue | null>, '', attributes);
  const { timestamp } = attributes;
  delete attributes['timestamp'];
  if (timestamp == null) return 'no-time';
  const atUnixMs =
    typeof timestamp === 'number'
      ? parseEpoch(timestamp)
      : typeof timestamp === 'string'
        ? parseTimeText(timestamp)
        : undefined;
  return atUnixMs === undefined ? 'bad-time' : { atUnixMs, attributes };
}

const MAX_DEPTH = 32;

function isDeeperThan(value: unknown, levels: number): boolean {
  if (typeof value !== 'object' || value === null) return false;
  return levels === 0 || Object.values(value).some((one) => isDeeperThan(one, levels - 1));
}

function parseTimeText(text: string): number | undefined {
  return /^\d{10,19}$/.test(text) ? parseEpoch(Number(text)) : parseRfc3339(text);
}

/** Header names are case-insensitive (RFC 9110, 5.1), so their attributes are kept in lower case. */
function flatten(
  object: Record<string, AttributeValue | null>,
  prefix: string,
  into: Record<string, AttributeValue | null>,
): void {
  for (const [key, value] of Object.entries(object)) {
    const dotted = prefix === '' ? key : `${prefix}.${key}`;
    const name = dotted.startsWith('http.request.header.') ? dotted.toLowerCase() : dotted;
    if (DECISION_KEYS.has(name)) continue;
    const isNested =
      typeof value === 'object' && value !== null && !Array.isArray(value) && ROOTS.has(name.split('.')[0]!);
    if (isNested) flatten(value as Record<string, AttributeValue | null>, name, into);
    else
      into[name] = (value === '' && name !== 'url.path') || (Array.isArray(value) && value.length === 0) ? null : value;
  }
}
