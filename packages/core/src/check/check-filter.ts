import type { Diagnostic } from '../language/diagnostic.js';
import { parseFilter } from '../language/parser.js';
import { LIST_KIND_OF, traitsOf, type Condition } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import { collectMembers, type MembersOf, type ResolvedList } from './members.js';
import { checkListNames } from './names.js';

/** A condition over decisions that can be asked. */
export interface Filter {
  readonly condition: Condition;
  readonly membersOf: MembersOf;
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
  const kindOf = new Map([...lists].map(([name, list]) => [name, list.kind]));
  visitComparisons(condition, ({ field, values }) => {
    const expected = LIST_KIND_OF[traitsOf(field).kind];
    if (expected)
      checkListNames(values, expected, kindOf, (code, message, place, hint) =>
        diagnostics.push({ code, message, place, ...(hint ? { hint } : {}) }),
      );
  });
  return diagnostics.length > 0
    ? { diagnostics }
    : { filter: { condition, membersOf: collectMembers([condition], lists) }, diagnostics };
}
