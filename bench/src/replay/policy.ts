/** The generated rules of the replay workloads, as data that every side reads, and as fence text. */
import { Random } from '@jadefence/demo';
import { skewed } from './requests.js';
import { COUNTRY_CODES, FIRST_ADDRESS, formatIpv4, NUM_ADDRESSES, NUM_CATEGORIES, type Scenery } from './fixtures.js';

/** One comparison of a rule; all of them must hold. */
export type Part =
  | { readonly kind: 'country'; readonly codes: readonly string[]; readonly isNegated: boolean }
  | { readonly kind: 'client'; readonly networks: readonly string[] }
  | { readonly kind: 'host'; readonly domains: readonly string[] }
  | { readonly kind: 'category'; readonly names: readonly string[] }
  | { readonly kind: 'path'; readonly prefixes: readonly string[] }
  | { readonly kind: 'path-matches' | 'agent-matches'; readonly expression: string }
  | { readonly kind: 'agent-contains'; readonly text: string }
  | { readonly kind: 'method'; readonly names: readonly string[] };

export interface BenchRule {
  readonly name: string;
  readonly parts: readonly Part[];
  readonly action: 'allow' | 'block' | { readonly count: number; readonly windowMs: number };
}

const NUM_LIMITS = 5;

/**
 * @param numRules with more rules each matches less, so that about as many requests reach the end
 */
export function makePolicy(scenery: Scenery, seed: number, numRules: number): BenchRule[] {
  const random = new Random(seed);
  const rules = Array.from({ length: numRules }, (_, index): BenchRule => {
    const parts = makeParts(scenery, random, 200 / numRules);
    return { name: `r${index}`, parts, action: random.chance(0.3) ? 'allow' : 'block' };
  });
  // The limits are in the middle, spread, so that most requests reach some of them.
  const limits: readonly [count: number, windowMs: number, parts: readonly Part[]][] = [
    [40, 86_400_000, [{ kind: 'method', names: ['POST', 'PUT', 'DELETE'] }]],
    [6, 3_600_000, [{ kind: 'path', prefixes: ['/login', '/session', '/checkout'] }]],
    [25, 86_400_000, [{ kind: 'path', prefixes: ['/api', '/search', '/admin'] }]],
    [30, 86_400_000, [{ kind: 'agent-contains', text: 'Bot/' }]],
    [90, 86_400_000, [{ kind: 'method', names: ['GET', 'HEAD'] }]],
  ];
  limits.forEach(([count, windowMs, parts], index) => {
    const at = Math.floor((numRules * (index + 1)) / (NUM_LIMITS + 1));
    rules[at] = { name: `limit${index}`, parts, action: { count, windowMs } };
  });
  return rules;
}

function makeParts(scenery: Scenery, random: Random, width: number): Part[] {
  const some = <T>(most: number, make: () => T): T[] =>
    Array.from({ length: Math.max(1, Math.round(random.fraction() * most * width)) }, make);
  const country = (): Part => ({
    kind: 'country',
    codes: [...new Set(Array.from({ length: 1 + random.below(6) }, () => random.pick(COUNTRY_CODES)))],
    isNegated: random.chance(0.1),
  });
  const client = (most = 14): Part => ({ kind: 'client', networks: [...new Set(some(most, () => network(random)))] });
  const host = (most = 60): Part => ({
    kind: 'host',
    domains: [...new Set(some(most, () => scenery.hosts[skewed(random, scenery.hosts.length, 1)]!))],
  });
  const category = (): Part => ({ kind: 'category', names: [`kind-${random.below(NUM_CATEGORIES)}`] });
  const path = (segments: number): Part => ({
    kind: 'path',
    prefixes: [...new Set(some(4, () => cutPath(scenery, random, segments)))],
  });
  const expression = (): Part => ({ kind: 'path-matches', expression: pick(random, PATH_EXPRESSIONS)(random) });
  const method = (): Part => ({ kind: 'method', names: [random.pick(['POST', 'PUT', 'DELETE', 'OPTIONS', 'HEAD'])] });
  const narrow = (): Part => (random.chance(0.5) ? client(40) : host(200));
  const kind = random.fraction();
  if (kind < 0.12) return [country(), path(2), method()];
  if (kind < 0.3) return [client()];
  if (kind < 0.38) return [client(), path(1)];
  if (kind < 0.5) return [host()];
  if (kind < 0.58) return [category(), country(), path(1)];
  if (kind < 0.64) return [category(), narrow()];
  if (kind < 0.78) return [path(3)];
  if (kind < 0.86) return [path(2), country()];
  if (kind < 0.91) return [expression(), narrow()];
  if (kind < 0.93) return [{ kind: 'agent-matches', expression: pick(random, AGENT_EXPRESSIONS)(random) }, narrow()];
  if (kind < 0.96)
    return [{ kind: 'agent-contains', text: `/${1 + random.below(140)}.${random.below(10)}.1` }, narrow()];
  return [method(), narrow()];
}

