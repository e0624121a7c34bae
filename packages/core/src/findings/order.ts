/** What the order of rules does to them, exactly: which match never, are never reached, or change nothing. */
import type { CheckedGate } from '../check/rulebook.js';
import { NO_GATE } from '../decide/gate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import type { FenceStatement, Rule } from '../language/tree.js';
import type { Attributes } from '../request/record.js';
import { sampleReferenceData } from './classes/samples.js';
import { ConditionAnswers } from './answers.js';
import type { FindingId } from './finding.js';
import { GateReview } from './gate-review.js';

/** A claim about a rule, where a gate evaluates it. */
export interface OrderClaim {
  readonly id: Extract<
    FindingId,
    'never-true' | 'always-true' | 'never-reached' | 'partly-covered' | 'no-effect' | 'redirect-loop'
  >;
  /** Absent where it holds at every gate. */
  readonly gate?: string;
  readonly fence: FenceStatement;
  readonly rule: Rule;
  /** Rules, as `fence/rule`, that cause it. */
  readonly related: readonly string[];
  /** A request that shows it: one that an earlier rule takes. */
  readonly example?: Attributes;
  readonly atUnixMs?: number;
}

/** A rule about which something could not be decided within bounds. */
export interface Undecided {
  readonly gate?: string;
  /** As `fence/rule`. */
  readonly rule: string;
  readonly id: OrderClaim['id'];
  readonly reason: string;
}

export interface OrderReport {
  readonly claims: readonly OrderClaim[];
  readonly undecided: readonly Undecided[];
}

/** For one claim, boxes are cut so often, and so many requests are made, before it is given up. */
export interface OrderBounds {
  readonly maxCuts: number;
  readonly maxExamples: number;
  /** For all claims together: formulas looked at in a box, and what making a request costs in such. */
  readonly maxSteps: number;
  /** Of more rules none is gone through. */
  readonly maxRules: number;
  /** Requests that are not shown are run through the interpreter, too, which takes long. */
  readonly isChecked?: boolean;
}

export const ORDER_BOUNDS: OrderBounds = { maxCuts: 4000, maxExamples: 8, maxSteps: 6_000_000, maxRules: 6000 };
/** For a line about findings in what another command writes. */
export const QUICK_BOUNDS: OrderBounds = { maxCuts: 400, maxExamples: 4, maxSteps: 200_000, maxRules: 2000 };

/** Which claims are wanted; all if empty. */
export interface OrderScope {
  /** What takes longest and is no error is left out: which rules are reached, and have an effect. */
  readonly isOnlyErrors?: boolean;
  /** Only this rule, `fence/rule`. */
  readonly about?: string;
}

/**
 * Goes through the rules of every gate.
 * @param times see `reviewTimes`
 */
export function reviewOrder(
  context: EvaluationContext,
  times: readonly number[],
  bounds = ORDER_BOUNDS,
  scope: OrderScope = {},
): OrderReport {
  const claims: OrderClaim[] = [];
  const undecided: Undecided[] = [];
  const { rulebook } = context;
  const numRules = rulebook.fences.reduce((sum, { rules }) => sum + rules.length, 0);
  if (numRules > bounds.maxRules && scope.about === undefined) {
    const rule = `each of ${numRules} rules`;
    return { claims, undecided: [{ rule, id: 'never-reached', reason: 'the rules are too many' }] };
  }
  const attached = new Set(rulebook.gates.flatMap(({ fences }) => fences));
  const loose = rulebook.fences.filter((fence) => !attached.has(fence));
  const input = { context, times, samples: sampleReferenceData(context), clientAxes: new Map() };
  const budget = { steps: bounds.maxSteps };
  const pairBudget = { steps: bounds.maxSteps };
  const isWanted = ({ fences }: Pick<CheckedGate, 'fences'>): boolean =>
    scope.about === undefined || fences.some(({ name }) => scope.about!.startsWith(`${name}/`));
  const reviews = [
    ...rulebook.gates.filter(isWanted).map((gate) => new GateReview(gate, input, bounds, budget, pairBudget)),
    ...loose
      .filter((fence) => isWanted({ fences: [fence] }))
      .map((fence) => new GateReview({ ...NO_GATE, fences: [fence] }, input, bounds, budget, pairBudget)),
  ];
  const conditions = new ConditionAnswers();
  for (const review of reviews) review.noteConditions(conditions, scope);
  conditions.report(claims, undecided);
  for (const review of reviews)
    if (rulebook.gates.includes(review.gate)) review.reviewRules(conditions, { claims, undecided }, scope);
  return { claims, undecided };
}
