/** The comparisons that suggested rules are made of. */
import { formatRange, parseNetwork } from '../request/address.js';
import type { ValueField } from './request-values.js';
import { quoted } from './words.js';

/** Comparisons of one form. */
export interface Kind {
  readonly field: ValueField;
  /** The values of the comparison of which the values of the field satisfy one. */
  readonly valuesOf: (texts: readonly string[]) => readonly (string | undefined)[];
  readonly write: (values: readonly string[]) => string;
  /** Only what is more frequent among the chosen is tried. */
  readonly isTypical?: boolean;
  /** Another kind that is as good is narrower. */
  readonly isWide?: boolean;
}

type SimpleKind = Omit<Kind, 'valuesOf'> & { readonly valueOf: (text: string) => string | undefined };

const inList = (field: string, values: readonly string[]): string =>
  `${field} ${values.length === 1 ? '=' : 'in'} ${values.join(', ')}`;

/** Exactly these: those below them are others. */
function writeHosts(values: readonly string[]): string {
  return values.length === 1 ? `host = ${values[0]}` : `host in ${values.map((value) => `=${value}`).join(', ')}`;
}

const SIMPLE_KINDS: readonly SimpleKind[] = [
  { field: 'client', valueOf: (text) => text, write: (values) => inList('client', values) },
  {
    field: 'client',
    isWide: true,
    valueOf: (text) => networkOf(text, 24, 48),
    write: (values) => `client in ${values.join(', ')}`,
  },
  {
    field: 'client',
    isWide: true,
    valueOf: (text) => networkOf(text, 16, 32),
    write: (values) => `client in ${values.join(', ')}`,
  },
  {
    field: 'country',
    valueOf: (text) => (/^[A-Z]{2}$/.test(text) ? text : undefined),
    write: (values) => inList('country', values),
  },
  { field: 'host', valueOf: (text) => text, write: writeHosts },
  { field: 'path', valueOf: (text) => quoted(text), write: (values) => inList('path', values) },
  { field: 'path', valueOf: (text) => segmentsOf(text, 1), write: (values) => `path under ${values.join(', ')}` },
  { field: 'path', valueOf: (text) => segmentsOf(text, 2), write: (values) => `path under ${values.join(', ')}` },
  {
    field: 'method',
    valueOf: (text) => (/^[A-Z]+$/.test(text) ? text : undefined),
    write: (values) => inList('method', values),
  },
  { field: 'agent', valueOf: (text) => JSON.stringify(text), write: (values) => inList('agent', values) },
  {
    field: 'agent',
    valueOf: (text) => (/^[\w.-]{3,}\//.test(text) ? JSON.stringify(text.slice(0, text.indexOf('/') + 1)) : undefined),
    write: (values) => `agent contains ${values.join(', ')}`,
  },
];
/** Of any length, as they are found around the chosen. */
export const NETWORKS: Kind = {
  field: 'client',
  valuesOf: () => [],
  write: (values) => `client in ${values.join(', ')}`,
};

const QUERY_NAMES: Kind = {
  field: 'query names',
  isTypical: true,
  valuesOf: (names) => names.map((name) => (name === '' ? undefined : JSON.stringify(name))),
  write: ([name]) => `query ${name} present`,
};

const headerKind = (name: string): Kind => ({
  field: `header ${name}`,
  isTypical: true,
  valuesOf: (texts) => texts,
  write: ([presence]) => `header ${JSON.stringify(name)} ${presence}`,
});

const MAX_HEADERS = 16;

/** @param headers names of those that the log has */
export function kindsFor(headers: readonly string[]): Kind[] {
  return [
    ...SIMPLE_KINDS.map(({ valueOf, ...kind }): Kind => ({ ...kind, valuesOf: (texts) => texts.map(valueOf) })),
    QUERY_NAMES,
    ...headers.slice(0, MAX_HEADERS).map(headerKind),
  ];
}

function networkOf(client: string, bits4: number, bits6: number): string | undefined {
  const network = parseNetwork(`${client}/${client.includes(':') ? bits6 : bits4}`);
  return network && formatRange(network);
}

function segmentsOf(path: string, count: number): string | undefined {
  const segments = path.split('/').slice(1);
  if (segments.length < count || segments[count - 1] === '') return undefined;
  return quoted(`/${segments.slice(0, count).join('/')}`);
}

/** What a limit counts by already. */
export const OF_CLIENTS: ReadonlySet<ValueField> = new Set<ValueField>(['client', 'country']);
