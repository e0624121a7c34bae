import { formatRange, parseAddress, parseNetwork, type AddressRange } from '../request/address.js';
import { isAddressHost, normalizeHost } from '../request/host.js';
import { normalizePath, normalizePathPart } from '../request/path.js';
import { INTERNAL, NO_COUNTRY } from '../reference/country-table.js';
import { formatDomainEntry, type Reach } from '../reference/domain-set.js';
import { PROTOCOLS } from '../request/protocols.js';
import { compilePattern } from '../reference/text-pattern.js';
import { suggestCode, suggestCountry } from './country-hint.js';
import { suggestNearest } from '../text/nearest-name.js';
import { wordsOf, type FieldName, type FilterFieldName, type Operator, type ValueKind } from './fields.js';
import { printBytes, printHours, printInstant, readHours } from './measure.js';
import { parseRfc3339 } from '../request/time.js';
import { OUTCOMES } from './outcomes.js';
import { NAME, RESERVED_WORDS, type Value } from './tree.js';

/** A value's content before it has a place. */
type Content = Value extends infer V ? (V extends Value ? Omit<V, 'place' | 'comments'> : never) : never;
export type ValueOrProblem =
  { readonly content: Content } | { readonly problem: string; readonly hint?: string; readonly isPattern?: boolean };

/** What a value is requested. */
export interface ValueContext {
  readonly kind: ValueKind;
  /** `in` if the value is part of a list. */
  readonly operator: Operator;
  readonly field?: FieldName | FilterFieldName;
}

/** The words between `a - b`, or one word. */
export interface SourceValue {
  readonly text: string;
  readonly isQuoted: boolean;
  /** The end of a range `text - rangeEnd`. */
  readonly rangeEnd?: string;
}

/**
 * Decodes a written value into its normal form. A bare name where lists are allowed is a reference to a list,
 * whether or not that list exists; anything else is a literal.
 */
export function decodeValue(requested: ValueContext, written: SourceValue): ValueOrProblem {
  const { kind, operator } = requested;
  const { text, isQuoted, rangeEnd } = written;
  if (rangeEnd !== undefined && kind !== 'address' && kind !== 'number' && kind !== 'bytes' && kind !== 'time')
    return { problem: `Found a range, expected one ${describeKind(kind)}.` };
  if (operator === 'matches') return decodePattern(text);
  const isName = !isQuoted && NAME.test(text) && text !== NO_COUNTRY && text !== INTERNAL;
  switch (kind) {
    case 'address':
      return isName ? { content: { kind: 'list', name: text } } : decodeAddresses(written);
    case 'country':
      return isName ? nameOrCountryTypo(text) : decodeCountry(text);
    case 'domain':
      if (isPartial(operator)) return { content: { kind: 'text', text: text.toLowerCase() } };
      return isName ? { content: { kind: 'list', name: text } } : decodeDomain(text);
    case 'url':
      return isName ? { content: { kind: 'list', name: text } } : decodeUrl(text);
    case 'category':
    case 'application':
      return NAME.test(text)
        ? { content: { kind: 'word', name: text } }
        : { problem: `Found ${JSON.stringify(text)}, expected a ${describeKind(kind)}.` };
    case 'path':
      return isPartial(operator) ? { content: { kind: 'text', text: normalizePathPart(text) } } : decodePath(text);
    case 'text':
      return { content: { kind: 'text', text } };
    case 'number':
    case 'bytes':
      return decodeNumber(text, rangeEnd, kind);
    case 'time':
      return decodeTimes(text, rangeEnd, operator);
    case 'payload':
      return operator === 'is' ? decodeOneOf(text, PROTOCOLS, 'a protocol') : decodeBytes(text);
    case 'outcome':
      return decodeOneOf(text, OUTCOMES, 'an outcome');
    case 'tag':
    case 'rule':
    case 'word':
      return decodeWord(requested, text);
  }
}

function isPartial(operator: Operator): boolean {
  return operator === 'like' || operator === 'starts' || operator === 'ends' || operator === 'contains';
}

const METHOD = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/;
const RULE_NAME = /^[a-z][a-z0-9-]{0,62}\/[a-z][a-z0-9-]{0,62}$/;
const SCHEME = /^[a-z][a-z0-9+.-]*$/;

/** Words have a shape, or are a few that are known. */
function decodeWord({ kind, field }: ValueContext, text: string): ValueOrProblem {
  const known = field && wordsOf(field);
  if (known) return decodeOneOf(text, known, `a ${field}`);
  const [shape, what] =
    kind === 'rule'
      ? [RULE_NAME, 'a rule written fence/rule']
      : field === 'method'
        ? [METHOD, 'a method such as GET']
        : field === 'scheme'
          ? [SCHEME, 'a scheme such as https']
          : [NAME, kind === 'tag' ? 'a tag name such as staff' : 'a name'];
  return shape.test(text)
    ? { content: { kind: 'text', text } }
    : { problem: `Found ${JSON.stringify(text)}, expected ${what}.` };
}

