import fc from 'fast-check';
import { expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { checkFilter } from '../check/check-filter.js';
import { evaluate } from '../decide/evaluate.js';
import { viewRequest } from '../decide/gate.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import { parseAddress } from '../request/address.js';
import { usersOf } from '../request/fields.js';
import type { Attributes } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { wideAttributes, wideFenceText } from '../test/arbitrary-fences.js';
import { CATEGORIES, COUNTRIES } from '../test/compare-evaluators.js';
import { rulesFor } from './rules-for.js';

const NOW = Date.parse('2026-10-23T06:00:00Z');

function contextOf(text: string, data: Partial<EvaluationContext> = {}): EvaluationContext {
  const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
  expect(diagnostics).toEqual([]);
  return { rulebook: rulebook!, ...data };
}

it('lists every rule that a request of the client matches, and takes nothing that passes', () => {
  fc.assert(
    fc.property(
      wideFenceText,
      fc.array(wideAttributes, { minLength: 20, maxLength: 40 }),
      fc.constantFrom(...CATEGORIES),
      fc.integer({ min: 0, max: 72 }),
      fc.boolean(),
      (text, records, categories, hours, hasTime) => {
        const context = contextOf(text, { categories, countries: COUNTRIES });
        const atUnixMs = NOW + hours * 3_600_000;
        for (const attributes of records as Attributes[]) {
          const request = normalizeRequest({ line: 1, atUnixMs, attributes });
          const view = viewRequest(context, request);
          const decision = decide(context, request, new State());
          if (!view || !view.client) continue;
          const users = usersOf(request);
          const user = users?.length === 1 ? users[0] : undefined;
          const known = { client: view.client, ...(user ? { user } : {}), ...(hasTime ? { atUnixMs } : {}) };
          const [found] = rulesFor(context, known, decision.gate);
          const listed = new Set(found!.rules.map(({ rule }) => rule));
          expect(
            decision.matched.filter((rule) => !listed.has(rule)),
            JSON.stringify(attributes),
          ).toEqual([]);
          const tag = decision.tags.length > 0 ? decision.tags : null;
          for (const { rule, needs } of found!.rules) {
            if (needs === undefined || !decision.matched.includes(rule) || /\btag\b/.test(needs)) continue;
            const { filter } = checkFilter(needs, context.rulebook);
            const truth = evaluate(filter!.condition, { view, tag }, { ...context.rulebook, lookups: filter!.lookups });
            expect(truth, `${rule} needs ${needs}`).not.toBe('false');
          }
        }
      },
    ),
    { numRuns: 60 },
  );
});

it('shows what is still needed, without what is decided', () => {
  const context = contextOf(`
list team addresses { 198.18.4.0/24 }
schedule nights { mon-sun 22:00-06:00 }
gate shop inbound { hosts shop.example fences desk otherwise allow }
gate out outbound { clients 203.0.113.0/24 fences desk otherwise block }
fence desk enforce {
  rule staff tag staff when client in team
  rule login block when path = /login and not tag = staff
  rule api block when client in team and (method = POST or country = NO) during nights
  rule kari allow outright when user = "kari"
  rule others block when client not in team
  rule rest allow when always
  rule never block when path = /never
}
`);
  const show = (client: string, more: { user?: string; atUnixMs?: number } = {}) =>
    rulesFor(context, { client: parseAddress(client)!, ...more }).map(({ gate, rules }) => [
      gate,
      ...rules.map(({ rule, needs = 'nothing', hours = '' }) => `${rule.slice(5)}: ${needs} ${hours}`.trim()),
    ]);
  expect(show('198.18.4.9')).toEqual([
    [
      'shop',
      'staff: nothing',
      'api: method = POST or country = NO during nights',
      'kari: user = kari',
      'rest: nothing',
    ],
  ]);
  expect(show('198.18.5.9', { user: 'nina', atUnixMs: Date.UTC(2026, 9, 12, 12) })).toEqual([
    ['shop', 'login: path = /login', 'others: nothing'],
  ]);
  expect(show('203.0.113.7', { user: 'kari' })).toEqual([
    ['shop', 'login: path = /login', 'kari: nothing'],
    ['out', 'login: path = /login', 'kari: nothing'],
  ]);
});
