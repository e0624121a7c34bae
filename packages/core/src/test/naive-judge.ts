/**
 * A second reading of the language reference, for holding the interpreter against: truth as numbers, every value as
 * text, sets as lists of texts, addresses by another library, limits as a search through all that came before. It
 * shares the tree and nothing else, and makes no attempt to be fast or complete beyond what `arbitrary-fences.ts` writes.
 */
import ipaddr from 'ipaddr.js';
import type {
  Condition,
  FenceStatement,
  GateStatement,
  ListStatement,
  Rule,
  ScheduleStatement,
  Statement,
  Value,
} from '../language/tree.js';
import { printValue } from '../language/value.js';
import { isInHours, localTime } from './naive-hours.js';
import { cut, waitOf, type Passed } from './naive-waits.js';
import { readNaively, type NaiveRecord } from './naive-fields.js';

export interface NaiveDecision {
  readonly outcome: string;
  readonly gate?: string;
  readonly decider: string;
  readonly would: readonly string[];
  readonly tags: readonly string[];
  readonly blind: readonly string[];
  /** `fence/rule ms`, with a star in trial. */
  readonly waits: readonly string[];
}

/** 1 is true, 0 is false, 0.5 is unknown: then `and` is the minimum, `or` the maximum, and `not` the rest to one. */
type Degree = 0 | 0.5 | 1;
/** The values of a field: `undefined` is unknown, an empty list none. */
type Values = readonly string[] | undefined;
type Evaluate = (field: string, parameter?: string) => Values;

interface NaiveCounters {
  /** Every request that a limit counted. */
  readonly counted: { readonly key: string; readonly t: number }[];
  /** Every hold, of limits and of people. */
  readonly held: { readonly key: string; readonly from: number; readonly to: number }[];
  /** Every request that a throttle metered. */
  readonly passed: Passed[];
}

/** Judges a whole log, in its order. @param countryOf the country of a client, undefined without a table */
export function judgeNaively(
  statements: readonly Statement[],
  log: readonly NaiveRecord[],
  countryOf: (client: string) => string | undefined,
): NaiveDecision[] {
  const memory: NaiveCounters = { counted: [], held: [], passed: [] };
  const ofKind = <K extends Statement['kind']>(kind: K) =>
    statements.filter((statement): statement is Extract<Statement, { kind: K }> => statement.kind === kind);
  const lists = new Map(ofKind('list').map((list) => [list.name, list]));
  return log.map((record) => {
    const gate = findGate(ofKind('gate'), lists, record);
    if (!gate) return { outcome: 'uncovered', decider: '', would: [], tags: [], blind: [], waits: [] };
    const evaluateHidden = readNaively(record, gate, clientOf(gate, lists, record), countryOf, true);
    const isHidden = !isVisible(gate, record, (condition) => degreeOf(condition, evaluateHidden, [], lists));
    const evaluate = isHidden
      ? evaluateHidden
      : readNaively(record, gate, clientOf(gate, lists, record), countryOf, false);
    const walk = {
      gate,
      evaluate,
      t: record.t,
      lists,
      memory,
      schedules: ofKind('schedule'),
      zone: ofKind('zone')[0]?.zone,
    };
    const fences = gate.fences.map(({ name }) => ofKind('fence').find((fence) => fence.name === name)!);
    return judgeAtGate(gate, fences, walk);
  });
}

interface WalkContext {
  readonly gate: GateStatement;
  readonly evaluate: Evaluate;
  readonly t: number;
  readonly lists: Lists;
  readonly memory: NaiveCounters;
  readonly schedules: readonly ScheduleStatement[];
  readonly zone: string | undefined;
}
type Lists = ReadonlyMap<string, ListStatement>;
type Ending = readonly [outcome: string, decider: string, isOutright: boolean];

function judgeAtGate(gate: GateStatement, fences: readonly FenceStatement[], context: WalkContext): NaiveDecision {
  const tags = { acting: [] as string[], trial: [] as string[] };
  const would: string[] = [];
  const blind: string[] = [];
  const waits: string[] = [];
  let allowedBy: string | undefined;
  for (const fence of fences) {
    const ending = walkFence(fence, context, tags, would, blind, waits);
    if (ending === undefined) continue;
    const [outcome, decider, isOutright] = ending;
    if (fence.mode === 'trial') would.push(`${decider}:${outcome}`);
    else if (outcome !== 'allowed' || isOutright)
      return { outcome, gate: gate.name, decider, would, tags: tags.acting, blind, waits };
    else allowedBy = decider;
  }
  const outcome = allowedBy !== undefined ? 'allowed' : OUTCOME_OF[gate.otherwise.kind]!;
  return { outcome, gate: gate.name, decider: allowedBy ?? '', would, tags: tags.acting, blind, waits };
}

