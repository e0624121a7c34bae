/**
 * A second reading of the language reference, for holding the interpreter against: truth as numbers, sets as lists of
 * texts, addresses by another library, fences as one flat list of steps. It shares the tree and nothing else, and makes
 * no attempt to be fast or complete beyond what `arbitrary-fences.ts` writes.
 */
import ipaddr from 'ipaddr.js';
import type { Condition, FenceStatement, GateStatement, ListStatement, Statement, Value } from '../language/tree.js';
import { printValue } from '../language/value.js';

/** A request as plain texts; `undefined` is unknown, `null` none. */
export interface NaiveRequest {
  readonly client?: string | null;
  readonly country?: string;
  readonly host?: string | null;
  readonly path?: string | null;
  readonly method?: string | null;
}

export interface NaiveDecision {
  readonly outcome: string;
  readonly gate?: string;
  readonly decider: string;
  readonly would: readonly string[];
  readonly tags: readonly string[];
  readonly blind: readonly string[];
}

/** 1 is true, 0 is false, 0.5 is unknown: then and is the least, or the greatest, and not the rest to one. */
type Degree = 0 | 0.5 | 1;

export function judgeNaively(statements: readonly Statement[], request: NaiveRequest): NaiveDecision {
  const lists = new Map(
    statements.flatMap((statement) => (statement.kind === 'list' ? [[statement.name, statement] as const] : [])),
  );
  const gate = findGate(statements, lists, request.host);
  if (!gate) return { outcome: 'uncovered', decider: '', would: [], tags: [], blind: [] };
  const fences = gate.fences.map(
    ({ name }) =>
      statements.find((statement) => statement.kind === 'fence' && statement.name === name) as FenceStatement,
  );
  const tags = { acting: [] as string[], trial: [] as string[] };
  const would: string[] = [];
  const blind: string[] = [];
  let allowedBy: string | undefined;
  for (const fence of fences) {
    const ending = walk(fence, request, lists, tags, would, blind);
    if (ending === undefined) continue;
    const [outcome, decider, isOutright] = ending;
    if (fence.mode === 'trial') would.push(`${decider}:${outcome}`);
    else if (outcome === 'blocked' || isOutright)
      return { outcome, gate: gate.name, decider, would, tags: tags.acting, blind };
    else allowedBy = decider;
  }
  const outcome = allowedBy !== undefined || gate.otherwise.kind === 'allow' ? 'allowed' : 'blocked';
  return { outcome, gate: gate.name, decider: allowedBy ?? '', would, tags: tags.acting, blind };
}

type Lists = ReadonlyMap<string, ListStatement>;
type Ending = readonly [outcome: string, decider: string, isOutright: boolean];

function walk(
  fence: FenceStatement,
  request: NaiveRequest,
  lists: Lists,
  tags: { acting: string[]; trial: string[] },
  would: string[],
  blind: string[],
): Ending | undefined {
  for (const rule of fence.rules) {
    if (rule.state === 'off') continue;
    const isTrial = rule.state === 'trial' || fence.mode === 'trial';
    const seen = isTrial ? [...tags.acting, ...tags.trial] : tags.acting;
    const degree = degreeOf(rule.condition, request, seen, lists);
    if (degree === 0.5) blind.push(`${fence.name}/${rule.name}`);
    if (degree !== 1) continue;
    const { action } = rule;
    if (action.kind === 'tag') {
      const into = isTrial ? tags.trial : tags.acting;
      for (const tag of action.tags) if (!into.includes(tag)) into.push(tag);
    }
    if (action.kind !== 'allow' && action.kind !== 'block') continue;
    const outcome = action.kind === 'allow' ? 'allowed' : 'blocked';
    const decider = `${fence.name}/${rule.name}`;
    if (rule.state === 'trial') would.push(`${decider}:${outcome}`);
    else return [outcome, decider, action.kind === 'allow' && action.isOutright];
  }
  if (fence.otherwise.kind === 'continue') return undefined;
  return [fence.otherwise.kind === 'allow' ? 'allowed' : 'blocked', fence.name, false];
}

