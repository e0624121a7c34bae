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
  /** Requests that it would have stopped. */
  readonly wouldStop: number;
  readonly isExact: boolean;
}

/** What the rules are made from. `covered` counts only what the gate of the starter covers. */
export interface StarterFacts {
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
/** A country is a candidate with at least this many requests, at most this share of all, and so many times as many a client. */
const FAR_REQUESTS = 50;
const FAR_SHARE = 0.2;
const FAR_TIMES_AS_MANY = 3;
const READING = ['GET', 'HEAD', 'OPTIONS'];

/** Picks the most useful rules for this log; fewer if the log gives no ground for three. */
export function writeStarter(facts: StarterFacts): Starter {
  const rules = [burstRule(facts), farCountryRule(facts) ?? writesRule(facts), refusedPathRule(facts)].filter(
    (rule) => rule !== undefined,
  );
  const hosts = facts.hosts.map((host) => `=${host}`);
  const gate = [
    ...(hosts.length === 0 ? ['# The log names no host: put yours here, and judge with --gate site.'] : []),
    'gate site inbound {',
    `  hosts ${hosts.length === 0 ? 'site.example' : hosts.map(printText).join(', ')}`,
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
    name: 'loudest-client',
    text: `rule loudest-client trial block when client = ${burst.client}`,
    because: `${burst.client} made ${formatted(burst.requests)} requests within one minute`,
    wouldStop: burst.covered.requests,
    isExact: burst.covered.isExact,
  };
}

/** The country whose few clients send most requests: often one machine in a data centre. */
function farCountryRule({ countries, requests, clients }: StarterFacts): StarterRule | undefined {
  const candidates = countries.filter(
    (one) =>
      one.country !== INTERNAL &&
      one.country !== NO_COUNTRY &&
      one.requests >= FAR_REQUESTS &&
      one.requests <= requests * FAR_SHARE &&
      one.requests / one.clients.count >= (FAR_TIMES_AS_MANY * requests) / clients.count,
  );
  const far = candidates.reduce<(typeof candidates)[number] | undefined>(
    (best, one) => (best && best.requests / best.clients.count >= one.requests / one.clients.count ? best : one),
    undefined,
  );
  if (!far) return undefined;
  return {
    name: 'few-from-there',
    text: `rule few-from-there trial block when country = ${far.country}`,
    because: `${formatted(far.clients.count)} ${far.clients.count === 1 ? 'client' : 'clients'} in ${far.country} made ${formatted(far.requests)} requests`,
    wouldStop: far.covered.requests,
    isExact: far.covered.isExact,
  };
}

/** On an unknown method the condition is unknown, so the rule does not match. */
function writesRule({ ofMethod, coveredRequests }: StarterFacts): StarterRule | undefined {
  const others = [...READING, UNKNOWN_METHOD].map(ofMethod);
  const writes = coveredRequests - others.reduce((sum, method) => sum + method.requests, 0);
  if (writes <= 0) return undefined;
  return {
    name: 'writes',
    text: `rule writes trial block when method not in ${READING.join(', ')}`,
    because: `${formatted(writes)} ${writes === 1 ? 'request does' : 'requests do'} more than read`,
    wouldStop: writes,
    isExact: others.every((method) => method.isExact),
  };
}

function refusedPathRule({ refusedPath }: StarterFacts): StarterRule | undefined {
  if (!refusedPath || NAME.test(refusedPath.value)) return undefined;
  return {
    name: 'most-refused-path',
    text: `rule most-refused-path trial block when path = ${printText(refusedPath.value)}`,
    because: `${refusedPath.value} was answered 401, 403, 404 or 429 most often`,
    wouldStop: refusedPath.requests,
    isExact: refusedPath.isExact,
  };
}

function formatted(count: number): string {
  return count.toLocaleString('en');
}
