/** Rules and endings as plain English sentences. */
import { formatDomainEntry } from '../reference/domain-set.js';
import { printUntil } from './fence-text.js';
import { describeDuration, printBytes } from './measure.js';
import { FIELD_TABLE, kindOf, specOf, type FieldName, type ListKind, type Operator } from './fields.js';
import {
  DEFAULT_CLIENT_BITS,
  DEFAULT_REDIRECT_STATUS,
  type Action,
  type Comparison,
  type Condition,
  type FenceStatement,
  type LimitAction,
  type LimitKey,
  type PersonAction,
  type Rule,
  type ThrottleAction,
  type Value,
} from './tree.js';
import { formatUrl, printValue } from './value.js';

/** How a sentence describes a list: its kind and number of entries. */
export type ListSizes = ReadonlyMap<string, { readonly kind: ListKind; readonly numEntries: number }>;

/**
 * A rule as one plain English sentence.
 * @param lists sizes of the lists, where they are known; others are named without a count
 */
export function describeRule(rule: Rule, lists: ListSizes): string {
  const state = { on: '', trial: 'On trial: ', off: 'Off: ' }[rule.state];
  const action = describeAction(rule.action);
  const when = rule.condition.kind === 'always' ? 'always' : `when ${describeCondition(rule.condition, lists)}`;
  return `${state}${state ? action : capitalize(action)} ${when}${describeTimes(rule)}.`;
}

function describeTimes({ hours, until, matchesUnknown }: Rule): string {
  return [
    hours ? `, ${hours.isOutside ? 'outside' : 'during'} ${hours.schedule.name}` : '',
    until ? `, until ${printUntil(until)}${until.kind === 'date' ? ' (that day included)' : ''}` : '',
    matchesUnknown ? ', also when unknown' : '',
  ].join('');
}

export function describeAction(action: Action): string {
  switch (action.kind) {
    case 'allow':
      return action.isOutright ? 'allow outright' : 'allow';
    case 'block':
    case 'redirect':
      return describeStop(action);
    case 'warn':
    case 'passphrase':
    case 'challenge':
      return describePersonAction(action);
    case 'limit':
      return describeLimit(action);
    case 'throttle':
      return describeThrottle(action);
    case 'tag':
      return `tag as ${joinWords(action.tags, 'and')}`;
    case 'observe':
      return 'only observe';
  }
}

/** What a fence or gate does where no rule ended. */
export function describeEnding(ending: FenceStatement['otherwise']): string {
  if (ending.kind === 'continue') return 'continue with the next fence';
  return ending.kind === 'allow' ? 'allow' : describeStop(ending);
}

function describeStop(stop: Extract<Action, { kind: 'block' | 'redirect' }>): string {
  if (stop.kind === 'block') return `block with ${stop.status}${stop.page ? ` and the page ${stop.page.name}` : ''}`;
  return `redirect to ${stop.url}${stop.status === DEFAULT_REDIRECT_STATUS ? '' : ` with ${stop.status}`}`;
}

function describePersonAction({ kind, secret, page, holdMs }: PersonAction): string {
  const requested = {
    warn: 'warn',
    passphrase: `require the passphrase ${secret}`,
    challenge: 'require a sign that a person is there',
  }[kind];
  return `${requested}${page ? ` with the page ${page.name}` : ''} and then let pass for ${describeDuration(holdMs)}`;
}

function describeLimit({ count, windowMs, keys, isAcrossGates, then, holdMs }: LimitAction): string {
  const by = keys.length === 0 ? 'for everyone together' : `for each ${joinWords(keys.map(describeKey), 'and')}`;
  const across = isAcrossGates ? ' across all gates' : '';
  const hold = holdMs === undefined ? '' : ` for ${describeDuration(holdMs)}`;
  const requests = count === 1 ? 'request' : 'requests';
  return `limit to ${count} ${requests} in ${describeDuration(windowMs)} ${by}${across} and beyond that ${describeStop(then)}${hold},`;
}

function describeBytes(bytes: number): string {
  const text = printBytes(bytes);
  return /\d$/.test(text) ? `${text} byte${bytes === 1 ? '' : 's'}` : text;
}

function describeThrottle({ bytesPerSecond, direction, keys, isAcrossGates, burstBytes }: ThrottleAction): string {
  const by = keys.length === 0 ? 'for everyone together' : `for each ${joinWords(keys.map(describeKey), 'and')}`;
  const across = isAcrossGates ? ' across all gates' : '';
  const way = direction === 'down' ? 'sent to the client' : 'sent by the client';
  const burst = burstBytes === bytesPerSecond ? '' : `, ${describeBytes(burstBytes)} at once,`;
  return `throttle bytes ${way} to ${describeBytes(bytesPerSecond)} a second ${by}${across}${burst}`;
}

function describeKey(key: LimitKey): string {
  if (key.kind === 'field') return nounOf(key.field, key.parameter);
  if (key.bits4 === DEFAULT_CLIENT_BITS.bits4 && key.bits6 === DEFAULT_CLIENT_BITS.bits6) return 'client';
  return key.bits4 === 32 && key.bits6 === 128 ? 'exact client' : `client network of /${key.bits4} or /${key.bits6}`;
}

