/** What of a request would have to be different so that a rule decides about it: found by trying, and so verified. */
import { isListName } from '../check/members.js';
import type { Rulebook } from '../check/rulebook.js';
import { ruleId, type Decision } from '../decide/decision.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { Comparison, Condition, FenceStatement, Rule, Value } from '../language/tree.js';
import { formatAddress, parseAddress } from '../request/address.js';
import { normalizeRequest } from '../request/request.js';
import { buildSyntheticRecord, type SyntheticField, type SyntheticRequest } from '../request/synthetic-request.js';
import { splitUrl } from '../request/url.js';

/** Of a field no more values are tried, and no more than four fields change at once. */
const MAX_VALUES = 6;
const MAX_CHANGES = 4;
/** Of few rules so many changes are tried; of thousands fewer, so that it takes seconds. */
const MAX_TRIES = 20_000;
const MIN_TRIES = 500;
const RULES_TRIED = 5_000_000;
/** An hour each, a week ahead. */
const MAX_HOURS = 168;
const HOUR_MS = 3_600_000;

/** Of a request, in words that people use; `header x-a` and so on. */
export interface RequestChange {
  readonly field: string;
  /** Absent where the request had none. */
  readonly from?: string;
  readonly to: string;
}

export interface WhyNot {
  /** As `fence/rule`. */
  readonly rule: string;
  /** It decides already; with these changes it does; it is off; or no change of up to four fields was found. */
  readonly answer: 'decides' | 'changes' | 'off' | 'not-found';
  /** The fewest that were found; run through the interpreter. */
  readonly changes: readonly RequestChange[];
}

/** @returns undefined where there is no such rule */
export function whyNot(context: EvaluationContext, request: SyntheticRequest, id: string): WhyNot | undefined {
  const found = findRule(context.rulebook, id);
  if (!found) return undefined;
  const { fence, rule } = found;
  if (rule.state === 'off') return { rule: id, answer: 'off', changes: [] };
  const acts = (some: SyntheticRequest): boolean => {
    const { record } = buildSyntheticRecord(some);
    return (
      record !== undefined && isDecider(decide(context, normalizeRequest(record), new State()), fence.name, rule.name)
    );
  };
  if (acts(request)) return { rule: id, answer: 'decides', changes: [] };
  const fields = [...candidatesOf(context, request, fence, rule)].map(
    ([field, values]) => [field, values.slice(0, MAX_VALUES)] as const,
  );
  const numRules = context.rulebook.fences.reduce((sum, { rules }) => sum + rules.length, 0);
  const maxTries = Math.max(MIN_TRIES, Math.min(MAX_TRIES, Math.floor(RULES_TRIED / numRules)));
  let tries = 0;
  for (let size = 1; size <= MAX_CHANGES; size += 1)
    for (const edits of choices(fields, size)) {
      tries += 1;
      if (tries > maxTries) return { rule: id, answer: 'not-found', changes: [] };
      const changed = edits.reduce((some, [field, value]) => withValue(some, field, value), request);
      if (acts(changed))
        return {
          rule: id,
          answer: 'changes',
          changes: edits.map(([field, to]) => {
            const from = valueOf(request, field);
            return { field, ...(from === undefined ? {} : { from }), to };
          }),
        };
    }
  return { rule: id, answer: 'not-found', changes: [] };
}

function findRule(
  { fences }: Rulebook,
  id: string,
): { readonly fence: FenceStatement; readonly rule: Rule } | undefined {
  for (const fence of fences)
    for (const rule of fence.rules) if (ruleId(fence.name, rule.name) === id) return { fence, rule };
  return undefined;
}

/** It ends the request, would have while on trial, or acts without ending it. */
function isDecider({ fence, rule, would, matched }: Decision, fenceName: string, name: string): boolean {
  if (fence === fenceName && rule === name) return true;
  if (would.some((one) => one.fence === fenceName && one.rule === name)) return true;
  // What it matches and goes on with: a tag, a record, or a limit that is not reached.
  return fence === undefined && matched.includes(ruleId(fenceName, name));
}

