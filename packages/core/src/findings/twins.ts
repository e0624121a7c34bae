/** Rules that were written alike, and are not any more. */
import { printAction } from '../language/action-text.js';
import { printCondition, printField } from '../language/condition-text.js';
import type { Comparison } from '../language/tree.js';
import { printValue } from '../language/value.js';
import type { Analysis, Found } from './finding.js';
import { aboutRule, liveRules, requiredComparisons, type LiveRule } from './rules.js';

/** Fields by which one rule is written once for each protocol. */
const PROTOCOL_FIELDS: readonly Comparison['field'][] = ['transport', 'scheme', 'port', 'application', 'method'];
const SHOWN = 3;

/** Two rules for different protocols, the same but for a few values. */
export const twinRulesDrifted: Analysis = {
  level: 'note',
  find: ({ rulebook }) =>
    rulebook.fences.flatMap((fence) => {
      const byForm = new Map<string, LiveRule[]>();
      for (const item of liveRules({ fences: [fence] })) {
        const form = formOf(item);
        if (form !== undefined) byForm.set(form, [...(byForm.get(form) ?? []), item]);
      }
      return [...byForm.values()].flatMap((items) =>
        items.slice(1).flatMap((item) => {
          const found = items.slice(0, items.indexOf(item)).map((other) => driftOf(other, item));
          return found.find((one) => one !== undefined) ?? [];
        }),
      );
    }),
};

/** What twins have in common; a rule without a field of protocols, or with alternatives, has none. */
function formOf({ rule }: LiveRule): string | undefined {
  const parts = rule.condition.kind === 'and' ? rule.condition.parts : [];
  const required = requiredComparisons(rule.condition);
  if (required.length !== parts.length || !required.some(({ field }) => PROTOCOL_FIELDS.includes(field)))
    return undefined;
  const fields = required.map(
    ({ field, parameter, operator, isNegated }) => `${printField(field, parameter)} ${operator} ${isNegated}`,
  );
  return [printAction(rule.action), rule.hours?.schedule.name ?? '', ...fields].join('\n');
}

function driftOf(one: LiveRule, other: LiveRule): Found | undefined {
  const [a, b] = [one, other].map(({ rule }) => requiredComparisons(rule.condition));
  const different = a!.flatMap((comparison, at) =>
    printCondition(comparison) === printCondition(b![at]!) ? [] : [{ from: comparison, to: b![at]! }],
  );
  const rest = different.filter(({ from }) => !PROTOCOL_FIELDS.includes(from.field));
  const [drift] = rest;
  if (!drift || rest.length !== 1 || different.length !== 2) return undefined;
  const [texts, textsToo] = [drift.from, drift.to].map(({ values }) => values.map((value) => printValue(value)));
  const shared = texts!.filter((text) => textsToo!.includes(text));
  const onlyOne = texts!.filter((text) => !shared.includes(text));
  const onlyOther = textsToo!.filter((text) => !shared.includes(text));
  // Values that have little in common were never meant to be the same.
  if (shared.length < onlyOne.length + onlyOther.length) return undefined;
  const list = (name: string, some: readonly string[]): string[] =>
    some.length === 0 ? [] : [`only ${name} has ${some.slice(0, SHOWN).join(', ')}`];
  return aboutRule(other, {
    related: [one.name],
    message: `The rules ${one.name} and ${other.name} are alike for two protocols, but ${[...list(one.name, onlyOne), ...list(other.name, onlyOther)].join(', and ')}.`,
    hint: 'Put the values into one list that both use.',
  });
}