const OUTCOME_OF: Record<string, string> = {
  allow: 'allowed',
  block: 'blocked',
  redirect: 'redirected',
  limit: 'limited',
  warn: 'held',
  passphrase: 'held',
  challenge: 'held',
};

function walkFence(
  fence: FenceStatement,
  context: WalkContext,
  tags: { acting: string[]; trial: string[] },
  would: string[],
  blind: string[],
  waits: string[],
): Ending | undefined {
  for (const rule of fence.rules) {
    if (!isLive(rule, context)) continue;
    const isTrial = rule.state === 'trial' || fence.mode === 'trial';
    const seen = isTrial ? [...tags.acting, ...tags.trial] : tags.acting;
    const degree = degreeOf(rule.condition, context.evaluate, seen, context.lists);
    const id = `${fence.name}/${rule.name}`;
    if (degree === 0.5) blind.push(id);
    if (degree !== 1 && !(degree === 0.5 && rule.matchesUnknown)) continue;
    const { action } = rule;
    if (action.kind === 'tag') {
      const into = isTrial ? tags.trial : tags.acting;
      for (const tag of action.tags) if (!into.includes(tag)) into.push(tag);
    }
    if (action.kind === 'tag' || action.kind === 'observe') continue;
    if (action.kind === 'throttle') {
      const wait = waitOf(action, [id, action.isAcrossGates ? '' : context.gate.name], context);
      if (wait === undefined && !blind.includes(id)) blind.push(id);
      if (wait) waits.push(`${id} ${wait}${isTrial ? '*' : ''}`);
      continue;
    }
    const stops = remember(rule, id, context);
    if (stops === undefined && !blind.includes(id)) blind.push(id);
    if (!stops) continue;
    const outcome = OUTCOME_OF[action.kind]!;
    if (rule.state === 'trial') would.push(`${id}:${outcome}`);
    else return [outcome, id, action.kind === 'allow' && action.isOutright];
  }
  if (fence.otherwise.kind === 'continue') return undefined;
  return [OUTCOME_OF[fence.otherwise.kind]!, fence.name, false];
}

/** Whether the action causes its outcome; undefined if a key is unknown. */
function remember({ action }: Rule, id: string, { gate, evaluate, t, memory }: WalkContext): boolean | undefined {
  const isHeld = (key: string): boolean =>
    memory.held.some((hold) => hold.key === key && hold.from <= t && t < hold.to);
  if (action.kind === 'limit') {
    const parts = action.keys.map((key) =>
      key.kind === 'client' ? cut(evaluate('client'), key.bits4, key.bits6) : evaluate(key.field, key.parameter),
    );
    if (parts.includes(undefined)) return undefined;
    const key = JSON.stringify([id, action.isAcrossGates ? '' : gate.name, parts]);
    memory.counted.push({ key, t });
    const inWindow = memory.counted.filter((item) => item.key === key && item.t > t - action.windowMs && item.t <= t);
    const isOver = inWindow.length > action.count;
    if (isHeld(key)) return true;
    if (isOver && action.holdMs !== undefined) memory.held.push({ key, from: t, to: t + action.holdMs });
    return isOver;
  }
  if (action.kind === 'warn' || action.kind === 'passphrase' || action.kind === 'challenge') {
    const user = evaluate('user');
    const who = user && user.length > 0 ? ['user', ...user] : cut(evaluate('client'), 32, 64);
    if (who === undefined) return undefined;
    const key = JSON.stringify([id, gate.name, who]);
    if (isHeld(key)) return false;
    memory.held.push({ key, from: t, to: t + action.holdMs });
  }
  return true;
}