export function describeKind(kind: ValueKind): string {
  return {
    address: 'address, network or list of addresses',
    country: 'country code or list of countries',
    domain: 'domain or list of domains',
    url: 'URL such as shop.example/sale or list of urls',
    category: 'category or list of categories',
    application: 'application or list of applications',
    path: 'path',
    text: 'text',
    word: 'word',
    tag: 'tag name such as staff',
    outcome: 'outcome',
    rule: 'rule written fence/rule',
    number: 'whole number',
    time: 'time such as 2026-10-12T10:00:00Z, or after "in" hours such as 10:00-11:00',
    bytes: 'number of bytes such as 200 or 10MB',
    payload: 'protocol, or hex and quoted bytes',
  }[kind];
}

function decodeOneOf(text: string, known: readonly string[], what: string): ValueOrProblem {
  if (known.includes(text)) return { content: { kind: 'text', text } };
  return {
    problem: `Found ${JSON.stringify(text)}, expected ${what}: ${known.join(', ')}.`,
    hint: suggestNearest(text, known),
  };
}

function decodePattern(text: string): ValueOrProblem {
  const compiled = compilePattern(text);
  if ('test' in compiled) return { content: { kind: 'text', text } };
  return {
    problem: `The expression ${JSON.stringify(text)} cannot be used: ${compiled.problem}.`,
    hint: 'Write it with the syntax of a linear-time engine, or use like, starts, ends or contains.',
    isPattern: true,
  };
}

const UNITS: Record<string, number> = {
  '': 1,
  'kB': 1000,
  'MB': 1000 ** 2,
  'GB': 1000 ** 3,
  'KiB': 1024,
  'MiB': 1024 ** 2,
  'GiB': 1024 ** 3,
};

function decodeNumber(text: string, rangeEnd = text, kind: 'number' | 'bytes'): ValueOrProblem {
  const [first, last] = [text, rangeEnd].map((part) => readNumber(part, kind));
  if (first === undefined || last === undefined)
    return {
      problem: `Found ${JSON.stringify(first === undefined ? text : rangeEnd)}, expected a ${describeKind(kind)}.`,
    };
  if (last < first) return { problem: `The range ${text} - ${rangeEnd} ends before it begins.` };
  return { content: { kind: 'number', first, last } };
}

function readNumber(text: string, kind: 'number' | 'bytes'): number | undefined {
  const [, digits, unit = ''] = /^(\d{1,15})([kMG]i?B|KiB)?$/.exec(text) ?? [];
  const factor = kind === 'bytes' || unit === '' ? UNITS[unit] : undefined;
  const value = digits === undefined || factor === undefined ? Number.NaN : Number(digits) * factor;
  return Number.isSafeInteger(value) ? value : undefined;
}

/** One instant, all from one to another, or hours of every day. */
function decodeTimes(text: string, rangeEnd: string | undefined, operator: Operator): ValueOrProblem {
  const hours = rangeEnd === undefined ? readHours(text) : undefined;
  if (typeof hours === 'string') return { problem: hours };
  if (hours && operator !== 'in')
    return {
      problem: `Found ${JSON.stringify(text)}, expected a time such as 2026-10-12T10:00:00Z.`,
      hint: 'Write: time in 10:00-11:00.',
    };
  if (hours) return { content: { kind: 'hours', ...hours } };
  const [first, last] = [text, rangeEnd ?? text].map(parseRfc3339);
  if (first === undefined || last === undefined)
    return {
      problem: `Found ${JSON.stringify(first === undefined ? text : rangeEnd)}, expected a ${describeKind('time')}.`,
      hint: 'A time is written with its offset: 2026-10-12T10:00:00Z or 2026-10-12T12:00:00+02:00.',
    };
  if (last < first) return { problem: `The range ${text} - ${rangeEnd} ends before it begins.` };
  return { content: { kind: 'number', first, last } };
}

function decodeBytes(text: string): ValueOrProblem {
  const hex = text.replace(/ /g, '').toLowerCase();
  return /^([0-9a-f]{2})+$/.test(hex)
    ? { content: { kind: 'bytes', hex } }
    : { problem: `Found ${JSON.stringify(text)}, expected bytes as pairs of hexadecimal digits such as "16 03".` };
}

function decodeAddresses({ text, rangeEnd }: SourceValue): ValueOrProblem {
  const range = rangeEnd === undefined ? parseAddressOrNetwork(text) : parseRange(text, rangeEnd);
  if (typeof range === 'string') return { problem: range };
  const hadHostBits = text.includes('/') && parseNetwork(text)?.hadHostBits === true;
  return { content: { kind: 'addresses', range, ...(hadHostBits ? { hadHostBits } : {}) } };
}

