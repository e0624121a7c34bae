import { parseAddress, type Address } from './address.js';
import type { Field } from './field.js';
import { isAddressHost, normalizeHost } from './host.js';
import { normalizePath } from './path.js';
import { payloadOf, sniffPayload } from './payload.js';
import type { Attributes, AttributeValue, LogRecord } from './record.js';
import { splitUrl } from './url.js';

/** A request as rules see it. What every evaluation needs is in normal form; `fields.ts` reads the rest on demand. */
export interface Request {
  readonly line: number;
  readonly atUnixMs: number;
  /** The request has no time, so hours and dates are unknown. */
  readonly isTimeUnknown: boolean;
  readonly attributes: Attributes;
  /** What HTTP fields are where the record is not HTTP: none, or unknown. */
  readonly httpDefault: 'is-http' | null | undefined;
  /** Who connected. */
  readonly peer: Field<Address>;
  /** The client, before a gate resolves an address header. */
  readonly client: Field<Address>;
  readonly host: Field<string>;
  readonly path: Field<string>;
  readonly method: Field<string>;
  /** The TLS server name: null where it is malformed, undefined where the record shows none. */
  readonly serverName: Field<string>;
  readonly isEncrypted: boolean;
  /** The gate that the record itself names as its judge. */
  readonly atGate: Field<string>;
}

/** Brings one record into the normal forms of the language reference. */
export function normalizeRequest({ line, atUnixMs, isTimeUnknown = false, attributes }: LogRecord): Request {
  const peer = peerOf(attributes);
  const sniffed = sniffOf(attributes);
  const serverName = serverNameOf(attributes, sniffed);
  const httpDefault = httpDefaultOf(attributes, sniffed);
  const method = methodOf(attributes, httpDefault);
  // One literal: every request is made here, and putting it together from parts would cost more than the rest.
  return {
    line,
    atUnixMs,
    isTimeUnknown,
    attributes,
    httpDefault,
    peer,
    client: clientOf(attributes, peer),
    host: hostOf(attributes, httpDefault, serverName),
    path: pathOf(attributes, httpDefault, method),
    method,
    serverName,
    isEncrypted: isEncrypted(attributes, sniffed, serverName, method),
    atGate: textOf(attributes['jade.at-gate']),
  };
}

/**
 * A request whose fields are normalised on demand, and only once. It has no line
 * and its time.
 */
export class LazyRequest implements Request {
  readonly line = 0;
  readonly atUnixMs = 0;
  readonly isTimeUnknown = false;
  #sniffed: Sniffed | undefined;
  #serverName: Field<string>;
  #httpDefault: HttpDefault;
  #peer: Field<Address>;
  #host: Field<string>;
  #path: Field<string>;
  /** What is known already; unknown is something to know, too. */
  #known = 0;

  constructor(readonly attributes: Attributes) {}

  /** An attribute has changed. */
  invalidate(): void {
    this.#known = 0;
  }

