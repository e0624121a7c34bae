import { describe, expect, it } from 'vitest';
import { evaluateComparison, type Subject } from '../../decide/evaluate.js';
import { FIELD_NAMES, kindOf, OPERATORS_OF } from '../../language/fields.js';
import { OUTCOMES } from '../../language/outcomes.js';
import { ACTIONS, ACTION_TRAITS, type Comparison, type Condition } from '../../language/tree.js';
import { negate, type Truth } from '../../request/field.js';
import { compareEvaluators, type Receive } from '../../test/compare-evaluators.js';

/** What the generator reaches, so that agreement means something. */
class Coverage {
  readonly #counts = new Map<string, number>();
  numDecisions = 0;

  readonly receive: Receive = (context, ruling) => {
    this.numDecisions += 1;
    this.#see(ruling.outcome);
    const first = context.rulebook.gates.find(({ statement }) => statement.name === ruling.gate)?.fences[0]?.name;
    if (ruling.rule !== undefined && (ruling.rule !== 'r0' || ruling.fence !== first))
      this.#see('below the first rule');
    const requested = (condition: Condition, subject: Subject): void => {
      if (condition.kind === 'not') requested(condition.part, subject);
      else if (condition.kind === 'and' || condition.kind === 'or')
        condition.parts.forEach((part) => requested(part, subject));
      else if (condition.kind === 'comparison')
        this.#seeComparison(condition, evaluateComparison(condition, subject, context.rulebook));
    };
    return {
      rule: (fence, rule, verdict, subject) => {
        requested(rule.condition, subject);
        if (ruling.fence === fence.name && ruling.rule === rule.name && verdict === 'matched')
          this.#see(`decided by ${rule.action.kind}`);
        if (verdict === 'matched') this.#see(`matched ${rule.action.kind}`);
      },
    };
  };

  /** Without what turns it round. */
  #seeComparison({ field, operator, isNegated }: Comparison, truth: Truth): void {
    this.#see(`${kindOf(field)} ${operator}: ${isNegated ? negate(truth) : truth}`);
    this.#see(`field ${field}: ${truth === 'unknown' ? 'unknown' : 'known'}`);
  }

  #see(what: string): void {
    this.#counts.set(what, (this.#counts.get(what) ?? 0) + 1);
  }

  count(what: string): number {
    return this.#counts.get(what) ?? 0;
  }

  share(what: string): number {
    return this.count(what) / this.numDecisions;
  }

  print(): string {
    const lines = [...this.#counts].sort().map(([what, count]) => `${String(count).padStart(8)}  ${what}`);
    return [`${this.numDecisions} decisions`, ...lines].join('\n');
  }
}

/** What never comes up, by nature or because the kind of value does not know it. */
const NEVER = [
  // Tags are known, and there is always some application and some category, if only that there is none.
  /^tag .*: unknown$/,
  /^application present: (false|unknown)$/,
  /^category present: false$/,
];

const ALWAYS_KNOWN: readonly string[] = ['tag', 'gate', 'direction'];

/** All runs are needed, since what they cover is counted. */
const WHOLE_MS = 7_200_000;
/** More than 10,000 requests, always the same; `npm run soak` runs more of them, others each time. */
const SOAK_RUNS = process.env['JADE_SOAK_RUNS'];
const RUNS = {
  ...(SOAK_RUNS ? { numRuns: Number(SOAK_RUNS) } : { numRuns: 1700, seed: 42 }),
  interruptAfterTimeLimit: WHOLE_MS,
};

describe('the matcher', () => {
  it('decides as the interpreter does, request by request and from stored chunks', () => {
    const coverage = new Coverage();
    compareEvaluators(RUNS, coverage.receive);
    process.stdout.write(`${coverage.print()}\n`);
    expect(coverage.numDecisions).toBeGreaterThan(RUNS.numRuns * 5.9);
    if (RUNS.numRuns < 1700) return;
    expect(coverage.share('below the first rule')).toBeGreaterThan(0.2);
    for (const outcome of OUTCOMES) expect(coverage.share(outcome), outcome).toBeGreaterThan(0.01);
    for (const kind of new Set(FIELD_NAMES.map(kindOf)))
      for (const operator of OPERATORS_OF[kind])
        for (const truth of ['true', 'false', 'unknown']) {
          const what = `${kind} ${operator}: ${truth}`;
          if (!NEVER.some((never) => never.test(what))) expect.soft(coverage.count(what), what).toBeGreaterThan(0);
        }
    for (const field of FIELD_NAMES)
      for (const knowledge of ['known', 'unknown'])
        if (!ALWAYS_KNOWN.includes(field) || knowledge === 'known')
          expect
            .soft(coverage.count(`field ${field}: ${knowledge}`), `field ${field}: ${knowledge}`)
            .toBeGreaterThan(0);
    for (const action of ACTIONS) {
      const what = ACTION_TRAITS[action].effect === 'none' ? `matched ${action}` : `decided by ${action}`;
      expect(coverage.count(what), what).toBeGreaterThan(0);
    }
  }, 7_200_000);
});
