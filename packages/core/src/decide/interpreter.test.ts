import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { parseCountryRows } from '../reference/country-rows.js';
import { createCountryTable } from '../reference/country-table.js';
import { normalizeRequest } from '../request/request.js';
import { fenceText, repeatingLog } from '../test/arbitrary-fences.js';
import { judgeNaively } from '../test/naive-judge.js';
import { OUTCOMES } from '../language/outcomes.js';
import type { Attributes } from '../request/record.js';
import type { Decision } from './decision.js';
import { decide, type Observer } from './interpreter.js';
import { State } from './state.js';

const COUNTRIES: [string, string][] = [
  ['198.18.0.0/30', 'NO'],
  ['198.18.0.4/30', 'SE'],
  ['2001:db8::/32', 'NO'],
];
const countries = createCountryTable(parseCountryRows(COUNTRIES.map((row) => row.join(',')).join('\n')).ranges);

/** The country by hand: the rows above do not overlap. */
function countryByHand(client: string): string {
  const small = /^198\.18\.0\.(\d)$/.exec(client)?.[1];
  if (small !== undefined && Number(small) < 8) return Number(small) < 4 ? 'NO' : 'SE';
  if (client.startsWith('2001:db8:')) return 'NO';
  return client.startsWith('10.') ? 'internal' : 'no-country';
}

const summaryOf = ({
  outcome,
  gate,
  fence,
  rule,
  would,
  tags,
  blind,
  throttled = [],
  waitsMs = [],
}: Decision): unknown => ({
  outcome,
  gate,
  decider: [fence, rule].filter(Boolean).join('/'),
  would: would.map((item) => `${[item.fence, item.rule].filter(Boolean).join('/')}:${item.outcome}`),
  tags,
  blind,
  waits: throttled.map((item, index) => `${item.fence}/${item.rule} ${waitsMs[index]}${item.isTrial ? '*' : ''}`),
});

describe('the interpreter', () => {
  it('decides as a second, naive reading of the language does', () => {
    const seen = new Map<string, number>();
    const see = (what: string): unknown => seen.set(what, (seen.get(what) ?? 0) + 1);
    fc.assert(
      fc.property(fenceText, repeatingLog, fc.boolean(), (text, log, hasTable) => {
        const { rulebook, files, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
        expect(diagnostics).toEqual([]);
        const judge = { rulebook: rulebook!, ...(hasTable ? { countries } : {}) };
        const naive = judgeNaively(files[0]!.statements, log, (client) =>
          hasTable ? countryByHand(client) : undefined,
        );
        const state = new State();
        log.forEach(({ t, attributes: given }, index) => {
          const request = normalizeRequest({ line: index + 1, atUnixMs: t, attributes: given as Attributes });
          const decision = decide(judge, request, state);
          expect(summaryOf(decision)).toEqual({ gate: undefined, ...naive[index] });
          see(decision.outcome);
          see('all');
          if (decision.rule !== undefined && decision.rule !== 'r0') see('below the first rule');
          if (decision.blind.length > 0) see('blind');
          if (decision.would.length > 0) see('would');
          if (decision.throttled) see('throttled');
        });
      }),
      // A fixed seed, since the shares below are asserted.
      { numRuns: 700, seed: 1128 },
    );
    // What the generator reaches, so that agreement means something.
    const share = (what: string): number => (seen.get(what) ?? 0) / seen.get('all')!;
    for (const outcome of OUTCOMES) expect(share(outcome), outcome).toBeGreaterThan(0.015);
    expect(share('throttled'), 'throttled').toBeGreaterThan(0.01);
    for (const what of ['below the first rule', 'blind', 'would']) expect(share(what), what).toBeGreaterThan(0.08);
  }, 90_000);

  it('reports an observer each step in the order of the walk, and decides the same with one', () => {
    const text = [
      'gate g inbound { hosts a.example fences one, two otherwise allow }',
      'fence one trial { rule t tag x when always rule o off block when always rule b block when method = GET rule c block when always }',
      'fence two enforce { rule u block when country = NO rule v allow when always }',
    ].join('\n');
    const judge = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook! };
    const received: string[] = [];
    const observer: Observer = {
      gate: (gate, why) => received.push(`gate ${gate.statement.name} by ${why.kind}`),
      rule: (fence, rule, verdict, subject) =>
        received.push(`${fence.name}/${rule.name} ${verdict} seeing ${subject.tag?.join(' ') ?? 'no tag'}`),
      otherwise: (fence) => received.push(`end of ${fence.name}`),
    };
    const request = normalizeRequest({
      line: 1,
      atUnixMs: 0,
      attributes: { 'url.full': 'https://a.example/', 'http.request.method': 'GET' },
    });
    const decision = decide(judge, request, new State(), observer);
    expect(received).toEqual([
      'gate g by host',
      'one/t matched seeing no tag',
      'one/o off seeing x',
      'one/b matched seeing x',
      'two/u blind seeing no tag',
      'two/v matched seeing no tag',
    ]);
    expect(decision).toEqual(decide(judge, request, new State()));
  });
});