/** A condition in words; alternatives inside a conjunction, and the reverse, are in parentheses. */
export function describeCondition(condition: Condition, lists: ListSizes, isNested = false): string {
  switch (condition.kind) {
    case 'always':
      return 'always';
    case 'comparison':
      return describeComparison(condition, lists, condition.isNegated);
    case 'not':
      if (condition.part.kind === 'comparison')
        return describeComparison(condition.part, lists, !condition.part.isNegated);
      return `it is not so that (${describeCondition(condition.part, lists)})`;
    case 'and':
    case 'or': {
      const parts = condition.parts.map((part) => describeCondition(part, lists, true));
      const isLong = condition.parts.some(hasSeveralValues);
      const text = parts.join(`${isLong ? ',' : ''} ${condition.kind} `);
      return isNested ? `(${text})` : text;
    }
  }
}

/** Then a comma separates its values from what follows. */
function hasSeveralValues(condition: Condition): boolean {
  const part = condition.kind === 'not' ? condition.part : condition;
  return part.kind === 'comparison' && part.values.length > 1;
}

/** A field in words, without its article. */
export function nounOf(field: Comparison['field'], parameter: string | undefined): string {
  if (parameter !== undefined) return `${field === 'query' ? 'query parameter' : field} ${parameter}`;
  if (field === 'would') return 'outcome in trial';
  return (field in FIELD_TABLE && specOf(field as FieldName).noun) || field;
}

/** Operators that are verbs: with `not`, and before values. */
const VERBS: Partial<Record<Operator, readonly [asserted: string, denied: string]>> = {
  starts: ['starts with', 'does not start with'],
  ends: ['ends with', 'does not end with'],
  contains: ['contains', 'does not contain'],
  matches: ['matches', 'does not match'],
};

/** The preposition before each value after "is". */
const PREFIXES: Partial<Record<Operator, string>> = {
  '<': 'below ',
  '<=': 'at most ',
  '>': 'above ',
  '>=': 'at least ',
  'under': 'under ',
  'like': 'like ',
};

function describeComparison(comparison: Comparison, lists: ListSizes, isNegated: boolean): string {
  const { field, parameter, operator, isAnyCase, values } = comparison;
  const isTag = field === 'tag';
  const subject = isTag ? 'the request' : `the ${nounOf(field, parameter)}`;
  if (operator === 'present') {
    if (isTag) return `the request is ${isNegated ? 'not ' : ''}tagged`;
    return `${subject} is ${isNegated ? 'absent' : 'present'}`;
  }
  const anyCase = isAnyCase ? ' in any case' : '';
  const verb = VERBS[operator];
  const prefixOf = (value: Value): string =>
    verb ? '' : isTag ? 'tagged ' : (PREFIXES[operator] ?? (isGroup(value, lists) ? 'in ' : ''));
  const texts = values.map((value) => `${prefixOf(value)}${describeValue(value, lists, comparison)}`);
  const [asserted, denied] = verb ?? ['is', 'is not'];
  if (!isNegated) return `${subject} ${asserted} ${joinWords(texts, 'or')}${anyCase}`;
  return texts.length === 1
    ? `${subject} ${denied} ${texts[0]}${anyCase}`
    : `${subject} ${asserted} neither ${joinWords(texts, 'nor')}${anyCase}`;
}

function isGroup(value: Value, lists: ListSizes): boolean {
  if (value.kind === 'word') return lists.has(value.name);
  return (
    value.kind === 'list' ||
    (value.kind === 'addresses' && value.range.first !== value.range.last) ||
    (value.kind === 'number' && value.first !== value.last)
  );
}

function describeValue(value: Value, lists: ListSizes, { field, operator }: Comparison): string {
  switch (value.kind) {
    case 'list':
    case 'word': {
      const list = lists.get(value.name);
      return list ? `${value.name} (${countEntries(list.kind, list.numEntries)})` : value.name;
    }
    case 'domain':
      return {
        whole: operator === 'in' ? `${formatDomainEntry(value.entry)} or below` : formatDomainEntry(value.entry),
        below: `anything below ${value.entry.name}`,
        only: `${value.entry.name} itself`,
      }[value.entry.reach];
    case 'url':
      return `${formatUrl(value)} or below`;
    case 'text':
      return value.text === '' ? 'empty' : value.text;
    default:
      return printValue(value, kindOf(field));
  }
}

const COUNTED: Record<ListKind, readonly [string, string]> = {
  addresses: ['address entry', 'address entries'],
  countries: ['country', 'countries'],
  domains: ['domain', 'domains'],
  urls: ['URL', 'URLs'],
  categories: ['category', 'categories'],
  applications: ['application', 'applications'],
};

export function countEntries(kind: ListKind, count: number): string {
  return `${count.toLocaleString('en')} ${COUNTED[kind][count === 1 ? 0 : 1]}`;
}

export function joinWords(words: readonly string[], last: 'and' | 'or' | 'nor'): string {
  if (words.length <= 1) return words.join('');
  return `${words.slice(0, -1).join(', ')} ${last} ${words.at(-1)}`;
}

export function capitalize(text: string): string {
  return text[0]!.toUpperCase() + text.slice(1);
}
