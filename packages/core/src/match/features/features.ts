/** What rules look at, as functions of a few attributes each, so that a value is read once for all requests that share it. */
import type { CheckedGate } from '../../check/rulebook.js';
import { resolveClient, siteOf, type Seen, type ReferenceData } from '../../decide/view.js';
import type { FieldName } from '../../language/fields.js';
import type { Address } from '../../request/address.js';
import type { Field } from '../../request/field.js';
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
} from '../../request/fields.js';
import { payloadOf } from '../../request/payload.js';
import { readPath, type PathReading } from '../../request/path.js';
import type { Request } from '../../request/request.js';
import type { AttributeReader } from './attribute-reader.js';

/** Through what a request is looked at: a gate, which may not see what is encrypted. */
export interface GateView {
  readonly gate: CheckedGate;
  readonly isHidden: boolean;
  readonly referenceData: ReferenceData;
}

/** A host and a path, for comparisons of both. */
export interface UrlTarget {
  readonly host: Field<string>;
  readonly path: Field<string>;
}

/** First bytes, and what carries them. */
export interface Flow {
  readonly payload: Uint8Array;
  readonly transport: Field<string>;
}

export type FeatureValue = Exclude<Seen, Uint8Array> | UrlTarget | Flow;

/**
 * @typeParam T what is read
 */
export interface Feature<T> {
  /** Identifies a feature: the same key reads the same. */
  readonly key: string;
  /** The attributes it is read from, sorted; of one with `?` in front only whether it is there matters. */
  readonly inputs: readonly string[];
  /** @param reading of its inputs; one that only has to be there may be `null` */
  read(reading: AttributeReader): T;
}

/** What decides whether a record is HTTP. */
const HTTP = ['?http.request.method', '?url.path', '?url.full', 'network.transport', 'jade.payload'];
const HOST = [
  ...HTTP,
  'url.full',
  'http.request.header.host',
  'server.address',
  'tls.client.server_name',
  'network.protocol.name',
];
const PATH = [...HTTP, 'url.full', 'url.path', 'http.request.method'];
const PEER = ['client.address', 'network.peer.address'];
const SERVER = ['destination.address', 'server.address'];
const AGENT = [...HTTP, 'user_agent.original', 'http.request.header.user-agent', 'jade.all-headers'];

/** What encryption hides. */
const HIDDEN_FIELDS: readonly FieldName[] = ['path', 'query', 'header', 'cookie', 'agent', 'size'];

export function feature<T>(key: string, inputs: readonly string[], read: (reading: AttributeReader) => T): Feature<T> {
  // Where the value itself matters, so does whether it is there.
  const needed = new Set(inputs.filter((name) => !name.startsWith('?') || !inputs.includes(name.slice(1))));
  return { key, inputs: [...needed].sort(), read };
}

/** The attributes that determine the client at a gate. */
export function clientInputs({ statement: { clientFrom } }: CheckedGate): readonly string[] {
  if (!clientFrom) return PEER;
  const agent = clientFrom.header === 'user-agent' ? ['user_agent.original'] : [];
  return [...PEER, ...HTTP, ...agent, `http.request.header.${clientFrom.header}`];
}

function clientKey({ statement }: CheckedGate): string {
  return statement.clientFrom ? `client at ${statement.name}` : 'client';
}

export function clientFeature(gate: CheckedGate): Feature<Field<Address>> {
  return feature(clientKey(gate), clientInputs(gate), ({ request }) => resolveClient(gate, request).client);
}

/** @returns undefined where the gate cannot see the field, which is then unknown */
export function featureOf(
  field: FieldName,
  parameter: string | undefined,
  view: GateView,
): Feature<Field<FeatureValue>> | undefined {
  const { gate, isHidden, referenceData: referenceData } = view;
  if (isHidden && HIDDEN_FIELDS.includes(field)) return undefined;
  const named = parameter === undefined ? field : `${field} ${JSON.stringify(parameter)}`;
  const of: MakeFeature = (inputs, read, key = named) => feature(key, inputs, ({ request }) => read(request));
  const countryOf = (address: Field<Address>): Field<string> =>
    referenceData.countries && address ? referenceData.countries.countryOf(address) : undefined;
  switch (field) {
    case 'client':
      return clientFeature(gate);
    case 'peer':
      return of(PEER, ({ peer }) => peer);
    case 'country':
      return of(
        clientInputs(gate),
        (request) => countryOf(resolveClient(gate, request).client),
        `country of ${clientKey(gate)}`,
      );
    case 'server':
      return of(SERVER, serverOf);
    case 'server country':
      return of(SERVER, (request) => countryOf(serverOf(request)));
    case 'host':
      return of(HOST, (request) => hostOf(request, isHidden), hostKey(isHidden));
    case 'site':
      return of(HOST, (request) => siteOf(hostOf(request, isHidden)), `site of ${hostKey(isHidden)}`);
    case 'scheme':
      return of([...HTTP, 'url.full', 'url.scheme'], schemeOf);
    case 'transport':
      return of(['network.transport'], transportOf);
    case 'port':
      return of(['url.full', 'http.request.header.host', 'server.port', 'url.scheme'], portNumberOf);
    case 'from-client':
      return of(['http.request.size', 'http.request.body.size'], fromClientOf);
    case 'to-client':
      return of(['http.response.size', 'http.response.body.size'], toClientOf);
    case 'user':
      return of(['user.name'], usersOf);
    case 'group':
      return of(['jade.groups'], groupsOf);
    case 'payload':
      return of(['jade.payload', 'network.transport'], (request) => {
        const payload = payloadOf(request.attributes);
        return payload && { payload, transport: transportOf(request) };
      });
    default:
      return httpFeatureOf(field, parameter, view, of);
  }
}

