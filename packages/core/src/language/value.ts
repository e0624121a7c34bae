import { formatRange, parseAddress, parseNetwork, type AddressRange } from '../request/address.js';
import { isAddressHost, normalizeHost } from '../request/host.js';
import { normalizePath } from '../request/path.js';
import { INTERNAL, NO_COUNTRY } from '../reference/country-table.js';
import { formatDomainEntry, type Reach } from '../reference/domain-set.js';
import { suggestCountry } from './country-names.js';
import { suggestNearest } from './diagnostic.js';
import { OUTCOMES } from './outcomes.js';
import { NAME, RESERVED_WORDS, type Value, type ValueKind } from './tree.js';

/** A value's content before it has a place. */
type Content = Value extends infer V ? (V extends Value ? Omit<V, 'place'> : never) : never;
export type ValueOrProblem = { readonly content: Content } | { readonly problem: string; readonly hint?: string };

/** The words between `a - b`, or one word. */
export interface WrittenValue {
  readonly text: string;
  readonly isQuoted: boolean;
  /** The end of a range `text - rangeEnd`. */
  readonly rangeEnd?: string;
}

/**
 * Decodes a written value into its normal form. A bare name in a place where lists can stand is a reference to a list,
 * whether or not that list exists; anything else is a literal.
 */
export function decodeValue(kind: ValueKind, written: WrittenValue): ValueOrProblem {
  const { text, isQuoted, rangeEnd } = written;
  if (rangeEnd !== undefined && kind !== 'address' && kind !== 'number')
    return { problem: `Found a range, expected one ${describeKind(kind)}.` };
  const isName = !isQuoted && NAME.test(text) && text !== NO_COUNTRY && text !== INTERNAL;
  switch (kind) {
    case 'address':
      return isName ? { content: { kind: 'list', name: text } } : decodeAddresses(written);
    case 'country':
      return isName ? nameOrCountryTypo(text) : decodeCountry(text);
    case 'domain':
      return isName ? { content: { kind: 'list', name: text } } : decodeDomain(text);
    case 'path':
      return decodePath(text);
    case 'number':
      return decodeNumber(text, rangeEnd);
    case 'outcome': {
      const isKnown = OUTCOMES.some((outcome) => outcome === text);
      return isKnown
        ? { content: { kind: 'text', text } }
        : {
            problem: `Found ${JSON.stringify(text)}, expected an outcome: ${OUTCOMES.join(', ')}.`,
            hint: suggestNearest(text, OUTCOMES),
          };
    }
    case 'method':
    case 'tag':
    case 'name':
    case 'rule':
      return PATTERNS[kind].test(text)
        ? { content: { kind: 'text', text } }
        : { problem: `Found ${JSON.stringify(text)}, expected a ${describeKind(kind)}.` };
  }
}

const PATTERNS = {
  method: /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/,
  tag: NAME,
  name: NAME,
  rule: /^[a-z][a-z0-9-]{0,62}\/[a-z][a-z0-9-]{0,62}$/,
};

export function describeKind(kind: ValueKind): string {
  return {
    address: 'address, network or list of addresses',
    country: 'country code or list of countries',
    domain: 'domain or list of domains',
    path: 'path',
    method: 'method such as GET',
    tag: 'tag name such as staff',
    outcome: 'outcome',
    name: 'name',
    rule: 'rule written fence/rule',
    number: 'whole number',
  }[kind];
}

function decodeNumber(text: string, rangeEnd = text): ValueOrProblem {
  const [first, last] = [text, rangeEnd].map((part) => (/^\d{1,15}$/.test(part) ? Number(part) : undefined));
  if (first === undefined || last === undefined)
    return { problem: `Found ${JSON.stringify(first === undefined ? text : rangeEnd)}, expected a whole number.` };
  if (last < first) return { problem: `The range ${text} - ${rangeEnd} ends before it begins.` };
  return { content: { kind: 'number', first, last } };
}

function decodeAddresses({ text, rangeEnd }: WrittenValue): ValueOrProblem {
  const range = rangeEnd === undefined ? parseAddressOrNetwork(text) : parseRange(text, rangeEnd);
  if (typeof range === 'string') return { problem: range };
  return { content: { kind: 'addresses', range } };
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
      hint: `Write ${text.toUpperCase()} for the country.`,
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
export function printValue(value: Value): string {
  switch (value.kind) {
    case 'addresses':
      return formatRange(value.range);
    case 'country':
      return value.code;
    case 'list':
      return value.name;
    case 'domain': {
      const text = formatDomainEntry(value.entry);
      return NAME.test(text) ? JSON.stringify(text) : printText(text);
    }
    case 'text':
      return printText(value.text);
    case 'number':
      return value.first === value.last ? String(value.first) : `${value.first} - ${value.last}`;
  }
}

/** A text bare where it can stand bare, else quoted. */
export function printText(text: string): string {
  return /^[^\s,{}()"#][^\s,{}()"]*$/.test(text) && !RESERVED_WORDS.has(text) && text !== '-'
    ? text
    : JSON.stringify(text);
}