function isLive({ state, hours, until }: Rule, { t, schedules, zone = 'UTC' }: WalkContext): boolean {
  if (state === 'off') return false;
  if (until?.kind === 'instant' && t >= until.atUnixMs) return false;
  if (until?.kind === 'date' && localTime(t, zone).date > until.date) return false;
  if (!hours) return true;
  const schedule = schedules.find((scheduleStatement) => scheduleStatement.name === hours.schedule.name)!;
  return isInHours(schedule, t, schedule.zone ?? zone) !== hours.isOutside;
}

/** Inbound gates see everything; outbound ones what is not encrypted, or is inspected. */
function isVisible(gate: GateStatement, record: NaiveRecord, degree: (condition: Condition) => Degree): boolean {
  const { attributes } = record;
  const isEncrypted =
    attributes['url.scheme'] === 'https' ||
    attributes['http.request.method'] === 'CONNECT' ||
    attributes['tls.client.server_name'] !== undefined;
  if (gate.direction === 'inbound' || !isEncrypted) return true;
  if (!gate.inspection) return attributes['jade.inspected'] === true;
  const rule = gate.inspection.rules.find((eachRule) => degree(eachRule.condition) === 1);
  return rule ? rule.isInspected : gate.inspection.otherwise;
}

function degreeOf(condition: Condition, evaluate: Evaluate, tags: readonly string[], lists: Lists): Degree {
  switch (condition.kind) {
    case 'always':
      return 1;
    case 'not':
      return (1 - degreeOf(condition.part, evaluate, tags, lists)) as Degree;
    case 'and':
      return Math.min(...condition.parts.map((part) => degreeOf(part, evaluate, tags, lists))) as Degree;
    case 'or':
      return Math.max(...condition.parts.map((part) => degreeOf(part, evaluate, tags, lists))) as Degree;
    case 'comparison': {
      const { field, parameter, operator, isNegated, isAnyCase, values } = condition;
      if (field === 'url') {
        const degrees = values.map((value) => urlDegree(value, evaluate, lists));
        const degree = operator === 'present' ? urlDegree(undefined, evaluate, lists) : Math.max(...degrees);
        return (isNegated ? 1 - degree : degree) as Degree;
      }
      const actual = field === 'tag' ? tags : evaluate(field, parameter);
      if (actual === undefined) return 0.5;
      if (operator === 'present') return actual.length > 0 !== isNegated ? 1 : 0;
      const fold = (text: string): string => (isAnyCase ? text.toLowerCase() : text);
      const holds = actual.some((name) =>
        values.some((value) => covers(field, operator, value, fold(name), lists, fold)),
      );
      return holds !== isNegated ? 1 : 0;
    }
  }
}

/** The minimum of both halves, per entry; for `undefined` whether there is a URL at all. */
function urlDegree(value: Value | undefined, evaluate: Evaluate, lists: Lists): Degree {
  if (value?.kind === 'list') {
    const { source } = lists.get(value.name)!;
    if (source.kind !== 'inline') throw new Error('lists in files are not tested here');
    const any = (all: readonly Value[]): number => Math.max(0, ...all.map((item) => urlDegree(item, evaluate, lists)));
    return Math.min(any(source.entries), 1 - any(source.exceptions)) as Degree;
  }
  const half = (actual: Values, test: (text: string) => boolean): number =>
    actual === undefined ? 0.5 : actual.some(test) ? 1 : 0;
  const [, host, path] = /^([^/]*)(.*)$/.exec(value ? printValue(value) : '')!;
  return Math.min(
    half(evaluate('host'), (text) => !value || isInDomainEntry(host!, text)),
    half(evaluate('path'), (text) => !value || `${text}/`.startsWith(`${path!.replace(/\/$/, '')}/`)),
  ) as Degree;
}

