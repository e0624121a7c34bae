/** Which rules expectations decide, and which expectations only repeat others. */
import { ruleId } from '../decide/decision.js';
import { canDecide } from '../language/tree.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { printExpectation } from '../language/expectation-text.js';
import { judgeExpected } from './run-expectations.js';

export interface ExpectationCoverage {
  /** By `fence/rule`, every rule that can decide and is not off, in order: how many expectations it decides. */
  readonly rules: readonly { readonly rule: string; readonly expectations: number }[];
  /** Expectations that come out as an earlier one, of the same outcome by the same rules matched: as fence text. */
  readonly repeats: readonly { readonly text: string; readonly of: string }[];
}

export function coverByExpectations(context: EvaluationContext): ExpectationCoverage {
  const { fences, expectations } = context.rulebook;
  const decided = new Map<string, number>();
  const first = new Map<string, string>();
  const repeats: { text: string; of: string }[] = [];
  for (const expectation of expectations) {
    const { decision } = judgeExpected(context, expectation);
    const { gate, outcome, fence, rule, matched, would } = decision;
    if (fence !== undefined && rule !== undefined) {
      const id = ruleId(fence, rule);
      decided.set(id, (decided.get(id) ?? 0) + 1);
    }
    const text = printExpectation(expectation);
    const key = JSON.stringify([expectation.outcome, expectation.by, gate, outcome, fence, rule, matched, would]);
    const of = first.get(key);
    if (of === undefined) first.set(key, text);
    else repeats.push({ text, of });
  }
  return {
    rules: fences.flatMap(({ name, rules }) =>
      rules
        .filter(({ state, action }) => state !== 'off' && canDecide(action))
        .map((rule) => ({ rule: ruleId(name, rule.name), expectations: decided.get(ruleId(name, rule.name)) ?? 0 })),
    ),
    repeats,
  };
}
