/** Of each axis, values among which each class of it is. */
import type { EvaluationContext } from '../../decide/interpreter.js';
import type { Categories } from '../../reference/categories.js';
import { rangeOwnersOf, type RangeOwner } from './address-sweep.js';
import type { Candidate, Kind, Settings } from './axes.js';
import type { Atom } from './recording-partitions.js';
import type { Samples } from './samples.js';
import {
  boundaryNumbers,
  hostsOf,
  literalsOf,
  pathsOf,
  SAMPLE_PAYLOADS,
  textsOf,
  valuesIn,
  type Lists,
  type Literals,
} from './values.js';

export interface Candidates {
  readonly candidates: Iterable<Candidate>;
  readonly isInexact: boolean;
}

/** HTTP fields are none or unknown of traffic that is not HTTP. */
const NOT_HTTP: readonly Candidate[] = [
  { kind: 'none', settings: {} },
  { kind: 'unknown', settings: {} },
  { kind: 'server-name', settings: {} },
];

export interface CandidatesInput {
  readonly contexts: readonly EvaluationContext[];
  /** What the comparisons name. */
  readonly lists: Lists;
  readonly samples: Samples;
  /** Hosts are chosen with their paths. */
  readonly hasPathsOfHosts: boolean;
  /** What is encrypted may be hidden, so that the name of the TLS server is what is seen. */
  readonly isOutbound: boolean;
  /** Whether it is hidden depends on rules. */
  readonly hasInspection: boolean;
}

export function candidatesOf(
  name: string,
  atoms: readonly Atom[],
  { contexts, lists, samples, hasPathsOfHosts, isOutbound, hasInspection }: CandidatesInput,
): Candidates {
  const { categories } = contexts[0]!;
  const literals = literalsOf(atoms, lists);
  const hostsOfGates = (): Literals['values'] =>
    contexts.flatMap(({ rulebook }) =>
      rulebook.gates.flatMap(({ statement }) => valuesIn(statement.hosts, rulebook.lists).values),
    );
  const exactly = (candidates: Iterable<Candidate>): Candidates => ({ candidates, isInexact: literals.hasDataset });
  switch (name) {
    case 'client':
      return exactly(clients(atoms, clientOwners(atoms, lists, contexts), samples));
    case 'server': {
      const addresses = addressesOf(rangeOwnersOf(comparisonsOf(atoms), lists), usesCountry(atoms), samples);
      return exactly(each([null, undefined, ...addresses], (value) => ({ 'destination.address': value })));
    }
    case 'host': {
      const hosts = hostsOf([...literals.values, ...hostsOfGates()]);
      const isOfCategory = atoms.some(({ comparison }) => comparison.field === 'category');
      const all = [...new Set([...hosts, ...(isOfCategory ? samples.hosts : [])])];
      // Which pairs of host and server name there are matters only where rules decide what is inspected.
      const isInexact = literals.hasDataset || (hasInspection && all.length > MAX_PAIRED_HOSTS);
      const hostCandidates = hasPathsOfHosts
        ? urls(all, isOutbound, isOfCategory ? pathsOfFeeds(categories, literals) : pathsOf(literals.values))
        : [...httpValues([...all, null, undefined], hostSettings, all), ...(isOutbound ? named(all, [undefined]) : [])];
      return { candidates: hostCandidates, isInexact };
    }
    case 'path':
      return exactly([
        ...httpValues([...pathsOf(literals.values), null, undefined], (value) => ({ 'url.path': value })),
        { kind: 'connect', settings: {} },
      ]);
    case 'port':
      return exactly(ports(atoms, literals));
    case 'method': {
      const methods = textsOf(atoms, 'PATCH').filter((method) => method !== 'CONNECT');
      return exactly([
        ...httpValues(['GET', ...methods, null, undefined], (value) => ({ 'http.request.method': value })),
        { kind: 'connect', settings: { 'http.request.method': 'CONNECT' } },
      ]);
    }
    case 'flow':
      return flows(atoms);
    case 'agent':
      return exactly(
        httpValues([...textsOf(atoms, 'other-agent'), null, undefined], (value) => ({ 'user_agent.original': value })),
      );
    case 'size':
      return exactly(sizes(atoms));
    case 'to-client':
      return exactly(
        each([null, undefined, ...boundaryNumbers(literals.values)], (value) =>
          value === null
            ? { 'http.response.size': null, 'http.response.body.size': null }
            : { 'http.response.size': value },
        ),
      );
    case 'query':
      return exactly(httpValues(['other=1', null, undefined], (value) => ({ 'url.query': value })));
    case 'cookie':
      return exactly(
        httpValues(['other=1', null, undefined], (value) => ({ 'http.request.header.cookie': value && [value] })),
      );
    case 'user':
      return exactly(each(['other-user', null, undefined], (value) => ({ 'user.name': value && [value] })));
    case 'group':
      return exactly(each(['other-group', null, undefined], (value) => ({ 'jade.groups': value && [value] })));
    default: {
      const header = `http.request.header.${name.replace(/^header /, '')}`;
      return exactly(httpValues(['other-value', null, undefined], (value) => ({ [header]: value && [value] })));
    }
  }
}

