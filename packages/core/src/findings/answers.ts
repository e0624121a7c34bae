/** What was found out about a property of requests, and about the conditions of rules. */
import type { FenceStatement, Rule } from '../language/tree.js';
import type { LogRecord } from '../request/record.js';
import type { OrderClaim, Undecided } from './order.js';

/** What is decided about a property: a request shows it, none has it, or neither could be found out. */
export type Answer =
  | { readonly kind: 'shown'; readonly record: LogRecord }
  | { readonly kind: 'none' }
  /** @param isTooMuch what it would take is over a bound */
  | { readonly kind: 'undecided'; readonly reason: string; readonly isTooMuch?: true };

export const NONE: Answer = { kind: 'none' };

interface ConditionAnswer {
  readonly fence: FenceStatement;
  readonly rule: Rule;
  isTrue: Answer;
  isFalse: Answer;
}

/** Whether each condition is true, or false, of any request at any gate. */
export class ConditionAnswers {
  readonly #byRule = new Map<Rule, ConditionAnswer>();

  of(fence: FenceStatement, rule: Rule): ConditionAnswer {
    let answer = this.#byRule.get(rule);
    if (!answer) {
      answer = { fence, rule, isTrue: NONE, isFalse: NONE };
      this.#byRule.set(rule, answer);
    }
    return answer;
  }

  report(claims: OrderClaim[], undecided: Undecided[]): void {
    for (const { fence, rule, isTrue, isFalse } of this.#byRule.values()) {
      const base = { fence, rule, related: [] };
      const name = `${fence.name}/${rule.name}`;
      if (isTrue.kind === 'none') claims.push({ id: 'never-true', ...base });
      if (isTrue.kind === 'undecided') undecided.push({ id: 'never-true', rule: name, reason: isTrue.reason });
      if (rule.condition.kind === 'always' || isTrue.kind === 'none') continue;
      if (isFalse.kind === 'none') claims.push({ id: 'always-true', ...base });
      if (isFalse.kind === 'undecided') undecided.push({ id: 'always-true', rule: name, reason: isFalse.reason });
    }
  }
}

/** What one of several ways of looking found, and what all did. */
export function better(a: Answer, b: Answer): Answer {
  if (a.kind === 'shown' || b.kind === 'none') return a;
  return b.kind === 'shown' || a.kind === 'none' ? b : a;
}
