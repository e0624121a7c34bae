import type { CheckedGate, Rulebook } from '../check/rulebook.js';
import type { Lookups } from '../check/lookups.js';
import { evaluate } from '../decide/evaluate.js';
import { viewRequest } from '../decide/gate.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import type { State } from '../decide/state.js';
import { isStatefulAction, type Condition } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';

/** How many requests a condition is true of, and of how many it cannot be known. */
export interface Matches {
  readonly matching: number;
  readonly unknown: number;
  readonly requests: number;
}

/** A condition with the sets that it looks up, and the rules that set the tags it tests. */
export interface ResolvedCondition {
  readonly condition: Condition;
  readonly lookups: Lookups;
  /** Absent if it tests no tag. */
  readonly tagging?: Rulebook;
}

/** Prepares a condition for counting. */
export function resolveCondition(rulebook: Rulebook, condition: Condition, lookups: Lookups): ResolvedCondition {
  let testsTags = false;
  visitComparisons(condition, ({ field }) => (testsTags ||= field === 'tag'));
  return { condition, lookups, ...(testsTags ? { tagging: upToLastTags(rulebook) } : {}) };
}

/** Whether requests have to be counted in the order of their time, since the tags of one can depend on those before. */
export function countsInOrder({ tagging }: ResolvedCondition): boolean {
  return tagging?.isStateful ?? false;
}

/**
 * The rules that decide about tags: at each gate those up to the last that sets one. A limit that counts across gates is
 * kept in place, with all before it.
 */
function upToLastTags(rulebook: Rulebook): Rulebook {
  const gates = rulebook.gates.map((gate): CheckedGate => {
    const lastFence = gate.fences.findLastIndex(({ rules }) => rules.some(matters));
    const fences = gate.fences.slice(0, lastFence + 1).map((fence, index) => {
      if (index < lastFence) return fence;
      return { ...fence, rules: fence.rules.slice(0, fence.rules.findLastIndex(matters) + 1) };
    });
    return { ...gate, fences };
  });
  const rules = gates.flatMap(({ fences }) => fences.flatMap((fence) => fence.rules));
  return { ...rulebook, gates, isStateful: rules.some(({ action }) => isStatefulAction(action)) };
}

function matters({ action }: CheckedGate['fences'][number]['rules'][number]): boolean {
  return action.kind === 'tag' || (action.kind === 'limit' && action.isAcrossGates);
}

/**
 * Counts the requests that a condition is true of, each as its gate sees it, whatever other rules do with it. Tags are
 * those that acting rules have set by the end.
 * @param gates only requests of these gates count; all if absent
 * @param state what earlier requests left behind for the rules that set tags; brought up to date
 */
export function countMatches(
  context: EvaluationContext,
  { condition, lookups, tagging }: ResolvedCondition,
  records: Iterable<LogRecord>,
  gates: ReadonlySet<string> | undefined,
  state: State,
): Matches {
  const terms = {
    lookups: new Map([...context.rulebook.lookups, ...lookups]),
    applications: context.rulebook.applications,
  };
  const tagger = tagging && { ...context, rulebook: tagging };
  let [matching, unknown, requests] = [0, 0, 0];
  for (const record of records) {
    const request = normalizeRequest(record);
    // Every request is judged where the rules remember, whether it counts or not.
    const tags = tagger?.rulebook.isStateful ? decide(tagger, request, state).tags : undefined;
    const view = viewRequest(context, request);
    const gate = view?.gate.statement.name;
    if (!view || (gates && !gates.has(gate!))) continue;
    requests += 1;
    const set = tags ?? (tagger ? decide(tagger, request, state).tags : []);
    const truth = evaluate(condition, { view, tag: set.length > 0 ? set : null }, terms);
    if (truth === 'true') matching += 1;
    if (truth === 'unknown') unknown += 1;
  }
  return { matching, unknown, requests };
}