function* each<T>(values: Iterable<T>, settingsOf: (value: T) => Settings): Generator<Candidate> {
  for (const value of values) yield { kind: 'any', settings: settingsOf(value) };
}

/** @param serverNames of TLS that is not HTTP */
function* httpValues<T>(
  values: readonly (T | undefined)[],
  settingsOf: (value: T | undefined) => Settings,
  serverNames: readonly string[] = [],
): Generator<Candidate> {
  const kindOf = (value: T | undefined): Kind => (value === undefined ? 'lacking' : 'http');
  for (const value of values) yield { kind: kindOf(value), settings: settingsOf(value) };
  yield* NOT_HTTP.filter(({ kind }) => kind !== 'server-name' || serverNames.length === 0);
  for (const host of serverNames) yield { kind: 'server-name', settings: { 'tls.client.server_name': host } };
}

function hostSettings(host: string | null | undefined): Settings {
  return { 'http.request.header.host': host && [host] };
}

/** Of more hosts not every one is tried with the server name of every other. */
const MAX_PAIRED_HOSTS = 24;

/** HTTP that also has the name of a TLS server, which is what is seen of it where it is encrypted. */
function* named(hosts: readonly string[], paths: readonly (string | null | undefined)[]): Generator<Candidate> {
  const [other] = hosts;
  for (const serverName of hosts)
    for (const host of hosts.length <= MAX_PAIRED_HOSTS ? hosts : [other!, serverName])
      for (const path of paths)
        yield {
          kind: 'named',
          settings: {
            ...hostSettings(host),
            'tls.client.server_name': serverName,
            ...(paths.length === 1 ? {} : { 'url.path': path }),
          },
        };
}

function usesCountry(atoms: readonly Atom[]): boolean {
  return atoms.some(({ comparison: { field } }) => field === 'country' || field === 'server country');
}

const PLAIN_ADDRESSES: readonly string[] = ['198.51.100.1', '2001:db8:ffff::1', '0.0.0.0', '::'];

/** Of each class of addresses one, the plainest first. */
function addressesOf(owners: readonly RangeOwner[], isByCountry: boolean, { addresses }: Samples): Set<string> {
  return new Set([...PLAIN_ADDRESSES, ...addresses.addressesOf(owners, isByCountry)]);
}

function comparisonsOf(atoms: readonly Atom[]): Atom['comparison'][] {
  return atoms.map(({ comparison }) => comparison);
}

/** Gates have clients, too; those of one side of a comparison may be others under the same names of lists. */
function clientOwners(atoms: readonly Atom[], lists: Lists, contexts: readonly EvaluationContext[]): RangeOwner[] {
  return [
    ...rangeOwnersOf(comparisonsOf(atoms), lists),
    ...contexts.flatMap(({ rulebook }) =>
      rulebook.gates.map(({ statement }) => ({
        key: statement,
        values: valuesIn(statement.clients, rulebook.lists).values,
      })),
    ),
  ].filter(({ values }) => values.length > 0);
}

/** Without comparisons of the peer it is the client. */
function* clients(atoms: readonly Atom[], owners: readonly RangeOwner[], samples: Samples): Generator<Candidate> {
  const all = addressesOf(owners, usesCountry(atoms), samples);
  if (!atoms.some(({ comparison }) => comparison.field === 'peer')) {
    yield* each([...all, null, undefined], (value) => ({ 'client.address': value }));
    return;
  }
  for (const client of [...all, null, undefined])
    for (const peer of [...addressesOf(owners, false, samples), null, undefined])
      yield { kind: 'any', settings: { 'client.address': client, 'network.peer.address': peer } };
}

