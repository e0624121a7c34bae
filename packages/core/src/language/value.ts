import { formatRange, parseAddress, parseNetwork, type AddressRange } from '../request/address.js';
import { isAddressHost, normalizeHost } from '../request/host.js';
import { normalizePath } from '../request/path.js';
import { INTERNAL, NO_COUNTRY } from '../reference/country-table.js';
import { formatDomainEntry, type Reach } from '../reference/domain-set.js';
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
  const { text, isQuoted } = written;
  if (written.rangeEnd !== undefined && kind !== 'address') return { problem: `Found a range, expected one ${describeKind(kind)}.` };
  const isName = !isQuoted && NAME.test(text) && text !== NO_COUNTRY && text !== INTERNAL;
  if (kind === 'address') return isName ? { content: { kind: 'list', name: text } } : decodeAddresses(written);
  if (kind === 'country') return isName ? nameOrCountryTypo(text) : decodeCountry(text);
  if (kind === 'domain') return isName ? { content: { kind: 'list', name: text } } : decodeDomain(text);
  if (kind === 'path') return decodePath(text);
  if (kind === 'tag' && !NAME.test(text)) return { problem: `Found ${JSON.stringify(text)}, expected a tag name such as staff.` };
  if (kind === 'word' && !/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(text)) return { problem: `Found ${JSON.stringify(text)}, expected a method such as GET.` };
  return { content: { kind: 'text', text } };
}

export function describeKind(kind: ValueKind): string {
  return {
    address: 'address, network or list of addresses', country: 'country code or list of countries', domain: 'domain or list of domains',
    path: 'path', word: 'method', tag: 'tag name',
  }[kind];
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
    return { problem: `Found "${text}", expected a country code of two capital letters or a list.`, hint: `Write ${text.toUpperCase()} for the country.` };
  }
  return { content: { kind: 'list', name: text } };
}

function decodeCountry(text: string): ValueOrProblem {
  if (/^[A-Z]{2}$/.test(text) || text === NO_COUNTRY || text === INTERNAL) return { content: { kind: 'country', code: text } };
  return { problem: `Found ${JSON.stringify(text)}, expected a country code of two capital letters, no-country, internal, or a list.` };
}

function decodeDomain(text: string): ValueOrProblem {
  const reach: Reach = text.startsWith('*.') ? 'below' : text.startsWith('=') ? 'only' : 'whole';
  const name = text.slice({ below: 2, only: 1, whole: 0 }[reach]);
  const host = /[@:/]/.test(name) && !isAddressHost(name) ? null : normalizeHost(name);
  if (host !== null) return { content: { kind: 'domain', entry: { name: host, reach } } };
  const hint = name.includes('/') || name.includes(':') ? 'Leave out the scheme, the port and the path.' : undefined;
  return { problem: `Found ${JSON.stringify(text)}, expected a domain such as shop.example, *.shop.example or =shop.example.`, hint };
}

function decodePath(text: string): ValueOrProblem {
  if (!text.startsWith('/')) return { problem: `Found ${JSON.stringify(text)}, expected a path that begins with /.` };
  if (/[?#]/.test(text)) return { problem: `Found ${JSON.stringify(text)}, expected a path without a query.`, hint: 'A path ends before the question mark.' };
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
  }
}

/** A text bare where it can stand bare, else quoted. */
export function printText(text: string): string {
  return /^[^\s,{}()"#][^\s,{}()"]*$/.test(text) && !RESERVED_WORDS.has(text) && text !== '-' ? text : JSON.stringify(text);
}