function degreeOf(condition: Condition, request: NaiveRequest, tags: readonly string[], lists: Lists): Degree {
  switch (condition.kind) {
    case 'always':
      return 1;
    case 'not':
      return (1 - degreeOf(condition.part, request, tags, lists)) as Degree;
    case 'and':
      return Math.min(...condition.parts.map((part) => degreeOf(part, request, tags, lists))) as Degree;
    case 'or':
      return Math.max(...condition.parts.map((part) => degreeOf(part, request, tags, lists))) as Degree;
    case 'comparison': {
      const { field, operator, isNegated, values } = condition;
      const actual = field === 'tag' ? tags : request[field as keyof NaiveRequest];
      if (actual === undefined) return 0.5;
      const all = actual === null ? [] : [actual].flat();
      const holds = all.some((one) => values.some((value) => covers(field, operator, value, one, lists)));
      return holds !== isNegated ? 1 : 0;
    }
  }
}

function covers(field: string, operator: string, value: Value, actual: string, lists: Lists): boolean {
  if (value.kind === 'list') return isInList(lists.get(value.name)!, actual, lists);
  const text = value.kind === 'text' ? value.text : printValue(value).replaceAll('"', '');
  if (value.kind === 'addresses') return isInAddresses(text, actual);
  if (value.kind === 'domain' && operator === 'in') return isInDomainEntry(text, actual);
  if (operator !== 'under') return actual === text;
  const separator = field === 'path' ? '/' : '.';
  const parts = (one: string): string[] => {
    const split = one.split(separator);
    return field === 'path' ? split : split.reverse();
  };
  const wanted = parts(text.length > 1 && text.endsWith('/') ? text.slice(0, -1) : text);
  if (text === '/') return true;
  const given = parts(actual);
  return wanted.every((part, index) => given[index] === part);
}

function isInList(list: ListStatement, actual: string, lists: Lists): boolean {
  if (list.source.kind !== 'inline') throw new Error('lists in files are not asked here');
  const kind = { addresses: 'client', countries: 'country', domains: 'host' }[list.listKind];
  const isAny = (values: readonly Value[]): boolean => values.some((value) => covers(kind, 'in', value, actual, lists));
  return isAny(list.source.entries) && !isAny(list.source.exceptions);
}

function isInAddresses(text: string, actual: string): boolean {
  const address = ipaddr.process(actual);
  if (text.includes('/')) {
    const [network, bits] = ipaddr.parseCIDR(text);
    return network.kind() === address.kind() && address.match(network, bits);
  }
  const [first, last = first] = text.split(' - ').map((one) => ipaddr.parse(one));
  if (first!.kind() !== address.kind()) return false;
  const compare = (a: readonly number[], b: readonly number[]): number =>
    a.reduce((difference, byte, index) => difference || byte - b[index]!, 0);
  const bytes = address.toByteArray();
  return compare(first!.toByteArray(), bytes) <= 0 && compare(bytes, last!.toByteArray()) <= 0;
}

function isInDomainEntry(entry: string, host: string): boolean {
  if (entry.startsWith('=')) return host === entry.slice(1);
  if (entry.startsWith('*.')) return host.endsWith(entry.slice(1));
  return host === entry || host.endsWith(`.${entry}`);
}

/** The gate whose covering entry has most labels; `=` wins among equals, and then the first. */
function findGate(
  statements: readonly Statement[],
  lists: Lists,
  host: string | null | undefined,
): GateStatement | undefined {
  if (host == null) return undefined;
  const entriesOf = (value: Value): string[] => {
    if (value.kind !== 'list') return [printValue(value).replaceAll('"', '')];
    const { source } = lists.get(value.name)!;
    return source.kind === 'inline' ? source.entries.flatMap(entriesOf) : [];
  };
  const candidates = statements.flatMap((statement, order) => {
    if (statement.kind !== 'gate') return [];
    const covering = statement.hosts.flatMap(entriesOf).filter((entry) => isInDomainEntry(entry, host));
    return covering.map((entry) => ({
      gate: statement,
      rank: [-entry.split('.').length, entry.startsWith('=') ? 0 : 1, order],
    }));
  });
  candidates.sort((a, b) => a.rank.reduce((difference, part, index) => difference || part - b.rank[index]!, 0));
  return candidates[0]?.gate;
}
