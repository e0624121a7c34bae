/** What rules look at, as functions of a few attributes each, so that a value is read once for all requests that share it. */
import type { CheckedGate } from '../../check/rulebook.js';
import { resolveClient, siteOf, type GateField, type ReferenceData, type Seen } from '../../decide/view.js';
import { specOf, type FieldName } from '../../language/fields.js';
import type { Address } from '../../request/address.js';
import type { Field } from '../../request/field.js';
import {
  HTTP_INPUTS as HTTP,
  PEER_INPUTS as PEER,
  requestFieldOf,
  SERVER_INPUTS as SERVER,
  serverOf,
  transportOf,
} from '../../request/fields.js';
import { invariant } from '../../request/invariant.js';
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

const HOST = [
  ...HTTP,
  'url.full',
  'http.request.header.host',
  'server.address',
  'tls.client.server_name',
  'network.protocol.name',
];
const PATH = [...HTTP, 'url.full', 'url.path', 'http.request.method'];

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
  if (view.isHidden && specOf(field).isEncrypted) return undefined;
  const requestField = requestFieldOf(field);
  if (!requestField) {
    invariant(Object.hasOwn(GATE_FEATURES, field), `field ${field} is compiled separately`);
    return GATE_FEATURES[field as keyof typeof GATE_FEATURES](view);
  }
  const key = parameter === undefined ? field : `${field} ${JSON.stringify(parameter)}`;
  return feature(key, requestField.inputs(parameter), ({ request }) => requestField.read(request, parameter));
}

/** Features that depend on the gate or on reference data; gate and direction are constants of a gate. */
const GATE_FEATURES: Record<
  Exclude<GateField, 'gate' | 'direction'> | 'url',
  (view: GateView) => Feature<Field<FeatureValue>>
> = {
  'client': ({ gate }) => clientFeature(gate),
  'country': ({ gate, referenceData }) =>
    feature(`country of ${clientKey(gate)}`, clientInputs(gate), ({ request }) =>
      countryOf(resolveClient(gate, request).client, referenceData),
    ),
  'server country': ({ referenceData }) =>
    feature('server country', SERVER, ({ request }) => countryOf(serverOf(request), referenceData)),
  'host': ({ isHidden }) => feature(hostKey(isHidden), HOST, ({ request }) => hostOf(request, isHidden)),
  'site': ({ isHidden }) =>
    feature(`site of ${hostKey(isHidden)}`, HOST, ({ request }) => siteOf(hostOf(request, isHidden))),
  'method': ({ isHidden }) =>
    feature(isHidden ? 'method, hidden' : 'method', [...HTTP, 'http.request.method'], ({ request }) =>
      isHidden && request.method !== 'CONNECT' ? undefined : request.method,
    ),
  'path': ({ gate: { pathReading } }) =>
    feature(`path ${readingKey(pathReading)}`, PATH, ({ request }) => pathOf(request, pathReading)),
  'payload': () =>
    feature('payload', ['jade.payload', 'network.transport'], ({ request }) => {
      const payload = payloadOf(request.attributes);
      return payload && { payload, transport: transportOf(request) };
    }),
  'category': categoryFeature,
  'url': ({ gate: { pathReading }, isHidden }) =>
    feature(
      `url ${hostKey(isHidden)} ${readingKey(pathReading)}`,
      isHidden ? HOST : [...HOST, ...PATH],
      ({ request }): UrlTarget => ({
        host: hostOf(request, isHidden),
        path: isHidden ? undefined : pathOf(request, pathReading),
      }),
    ),
};

function countryOf(address: Field<Address>, { countries }: ReferenceData): Field<string> {
  return countries && address ? countries.countryOf(address) : undefined;
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