/** Every way to choose a number of fields, with one value each. */
function* choices(
  fields: readonly (readonly [field: string, values: readonly string[]])[],
  size: number,
  from = 0,
): Generator<readonly (readonly [string, string])[]> {
  if (size === 0) {
    yield [];
    return;
  }
  for (let at = from; at <= fields.length - size; at += 1)
    for (const value of fields[at]![1])
      for (const rest of choices(fields, size - 1, at + 1)) yield [[fields[at]![0], value], ...rest];
}

/** By field, values that could matter: what the rule compares, what the gates of its fence cover, and something else. */
function candidatesOf(
  context: EvaluationContext,
  request: SyntheticRequest,
  fence: FenceStatement,
  rule: Rule,
): ReadonlyMap<string, string[]> {
  const found = new Map<string, string[]>();
  const add = (field: string, value: string | undefined): void => {
    if (value === undefined || value === valueOf(request, field)) return;
    const known = found.get(field) ?? [];
    if (!known.includes(value)) found.set(field, [...known, value]);
  };
  const { rulebook } = context;
  const tags = new Set<string>();
  for (const comparison of comparisonsIn(rule.condition)) {
    if (comparison.field === 'tag')
      for (const value of comparison.values)
        if (value.kind === 'word' || value.kind === 'text') tags.add('text' in value ? value.text : value.name);
    addComparison(context, comparison, add);
  }
  // A tag is set by what other rules compare.
  for (const other of rulebook.fences.flatMap(({ rules }) => rules))
    if (other.action.kind === 'tag' && other.action.tags.some((tag) => tags.has(tag)))
      for (const comparison of comparisonsIn(other.condition)) addComparison(context, comparison, add);
  for (const { statement, fences } of rulebook.gates) {
    if (!fences.includes(fence)) continue;
    for (const value of statement.hosts) addValue(context, 'host', value, add);
    for (const value of statement.clients) addValue(context, 'client', value, add);
  }
  add('client', '198.51.100.1');
  add('path', '/');
  add('path', '/other');
  add('method', 'GET');
  add('method', 'POST');
  add('agent', 'other');
  addTimes(rulebook, rule, request.atUnixMs, add);
  return found;
}

function comparisonsIn(condition: Condition): readonly Comparison[] {
  if (condition.kind === 'comparison') return [condition];
  if (condition.kind === 'not') return comparisonsIn(condition.part);
  return condition.kind === 'and' || condition.kind === 'or' ? condition.parts.flatMap(comparisonsIn) : [];
}

type Add = (field: string, value: string | undefined) => void;

function addComparison(context: EvaluationContext, { field, parameter, operator, values }: Comparison, add: Add): void {
  const name = parameter === undefined ? field : `${field} ${parameter}`;
  for (const value of values) addValue(context, name, value, add);
  if (operator === 'present') add(name, 'x');
}

function addValue(context: EvaluationContext, field: string, value: Value, add: Add): void {
  const { lists } = context.rulebook;
  if (isListName(value, lists)) {
    for (const entry of lists.get(value.name)!.source.entries.slice(0, MAX_VALUES))
      addValue(context, field, entry, add);
    return;
  }
  // A word that names no list is itself the value.
  const literal = value as Value;
  switch (literal.kind) {
    case 'addresses':
      add(field, formatAddress({ family: literal.range.family, value: literal.range.first }));
      return;
    case 'country':
      add('client', addressIn(context, literal.code));
      return;
    case 'domain':
      add('host', literal.entry.reach === 'below' ? `www.${literal.entry.name}` : literal.entry.name);
      return;
    case 'url':
      add('host', literal.host);
      add('path', literal.path === '' ? '/' : literal.path);
      return;
    case 'number':
      add(field, String(literal.first));
      return;
    case 'word':
      add(field, literal.name);
      return;
    case 'text':
      add(field, field === 'path' && !literal.text.startsWith('/') ? `/${literal.text}` : literal.text);
      return;
    default:
  }
}

