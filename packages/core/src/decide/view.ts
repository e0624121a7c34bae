/** A request as a gate sees it: the client resolved, encrypted parts hidden, paths read as its server reads them. */
import { getDomain } from 'tldts';
import type { Membership } from '../check/members.js';
import type { CheckedGate } from '../check/rulebook.js';
import { specOf, type FieldName } from '../language/fields.js';
import type { Categories } from '../reference/categories.js';
import type { CountryTable } from '../reference/country-table.js';
import { parseAddress, type Address } from '../request/address.js';
import type { Field } from '../request/field.js';
import { headerOf, requestFieldOf, serverOf, type RequestFieldName } from '../request/fields.js';
import { invariant } from '../request/invariant.js';
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
    if (this.isHidden && specOf(field).isEncrypted) return undefined;
    const requestField = requestFieldOf(field);
    if (requestField) return requestField.read(this.request, parameter);
    invariant(Object.hasOwn(GATE_FIELDS, field), `field ${field} is evaluated separately`);
    return GATE_FIELDS[field as GateField](this);
  }

  countryOf(address: Field<Address>): Field<string> {
    return this.referenceData.countries && address ? this.referenceData.countries.find(address).country : undefined;
  }
}

/** Fields that are evaluated with the comparison, not read as values. */
export type EvaluatedField = 'tag' | 'url' | 'application';
/** Fields that depend on the gate or on reference data. */
export type GateField = Exclude<FieldName, RequestFieldName | EvaluatedField>;

const GATE_FIELDS: Record<GateField, (view: View) => Field<Seen>> = {
  'client': ({ client }) => client,
  'host': ({ host }) => host,
  'country': (view) => view.countryOf(view.client),
  'server country': (view) => view.countryOf(serverOf(view.request)),
  'site': ({ host }) => siteOf(host),
  // A CONNECT is not encrypted itself.
  'method': ({ isHidden, request }) => (isHidden && request.method !== 'CONNECT' ? undefined : request.method),
  'path': ({ request, gate }) => request.path && readPath(request.path, gate.pathReading),
  'category': ({ categoryAnswer }) => categoryAnswer?.categories,
  'payload': ({ request }) => payloadOf(request.attributes),
  'gate': ({ gate }) => gate.statement.name,
  'direction': ({ gate }) => gate.statement.direction,
};

/** The registrable domain (public suffix list, both sections); none for suffixes and addresses. */
export function siteOf(host: Field<string>): Field<string> {
  return host == null ? host : getDomain(host, { allowPrivateDomains: true, validateHostname: false });
}
