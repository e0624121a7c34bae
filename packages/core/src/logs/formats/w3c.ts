/**
 * The W3C extended log format (working draft of 1996): directives name the columns and the day, in UTC.
 * Values are separated by spaces or tabs, and may be in quotation marks, doubled inside; `-` is missing.
 */
import type { AttributeValue } from '../../request/record.js';
import { parseRequestLine } from '../../request/request-line.js';
import { parseRfc3339 } from '../../request/time.js';
import { replaceMarks } from '../lines/byte-marks.js';
import type { ParsedLine } from '../lines/line-parser.js';

type Attributes = Record<string, AttributeValue | null>;
type ColumnSetter = (value: string | null, into: Attributes) => void;

const text =
  (name: string): ColumnSetter =>
  (value, into) =>
    (into[name] = value);
const whole =
  (name: string, ifNone: number | null): ColumnSetter =>
  (value, into) =>
    (into[name] = value === null ? ifNone : /^\d+$/.test(value) ? Number(value) : null);

/** What columns are called, and the attributes that they give; no bytes are 0. */
const COLUMNS: Readonly<Record<string, ColumnSetter>> = {
  'c-ip': text('client.address'),
  's-ip': text('destination.address'),
  's-port': whole('server.port', null),
  'cs-username': text('user.name'),
  'cs-method': text('http.request.method'),
  'cs-uri-scheme': text('url.scheme'),
  'cs-uri-stem': text('url.path'),
  'cs-uri-query': text('url.query'),
  'cs-host': header('host'),
  'cs-version': (value, into) => (into['network.protocol.version'] = value?.replace(/^HTTP\//, '') ?? null),
  'cs-bytes': whole('http.request.size', 0),
  'sc-bytes': whole('http.response.size', 0),
  'sc-status': whole('http.response.status_code', null),
};

/** A target, or a whole URL where the log is that of a proxy: it comes before the columns of its parts. */
function readTarget(value: string | null, into: Attributes): void {
  const { full, path, query } = parseRequestLine(value === null ? '' : `GET ${value} HTTP/1.1`);
  if (full !== null) into['url.full'] = full;
  else {
    into['url.path'] = path ?? into['url.path'] ?? null;
    into['url.query'] = query ?? into['url.query'] ?? null;
  }
}

function header(name: string): ColumnSetter {
  if (name === 'user-agent') return text('user_agent.original');
  return (value, into) => (into[`http.request.header.${name}`] = value === null ? null : [value]);
}

function columnOf(field: string): ColumnSetter {
  const name = field.toLowerCase();
  const [, requestHeader] = /^cs\((.+)\)$/.exec(name) ?? [];
  if (requestHeader !== undefined) return header(requestHeader);
  // Unknown columns are kept, and exported again.
  return COLUMNS[name] ?? text(`w3c.${name}`);
}

const VALUE = /"((?:[^"]|"")*)"|\S+/g;

/** Reads line after line, remembering the earlier directives. */
export class W3cParser {
  #fields: readonly string[] = [];
  #columns: readonly ColumnSetter[] = [];
  /** Of the latest directive, for logs without a column for it. */
  #date = '';

  /** @param host of requests whose line names none. @returns undefined for a directive */
  parse(line: string, host: string | undefined): ParsedLine | undefined {
    if (line.startsWith('#')) {
      this.#readDirective(line);
      return undefined;
    }
    const values = Array.from(line.matchAll(VALUE), ([written, quoted], at) => this.#valueOf(written, quoted, at));
    if (this.#fields.length === 0 || values.length !== this.#fields.length) return 'not-the-format';
    const attributes: Attributes = {};
    let [date, time] = [this.#date, ''];
    let target: string | null | undefined;
    for (const [at, value] of values.entries()) {
      const field = this.#fields[at]!;
      if (field === 'date') date = value ?? '';
      else if (field === 'time') time = value ?? '';
      else if (field === 'cs-uri') target = value;
      else this.#columns[at]!(value, attributes);
    }
    if (target !== undefined) readTarget(target, attributes);
    if (time === '' || date === '') return 'no-time';
    const atUnixMs = parseRfc3339(`${date}T${time}Z`);
    if (atUnixMs === undefined) return 'bad-time';
    if (host !== undefined) attributes['http.request.header.host'] ??= [host];
    return { atUnixMs, attributes };
  }

  /** Spaces of a header are written as `+` where the value is not quoted. */
  #valueOf(written: string, quoted: string | undefined, at: number): string | null {
    if (quoted !== undefined) return quoted === '' ? null : quoted.replaceAll('""', '"');
    if (written === '-') return null;
    return this.#fields[at]?.startsWith('cs(') ? written.replaceAll('+', ' ') : written;
  }

  #readDirective(line: string): void {
    const [, name, value] = /^#\s*([A-Za-z-]+):\s*(.*)$/.exec(line) ?? [];
    if (name?.toLowerCase() === 'fields') {
      this.#fields = replaceMarks(value!)
        .trim()
        .split(/\s+/)
        .map((field) => field.toLowerCase());
      this.#columns = this.#fields.map(columnOf);
    }
    if (name?.toLowerCase() === 'date') this.#date = /^\d{4}-\d{2}-\d{2}/.exec(value!)?.[0] ?? '';
  }
}
