import type { Diagnostic } from '../language/diagnostic.js';
import { kindOf, LIST_KIND_OF } from '../language/fields.js';
import { parseFilter } from '../language/parser.js';
import type { Condition } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import { collectLookups, type Lookups } from './lookups.js';
import type { ResolvedList } from './members.js';
import { checkListName } from './names.js';

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
