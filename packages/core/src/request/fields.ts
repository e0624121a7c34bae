/** Fields of a request that are read on demand. Each returns a value, none (`null`) or unknown (`undefined`). */
import { parseAddress, type Address } from './address.js';
import type { Field } from './field.js';
import type { Attributes, AttributeValue } from './record.js';
import { addressOf, authorityOf, schemeText, textOf, type Request } from './request.js';
import { defaultPort, portOf, splitUrl } from './url.js';

export function serverOf({ attributes }: Request): Field<Address> {
  const destination = attributes['destination.address'];
  if (destination != null) return addressOf(destination);
  const server = textOf(attributes['server.address']);
  const address = server == null ? undefined : parseAddress(server);
  return address ?? (destination === null ? null : undefined);
}

export function transportOf({ attributes }: Request): Field<string> {
  const text = textOf(attributes['network.transport']);
  return text == null ? text : text.toLowerCase();
}

export function schemeOf(request: Request): Field<string> {
  return request.httpDefault === null ? null : schemeText(request.attributes);
}

/** The authority's port, else the server's, else the scheme's. */
export function portNumberOf({ attributes }: Request): Field<number> {
  const authority = authorityOf(attributes);
  const written = authority == null ? undefined : portOf(authority);
  if (written !== undefined) return written;
  const server = attributes['server.port'];
  const number = numberOf(server);
  if (number != null) return number;
  const scheme = schemeText(attributes);
  return (scheme == null ? undefined : defaultPort(scheme)) ?? number;
}

/** The raw query; empty is none. */
export function queryOf(request: Request): Field<string> {
  const { attributes, httpDefault } = request;
  if (httpDefault !== 'is-http') return httpDefault;
  const full = textOf(attributes['url.full']);
  const parts = full == null ? undefined : splitUrl(full);
  if (!parts) return textOf(attributes['url.query']);
  // A URL without a query leaves the query to its own attribute.
  return parts.query === undefined ? (textOf(attributes['url.query']) ?? null) : parts.query || null;
}

/** Every value of a parameter, form-decoded; missing from a known query is none. */
export function queryValuesOf(request: Request, name: string): Field<readonly string[]> {
  const query = queryOf(request);
  if (query == null) return query;
  const values = query.split('&').flatMap((pair) => {
    const equals = pair.indexOf('=');
    const [key, value] = equals < 0 ? [pair, ''] : [pair.slice(0, equals), pair.slice(equals + 1)];
    return decodeForm(key) === name ? [decodeForm(value)] : [];
  });
  return values.length > 0 ? values : null;
}

/** The names of all parameters, form-decoded, each once and sorted. */
export function queryNamesOf(request: Request): Field<readonly string[]> {
  const query = queryOf(request);
  if (query == null) return query;
  const names = query
    .split('&')
    .map((pair) => decodeForm(pair.slice(0, (pair.indexOf('=') + 1 || pair.length + 1) - 1)));
  return [...new Set(names)].sort();
}

const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** `+` is a space, escapes are bytes of UTF-8, broken escapes stay as they are. */
function decodeForm(text: string): string {
  const spaced = text.replaceAll('+', ' ');
  if (!spaced.includes('%')) return spaced;
  return spaced.replace(/(?:%[0-9a-fA-F]{2})+/g, (run) =>
    decoder.decode(Uint8Array.from(run.slice(1).split('%'), (digits) => Number.parseInt(digits, 16))),
  );
}

/** Every value of a header. `name` is in lower case. */
export function headerOf(request: Request, name: string): Field<readonly string[]> {
  const { attributes, httpDefault } = request;
  if (httpDefault !== 'is-http') return httpDefault;
  const values = textsOf(attributes[`http.request.header.${name}`]);
  if (values === undefined && name === 'user-agent')
    return textsOf(attributes['user_agent.original']) ?? missing(attributes);
  return values === undefined ? missing(attributes) : values;
}

/** A header that a record does not hold is unknown, unless the record is marked as complete. */
function missing(attributes: Attributes): null | undefined {
  return attributes['jade.all-headers'] === true ? null : undefined;
}

/** Every value of a cookie (RFC 6265, 5.4); missing from known cookies is none. */
export function cookieOf(request: Request, name: string): Field<readonly string[]> {
  const headers = headerOf(request, 'cookie');
  if (headers == null) return headers;
  const values = headers
    .flatMap((header) => header.split(';'))
    .flatMap((pair) => {
      const equals = pair.indexOf('=');
      return equals >= 0 && pair.slice(0, equals).trim() === name ? [pair.slice(equals + 1).trim()] : [];
    });
  return values.length > 0 ? values : null;
}

export function agentOf(request: Request): Field<string> {
  const { attributes, httpDefault } = request;
  if (httpDefault !== 'is-http') return httpDefault;
  const agent = textOf(attributes['user_agent.original']);
  if (agent !== undefined) return agent;
  const header = headerOf(request, 'user-agent');
  return header == null ? header : header[0];
}

/** Bytes of the request body. */
export function sizeOf({ attributes, httpDefault }: Request): Field<number> {
  return httpDefault === 'is-http' ? numberOf(attributes['http.request.body.size']) : httpDefault;
}