function covers(
  field: string,
  operator: string,
  value: Value,
  actual: string,
  lists: Lists,
  fold: (text: string) => string = (text) => text,
): boolean {
  if (value.kind === 'list') return isInList(lists.get(value.name)!, field, actual, lists);
  if (value.kind === 'number') {
    const number = Number(actual);
    if (operator === '=' || operator === 'in') return value.first <= number && number <= value.last;
    return (
      { '<': number < value.first, '<=': number <= value.first, '>': number > value.first }[operator] ??
      number >= value.first
    );
  }
  const text = fold(value.kind === 'text' ? value.text : printValue(value).replaceAll('"', ''));
  switch (operator) {
    case 'like':
      return new RegExp(
        `^${text
          .replace(/[.+^${}()|[\]\\]/g, '\\$&')
          .replaceAll('*', '.*')
          .replaceAll('?', '.')}$`,
        's',
      ).test(actual);
    case 'starts':
      return actual.indexOf(text) === 0;
    case 'ends':
      return actual.length >= text.length && actual.slice(actual.length - text.length) === text;
    case 'contains':
      return actual.split(text).length > 1;
    case 'matches':
      return new RegExp(text).test(actual);
  }
  if (value.kind === 'addresses') return isInAddresses(text, actual);
  if (value.kind === 'domain' && operator === 'in') return isInDomainEntry(text, actual);
  if (operator !== 'under') return actual === text;
  const separator = field === 'path' ? '/' : '.';
  const parts = (name: string): string[] => {
    const split = name.split(separator);
    return field === 'path' ? split : split.reverse();
  };
  const wanted = parts(text.length > 1 && text.endsWith('/') ? text.slice(0, -1) : text);
  if (text === '/') return true;
  const given = parts(actual);
  return wanted.every((part, index) => given[index] === part);
}

function isInList(list: ListStatement, field: string, actual: string, lists: Lists): boolean {
  if (list.source.kind !== 'inline') throw new Error('lists in files are not tested here');
  const isAny = (values: readonly Value[]): boolean =>
    values.some((value) => covers(field, 'in', value, actual, lists));
  return isAny(list.source.entries) && !isAny(list.source.exceptions);
}

export function isInAddresses(text: string, actual: string): boolean {
  const address = ipaddr.process(actual);
  if (text.includes('/')) {
    const [network, bits] = ipaddr.parseCIDR(text);
    return network.kind() === address.kind() && address.match(network, bits);
  }
  const [first, last = first] = text.split(' - ').map((name) => ipaddr.parse(name));
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

/** The client after the trusted hops of the header; the last address where the next one cannot be read. */
function clientOf({ clientFrom }: GateStatement, lists: Lists, { attributes }: NaiveRecord): Values {
  const item = (value: unknown): Values => {
    if (value === undefined) return undefined;
    if (value === null) return [];
    return ipaddr.isValid(String(value)) ? [ipaddr.process(String(value)).toString()] : undefined;
  };
  const settings = [attributes['network.peer.address'], attributes['client.address']];
  const peer = item(settings.find((value) => value != null) ?? (settings.includes(null) ? null : undefined));
  const header = clientFrom && (attributes[`http.request.header.${clientFrom.header}`] as string[] | null | undefined);
  if (!clientFrom || header == null)
    return attributes['client.address'] == null ? peer : item(attributes['client.address']);
  const hops = header.join(',').split(',');
  let client = peer;
  while (client?.length === 1) {
    const now = client[0]!;
    if (!clientFrom.trusting.some((value) => covers('peer', 'in', value, now, lists))) break;
    const next = item(hops.pop()?.trim());
    if (!next || next.length === 0) break;
    client = next;
  }
  return client;
}

/** The inbound gate whose covering entry has most labels (`=` wins among equals, and then the first), else the first outbound one with the client. */
function findGate(gates: readonly GateStatement[], lists: Lists, record: NaiveRecord): GateStatement | undefined {
  const { attributes } = record;
  const host =
    (attributes['http.request.header.host'] as string[] | null | undefined)?.[0] ??
    (attributes['tls.client.server_name'] as string | undefined);
  const entriesOf = (value: Value): string[] => {
    if (value.kind !== 'list') return [printValue(value).replaceAll('"', '')];
    const { source } = lists.get(value.name)!;
    return source.kind === 'inline' ? source.entries.flatMap(entriesOf) : [];
  };
  const candidates = gates.flatMap((gate, order) => {
    const covering =
      host === undefined ? [] : gate.hosts.flatMap(entriesOf).filter((entry) => isInDomainEntry(entry, host));
    return covering.map((entry) => ({ gate, rank: [-entry.split('.').length, entry.startsWith('=') ? 0 : 1, order] }));
  });
  candidates.sort((a, b) => a.rank.reduce((difference, part, index) => difference || part - b.rank[index]!, 0));
  const outbound = gates.find((gate) =>
    clientOf(gate, lists, record)?.some((client) =>
      gate.clients.some((value) => covers('client', 'in', value, client, lists)),
    ),
  );
  return candidates[0]?.gate ?? outbound;
}