function pathsOfFeeds(categories: Categories | undefined, { values }: Literals): string[] {
  const ofFeeds = new Set(Array.from(categories?.entries() ?? [], ({ path }) => path));
  return [
    ...new Set([
      ...pathsOf(values),
      ...[...ofFeeds].filter((path) => path !== '').flatMap((path) => [path, `${path}/below`]),
    ]),
  ];
}

/** Host and path together, where something looks at both. */
function* urls(hosts: readonly string[], isOutbound: boolean, paths: readonly string[]): Generator<Candidate> {
  for (const host of [...hosts, null, undefined])
    for (const path of [...paths, null, undefined])
      yield {
        kind: host === undefined || path === undefined ? 'lacking' : 'http',
        settings: { ...hostSettings(host), 'url.path': path },
      };
  for (const host of [...hosts, null, undefined])
    yield { kind: 'connect', settings: { ...hostSettings(host), 'url.path': undefined } };
  if (isOutbound) yield* named(hosts, [...paths, null, undefined]);
  yield* NOT_HTTP.slice(0, 2);
  for (const host of hosts) yield { kind: 'server-name', settings: { 'tls.client.server_name': host } };
}

/** The port of a scheme is its own unless another is known. */
function* ports(atoms: readonly Atom[], { values }: Literals): Generator<Candidate> {
  const schemes = [
    'http',
    'https',
    ...textsOf(
      atoms.filter(({ comparison }) => comparison.field === 'scheme'),
      'other',
    ),
  ];
  const numbers = [...boundaryNumbers(values), 80, 443, null, undefined];
  for (const scheme of [...new Set(schemes), null, undefined])
    for (const port of numbers) yield { kind: 'http', settings: { 'url.scheme': scheme, 'server.port': port } };
  for (const port of numbers) for (const { kind } of NOT_HTTP) yield { kind, settings: { 'server.port': port } };
}

function* sizes(atoms: readonly Atom[]): Generator<Candidate> {
  const numbers = (field: string): (number | null | undefined)[] => {
    const some = atoms.filter(({ comparison }) => comparison.field === field);
    return [...boundaryNumbers(some.flatMap(({ comparison }) => comparison.values)), null, undefined];
  };
  const [bodies, requests] = [numbers('size'), numbers('from-client')];
  const isOfRequests = atoms.some(({ comparison }) => comparison.field === 'from-client');
  for (const body of bodies)
    for (const request of isOfRequests ? requests : [undefined])
      for (const kind of ['http', 'none', 'unknown', 'server-name'] as const)
        yield { kind, settings: { 'http.request.body.size': body, 'http.request.size': request } };
}

/** First bytes and what carries them. Of several tests of them, not every mixture is tried: bytes can look like two protocols. */
function flows(atoms: readonly Atom[]): Candidates {
  const ofPayload = atoms.filter(({ comparison }) => comparison.field === 'payload');
  const starts = ofPayload.filter(({ comparison }) => comparison.operator === 'starts');
  const hex = starts.flatMap(({ comparison }) =>
    comparison.values.flatMap((value) => (value.kind === 'bytes' ? [value.hex] : [])),
  );
  const samples = ofPayload.length === 0 ? ['ff'] : ['ff', ...SAMPLE_PAYLOADS, ...hex];
  const transports = [
    'tcp',
    'udp',
    'icmp',
    ...textsOf(
      atoms.filter(({ comparison }) => comparison.field === 'transport'),
      'tcp',
    ),
  ];
  const all: Candidate[] = [];
  for (const transport of [...new Set(transports), null, undefined])
    for (const payload of [undefined, null, ...samples.map(toBase64)])
      all.push({ kind: 'any', settings: { 'network.transport': transport, 'jade.payload': payload } });
  return { candidates: all, isInexact: ofPayload.length > 1 };
}

function toBase64(hex: string): string {
  const bytes = hex.match(/../g) ?? [];
  return btoa(bytes.map((pair) => String.fromCharCode(Number.parseInt(pair, 16))).join(''));
}
