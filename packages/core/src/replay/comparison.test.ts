import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { OUTCOMES } from '../language/outcomes.js';
import type { Ruling } from '../decide/decision.js';
import { DecisionComparison, type Side } from './comparison.js';
import { NOT_JUDGED } from './replay-chunk.js';

const ruling = fc
  .record({
    outcome: fc.constantFrom(...OUTCOMES),
    gate: fc.constantFrom(undefined, 'g'),
    fence: fc.constantFrom(undefined, 'f'),
    rule: fc.constantFrom(undefined, 'r', 's'),
    status: fc.constantFrom(undefined, 403, 451),
    blind: fc.constantFrom([], ['f/b']),
  })
  .map((item): Ruling => ({ ...item, would: [], tags: [], matched: [], isHeaderIgnored: false }) as unknown as Ruling);
const redirectBefore = ({ outcome, rule }: Ruling): string | undefined =>
  outcome === 'redirected' ? `https://${rule ?? 'all'}.example/` : undefined;
const redirectAfter = ({ outcome }: Ruling): string | undefined =>
  outcome === 'redirected' ? 'https://all.example/' : undefined;
const rulings = fc.array(ruling, { minLength: 1, maxLength: 6 });

describe('a comparison', () => {
  it('counts the same as a list of both decisions of each request', () => {
    fc.assert(
      fc.property(
        rulings,
        rulings,
        fc.array(fc.tuple(fc.nat(5), fc.nat(5), fc.integer({ min: 0, max: 9 })), { maxLength: 60 }),
        fc.nat(60),
        (before, after, rows, cut) => {
          const was = Uint32Array.from(rows, ([code, , luck]) => (luck === 0 ? NOT_JUDGED : code % before.length));
          const is = Uint32Array.from(rows, ([, code, luck]) => (luck === 0 ? NOT_JUDGED : code % after.length));
          const comparison = new DecisionComparison(before, after, { before: redirectBefore, after: redirectAfter });
          const changed = [
            ...comparison.add(was.subarray(0, cut), is.subarray(0, cut)),
            ...[...comparison.add(was.subarray(cut), is.subarray(cut))].map((row) => row + Math.min(cut, rows.length)),
          ];
          const pairs = [...was.keys()].flatMap((row) =>
            was[row] === NOT_JUDGED ? [] : [{ row, before: before[was[row]!]!, after: after[is[row]!]! }],
          );
          const shown = (side: Ruling): string =>
            JSON.stringify([side.outcome, side.status, (before.includes(side) ? redirectBefore : redirectAfter)(side)]);
          const whole = (side: Side): string =>
            JSON.stringify([side.outcome, side.gate, side.fence, side.rule, side.status]);
          const differing = pairs.filter((pair) => shown(pair.before) !== shown(pair.after));
          expect(changed).toEqual(differing.map(({ row }) => row));
          const tally = comparison.tally({});
          expect([tally.requests, tally.changed]).toEqual([pairs.length, differing.length]);
          expect(tally.moved).toBe(
            pairs.filter((pair) => shown(pair.before) === shown(pair.after) && whole(pair.before) !== whole(pair.after))
              .length,
          );
          for (const from of OUTCOMES)
            for (const to of OUTCOMES)
              expect(tally.matrix[from]?.[to] ?? 0).toBe(
                pairs.filter((pair) => pair.before.outcome === from && pair.after.outcome === to).length,
              );
          for (const group of tally.groups)
            expect(group.requests).toBe(
              pairs.filter(
                (pair) => whole(pair.before) === whole(group.before) && whole(pair.after) === whole(group.after),
              ).length,
            );
          expect(tally.groups.reduce((sum, { requests }) => sum + requests, 0)).toBe(tally.changed + tally.moved);
        },
      ),
    );
  });
});
