/** What the analyses of single rules share. */
import type { Rulebook } from '../check/rulebook.js';
import type { Edit } from '../edit/edit.js';
import { printRuleText } from '../edit/rule-text.js';
import {
  canDecide,
  type Action,
  type Comparison,
  type Condition,
  type FenceStatement,
  type Rule,
  type Value,
} from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import { literalsOf, type Lists } from './classes/values.js';
import type { Found } from './finding.js';

export const DAY_MS = 24 * 60 * 60 * 1000;

export interface LiveRule {
  readonly fence: FenceStatement;
  readonly rule: Rule;
  /** As `fence/rule`. */
  readonly name: string;
}

/** Rules that are not off, in the order of definition. */
export function liveRules({ fences }: Pick<Rulebook, 'fences'>): LiveRule[] {
  return fences.flatMap((fence) =>
    fence.rules
      .filter(({ state }) => state !== 'off')
      .map((rule) => ({ fence, rule, name: `${fence.name}/${rule.name}` })),
  );
}

export function comparisonsOf({ condition }: Pick<Rule, 'condition'>): Comparison[] {
  const all: Comparison[] = [];
  visitComparisons(condition, (comparison) => all.push(comparison));
  return all;
}

/** The comparisons of which each has to be true for the condition to be. */
export function requiredComparisons(condition: Condition): Comparison[] {
  if (condition.kind === 'comparison') return [condition];
  return condition.kind === 'and' ? condition.parts.flatMap(requiredComparisons) : [];
}

/** Comparisons that no `not` is around, nor a negated operator. */
export function positiveComparisons(condition: Condition): Comparison[] {
  switch (condition.kind) {
    case 'comparison':
      return condition.isNegated ? [] : [condition];
    case 'and':
    case 'or':
      return condition.parts.flatMap(positiveComparisons);
    case 'not':
    case 'always':
      return [];
  }
}

/** Whether a match can stop a request. */
export function canStop(action: Action): boolean {
  return action.kind !== 'allow' && canDecide(action);
}

/** The literals of a comparison, with the entries of its lists. */
export function valuesOf(comparison: Comparison, lists: Lists): readonly Value[] {
  return literalsOf([{ comparison }], lists).values;
}

/** What a comparison names: texts and words. */
export function wordsIn({ values }: Comparison): string[] {
  return values.flatMap((value) => (value.kind === 'text' ? [value.text] : value.kind === 'word' ? [value.name] : []));
}

/** A finding about a rule. */
export function aboutRule({ rule, name }: LiveRule, words: Pick<Found, 'message' | 'hint'> & Partial<Found>): Found {
  return { subject: `rule ${name}`, rule: name, place: rule.place, evidence: [], ...words };
}

/** The edit that writes a comparison of a rule differently. */
export function withComparison({ fence, rule }: LiveRule, from: Comparison, to: Comparison): Edit {
  const replace = (condition: Condition): Condition => {
    switch (condition.kind) {
      case 'comparison':
        return condition === from ? to : condition;
      case 'and':
      case 'or':
        return { ...condition, parts: condition.parts.map(replace) };
      case 'not':
        return { ...condition, part: replace(condition.part) };
      case 'always':
        return condition;
    }
  };
  const text = printRuleText({ ...rule, condition: replace(rule.condition) });
  return { kind: 'replace-rule', fence: fence.name, rule: rule.name, text };
}
