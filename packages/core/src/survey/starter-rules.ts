import { printText } from '../language/value.js';
import { NAME } from '../language/tree.js';
import { INTERNAL, NO_COUNTRY } from '../reference/country-table.js';
import type { BusyValue } from './heavy-hitters.js';
import type { DistinctCount } from './cardinality.js';
import { UNKNOWN_METHOD } from './survey-plan.js';

/** Three rules in trial to begin from, as fence text that can be judged at once. */
export interface Starter {
  readonly text: string;
  readonly rules: readonly StarterRule[];
}

export interface StarterRule {
  readonly name: string;
  readonly text: string;
  /** Why this rule: what the log shows. */
  readonly because: string;
  /** Requests that it would have stopped; null for a limit, which only a replay can count. */
  readonly wouldStop: number | null;
  readonly isExact: boolean;
}

/** What names the client where proxies are between it and the server. */
export interface ProxyFacts {
  readonly header: 'x-forwarded-for' | 'forwarded';
  /** The addresses that send it most, at most `MAX_TRUSTED`. */
  readonly addresses: readonly string[];
}

/** What the rules are made from. `covered` counts only what the gate of the starter covers. */
export interface StarterFacts {
  /** If requests come through proxies, rules about client addresses would be about the proxies. */
  readonly proxy?: ProxyFacts;
  /** Whether few addresses send most requests, with no header that names the client. */
  readonly looksLikeProxy: boolean;
  /** The notice where most requests name no host. */
  readonly hostNotice: string | undefined;
  /** The hosts of the gate, busiest first. */
  readonly hosts: readonly string[];
  readonly requests: number;
  readonly coveredRequests: number;
  readonly clients: DistinctCount;
  readonly burst?: { readonly client: string; readonly requests: number; readonly covered: BusyValue };
  readonly countries: readonly {
    readonly country: string;
    readonly requests: number;
    readonly clients: DistinctCount;
    readonly covered: BusyValue;
  }[];
  /** Covered requests of a method, `NO_METHOD` or `UNKNOWN_METHOD`. */
  ofMethod(method: string): BusyValue;
  readonly refusedPath?: BusyValue;
}

/** Hosts that the gate of the starter names. */
export const MAX_GATE_HOSTS = 100;
/** Proxies that the gate of the starter trusts. */
export const MAX_TRUSTED = 5;
/** A rule that would block more than this share of the requests is not suggested. */
const MAX_SHARE = 0.05;
/** A country is a candidate with at least this many requests, at most this share of all, and so many times as many a client. */
const FAR_REQUESTS = 50;
const FAR_SHARE = 0.2;
const FAR_TIMES_AS_MANY = 3;
const READING = ['GET', 'HEAD', 'OPTIONS'];

/** Picks the most useful rules for this log; fewer if the log gives no ground for three. */
export function writeStarter(facts: StarterFacts): Starter {
  // What the log shows as the client is the proxy then.
  const isDirect = !facts.proxy && !facts.looksLikeProxy;
  const rules = [
    isDirect ? burstRule(facts) : undefined,
    (isDirect ? farCountryRule(facts) : undefined) ?? writesRule(facts),
    refusedPathRule(facts),
  ].filter((rule) => rule !== undefined && (rule.wouldStop ?? 0) <= facts.coveredRequests * MAX_SHARE) as StarterRule[];
  const hosts = facts.hosts.map((host) => `=${host}`);
  const { proxy, looksLikeProxy } = facts;
  const gate = [
    ...(facts.hostNotice === undefined ? [] : [`# ${facts.hostNotice}`]),
    ...(hosts.length === 0 ? ['# The log names no host: put yours here, and judge with --gate site.'] : []),
    ...(looksLikeProxy && !proxy
      ? ['# Few addresses send most requests. If they are proxies, log the header that names the client.']
      : []),
    'gate site inbound {',
    `  hosts ${hosts.length === 0 ? 'site.example' : hosts.map(printText).join(', ')}`,
    ...(proxy ? [`  client from header ${proxy.header} trusting ${proxy.addresses.join(', ')}`] : []),
    '  fences starter',
    '  otherwise allow',
    '}',
  ];
  return {
    text: [
      ...gate,
      '',
      'fence starter enforce "To begin from" {',
      ...rules.map((rule) => `  ${rule.text}`),
      '}',
      '',
    ].join('\n'),
    rules,
  };
}

function burstRule({ burst }: StarterFacts): StarterRule | undefined {
  if (!burst || burst.covered.requests === 0) return undefined;
  return {
    name: 'block-bursting-client',
    text: `rule block-bursting-client trial block when client = ${burst.client}`,
    because: `${burst.client} made ${formatted(burst.requests)} requests within one minute`,
    wouldStop: burst.covered.requests,
    isExact: burst.covered.isExact,
  };
}

/** The country whose few clients send most requests: often one machine in a data centre. */
function farCountryRule({ countries, requests, clients }: StarterFacts): StarterRule | undefined {
  const candidates = countries.filter(
    (country) =>
      country.country !== INTERNAL &&
      country.country !== NO_COUNTRY &&
      country.requests >= FAR_REQUESTS &&
      country.requests <= requests * FAR_SHARE &&
      country.requests / country.clients.count >= (FAR_TIMES_AS_MANY * requests) / clients.count,
  );
  const far = candidates.reduce<(typeof candidates)[number] | undefined>(
    (best, item) => (best && best.requests / best.clients.count >= item.requests / item.clients.count ? best : item),
    undefined,
  );
  if (!far) return undefined;
  return {
    name: 'block-low-traffic-country',
    text: `rule block-low-traffic-country trial block when country = ${far.country}`,
    because: `${formatted(far.clients.count)} ${far.clients.count === 1 ? 'client' : 'clients'} in ${far.country} made ${formatted(far.requests)} requests`,
    wouldStop: far.covered.requests,
    isExact: far.covered.isExact,
  };
}

/** A limit, since signing in is a write, too. */
function writesRule({ ofMethod, coveredRequests }: StarterFacts): StarterRule | undefined {
  const others = [...READING, UNKNOWN_METHOD].map(ofMethod);
  const writes = coveredRequests - others.reduce((sum, method) => sum + method.requests, 0);
  if (writes <= 0) return undefined;
  return {
    name: 'limit-writes',
    text: `rule limit-writes trial limit 30 per 1m by client when method not in ${READING.join(', ')}`,
    because: `${formatted(writes)} ${writes === 1 ? 'request does' : 'requests do'} more than read`,
    wouldStop: null,
    isExact: false,
  };
}

function refusedPathRule({ refusedPath }: StarterFacts): StarterRule | undefined {
  if (!refusedPath || NAME.test(refusedPath.value)) return undefined;
  return {
    name: 'limit-refused-path',
    text: `rule limit-refused-path trial limit 10 per 1m by client when path = ${printText(refusedPath.value)}`,
    because: `${refusedPath.value} was answered 401, 403, 404 or 429 most often`,
    wouldStop: null,
    isExact: false,
  };
}

function formatted(count: number): string {
  return count.toLocaleString('en');
}
