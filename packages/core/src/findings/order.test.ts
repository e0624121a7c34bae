import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { decide, type EvaluationContext, type Verdict } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { FenceStatement, Rule } from '../language/tree.js';
import type { Attributes } from '../request/record.js';
import { normalizeRequest, type Request } from '../request/request.js';
import { wideAttributes, wideFenceText } from '../test/arbitrary-fences.js';
import { CATEGORIES, COUNTRIES } from '../test/compare-evaluators.js';
import { reviewTimes } from './classes/times.js';
import { ORDER_BOUNDS, reviewOrder, type OrderClaim } from './order.js';

const NOW = Date.parse('2026-10-23T06:00:00Z');

function contextOf(text: string, data: Partial<EvaluationContext> = {}) {
  const { rulebook, files, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
  expect(diagnostics).toEqual([]);
  const context: EvaluationContext = { rulebook: rulebook!, ...data };
  const statements = files.flatMap((file) => file.statements);
  return { context, times: reviewTimes(statements, rulebook!.zone, [...rulebook!.endsAtUnixMs.values()], NOW) };
}

/** A first request of a client, and one of a client who was warned and has gone on. */
const STATES = [() => new State(), () => Object.assign(new State(), { passesHold: () => true })];

/** What a rule was found to be for one request. */
function verdictsOf(context: EvaluationContext, request: Request): Map<Rule, Verdict> {
  const verdicts = new Map<Rule, Verdict>();
  for (const state of STATES)
    decide(context, request, state(), { rule: (_fence, rule, verdict) => void verdicts.set(rule, verdict) });
  return verdicts;
}

function seen(context: EvaluationContext, request: Request) {
  const { outcome, status, would, throttled } = decide(context, request, new State());
  return { outcome, status, would, throttled };
}

function withoutRule(context: EvaluationContext, rule: Rule): EvaluationContext {
  const strip = (fence: FenceStatement): FenceStatement => ({
    ...fence,
    rules: fence.rules.filter((one) => one !== rule),
  });
  const gates = context.rulebook.gates.map((gate) => ({ ...gate, fences: gate.fences.map(strip) }));
  return { ...context, rulebook: { ...context.rulebook, gates } };
}

const CONTRADICTIONS: Record<
  OrderClaim['id'],
  (context: EvaluationContext, claim: OrderClaim, request: Request) => boolean
> = {
  'never-true': (context, { rule }, request) => verdictsOf(context, request).get(rule) === 'matched',
  'always-true': (context, { rule }, request) => verdictsOf(context, request).get(rule) === 'not-matched',
  'never-reached': (context, { rule }, request) => verdictsOf(context, request).get(rule) === 'matched',
  'partly-covered': () => false,
  // The request that is shown was run when it was found.
  'redirect-loop': () => false,
  'no-effect': (context, { rule }, request) =>
    JSON.stringify(seen(context, request)) !== JSON.stringify(seen(withoutRule(context, rule), request)),
};

describe('a claim about the order of rules', () => {
  it('is contradicted by no request', () => {
    fc.assert(
      fc.property(
        wideFenceText,
        fc.array(wideAttributes, { minLength: 30, maxLength: 60 }),
        fc.constantFrom(...CATEGORIES),
        fc.boolean(),
        fc.integer({ min: 0, max: 72 }),
        (text, records, categories, hasTable, hours) => {
          const { context, times } = contextOf(text, { categories, ...(hasTable ? { countries: COUNTRIES } : {}) });
          const { claims } = reviewOrder(context, times, { ...ORDER_BOUNDS, isChecked: true });
          for (const attributes of records as Attributes[]) {
            // A record that names its gate is judged there whatever its host.
            if (attributes['jade.at-gate'] != null) continue;
            const request = normalizeRequest({ line: 1, atUnixMs: NOW + hours * 3_600_000, attributes });
            const { gate } = decide(context, request, new State());
            for (const claim of claims) {
              if (claim.gate !== undefined && claim.gate !== gate) continue;
              if (CONTRADICTIONS[claim.id](context, claim, request))
                throw new Error(
                  `${claim.id} ${claim.fence.name}/${claim.rule.name} at ${gate}: ${JSON.stringify(attributes)}\n${text}`,
                );
            }
          }
        },
      ),
      { numRuns: 60 },
    );
  });
});
