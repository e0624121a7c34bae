import { parseAddress, type Address } from './address.js';
import type { Field } from './field.js';
import { isAddressHost, normalizeHost } from './host.js';
import { normalizePath } from './path.js';
import type { Attributes, AttributeValue, LogRecord } from './record.js';

/** A request as rules see it: every field in its normal form. */
export interface Request {
  readonly line: number;
  readonly atUnixMs: number;
  /** Who connected. */
  readonly peer: Field<Address>;
  /** Who asked, before a gate resolves an address header. */
  readonly client: Field<Address>;
  readonly host: Field<string>;
  readonly path: Field<string>;
  readonly method: Field<string>;
  /** The gate that the record itself names as its judge. */
  readonly atGate: Field<string>;
}

/** Brings one record into the normal forms of the language reference. */
export function normalizeRequest({ line, atUnixMs, attributes }: LogRecord): Request {
  const peer = addressOf(firstPresent(attributes['network.peer.address'], attributes['client.address']));
  const client = attributes['client.address'] == null ? peer : addressOf(attributes['client.address']);
  const atGate = textOf(attributes['jade.at-gate']);
  if (isHttp(attributes)) {
    const method = textOf(attributes['http.request.method']);
    return { line, atUnixMs, peer, client, host: hostOf(attributes), path: pathOf(attributes), method, atGate };
  }
  // A ping has no HTTP fields at all; of any other flow without URL and method the log cannot say.
  const absent = attributes['network.transport'] === 'icmp' ? null : undefined;
  const serverName = textOf(attributes['tls.client.server_name']);
  return {
    line,
    atUnixMs,
    peer,
    client,
    host: serverName ? normalizeHost(serverName) : absent,
    path: absent,
    method: absent,
    atGate,
  };
}

/** A record with a URL, a method or a request line is HTTP, also when its log shows them as empty. */
function isHttp(attributes: Attributes): boolean {
  return (
    attributes['http.request.method'] !== undefined ||
    attributes['url.path'] !== undefined ||
    attributes['url.full'] !== undefined
  );
}

function firstPresent(...values: Field<AttributeValue>[]): Field<AttributeValue> {
  return values.find((value) => value != null) ?? (values.includes(null) ? null : undefined);
}

function textOf(value: Field<AttributeValue>): Field<string> {
  if (value == null) return value;
  const first = Array.isArray(value) ? (value as readonly AttributeValue[])[0] : value;
  return typeof first === 'string' ? (first === '' ? null : first) : undefined;
}

function addressOf(value: Field<AttributeValue>): Field<Address> {
  const text = textOf(value);
  return text == null ? text : parseAddress(text);
}

/** The authority of a full URL (RFC 3986, 3.2) or undefined where the text has none. */
function authorityOf(url: string): string | undefined {
  return /^[A-Za-z][A-Za-z0-9+.-]*:\/\/([^/?#]*)/.exec(url)?.[1];
}

function hostOf(attributes: Attributes): Field<string> {
  const full = textOf(attributes['url.full']);
  const authority = full == null ? undefined : authorityOf(full);
  if (authority !== undefined) return normalizeHost(authority);
  const header = textOf(attributes['http.request.header.host']);
  if (header != null) return normalizeHost(header);
  const server = textOf(attributes['server.address']);
  const serverHost = server == null ? null : normalizeHost(server);
  if (serverHost !== null && !isAddressHost(serverHost)) return serverHost;
  const serverName = textOf(attributes['tls.client.server_name']);
  if (serverName != null) return normalizeHost(serverName);
  return server != null || header === null ? null : server;
}

function pathOf(attributes: Attributes): Field<string> {
  const full = textOf(attributes['url.full']);
  const authority = full == null ? undefined : authorityOf(full);
  if (full != null && authority !== undefined)
    return normalizePath(full.slice(full.indexOf('://') + 3 + authority.length));
  const path = attributes['url.path'];
  if (path === '') return '/';
  const text = textOf(path);
  if (text == null) return text;
  return text === '*' ? null : normalizePath(text);
}
