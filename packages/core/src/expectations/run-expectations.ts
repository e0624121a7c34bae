import { isStop, ruleId, type Decision } from '../decide/decision.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import { printExpectation } from '../language/expectation-text.js';
import type { Outcome } from '../language/outcomes.js';
import { describeExpectation } from '../language/statement-sentence.js';
import type { ExpectStatement } from '../language/tree.js';
import { formatRange } from '../request/address.js';
import { invariant } from '../request/invariant.js';
import { buildSyntheticRecord } from '../request/synthetic-request.js';
import { normalizeRequest, type Request } from '../request/request.js';

/** The result of an expectation. */
export interface ExpectationResult {
  /** As fence text. */
  readonly text: string;
  readonly sentence: string;
  readonly file: string;
  readonly line: number;
  readonly isMet: boolean;
  readonly outcome: Outcome;
  /** What decided, as people read it: `fence/rule`, or whose `otherwise`. */
  readonly decidedBy: string;
  /** Why it is not met; absent where it is. */
  readonly failure?: string;
}

/** Runs every expectation of the rules, each with nothing remembered. */
export function runExpectations(context: EvaluationContext): ExpectationResult[] {
  return context.rulebook.expectations.map((expectation) => runExpectation(context, expectation));
}

function runExpectation(context: EvaluationContext, expectation: ExpectStatement): ExpectationResult {
  const { decision, earlyAt } = judgeExpected(context, expectation);
  const failure = failureOf(expectation, decision, earlyAt);
  return {
    text: printExpectation(expectation),
    sentence: describeExpectation(expectation),
    file: expectation.place.file,
    line: expectation.place.line,
    isMet: failure === undefined,
    outcome: decision.outcome,
    decidedBy: describeDecider(decision),
    ...(failure === undefined ? {} : { failure }),
  };
}

/** The expected request; with `after N in D`, N others before it, at i x D / N, and itself 1 ms before the end of D. */
export function judgeExpected(
  context: EvaluationContext,
  { after, ...expectation }: ExpectStatement,
): { decision: Decision; earlyAt?: number } {
  const state = new State();
  const count = after?.count ?? 0;
  for (let index = 0; ; index += 1) {
    const offsetMs = after ? (index < count ? Math.floor((index * after.windowMs) / count) : after.windowMs - 1) : 0;
    const decision = decide(context, requestOf(expectation, offsetMs), state);
    if (index === count) return { decision };
    if (decision.outcome === 'limited') return { decision, earlyAt: index };
  }
}

/** Some instant for requests without one: only the distances between them count. */
const UNSAID_TIME_MS = 0;

function requestOf({ client, url, with: fields, atUnixMs }: Omit<ExpectStatement, 'after'>, offsetMs: number): Request {
  const { record } = buildSyntheticRecord({
    client: formatRange(client),
    url,
    fields,
    atUnixMs: (atUnixMs ?? UNSAID_TIME_MS) + offsetMs,
    isTimeUnknown: atUnixMs === undefined,
  });
  invariant(record, `an expectation was not checked: ${url}`);
  return normalizeRequest(record);
}

function failureOf(expectation: ExpectStatement, decision: Decision, earlyAt: number | undefined): string | undefined {
  const { outcome, by, after } = expectation;
  const was = `It was ${decision.outcome}${isStop(decision.outcome) || decision.fence ? ` by ${describeDecider(decision)}` : ''}`;
  if (earlyAt !== undefined) return `${was} after ${earlyAt} requests already, expected after ${after!.count}.`;
  if (decision.outcome !== outcome) return `${was}, expected ${outcome}.`;
  const rule = decision.rule === undefined ? undefined : ruleId(decision.fence!, decision.rule);
  if (by && rule !== ruleId(by.fence, by.rule)) return `${was}, expected by rule ${ruleId(by.fence, by.rule)}.`;
  return undefined;
}

/** `fence/rule`, or whose `otherwise`. */
export function describeDecider({ outcome, gate, fence, rule }: Decision): string {
  if (rule !== undefined) return `rule ${ruleId(fence!, rule)}`;
  if (fence !== undefined) return `the otherwise of fence ${fence}`;
  return outcome === 'uncovered' ? 'no gate' : `the otherwise of gate ${gate}`;
}
