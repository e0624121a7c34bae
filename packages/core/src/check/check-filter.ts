import type { Diagnostic } from '../language/diagnostic.js';
import { kindOf, LIST_KIND_OF } from '../language/fields.js';
import { parseFences, parseFilter } from '../language/parser.js';
import type { Condition } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import { collectLookups, type Lookups } from './lookups.js';
import type { ResolvedList } from './members.js';
import { invariant } from '../request/invariant.js';
import { checkListName } from './names.js';
import type { Rulebook } from './rulebook.js';

/** A condition over decisions that can be asked. */
export interface Filter {
  readonly condition: Condition;
  readonly lookups: Lookups;
}

/**
 * Parses and checks a filter.
 * @param lists the lists that it may name: those of the rules that decided
 * @returns the filter only where nothing is wrong with it
 */
export function checkFilter(
  text: string,
  lists: ReadonlyMap<string, ResolvedList>,
): { filter?: Filter; diagnostics: readonly Diagnostic[] } {
  const { condition, diagnostics } = parseFilter(text, 'filter');
  if (!condition) return { diagnostics };
  const kinds = new Map([...lists].map(([name, list]) => [name, list.kind]));
  visitComparisons(condition, ({ field, values }) => {
    const expected = LIST_KIND_OF[kindOf(field)];
    for (const value of expected ? values : []) {
      if (value.kind === 'list')
        checkListName(value.name, value.place, expected!, kinds, (code, message, place, hint) =>
          diagnostics.push({ code, message, place, ...(hint ? { hint } : {}) }),
        );
    }
  });
  return diagnostics.length > 0
    ? { diagnostics }
    : { filter: { condition, lookups: collectLookups([condition], lists) }, diagnostics };
}

/** The condition of a rule that was checked. @param text the rule as fence text */
export function readCondition(text: string): Condition {
  const { file } = parseFences(`fence f enforce {\n${text}\n}`, 'rule');
  const [fence] = file.statements;
  invariant(fence?.kind === 'fence' && fence.rules.length === 1, `a rule was not checked: ${text}`);
  return fence.rules[0]!.condition;
}

/** What a condition is answered with beside a rulebook that does not hold it. */
export function collectRuleLookups(condition: Condition, { lists }: Pick<Rulebook, 'lists'>): Lookups {
  return collectLookups([condition], lists);
}
