/** The names that patterns, mappings and columns give to values, and the attributes they become. */
import { suggestNearest } from '../../text/nearest-name.js';
import { isAttributeName, type AttributeValue } from '../../request/record.js';
import { parseRequestLine, type RequestLine } from '../../request/request-line.js';
import type { ParsedLine } from '../lines/line-parser.js';
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

/** @returns undefined if the name is unknown */
export function resolveAttribute(name: string): Target | undefined {
  const low = name.toLowerCase();
  const target = Object.hasOwn(WORDS, low) ? WORDS[low] : low;
  return target !== undefined && (COMPOSED.has(target) || isAttributeName(target)) ? target : undefined;
}

/** Whether a value counts bytes, of which a log writes none as `-`. */
export function isByteCount(target: Target): boolean {
  return target.endsWith('.size');
}

/** What to write instead of an unknown name. */
export function hintForName(name: string): string {
  const words = Object.keys(WORDS);
  return suggestNearest(name, words) ?? `The names are: ${words.join(', ')}, or any attribute such as url.path.`;
}

/** Which of several targets of one line counts, the highest first. */
const TARGET_RANK = { path: 0, request: 1, url: 2 } as const;
type TargetColumn = keyof typeof TARGET_RANK;

/** The values of a line, collected one by one. The result does not depend on their order. */
export class RecordBuilder {
  readonly #attributes = Object.create(null) as Record<string, AttributeValue | null>;
  #date = '';
  #time: AttributeValue = '';
  /** What the request line and the columns of targets contain. */
  readonly #lines: Partial<Record<TargetColumn, RequestLine>> = {};

  /** @param value null for none; text of numbers and of yes and no becomes them */
  add(target: Target, value: AttributeValue | null): void {
    if (target === 'timestamp') this.#time = value ?? '';
    else if (target === 'date') this.#date = typeof value === 'string' ? value : '';
    else if (target === 'request') this.#lines.request = parseRequestLine(textOr(value, ''));
    else if (target === 'url' || target === 'path')
      this.#lines[target] = parseRequestLine(value === null ? '' : `GET ${textOr(value, '')} HTTP/1.1`);
    else this.#attributes[target] = typeof value === 'string' ? typed(target, value) : value;
  }

  /** Keeps a value that no rule can look at, so that it can be shown. */
  addOther(name: string, value: AttributeValue | null): void {
    this.#attributes[`extra.${name}`] = value;
  }

  /** @param host of requests whose line names none. @param lineTime the time of the line that contains this one */
  finish(times: TimeReader, host: string | undefined, lineTime: number | undefined): ParsedLine {
    const written =
      this.#time === '' ? this.#date : this.#date === '' ? this.#time : `${this.#date} ${textOr(this.#time, '')}`;
    const atUnixMs = written === '' ? lineTime : times.read(written);
    if (atUnixMs === undefined) return written === '' ? 'no-time' : 'bad-time';
    this.#applyTargets();
    if (host !== undefined) this.#attributes['http.request.header.host'] ??= [host];
    return { atUnixMs, attributes: this.#attributes };
  }

  /** A whole URL or request line takes precedence over a path, and a query over that of a path. */
  #applyTargets(): void {
    const attributes = this.#attributes;
    const columns = (Object.keys(this.#lines) as TargetColumn[]).sort((a, b) => TARGET_RANK[b] - TARGET_RANK[a]);
    const full = columns.map((column) => this.#lines[column]!.full).find((url) => url !== null);
    if (full !== undefined) attributes['url.full'] = full;
    const column = columns.find((eachColumn) => this.#lines[eachColumn]!.path !== null) ?? columns[0];
    if (column !== undefined && (full === undefined || this.#lines[column]!.path !== null)) {
      const { path, query } = this.#lines[column]!;
      attributes['url.path'] = path;
      if (query !== null && column !== 'path') attributes['url.query'] = query;
      else attributes['url.query'] ??= query;
    }
    const { request } = this.#lines;
    if (!request) return;
    if (request.method !== null) attributes['http.request.method'] = request.method;
    else attributes['http.request.method'] ??= null;
    if (request.version !== null) attributes['network.protocol.version'] = request.version;
    if (request.authority !== null) attributes['http.request.header.host'] = [request.authority];
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
