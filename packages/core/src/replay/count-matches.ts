import type { ChunkRows } from '../columns/chunk.js';
import { evaluate } from '../decide/evaluate.js';
import { viewRequest } from '../decide/gate.js';
import { decide, type Judge } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { Condition } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import type { Lookups } from '../check/lookups.js';

/** How many requests a condition is true of, and of how many it cannot be known. */
export interface Matches {
  readonly matching: number;
  readonly unknown: number;
  readonly requests: number;
}

/**
 * Counts the requests of a chunk that a condition is true of, each as its gate sees it, whatever other rules do with it.
 * Tags are those that acting rules have set by the end.
 * @param gates only requests that come to one of these gates count; all where absent
 */
export function countMatches(
  judge: Judge,
  { condition, lookups }: { readonly condition: Condition; readonly lookups: Lookups },
  rows: ChunkRows,
  gates: ReadonlySet<string> | undefined,
): Matches {
  const terms = {
    lookups: new Map([...judge.rulebook.lookups, ...lookups]),
    applications: judge.rulebook.applications,
  };
  const asksTags = mentionsTag(condition);
  const state = new State();
  let [matching, unknown, requests] = [0, 0, 0];
  for (let row = 0; row < rows.numRows; row += 1) {
    const request = normalizeRequest(rows.row(row) as LogRecord);
    const view = viewRequest(judge, request);
    const gate = view?.gate.statement.name;
    if (!view || (gates && !gates.has(gate!))) continue;
    requests += 1;
    const tags = asksTags ? decide(judge, request, state).tags : [];
    const truth = evaluate(condition, { view, tag: tags.length > 0 ? tags : null }, terms);
    if (truth === 'true') matching += 1;
    if (truth === 'unknown') unknown += 1;
  }
  return { matching, unknown, requests };
}

function mentionsTag(condition: Condition): boolean {
  let found = false;
  visitComparisons(condition, ({ field }) => (found ||= field === 'tag'));
  return found;
}
