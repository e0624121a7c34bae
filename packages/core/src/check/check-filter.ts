import type { Diagnostic } from '../language/diagnostic.js';
import { kindOf, LIST_KIND_OF } from '../language/fields.js';
import { parseFences, parseFilter } from '../language/parser.js';
import type { Hours } from '../language/measure.js';
import type { Comparison, Condition, Rule } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import { createSchedule } from '../reference/schedule.js';
import { collectLookups, type Lookup, type Lookups } from './lookups.js';
import { invariant } from '../request/invariant.js';
import { checkCountry, checkListName, checkWords, tagsOf, type Report } from './names.js';
import type { Rulebook } from './rulebook.js';

/** A condition over decisions that can be tested. */
export interface Filter {
  readonly condition: Condition;
  readonly lookups: Lookups;
}

/**
 * Parses and checks a filter.
 * @param rulebook the rules that decided: what it may name is theirs
 * @returns the filter only where nothing is wrong with it
 */
export function checkFilter(
  text: string,
  rulebook: Pick<Rulebook, 'lists' | 'gates' | 'fences' | 'zone'>,
): { filter?: Filter; diagnostics: readonly Diagnostic[] } {
  const { condition, diagnostics } = parseFilter(text, 'filter');
  if (!condition || diagnostics.length > 0) return { diagnostics };
  const { lists } = rulebook;
  const report: Report = (code, message, place, hint) => {
    diagnostics.push({ code, message, place, ...(hint ? { hint } : {}) });
  };
  const names = {
    gate: new Set(rulebook.gates.map(({ statement }) => statement.name)),
    fence: new Set(rulebook.fences.map(({ name }) => name)),
    rule: new Set(rulebook.fences.flatMap(({ name, rules }) => rules.map((rule) => `${name}/${rule.name}`))),
    tag: tagsOf(rulebook.fences),
  };
  const kinds = new Map([...lists].map(([name, list]) => [name, list.kind]));
  visitComparisons(condition, (comparison) => {
    const { field, values } = comparison;
    for (const [word, known] of Object.entries(names))
      checkWords(comparison, word as keyof typeof names, known, report);
    checkWords(comparison, 'rule', names.rule, report, 'throttled');
    const expected = LIST_KIND_OF[kindOf(field)];
    for (const value of expected ? values : []) {
      if (value.kind === 'list') checkListName(value.name, value.place, expected!, kinds, report);
      if (value.kind === 'country') checkCountry(value.code, value.place, report);
    }
  });
  if (diagnostics.length > 0) return { diagnostics };
  const lookups = new Map([...collectLookups([condition], lists), ...collectHours(condition, rulebook.zone)]);
  return { filter: { condition, lookups }, diagnostics };
}

/** Hours are evaluated in the time zone of the rules. */
function collectHours(condition: Condition, zone: string): Lookups {
  const lookups = new Map<Comparison, Lookup>();
  visitComparisons(condition, (comparison) => {
    const schedules = new Map(
      comparison.values.flatMap((value) =>
        value.kind === 'hours'
          ? [
              [
                value as Hours,
                createSchedule(
                  zone,
                  DAYS_OF_WEEK.map((day) => ({ ...value, day })),
                  new Set(),
                ),
              ] as const,
            ]
          : [],
      ),
    );
    if (schedules.size > 0)
      lookups.set(comparison, { kind: 'hours', contains: (hours, at) => schedules.get(hours)!.contains(at) });
  });
  return lookups;
}

const DAYS_OF_WEEK = [1, 2, 3, 4, 5, 6, 7] as const;

/** A rule that was checked. @param text the rule as fence text */
export function readRule(text: string): Rule {
  const { file } = parseFences(`fence f enforce {\n${text}\n}`, 'rule');
  const [fence] = file.statements;
  invariant(fence?.kind === 'fence' && fence.rules.length === 1, `a rule was not checked: ${text}`);
  return fence.rules[0]!;
}

/** What the condition of a rule that the rulebook does not hold is evaluated with. */
export function collectRuleLookups(
  { condition }: Pick<Rule, 'condition'>,
  { lists }: Pick<Rulebook, 'lists'>,
): Lookups {
  return collectLookups([condition], lists);
}
