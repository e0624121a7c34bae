/** The names by which patterns, mappings and columns say what a value is, and what it becomes. */
import { suggestNearest } from '../language/diagnostic.js';
import { isAttributeName, type AttributeValue } from '../request/record.js';
import { parseRequestLine } from '../request/request-line.js';
import type { ParsedLine } from './reader.js';
import type { TimeReader } from './times.js';

/** Words for what requests have; any attribute may also be named in full. */
const WORDS: Readonly<Record<string, string>> = {
  'time': 'timestamp',
  'date': 'date',
  'request': 'request',
  'url': 'url',
  'path': 'path',
  'query': 'url.query',
  'scheme': 'url.scheme',
  'client': 'client.address',
  'peer': 'network.peer.address',
  'server': 'destination.address',
  'port': 'server.port',
  'transport': 'network.transport',
  'version': 'network.protocol.version',
  'method': 'http.request.method',
  'host': 'http.request.header.host',
  'referer': 'http.request.header.referer',
  'agent': 'user_agent.original',
  'user': 'user.name',
  'groups': 'jade.groups',
  'status': 'http.response.status_code',
  'bytes': 'http.response.body.size',
  'request-bytes': 'http.request.body.size',
  'server-name': 'tls.client.server_name',
  'inspected': 'jade.inspected',
  'payload': 'jade.payload',
  'gate': 'jade.at-gate',
};
/** What is no attribute, but gives some. */
const COMPOSED = new Set(['timestamp', 'date', 'request', 'url', 'path']);
const NUMBERS = new Set([
  'client.port',
  'server.port',
  'http.request.body.size',
  'http.request.size',
  'http.response.status_code',
  'http.response.body.size',
  'http.response.size',
]);
const BOOLEANS: Readonly<Record<string, boolean>> = {
  true: true,
  yes: true,
  1: true,
  false: false,
  no: false,
  0: false,
};

/** What a value is: an attribute, or one of what is composed. */
export type Target = string;

/** @returns undefined where the name says nothing */
export function targetOf(name: string): Target | undefined {
  const low = name.toLowerCase();
  const target = Object.hasOwn(WORDS, low) ? WORDS[low] : low;
  return target !== undefined && (COMPOSED.has(target) || isAttributeName(target)) ? target : undefined;
}

/** What to write instead of a name that says nothing. */
export function hintForName(name: string): string {
  const words = Object.keys(WORDS);
  return suggestNearest(name, words) ?? `The names are: ${words.join(', ')}, or any attribute such as url.path.`;
}

/** What a line says, gathered value by value. */
export class Gathered {
  readonly #attributes = Object.create(null) as Record<string, AttributeValue | null>;
  #date = '';
  #time: AttributeValue = '';

  /** @param value null for none; text of numbers and of yes and no becomes them */
  add(target: Target, value: AttributeValue | null): void {
    if (target === 'timestamp') this.#time = value ?? '';
    else if (target === 'date') this.#date = typeof value === 'string' ? value : '';
    else if (target === 'request') this.#addRequestLine(textOr(value, ''));
    else if (target === 'url' || target === 'path') this.#addRequestLine(`GET ${textOr(value, '')} HTTP/1.1`, ['path']);
    else this.#attributes[target] = typeof value === 'string' ? typed(target, value) : value;
  }

  /** What nothing is asked of is kept, and comes out again. */
  addOther(name: string, value: AttributeValue | null): void {
    this.#attributes[`extra.${name}`] = value;
  }

  /** @param host of requests whose line names none. @param lineTime the time of what the line stands in */
  finish(times: TimeReader, host: string | undefined, lineTime: number | undefined): ParsedLine {
    const written =
      this.#time === '' ? this.#date : this.#date === '' ? this.#time : `${this.#date} ${textOr(this.#time, '')}`;
    const atUnixMs = written === '' ? lineTime : times.read(written);
    if (atUnixMs === undefined) return written === '' ? 'no-time' : 'bad-time';
    if (host !== undefined) this.#attributes['http.request.header.host'] ??= [host];
    return { atUnixMs, attributes: this.#attributes };
  }

  /** @param only what of it is said: of a target alone, neither method nor version */
  #addRequestLine(text: string, only?: readonly 'path'[]): void {
    const line = parseRequestLine(text);
    const attributes = this.#attributes;
    if (line.full === null) {
      attributes['url.path'] = line.path;
      // A column of its own for the query stands, whichever comes first.
      if (line.query !== null) attributes['url.query'] = line.query;
      else attributes['url.query'] ??= null;
    } else attributes['url.full'] = line.full;
    if (only) return;
    attributes['http.request.method'] = line.method;
    if (line.version !== null) attributes['network.protocol.version'] = line.version;
    if (line.authority !== null) attributes['http.request.header.host'] = [line.authority];
  }
}

function textOr(value: AttributeValue | null, otherwise: string): string {
  return typeof value === 'string' || typeof value === 'number' ? String(value) : otherwise;
}

function typed(target: Target, text: string): AttributeValue | null {
  if (NUMBERS.has(target)) return /^\d+$/.test(text) ? Number(text) : null;
  if (target === 'jade.inspected' || target === 'jade.all-headers') return BOOLEANS[text.toLowerCase()] ?? null;
  if (target === 'jade.groups') return text.split(',').map((group) => group.trim());
  return target.startsWith('http.request.header.') ? [text] : text;
}
