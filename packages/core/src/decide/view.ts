/** A request as a gate sees it: the client resolved, encrypted parts hidden, paths read as its server reads them. */
import { getDomain } from 'tldts';
import type { Membership } from '../check/members.js';
import type { CheckedGate } from '../check/rulebook.js';
import type { FieldName } from '../language/fields.js';
import type { Categories } from '../reference/categories.js';
import type { CountryTable } from '../reference/country-table.js';
import { parseAddress, type Address } from '../request/address.js';
import type { Field } from '../request/field.js';
import {
  agentOf,
  cookieOf,
  fromClientOf,
  groupsOf,
  headerOf,
  portNumberOf,
  queryOf,
  queryValuesOf,
  schemeOf,
  serverOf,
  sizeOf,
  toClientOf,
  transportOf,
  usersOf,
} from '../request/fields.js';
import { payloadOf } from '../request/payload.js';
import { readPath } from '../request/path.js';
import type { Request } from '../request/request.js';

/** What a view depends on besides the request. */
export interface ReferenceData {
  /** Without a table every country is unknown. */
  readonly countries?: CountryTable;
  /** Without feeds every category is unknown. */
  readonly categories?: Categories;
}

/** The client, and how it was determined. */
export interface ResolvedClient {
  readonly client: Field<Address>;
  /** Where a header was followed: who connected, then the addresses that it names, from the right. */
  readonly hops: readonly Hop[];
  /** The header is present, but the peer is not trusted to name the client. */
  readonly isHeaderIgnored: boolean;
}

export interface Hop {
  readonly address: Address;
  /** The entry that trusts it to name the next. */
  readonly trustedBy?: Membership;
}

/** The client as a gate resolves it: while an address is trusted, the next hop from the right replaces it. */
export function resolveClient({ statement, trusting }: CheckedGate, request: Request): ResolvedClient {
  const { clientFrom } = statement;
  const shown = clientFrom && headerOf(request, clientFrom.header);
  if (!clientFrom || shown == null) return { client: request.client, hops: [], isHeaderIgnored: false };
  // RFC 9110, 5.6.1: empty elements of a list are ignored.
  const elements = shown.flatMap((value) => value.split(',')).filter((element) => element.trim() !== '');
  const waiting = clientFrom.header === 'forwarded' ? elements.map(forwardedFor) : elements;
  const hops: Hop[] = [];
  let client = request.peer;
  for (let isFirst = true; ; isFirst = false) {
    const trustedBy = client ? trusting.find(client) : undefined;
    if (client) hops.push({ address: client, ...(trustedBy ? { trustedBy } : {}) });
    const next = trustedBy ? waiting.pop()?.trim() : undefined;
    const address = next === undefined ? undefined : parseAddress(next);
    if (!address) return { client, hops, isHeaderIgnored: isFirst && !trustedBy };
    client = address;
  }
}

/** The `for` of an element of Forwarded (RFC 7239, 5.2), without quotes; empty where it has none. */
function forwardedFor(element: string): string {
  return /(?:^|;)\s*for=("?)([^";]*)\1/i.exec(element)?.[2] ?? '';
}

/** Several values of one field, or one, as a condition sees them. */
export type Seen = Address | string | number | Uint8Array | readonly string[];

export class View {
  readonly client: Field<Address>;
  readonly resolved: ResolvedClient;
  /** Nothing of an encrypted request is hidden where it is inspected. */
  readonly isHidden: boolean;
  /** What was read once; created on demand, since most rules read few fields. */
  #cache: Map<string, Field<Seen>> | undefined;

  constructor(
    private readonly referenceData: ReferenceData,
    readonly gate: CheckedGate,
    readonly request: Request,
    resolved: ResolvedClient,
    isHidden: boolean,
  ) {
    this.resolved = resolved;
    this.client = resolved.client;
    this.isHidden = isHidden;
  }

  /** A field but for `tag`, `url` and `application`, which are evaluated separately. */
  get(field: FieldName, parameter?: string): Field<Seen> {
    if (field === 'client') return this.client;
    if (field === 'host') return this.host;
    const key = parameter === undefined ? field : `${field} ${parameter}`;
    this.#cache ??= new Map();
    if (this.#cache.has(key)) return this.#cache.get(key);
    const value = this.#read(field, parameter);
    this.#cache.set(key, value);
    return value;
  }

  get host(): Field<string> {
    const { serverName, host } = this.request;
    return this.isHidden ? (serverName ?? host) : host;
  }

  get path(): Field<string> {
    return this.get('path') as Field<string>;
  }

  /** The answer of the feeds; undefined if it cannot be known. */
  get categoryAnswer() {
    const { host } = this;
    if (!this.referenceData.categories || host === undefined) return undefined;
    return this.referenceData.categories.find(host, this.path ?? null, this.gate.pathReading);
  }

  #read(field: FieldName, parameter: string | undefined): Field<Seen> {
    const { request, gate } = this;
    switch (field) {
      case 'peer':
        return request.peer;
      case 'country':
        return this.#countryOf(this.client);
      case 'server':
        return serverOf(request);
      case 'server country':
        return this.#countryOf(serverOf(request));
      case 'site':
        return siteOf(this.host);
      case 'scheme':
        return schemeOf(request);
      case 'transport':
        return transportOf(request);
      case 'port':
        return portNumberOf(request);
      case 'from-client':
        return fromClientOf(request);
      case 'to-client':
        return toClientOf(request);
      case 'user':
        return usersOf(request);
      case 'group':
        return groupsOf(request);
      case 'category':
        return this.categoryAnswer?.categories;
      case 'payload':
        return payloadOf(request.attributes);
      case 'gate':
        return gate.statement.name;
      case 'direction':
        return gate.statement.direction;
      case 'method':
        // A CONNECT is not encrypted itself.
        return this.isHidden && request.method !== 'CONNECT' ? undefined : request.method;
      default:
        return this.isHidden ? undefined : this.#readHidden(field, parameter);
    }
  }

  /** What encryption hides. */
  #readHidden(field: FieldName, parameter: string | undefined): Field<Seen> {
    const { request } = this;
    switch (field) {
      case 'path':
        return request.path && readPath(request.path, this.gate.pathReading);
      case 'query':
        return parameter === undefined ? queryOf(request) : queryValuesOf(request, parameter);
      case 'header':
        return headerOf(request, parameter!);
      case 'cookie':
        return cookieOf(request, parameter!);
      case 'agent':
        return agentOf(request);
      case 'size':
        return sizeOf(request);
      default:
        throw new Error(`Internal error: field ${field} is not implemented.`);
    }
  }

  #countryOf(address: Field<Address>): Field<string> {
    return this.referenceData.countries && address ? this.referenceData.countries.find(address).country : undefined;
  }
}

/** The registrable domain (public suffix list, both sections); none for suffixes and addresses. */
export function siteOf(host: Field<string>): Field<string> {
  return host == null ? host : getDomain(host, { allowPrivateDomains: true, validateHostname: false });
}
