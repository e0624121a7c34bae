import { endOf } from '../check/check-fences.js';
import type { CheckedGate, Rulebook } from '../check/rulebook.js';
import type { Lookups } from '../check/lookups.js';
import { evaluate } from '../decide/evaluate.js';
import { viewRequest } from '../decide/gate.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import type { State } from '../decide/state.js';
import { isStatefulAction, type Rule } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import type { LogRecord } from '../request/record.js';
import { and, type Truth } from '../request/field.js';
import { normalizeRequest, type Request } from '../request/request.js';

/** How many requests a rule matches, and of how many that cannot be known. */
export interface Matches {
  readonly matching: number;
  readonly unknown: number;
  readonly requests: number;
}

/** What decides whether a rule matches, whatever it does then. */
export type Matching = Pick<Rule, 'condition' | 'hours' | 'until'>;

/** A rule with the sets that its condition looks up, and the rules that set the tags it tests. */
export interface ResolvedRule extends Matching {
  /** Where it has an end: milliseconds since the epoch. */
  readonly endsAtUnixMs?: number;
  readonly lookups: Lookups;
  /** Absent if it tests no tag. */
  readonly tagging?: Rulebook;
}

/** Prepares a rule for counting. */
export function resolveRule(rulebook: Rulebook, rule: Matching, lookups: Lookups): ResolvedRule {
  const { condition, hours, until } = rule;
  let testsTags = false;
  visitComparisons(condition, ({ field }) => (testsTags ||= field === 'tag'));
  return {
    condition,
    ...(hours ? { hours } : {}),
    ...(until ? { until, endsAtUnixMs: endOf(until, rulebook.zone) } : {}),
    lookups,
    ...(testsTags ? { tagging: upToLastTags(rulebook) } : {}),
  };
}

/** Whether requests have to be counted in the order of their time, since the tags of one can depend on those before. */
export function countsInOrder({ tagging }: ResolvedRule): boolean {
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
 * Counts the requests that a rule matches within its hours and before its end, each as its gate sees it, whatever other
 * rules do with it. Tags are those that acting rules have set by the end.
 * @param gates only requests of these gates count; all if absent
 * @param state what earlier requests left behind for the rules that set tags; brought up to date
 */
export function countMatches(
  context: EvaluationContext,
  rule: ResolvedRule,
  records: Iterable<LogRecord>,
  gates: ReadonlySet<string> | undefined,
  state: State,
): Matches {
  const { condition, lookups, tagging } = rule;
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
    const live = isLive(rule, context.rulebook, request);
    const truth = and(live, evaluate(condition, { view, tag: set.length > 0 ? set : null }, terms));
    if (truth === 'true') matching += 1;
    if (truth === 'unknown') unknown += 1;
  }
  return { matching, unknown, requests };
}

function isLive({ hours, endsAtUnixMs }: ResolvedRule, { schedules }: Rulebook, request: Request): Truth {
  const { atUnixMs, isTimeUnknown } = request;
  if (!hours && endsAtUnixMs === undefined) return 'true';
  if (isTimeUnknown) return 'unknown';
  const isOver = endsAtUnixMs !== undefined && atUnixMs >= endsAtUnixMs;
  const isOff = hours !== undefined && schedules.get(hours.schedule.name)!.contains(atUnixMs) === hours.isOutside;
  return isOver || isOff ? 'false' : 'true';
}
