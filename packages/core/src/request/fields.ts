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
  const texts = all.filter((one): one is string => typeof one === 'string');
  if (texts.length < all.length) return undefined;
  return texts.length > 0 && texts.some((text) => text !== '') ? texts : null;
}
