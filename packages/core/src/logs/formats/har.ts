/** HAR 1.2: what a browser recorded, as JSON. Its lines are its entries. */
import type { AttributeValue } from '../../request/record.js';
import { parseRfc3339 } from '../../request/time.js';
import type { ParsedLine } from '../lines/line-parser.js';

interface Header {
  readonly name?: unknown;
  readonly value?: unknown;
}
type Json = Readonly<Record<string, unknown>>;

/** @param text one entry, as JSON. Sizes of -1 and what an entry leaves out are unknown. */
export function parseHarEntry(text: string): ParsedLine {
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch {
    return 'not-json';
  }
  const entry = objectOf(parsed);
  const request = objectOf(entry['request']);
  const response = objectOf(entry['response']);
  const { startedDateTime: started } = entry;
  if (typeof request['url'] !== 'string') return 'not-the-format';
  if (typeof started !== 'string' || started === '') return 'no-time';
  const atUnixMs = parseRfc3339(started);
  if (atUnixMs === undefined) return 'bad-time';
  const attributes = Object.create(null) as Record<string, AttributeValue | null>;
  const set = (name: string, value: AttributeValue | null | undefined): void => {
    if (value !== undefined) attributes[name] = value;
  };
  const server = entry['serverIPAddress'];
  set('destination.address', server === '' ? null : textOf(server)?.replace(/^\[(.*)\]$/, '$1'));
  set('network.protocol.version', versionOf(textOf(request['httpVersion'])));
  set('url.full', request['url']);
  set('http.request.method', textOf(request['method']));
  for (const [name, values] of headersOf(request['headers'])) set(`http.request.header.${name}`, values);
  // An entry with headers has all of them, so that a missing one is none.
  if (Array.isArray(request['headers'])) set('jade.all-headers', true);
  set('http.request.body.size', sizeOf(request['bodySize']));
  const status = sizeOf(response['status']);
  set('http.response.status_code', status === 0 ? null : status);
  set('http.response.body.size', sizeOf(response['bodySize']));
  set('user_agent.original', (attributes['http.request.header.user-agent'] as readonly string[] | undefined)?.[0]);
  return { atUnixMs, attributes };
}

function objectOf(value: unknown): Json {
  return typeof value === 'object' && value !== null && !Array.isArray(value) ? (value as Json) : {};
}

function textOf(value: unknown): string | undefined {
  return typeof value === 'string' && value !== '' ? value : undefined;
}

function sizeOf(value: unknown): number | undefined {
  return typeof value === 'number' && Number.isSafeInteger(value) && value >= 0 ? value : undefined;
}

/** `HTTP/1.1`, `http/2.0`, `h2` or `h3`. */
function versionOf(text: string | undefined): string | undefined {
  return /^(?:http\/|h)(\d(?:\.\d)?)$/i.exec(text ?? '')?.[1];
}

/** Values by name in lower case; names that begin with a colon are parts of the request line (RFC 9113, 8.3). */
function headersOf(headers: unknown): Map<string, string[]> {
  const values = new Map<string, string[]>();
  for (const { name, value } of Array.isArray(headers) ? (headers as Header[]).filter(Boolean) : []) {
    if (typeof name !== 'string' || typeof value !== 'string' || name === '' || name.startsWith(':')) continue;
    const low = name.toLowerCase();
    values.set(low, [...(values.get(low) ?? []), value]);
  }
  return values;
}