function parseAddressOrNetwork(text: string): AddressRange | string {
  const network = text.includes('/') ? parseNetwork(text) : undefined;
  if (network) return { family: network.family, first: network.first, last: network.last };
  const address = parseAddress(text);
  if (address) return { family: address.family, first: address.value, last: address.value };
  return `Found ${JSON.stringify(text)}, expected an address such as 198.18.4.7, a network such as 198.18.4.0/24, or a range a - b.`;
}

function parseRange(from: string, to: string): AddressRange | string {
  const [first, last] = [parseAddress(from), parseAddress(to)];
  if (!first || !last) return `Found ${JSON.stringify(first ? to : from)}, expected an address at each end of a range.`;
  if (first.family !== last.family) return `The range ${from} - ${to} mixes IPv4 and IPv6, expected one family.`;
  if (last.value < first.value) return `The range ${from} - ${to} ends before it begins.`;
  return { family: first.family, first: first.value, last: last.value };
}

function nameOrCountryTypo(text: string): ValueOrProblem {
  if (/^[a-z]{2}$/.test(text)) {
    return {
      problem: `Found "${text}", expected a country code of two capital letters or a list.`,
      hint: suggestCode(text),
    };
  }
  return { content: { kind: 'list', name: text } };
}

function decodeCountry(text: string): ValueOrProblem {
  if (/^[A-Z]{2}$/.test(text) || text === NO_COUNTRY || text === INTERNAL)
    return { content: { kind: 'country', code: text } };
  return {
    problem: `Found ${JSON.stringify(text)}, expected a country code of two capital letters, no-country, internal, or a list.`,
    hint: suggestCountry(text),
  };
}

function decodeDomain(text: string): ValueOrProblem {
  const reach: Reach = text.startsWith('*.') ? 'below' : text.startsWith('=') ? 'only' : 'whole';
  const name = text.slice({ below: 2, only: 1, whole: 0 }[reach]);
  const host = /[@:/]/.test(name) && !isAddressHost(name) ? null : normalizeHost(name);
  if (host !== null) return { content: { kind: 'domain', entry: { name: host, reach } } };
  const hint = name.includes('/') || name.includes(':') ? 'Leave out the scheme, the port and the path.' : undefined;
  return {
    problem: `Found ${JSON.stringify(text)}, expected a domain such as shop.example, *.shop.example or =shop.example.`,
    hint,
  };
}

function decodeUrl(written: string): ValueOrProblem {
  const text = written.replace(/^https?:\/\//i, '');
  const slash = text.indexOf('/');
  const authority = slash < 0 ? text : text.slice(0, slash);
  const path = slash < 0 ? '/' : text.slice(slash);
  const host = /[@:*=]/.test(authority) && !isAddressHost(authority) ? null : normalizeHost(authority);
  if (host !== null && !/[?#]/.test(path)) return { content: { kind: 'url', host, path: normalizePath(path) } };
  return {
    problem: `Found ${JSON.stringify(written)}, expected a host with a path such as shop.example/sale.`,
    hint: 'Leave out the port, the query and patterns; the host and all below it is meant, and the path and all below it.',
  };
}

function decodePath(text: string): ValueOrProblem {
  if (!text.startsWith('/')) return { problem: `Found ${JSON.stringify(text)}, expected a path that begins with /.` };
  if (/[?#]/.test(text))
    return {
      problem: `Found ${JSON.stringify(text)}, expected a path without a query.`,
      hint: 'A path ends before the question mark.',
    };
  return { content: { kind: 'text', text: normalizePath(text) } };
}

/** The value as it is written in fence text. */
export function printValue(value: Value, kind?: ValueKind): string {
  switch (value.kind) {
    case 'addresses':
      return formatRange(value.range);
    case 'country':
      return value.code;
    case 'list':
    case 'word':
      return value.name;
    case 'domain':
      return printLiteral(formatDomainEntry(value.entry));
    case 'url':
      return printLiteral(formatUrl(value));
    case 'text':
      return printText(value.text);
    case 'number': {
      const print = kind === 'bytes' ? printBytes : kind === 'time' ? printInstant : String;
      return value.first === value.last ? print(value.first) : `${print(value.first)} - ${print(value.last)}`;
    }
    case 'hours':
      return printHours(value);
    case 'bytes':
      return `hex ${JSON.stringify(value.hex.replace(/..(?=.)/g, '$& '))}`;
  }
}

/** A host with a path; the path of the whole host is left out. */
export function formatUrl({ host, path }: { readonly host: string; readonly path: string }): string {
  return `${host}${path === '/' ? '' : path}`;
}

/** A literal where lists are allowed: quoted if it would be read as the name of one. */
function printLiteral(text: string): string {
  return NAME.test(text) ? JSON.stringify(text) : printText(text);
}

/** A text without quotes if that is unambiguous, else quoted. */
export function printText(text: string): string {
  return /^[^\s,{}()"#][^\s,{}()"]*$/.test(text) && !RESERVED_WORDS.has(text) && text !== '-' && text !== 'anycase'
    ? text
    : JSON.stringify(text);
}
