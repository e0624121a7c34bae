import { parseAddress, type Address } from './address.js';
import type { Field } from './field.js';
import { isAddressHost, normalizeHost } from './host.js';
import { normalizePath } from './path.js';
import { payloadOf, sniffPayload } from './payload.js';
import type { Attributes, AttributeValue, LogRecord } from './record.js';
import { splitUrl } from './url.js';

/** A request as rules see it. What every judgement needs is in its normal form; `fields.ts` reads the rest when it is asked. */
export interface Request {
  readonly line: number;
  readonly atUnixMs: number;
  /** Nobody said when it was made, so hours and dates cannot be known. */
  readonly isTimeUnknown: boolean;
  readonly attributes: Attributes;
  /** What HTTP fields are where the record is not HTTP: none, or unknown. */
  readonly ifNotHttp: 'is-http' | null | undefined;
  /** Who connected. */
  readonly peer: Field<Address>;
  /** Who asked, before a gate resolves an address header. */
  readonly client: Field<Address>;
  readonly host: Field<string>;
  readonly path: Field<string>;
  readonly method: Field<string>;
  /** What an encrypted request shows of its host. */
  readonly serverName: string | null;
  readonly isEncrypted: boolean;
  /** The gate that the record itself names as its judge. */
  readonly atGate: Field<string>;
}

/** Brings one record into the normal forms of the language reference. */
export function normalizeRequest({ line, atUnixMs, isTimeUnknown = false, attributes }: LogRecord): Request {
  const peer = addressOf(firstPresent(attributes['network.peer.address'], attributes['client.address']));
  const client = attributes['client.address'] == null ? peer : addressOf(attributes['client.address']);
  const sniffed = attributes['jade.payload'] == null ? undefined : sniffPayload(payloadOf(attributes) ?? NO_BYTES);
  const serverName = serverNameOf(attributes, sniffed?.serverName);
  const ifNotHttp = isHttp(attributes) ? 'is-http' : absentHttp(attributes, sniffed);
  const isHttpRecord = ifNotHttp === 'is-http';
  const method = isHttpRecord ? textOf(attributes['http.request.method']) : ifNotHttp;
  // One literal: every request is made here, and putting it together from parts would cost more than the rest.
  return {
    line,
    atUnixMs,
    isTimeUnknown,
    attributes,
    ifNotHttp,
    peer,
    client,
    host: isHttpRecord ? hostOf(attributes, serverName) : (serverName ?? ifNotHttp),
    path: isHttpRecord ? pathOf(attributes) : ifNotHttp,
    method,
    serverName,
    isEncrypted:
      serverName !== null || sniffed?.isTls === true || method === 'CONNECT' || isSecureScheme(schemeText(attributes)),
    atGate: textOf(attributes['jade.at-gate']),
  };
}

const NO_BYTES = new Uint8Array();

/** A ping, or bytes that are neither HTTP nor TLS, have no HTTP fields at all; of any other flow the log cannot say. */
function absentHttp(
  attributes: Attributes,
  sniffed: { isTls: boolean; isHttp: boolean } | undefined,
): null | undefined {
  const isIcmp = textOf(attributes['network.transport'])?.toLowerCase() === 'icmp';
  return isIcmp || (sniffed && !sniffed.isTls && !sniffed.isHttp) ? null : undefined;
}

function isSecureScheme(scheme: Field<string>): boolean {
  return scheme === 'https' || scheme === 'wss';
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

/** The text of an attribute, of several the first; empty is none, anything but text is unknown. */
export function textOf(value: Field<AttributeValue>): Field<string> {
  if (value == null) return value;
  const first = Array.isArray(value) ? (value as readonly AttributeValue[])[0] : value;
  return typeof first === 'string' ? (first === '' ? null : first) : undefined;
}

/** An address in normal form; text that is none is unknown. */
export function addressOf(value: Field<AttributeValue>): Field<Address> {
  const text = textOf(value);
  return text == null ? text : parseAddress(text);
}

/** The scheme of the full URL, else the one that the record says. */
export function schemeText(attributes: Attributes): Field<string> {
  const full = textOf(attributes['url.full']);
  const scheme = full == null ? undefined : splitUrl(full)?.scheme;
  if (scheme !== undefined) return scheme;
  const said = textOf(attributes['url.scheme']);
  return said == null ? said : said.toLowerCase();
}

/** The authority of the full URL, else Host or the log's column for it; undefined where neither is known. */
export function authorityOf(attributes: Attributes): Field<string> {
  const full = textOf(attributes['url.full']);
  const authority = full == null ? undefined : splitUrl(full)?.authority;
  return authority ?? textOf(attributes['http.request.header.host']);
}

function serverNameOf(attributes: Attributes, sniffed: string | undefined): string | null {
  const said = textOf(attributes['tls.client.server_name']) ?? sniffed;
  if (said !== undefined) return normalizeHost(said);
  if (textOf(attributes['network.protocol.name']) !== 'tls') return null;
  // A TLS record may carry its server name as the server's address.
  const server = textOf(attributes['server.address']);
  const name = server == null ? null : normalizeHost(server);
  return name !== null && !isAddressHost(name) ? name : null;
}

function hostOf(attributes: Attributes, serverName: string | null): Field<string> {
  const authority = authorityOf(attributes);
  if (authority != null) return normalizeHost(authority);
  const server = textOf(attributes['server.address']);
  const serverHost = server == null ? null : normalizeHost(server);
  if (serverHost !== null && !isAddressHost(serverHost)) return serverHost;
  if (serverName !== null) return serverName;
  return server != null || authority === null ? null : server;
}

function pathOf(attributes: Attributes): Field<string> {
  const full = textOf(attributes['url.full']);
  const parts = full == null ? undefined : splitUrl(full);
  if (parts) return normalizePath(parts.path);
  const path = attributes['url.path'];
  if (path === '') return '/';
  const text = textOf(path);
  if (text == null) return text;
  return text === '*' ? null : normalizePath(text);
}
