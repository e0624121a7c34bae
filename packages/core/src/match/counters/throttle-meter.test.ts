import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  addMetered,
  addThrottleTally,
  createThrottleTally,
  waitPercentile,
  type ThrottleTally,
} from './throttle-meter.js';

const HOUR_MS = 3_600_000;
const metered = fc.record({
  atUnixMs: fc.integer({ min: 0, max: 20_000 * HOUR_MS }),
  bytes: fc.integer({ min: 0, max: 1e9 }),
  waitMs: fc.oneof(fc.constant(0), fc.integer({ min: 1, max: 1200 }), fc.integer({ min: 1, max: 300 * HOUR_MS })),
});
type Metered = typeof metered extends fc.Arbitrary<infer T> ? T : never;

function tallyOf(all: readonly Metered[]): ThrottleTally {
  const tally = createThrottleTally();
  for (const { atUnixMs, bytes, waitMs } of all) addMetered(tally, atUnixMs, bytes, waitMs);
  return tally;
}

describe('what throttles did', () => {
  it('adds up from parts to the whole, with every byte, however long the log', () =>
    fc.assert(
      fc.property(fc.array(metered, { maxLength: 200 }), fc.nat(200), (all, at) => {
        const parts = tallyOf(all.slice(0, at));
        addThrottleTally(parts, tallyOf(all.slice(at)));
        expect(parts).toEqual(tallyOf(all));
        const sum = (key: 'logged' | 'shaped'): number =>
          Object.values(parts.steps.bytes).reduce((total, step) => total + step[key], 0);
        expect([sum('logged'), sum('shaped') + parts.steps.later]).toEqual([parts.bytes, parts.bytes]);
      }),
    ));

  it('keeps few steps, which become longer', () => {
    const tally = createThrottleTally();
    for (let hour = 0; hour < 10_000; hour += 1) addMetered(tally, hour * HOUR_MS, 1, 0);
    expect([tally.steps.stepMs / HOUR_MS, Object.keys(tally.steps.bytes).length]).toEqual([4, 2500]);
  });

  it('names the wait that most do not exceed, at most 0.2% too high', () =>
    fc.assert(
      fc.property(fc.array(metered, { minLength: 1, maxLength: 200 }), (all) => {
        const waits = all.flatMap(({ waitMs }) => (waitMs > 0 ? [waitMs] : [])).sort((a, b) => a - b);
        const exact = waits[Math.ceil(waits.length * 0.95) - 1] ?? 0;
        const found = waitPercentile(tallyOf(all), 0.95);
        expect(found).toBeGreaterThanOrEqual(exact);
        expect(found).toBeLessThanOrEqual(exact * 1.002);
      }),
    ));
});