  /** @returns whether it has to be found */
  #firstRead(bit: number): boolean {
    if ((this.#known & bit) !== 0) return false;
    this.#known |= bit;
    return true;
  }

  get #sniff(): Sniffed | undefined {
    if (this.#firstRead(1)) this.#sniffed = sniffOf(this.attributes);
    return this.#sniffed;
  }

  get httpDefault(): HttpDefault {
    if (this.#firstRead(2)) this.#httpDefault = httpDefaultOf(this.attributes, this.#sniff);
    return this.#httpDefault;
  }

  get peer(): Field<Address> {
    if (this.#firstRead(4)) this.#peer = peerOf(this.attributes);
    return this.#peer;
  }

  get client(): Field<Address> {
    return clientOf(this.attributes, this.peer);
  }

  get host(): Field<string> {
    if (this.#firstRead(8)) this.#host = hostOf(this.attributes, this.httpDefault, this.serverName);
    return this.#host;
  }

  get path(): Field<string> {
    if (this.#firstRead(16)) this.#path = pathOf(this.attributes, this.httpDefault, this.method);
    return this.#path;
  }

  get method(): Field<string> {
    return methodOf(this.attributes, this.httpDefault);
  }

  get serverName(): Field<string> {
    if (this.#firstRead(32)) this.#serverName = serverNameOf(this.attributes, this.#sniff);
    return this.#serverName;
  }

  get isEncrypted(): boolean {
    return isEncrypted(this.attributes, this.#sniff, this.serverName, this.method);
  }

  get atGate(): Field<string> {
    return textOf(this.attributes['jade.at-gate']);
  }
}

type HttpDefault = Request['httpDefault'];
type Sniffed = ReturnType<typeof sniffPayload>;

function peerOf(attributes: Attributes): Field<Address> {
  return addressOf(firstPresent(attributes['network.peer.address'], attributes['client.address']));
}

/** Usually peer and client are the same text, which is read once. */
function clientOf(attributes: Attributes, peer: Field<Address>): Field<Address> {
  const client = attributes['client.address'];
  return client == null || attributes['network.peer.address'] == null ? peer : addressOf(client);
}

function sniffOf(attributes: Attributes): Sniffed | undefined {
  return attributes['jade.payload'] == null ? undefined : sniffPayload(payloadOf(attributes) ?? NO_BYTES);
}

function httpDefaultOf(attributes: Attributes, sniffed: Sniffed | undefined): HttpDefault {
  return isHttp(attributes) ? 'is-http' : absentHttp(attributes, sniffed);
}

function methodOf(attributes: Attributes, httpDefault: HttpDefault): Field<string> {
  return httpDefault === 'is-http' ? textOf(attributes['http.request.method']) : httpDefault;
}

function isEncrypted(
  attributes: Attributes,
  sniffed: Sniffed | undefined,
  serverName: Field<string>,
  method: Field<string>,
): boolean {
  return (
    serverName !== undefined ||
    sniffed?.isTls === true ||
    method === 'CONNECT' ||
    isSecureScheme(schemeText(attributes))
  );
}

const NO_BYTES = new Uint8Array();

/** A ping, or bytes that are neither HTTP nor TLS, have no HTTP fields at all; of any other flow it is unknown. */
function absentHttp(attributes: Attributes, sniffed: Sniffed | undefined): null | undefined {
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

/** The scheme of the full URL, else that of the record. */
export function schemeText(attributes: Attributes): Field<string> {
  const full = textOf(attributes['url.full']);
  const scheme = full == null ? undefined : splitUrl(full)?.scheme;
  if (scheme !== undefined) return scheme;
  const settings = textOf(attributes['url.scheme']);
  return settings == null ? settings : settings.toLowerCase();
}

/** The authority of the full URL, else Host or the log's column for it; undefined where neither is known. */
export function authorityOf(attributes: Attributes): Field<string> {
  const full = textOf(attributes['url.full']);
  const authority = full == null ? undefined : splitUrl(full)?.authority;
  return authority ?? textOf(attributes['http.request.header.host']);
}

function serverNameOf(attributes: Attributes, sniffed: Sniffed | undefined): Field<string> {
  const name = textOf(attributes['tls.client.server_name']) ?? sniffed?.serverName;
  if (name !== undefined) return normalizeHost(name);
  // A TLS record may carry its server name as the server's address.
  return textOf(attributes['network.protocol.name']) === 'tls' ? nameInServerAddress(attributes) : undefined;
}

/** The host name in `server.address`: null where it is malformed, undefined where it is an address or missing. */
function nameInServerAddress(attributes: Attributes): Field<string> {
  const server = textOf(attributes['server.address']);
  const host = server == null ? undefined : normalizeHost(server);
  return host != null && isAddressHost(host) ? undefined : host;
}

/**
 * The first source that has a name: authority of the URL, Host header or column, `server.address`, TLS server name. It
 * is none where a source is known to have none or has a malformed name, and unknown where no source is there.
 */
function hostOf(attributes: Attributes, httpDefault: HttpDefault, serverName: Field<string>): Field<string> {
  if (httpDefault !== 'is-http') return serverName === undefined ? httpDefault : serverName;
  const authority = authorityOf(attributes);
  if (authority != null) return normalizeHost(authority);
  const server = nameInServerAddress(attributes);
  return server ?? serverName ?? (authority === null || server === null || serverName === null ? null : undefined);
}

/** The target of a CONNECT has no path, whatever the log shows. */
function pathOf(attributes: Attributes, httpDefault: HttpDefault, method: Field<string>): Field<string> {
  if (httpDefault !== 'is-http') return httpDefault;
  if (method === 'CONNECT') return null;
  const full = textOf(attributes['url.full']);
  const parts = full == null ? undefined : splitUrl(full);
  // A URL without a path leaves the path to its own attribute.
  if (parts && (parts.path !== '' || textOf(attributes['url.path']) == null)) return normalizePath(parts.path);
  const path = attributes['url.path'];
  if (path === '') return '/';
  const text = textOf(path);
  if (text == null) return text;
  return text === '*' ? null : normalizePath(text);
}