/** Bytes from the client: of the whole message where the record has it, else of the body. */
export function fromClientOf({ attributes }: Request): Field<number> {
  return numberOf(attributes['http.request.size'] ?? attributes['http.request.body.size']);
}

/** Bytes to the client: of the whole message where the record has it, else of the body. */
export function toClientOf({ attributes }: Request): Field<number> {
  return numberOf(attributes['http.response.size'] ?? attributes['http.response.body.size']);
}

export function usersOf({ attributes }: Request): Field<readonly string[]> {
  return textsOf(attributes['user.name']);
}

export function groupsOf({ attributes }: Request): Field<readonly string[]> {
  return textsOf(attributes['jade.groups']);
}

function numberOf(value: Field<AttributeValue>): Field<number> {
  if (value == null) return value;
  const number = typeof value === 'string' && /^\d{1,15}$/.test(value) ? Number(value) : value;
  return typeof number === 'number' && Number.isSafeInteger(number) && number >= 0 ? number : undefined;
}

function textsOf(value: Field<AttributeValue>): Field<readonly string[]> {
  if (value == null) return value;
  const all = (Array.isArray(value) ? value : [value]) as readonly AttributeValue[];
  const texts = all.filter((attributeValue): attributeValue is string => typeof attributeValue === 'string');
  if (texts.length < all.length) return undefined;
  return texts.length > 0 && texts.some((text) => text !== '') ? texts : null;
}

/** The attributes that decide whether a record is HTTP; of those with `?` only the presence matters. */
export const HTTP_INPUTS = ['?http.request.method', '?url.path', '?url.full', 'network.transport', 'jade.payload'];
export const PEER_INPUTS = ['client.address', 'network.peer.address'];
export const SERVER_INPUTS = ['destination.address', 'server.address'];

/** A field that depends on nothing but the request. */
export interface RequestField {
  /** The attributes that it is read from; of those with `?` only the presence matters. */
  inputs(parameter: string | undefined): readonly string[];
  read(request: Request, parameter: string | undefined): Field<Address | string | number | readonly string[]>;
  /** The attribute that holds it in records, if it can be set. */
  readonly attribute?: { readonly name: string; readonly kind: 'text' | 'list' | 'number' };
}

/** The fields that depend on nothing but the request, read alike by both evaluators. */
export const REQUEST_FIELDS = {
  'peer': {
    inputs: () => PEER_INPUTS,
    read: ({ peer }) => peer,
    attribute: { name: 'network.peer.address', kind: 'text' },
  },
  'server': {
    inputs: () => SERVER_INPUTS,
    read: serverOf,
    attribute: { name: 'destination.address', kind: 'text' },
  },
  'scheme': { inputs: () => [...HTTP_INPUTS, 'url.full', 'url.scheme'], read: schemeOf },
  'transport': {
    inputs: () => ['network.transport'],
    read: transportOf,
    attribute: { name: 'network.transport', kind: 'text' },
  },
  'port': {
    inputs: () => ['url.full', 'http.request.header.host', 'server.port', 'url.scheme'],
    read: portNumberOf,
  },
  'query': {
    inputs: () => [...HTTP_INPUTS, 'url.full', 'url.query'],
    read: (request, parameter) => (parameter === undefined ? queryOf(request) : queryValuesOf(request, parameter)),
  },
  'header': {
    inputs: (name) => [
      ...HTTP_INPUTS,
      ...(name === 'user-agent' ? ['user_agent.original'] : []),
      `http.request.header.${name!}`,
      'jade.all-headers',
    ],
    read: (request, name) => headerOf(request, name!),
  },
  'cookie': {
    inputs: () => [...HTTP_INPUTS, 'http.request.header.cookie', 'jade.all-headers'],
    read: (request, name) => cookieOf(request, name!),
  },
  'agent': {
    inputs: () => [...HTTP_INPUTS, 'user_agent.original', 'http.request.header.user-agent', 'jade.all-headers'],
    read: agentOf,
    attribute: { name: 'user_agent.original', kind: 'text' },
  },
  'size': {
    inputs: () => [...HTTP_INPUTS, 'http.request.body.size'],
    read: sizeOf,
    attribute: { name: 'http.request.body.size', kind: 'number' },
  },
  'from-client': {
    inputs: () => ['http.request.size', 'http.request.body.size'],
    read: fromClientOf,
    attribute: { name: 'http.request.size', kind: 'number' },
  },
  'to-client': {
    inputs: () => ['http.response.size', 'http.response.body.size'],
    read: toClientOf,
    attribute: { name: 'http.response.size', kind: 'number' },
  },
  'user': { inputs: () => ['user.name'], read: usersOf, attribute: { name: 'user.name', kind: 'list' } },
  'group': { inputs: () => ['jade.groups'], read: groupsOf, attribute: { name: 'jade.groups', kind: 'list' } },
} as const satisfies Record<string, RequestField>;
export type RequestFieldName = keyof typeof REQUEST_FIELDS;

/** @returns undefined for a field that depends on the gate, the rules or reference data */
export function requestFieldOf(field: string): RequestField | undefined {
  return Object.hasOwn(REQUEST_FIELDS, field) ? REQUEST_FIELDS[field as RequestFieldName] : undefined;
}
