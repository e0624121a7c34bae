import { formatDomainEntry } from '../reference/domain-set.js';
import type { Action, Comparison, Condition, ListKind, Rule, Value } from './tree.js';
import { printValue } from './value.js';

/** What a sentence says of a list: its kind and how many entries it comes to. */
export type ListSizes = ReadonlyMap<string, { readonly kind: ListKind; readonly numEntries: number }>;

/**
 * A rule as one plain English sentence.
 * @param lists sizes of the lists, where they are known; others are named without a count
 */
export function describeRule(rule: Rule, lists: ListSizes): string {
  const state = { on: '', trial: 'On trial: ', off: 'Off: ' }[rule.state];
  const action = describeAction(rule.action);
  const when = rule.condition.kind === 'always' ? 'always' : `when ${describeCondition(rule.condition, lists, false)}`;
  return `${state}${state ? action : action[0]!.toUpperCase() + action.slice(1)} ${when}.`;
}

function describeAction(action: Action): string {
  switch (action.kind) {
    case 'allow':
      return action.isOutright ? 'allow outright' : 'allow';
    case 'block':
      return `block with ${action.status}`;
    case 'tag':
      return `tag as ${joinWords(action.tags, 'and')}`;
    case 'observe':
      return 'only observe';
  }
}

function describeCondition(condition: Condition, lists: ListSizes, isNested: boolean): string {
  switch (condition.kind) {
    case 'always':
      return 'always';
    case 'comparison':
      return describeComparison(condition, lists, condition.isNegated);
    case 'not':
      if (condition.part.kind === 'comparison')
        return describeComparison(condition.part, lists, !condition.part.isNegated);
      return `it is not so that (${describeCondition(condition.part, lists, false)})`;
    case 'and':
    case 'or': {
      const parts = condition.parts.map((part) => describeCondition(part, lists, true));
      const isLong = condition.parts.some((part) => part.kind === 'comparison' && part.values.length > 1);
      const text = parts.join(`${isLong ? ',' : ''} ${condition.kind} `);
      return isNested ? `(${text})` : text;
    }
  }
}

function describeComparison({ field, operator, values }: Comparison, lists: ListSizes, isNegated: boolean): string {
  const texts = values.map((value) => {
    const order = {
      '<': 'below ',
      '<=': 'at most ',
      '>': 'above ',
      '>=': 'at least ',
      '=': '',
      'in': '',
      'under': '',
      'present': '',
    }[operator];
    const where = order
      ? order
      : field === 'tag'
        ? 'tagged '
        : operator === 'under'
          ? 'under '
          : isGroup(value)
            ? 'in '
            : '';
    return `${where}${describeValue(value, lists)}`;
  });
  const subject = field === 'tag' ? 'the request' : `the ${field}`;
  if (operator === 'present')
    return field === 'tag'
      ? `the request is ${isNegated ? 'not ' : ''}tagged`
      : `the ${field} is ${isNegated ? 'absent' : 'present'}`;
  if (!isNegated) return `${subject} is ${joinWords(texts, 'or')}`;
  return `${subject} is ${texts.length === 1 ? `not ${texts[0]}` : `neither ${joinWords(texts, 'nor')}`}`;
}

function isGroup(value: Value): boolean {
  return value.kind === 'list' || (value.kind === 'addresses' && value.range.first !== value.range.last);
}

function describeValue(value: Value, lists: ListSizes): string {
  if (value.kind === 'list') {
    const list = lists.get(value.name);
    return list ? `${value.name} (${countEntries(list.kind, list.numEntries)})` : value.name;
  }
  if (value.kind === 'domain') {
    return {
      whole: formatDomainEntry(value.entry),
      below: `anything below ${value.entry.name}`,
      only: `${value.entry.name} itself`,
    }[value.entry.reach];
  }
  return value.kind === 'text' ? value.text : printValue(value);
}

const COUNTED: Record<ListKind, readonly [string, string]> = {
  addresses: ['address entry', 'address entries'],
  countries: ['country', 'countries'],
  domains: ['domain', 'domains'],
};

function countEntries(kind: ListKind, count: number): string {
  return `${count} ${COUNTED[kind][count === 1 ? 0 : 1]}`;
}

function joinWords(words: readonly string[], last: 'and' | 'or' | 'nor'): string {
  if (words.length <= 1) return words.join('');
  return `${words.slice(0, -1).join(', ')} ${last} ${words.at(-1)}`;
}