/** Some address of a country. */
function addressIn({ countries }: EvaluationContext, code: string): string | undefined {
  for (const { family, first } of countries?.ranges() ?? []) {
    const text = formatAddress({ family, value: first });
    if (countries!.countryOf(parseAddress(text)!) === code) return text;
  }
  return undefined;
}

/** The next hour in which the rule is live, and the last before its end. */
function addTimes({ schedules, endsAtUnixMs }: Rulebook, rule: Rule, atUnixMs: number, add: Add): void {
  const end = endsAtUnixMs.get(rule);
  const schedule = rule.hours && schedules.get(rule.hours.schedule.name);
  const isLive = (time: number): boolean =>
    (end === undefined || time < end) && (!schedule || schedule.contains(time) !== rule.hours!.isOutside);
  if (isLive(atUnixMs)) return;
  const start = end !== undefined && atUnixMs >= end ? end - MAX_HOURS * HOUR_MS : atUnixMs;
  for (let hour = 1; hour <= MAX_HOURS; hour += 1) {
    const time = start + hour * HOUR_MS;
    if (isLive(time)) return add('time', new Date(time).toISOString());
  }
}

/** The fields of a synthetic request that are not set one by one. */
const OF_URL: ReadonlySet<string> = new Set(['host', 'site', 'path', 'scheme', 'port', 'query']);

function valueOf(
  { client, url, method = 'GET', atUnixMs, fields = [] }: SyntheticRequest,
  field: string,
): string | undefined {
  if (field === 'client') return client;
  if (field === 'method') return method;
  if (field === 'time') return new Date(atUnixMs).toISOString();
  if (OF_URL.has(field)) return partsOf(url)[field === 'site' ? 'host' : field];
  const { name, parameter } = nameOf(field);
  if (name === 'query') return new URLSearchParams(partsOf(url)['query'] ?? '').get(parameter!) ?? undefined;
  return fields.find((one) => one.field === name && (one.parameter ?? '') === (parameter ?? ''))?.value;
}

function withValue(request: SyntheticRequest, field: string, value: string): SyntheticRequest {
  if (field === 'client') return { ...request, client: value };
  if (field === 'method') return { ...request, method: value };
  if (field === 'time') return { ...request, atUnixMs: Date.parse(value) };
  if (OF_URL.has(field)) {
    const parts = { ...partsOf(request.url), [field === 'site' ? 'host' : field]: value };
    const { scheme, host, port, path, query } = parts;
    return { ...request, url: `${scheme}://${host}${port ? `:${port}` : ''}${path}${query ? `?${query}` : ''}` };
  }
  const { name, parameter } = nameOf(field);
  if (name === 'query') {
    const query = new URLSearchParams(partsOf(request.url)['query'] ?? '');
    query.set(parameter!, value);
    return withValue(request, 'query', query.toString());
  }
  const others = (request.fields ?? []).filter(
    (one) => one.field !== name || (one.parameter ?? '') !== (parameter ?? ''),
  );
  const set: SyntheticField = { field: name, ...(parameter === undefined ? {} : { parameter }), value };
  return SETTABLE.has(name) ? { ...request, fields: [...others, set] } : request;
}

const SETTABLE: ReadonlySet<string> = new Set(['header', 'cookie', 'agent', 'user', 'group', 'peer', 'server']);

function nameOf(field: string): { readonly name: string; readonly parameter?: string } {
  const space = field.indexOf(' ');
  return space < 0 ? { name: field } : { name: field.slice(0, space), parameter: field.slice(space + 1) };
}

function partsOf(url: string): Record<string, string | undefined> {
  const full = /^[a-z][a-z0-9+.-]*:\/\//i.test(url.trim()) ? url.trim() : `https://${url.trim()}`;
  const parts = splitUrl(full);
  const [, host = '', port] = /^(.*?)(?::(\d+))?$/.exec(parts?.authority ?? '') ?? [];
  return { scheme: parts?.scheme ?? 'https', host, port, path: parts?.path || '/', query: parts?.query ?? undefined };
}