const PATH_EXPRESSIONS = [
  (random: Random) => `\\.(php|pdf)$`.replace('pdf', random.pick(['pdf', 'png', 'js'])),
  (random: Random) => `/${random.pick(['admin', 'login', 'report'])}/[a-z]+-\\d{${2 + random.below(3)}}$`,
  (random: Random) => `^/(${random.pick(['api', 'wiki'])}|${random.pick(['help', 'files'])})/.*${random.below(1000)}`,
];
const AGENT_EXPRESSIONS = [
  (random: Random) => `^${random.pick(['Heron', 'Stoat', 'Vole'])}/${1 + random.below(9)}\\.`,
  (random: Random) => `Bot/[0-9]{1,3}\\.${random.below(10)}\\.`,
];

function pick<T>(random: Random, values: readonly T[]): T {
  return values[random.below(values.length)]!;
}

/** Mostly small networks, seldom a larger one. */
function network(random: Random): string {
  if (random.chance(0.08)) return `2001:db8:${(1 + random.below(0xfff)).toString(16)}::/48`;
  const bits = random.pick([22, 24, 26, 27, 28, 28, 29, 30, 32]);
  const size = 2 ** (32 - bits);
  const first = FIRST_ADDRESS + Math.floor(random.below(NUM_ADDRESSES) / size) * size;
  return `${formatIpv4(first)}/${bits}`;
}

function cutPath(scenery: Scenery, random: Random, segments: number): string {
  const path = scenery.paths[skewed(random, scenery.paths.length, 1)]!;
  return path
    .split('/')
    .slice(0, segments + 1)
    .join('/');
}

/** The rules as a fence at an outbound gate that every client goes out through. */
export function printPolicy(rules: readonly BenchRule[]): string {
  const lists: string[] = [];
  const texts = rules.map((rule) =>
    printRule(rule, (kind, entries) => {
      lists.push(`list ${rule.name}-${kind} ${kind} { ${entries.join(', ')} }`);
      return `${rule.name}-${kind}`;
    }),
  );
  return printFence(lists, texts);
}

/** Lists, and a fence of rules at the outbound gate. */
export function printFence(lists: readonly string[], rules: readonly string[]): string {
  return [
    ...lists,
    'gate out outbound { clients 0.0.0.0/0, ::/0 fences all otherwise allow }',
    'fence all enforce {',
    ...rules,
    '}',
    '',
  ].join('\n');
}

/** @param list names a list of these entries, and returns how a comparison refers to it */
export function printRule({ name, parts, action }: BenchRule, list: NameList): string {
  const condition = parts.map((part) => printPart(part, list)).join(' and ');
  const does =
    typeof action === 'string' ? action : `limit ${action.count} per ${action.windowMs / 1000}s by client exact`;
  return `  rule ${name} ${does} when ${condition}`;
}

type NameList = (kind: 'addresses' | 'domains', entries: readonly string[]) => string;

function printPart(part: Part, list: NameList): string {
  switch (part.kind) {
    case 'country':
      return `country ${part.isNegated ? 'not in' : 'in'} ${part.codes.join(', ')}`;
    case 'client':
      return `client in ${list('addresses', part.networks)}`;
    case 'host':
      return `host in ${list('domains', part.domains)}`;
    case 'category':
      return `category in ${part.names.join(', ')}`;
    case 'path':
      return `path under ${part.prefixes.map((prefix) => JSON.stringify(prefix)).join(', ')}`;
    case 'path-matches':
      return `path matches ${JSON.stringify(part.expression)}`;
    case 'agent-matches':
      return `agent matches ${JSON.stringify(part.expression)}`;
    case 'agent-contains':
      return `agent contains ${JSON.stringify(part.text)}`;
    case 'method':
      return `method in ${part.names.join(', ')}`;
  }
}
