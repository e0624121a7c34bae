/** Rules by what encryption hides. */
import type { CheckedGate } from '../check/rulebook.js';
import { printCondition } from '../language/condition-text.js';
import { specOf, type FieldName } from '../language/fields.js';
import type { Comparison, Condition, Rule } from '../language/tree.js';
import type { Analysis } from './finding.js';
import { aboutRule, canStop, comparisonsOf, liveRules, requiredComparisons } from './rules.js';

/** A rule at a gate that does not look into encrypted requests, by what encryption hides. */
export const pathNeedsInspection: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    rulebook.gates.filter(hidesAll).flatMap(({ statement: { name: gate }, fences }) =>
      liveRules({ fences }).flatMap(({ rule, name }) => {
        const hidden = hiddenFields(rule);
        if (hidden.length === 0 || rule.matchesUnknown) return [];
        return [
          {
            subject: `rule ${name}`,
            gate,
            rule: name,
            place: rule.place,
            message: `The rule ${name} looks at the ${hidden.join(' and ')}, which the gate ${gate} cannot see of encrypted requests.`,
            hint: 'Let the gate inspect them, compare the host instead, or add "if unknown match".',
            evidence: [],
          },
        ];
      }),
    ),
};

/** Whether a gate looks into no encrypted request. */
export function hidesAll({ statement: { direction, inspection } }: CheckedGate): boolean {
  if (direction === 'inbound') return false;
  return !inspection || (!inspection.otherwise && inspection.rules.every(({ isInspected }) => !isInspected));
}

/** A stop that lets pass what the gate does not look into. */
export const hiddenEvidence: Analysis = {
  level: 'note',
  find: ({ rulebook }) =>
    rulebook.gates
      .filter(
        (gate) =>
          gate.statement.direction === 'outbound' && !hidesAll(gate) && gate.statement.inspection!.rules.length > 0,
      )
      .flatMap(({ statement: { name: gate }, fences }) =>
        liveRules({ fences }).flatMap((item) => {
          const hidden = hiddenFields(item.rule);
          if (!canStop(item.rule.action) || hidden.length === 0 || item.rule.matchesUnknown) return [];
          return [
            aboutRule(item, {
              gate,
              message: `The rule ${item.name} stops by the ${hidden.join(' and ')}, and lets pass what the gate ${gate} does not inspect.`,
              hint: 'Add "if unknown match" if those are to be stopped, too.',
            }),
          ];
        }),
      ),
};

/** The fields of a rule that encryption hides. */
export function hiddenFields(rule: Rule): string[] {
  const fields = comparisonsOf(rule).map(({ field }) => field as FieldName);
  return [...new Set(fields)].filter((field) => field === 'url' || specOf(field).isEncrypted === true);
}

/** A rule by the path of requests that the gate exempts from inspection. */
export const exemptFromInspection: Analysis = {
  level: 'warning',
  find: ({ rulebook }) =>
    rulebook.gates.flatMap(({ statement: { name: gate, inspection }, fences }) => {
      const exempt = (inspection?.rules ?? []).filter(({ isInspected }) => !isInspected);
      return liveRules({ fences }).flatMap((item) => {
        const required = requiredComparisons(item.rule.condition);
        const hidden = hiddenFields({ ...item.rule, condition: { kind: 'and', parts: required } });
        const cause = exempt.find(({ condition }) => required.some((one) => isWithin(one, condition)));
        if (hidden.length === 0 || !cause || item.rule.matchesUnknown) return [];
        return [
          aboutRule(item, {
            gate,
            message: `The rule ${item.name} looks at the ${hidden.join(' and ')} of requests that the gate ${gate} exempts from inspection when ${printCondition(cause.condition)}.`,
            hint: 'Compare what is seen without inspection, or inspect them.',
          }),
        ];
      });
    }),
};

/** Whether all that a comparison is true of, a condition of one comparison is true of: the same values, or some of them. */
function isWithin(one: Comparison, condition: Condition): boolean {
  if (condition.kind !== 'comparison' || condition.field !== one.field || one.isNegated || condition.isNegated)
    return false;
  const isSet = (operator: unknown): boolean => operator === '=' || operator === 'in';
  if (one.operator !== condition.operator && !(isSet(one.operator) && isSet(condition.operator))) return false;
  const key = ({ place: _, ...value }: Comparison['values'][number]): string =>
    JSON.stringify(value, (_name, part: unknown) => (typeof part === 'bigint' ? `${part}` : part));
  const all = new Set(condition.values.map(key));
  return one.values.every((value) => all.has(key(value)));
}