type MakeFeature = (
  inputs: readonly string[],
  read: (request: Request) => Field<FeatureValue>,
  key?: string,
) => Feature<Field<FeatureValue>>;

/** Fields that only HTTP requests have, and the features of hosts and paths. */
function httpFeatureOf(
  field: FieldName,
  parameter: string | undefined,
  view: GateView,
  of: MakeFeature,
): Feature<Field<FeatureValue>> {
  const { gate, isHidden } = view;
  switch (field) {
    case 'method': {
      const method = (request: Request): Field<string> =>
        isHidden && request.method !== 'CONNECT' ? undefined : request.method;
      return of([...HTTP, 'http.request.method'], method, isHidden ? 'method, hidden' : 'method');
    }
    case 'path':
      return of(PATH, (request) => pathOf(request, gate.pathReading), `path ${readingKey(gate.pathReading)}`);
    case 'query': {
      const inputs = [...HTTP, 'url.full', 'url.query'];
      return of(inputs, (request) => (parameter === undefined ? queryOf(request) : queryValuesOf(request, parameter)));
    }
    case 'header': {
      const agent = parameter === 'user-agent' ? ['user_agent.original'] : [];
      return of([...HTTP, ...agent, `http.request.header.${parameter!}`, 'jade.all-headers'], (request) =>
        headerOf(request, parameter!),
      );
    }
    case 'cookie':
      return of([...HTTP, 'http.request.header.cookie', 'jade.all-headers'], (request) =>
        cookieOf(request, parameter!),
      );
    case 'agent':
      return of(AGENT, agentOf);
    case 'size':
      return of([...HTTP, 'http.request.body.size'], sizeOf);
    case 'category':
      return categoryFeature(view);
    case 'url': {
      const read = (request: Request): UrlTarget => ({
        host: hostOf(request, isHidden),
        path: isHidden ? undefined : pathOf(request, gate.pathReading),
      });
      return of(isHidden ? HOST : [...HOST, ...PATH], read, `url ${hostKey(isHidden)} ${readingKey(gate.pathReading)}`);
    }
    default:
      throw new Error(`Internal error: field ${field} is not implemented.`);
  }
}

function categoryFeature({
  referenceData: { categories },
  gate,
  isHidden,
}: GateView): Feature<Field<readonly string[]>> {
  const testsPath = !isHidden && categories?.hasPaths === true;
  const key = `category of ${hostKey(isHidden)}${testsPath ? ` ${readingKey(gate.pathReading)}` : ''}`;
  return feature(key, testsPath ? [...HOST, ...PATH] : HOST, ({ request }) => {
    const host = hostOf(request, isHidden);
    if (!categories || host === undefined) return undefined;
    return categories.find(host, testsPath ? (pathOf(request, gate.pathReading) ?? null) : null, gate.pathReading)
      .categories;
  });
}

function hostOf({ host, serverName }: Request, isHidden: boolean): Field<string> {
  return isHidden ? (serverName ?? host) : host;
}

function hostKey(isHidden: boolean): string {
  return isHidden ? 'host, hidden' : 'host';
}

function pathOf({ path }: Request, reading: PathReading): Field<string> {
  return path && readPath(path, reading);
}

function readingKey(reading: PathReading): string {
  return Object.keys(reading).sort().join(' ');
}

/** Whether a request is encrypted, which at outbound gates hides things. */
export const encryptedFeature: Feature<boolean> = feature(
  'encrypted',
  [
    ...HTTP,
    'http.request.method',
    'tls.client.server_name',
    'network.protocol.name',
    'server.address',
    'url.full',
    'url.scheme',
  ],
  ({ request }) => request.isEncrypted,
);

/** The host, for choosing the gate. */
export const hostFeature: Feature<Field<string>> = feature('host', HOST, ({ request }) => request.host);

export const namedGateFeature: Feature<Field<string>> = feature(
  'gate of the record',
  ['jade.at-gate'],
  ({ request }) => request.atGate,
);

export const inspectedFeature: Feature<boolean> = feature(
  'inspected',
  ['jade.inspected'],
  ({ attributes }) => attributes['jade.inspected'] === true,
);
