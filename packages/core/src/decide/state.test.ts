import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { State, type StoredState } from './state.js';

/** Counted by hand: everything that came before is looked at again. */
function countByHand(times: readonly number[], max: number, windowMs: number, holdMs: number | undefined): boolean[] {
  let heldUntil = Number.NEGATIVE_INFINITY;
  return times.map((now, index) => {
    const inWindow = times.slice(0, index + 1).filter((time) => time > now - windowMs).length;
    const isHeld = now < heldUntil;
    if (inWindow > max && !isHeld && holdMs !== undefined) heldUntil = now + holdMs;
    return inWindow > max || isHeld;
  });
}

const steps = fc.array(fc.constantFrom(0, 0, 1, 3, 10, 40), { minLength: 1, maxLength: 60 });
const timesOf = (all: readonly number[]): number[] => {
  let at = 1000;
  return all.map((step) => (at += step));
};

describe('a window', () => {
  it('trips exactly where counting by hand does, with holds and without, also stored half-way', () => {
    fc.assert(
      fc.property(
        steps,
        fc.integer({ min: 1, max: 5 }),
        fc.integer({ min: 1, max: 50 }),
        fc.option(fc.integer({ min: 1, max: 60 }), { nil: undefined }),
        fc.nat(60),
        (all, max, windowMs, holdMs, cut) => {
          const times = timesOf(all);
          let state = new State();
          const tripped = times.map((now, index) => {
            if (index === cut) state = new State(JSON.parse(JSON.stringify(state.store())) as StoredState);
            return state.count('key', now, { max, windowMs, holdMs }).isTripped;
          });
          expect(tripped).toEqual(countByHand(times, max, windowMs, holdMs));
        },
      ),
      { numRuns: 2000 },
    );
  });

  it('reports how many it holds, and until when it is held', () => {
    const state = new State();
    const limit = { max: 2, windowMs: 10, holdMs: 100 };
    expect(state.count('a', 0, limit)).toEqual({ counted: 1, isTripped: false });
    expect(state.count('a', 1, limit)).toEqual({ counted: 2, isTripped: false });
    expect(state.count('a', 2, limit)).toEqual({ counted: 3, isTripped: true, heldUntilUnixMs: 102 });
    expect(state.count('a', 50, limit)).toEqual({ counted: 1, isTripped: true, heldUntilUnixMs: 102 });
    expect(state.count('a', 102, limit)).toEqual({ counted: 1, isTripped: false });
    expect(state.count('b', 102, limit)).toEqual({ counted: 1, isTripped: false });
  });

  it('keeps no more stamps than can matter, whatever comes', () => {
    const state = new State();
    for (let index = 0; index < 10_000; index += 1) state.count('a', 5, { max: 3, windowMs: 10 });
    expect(state.store().counters[0]![1].stampsUnixMs).toHaveLength(4);
  });
});

describe('a hold', () => {
  it('begins with the next request, is not extended, and ends on time', () => {
    const state = new State();
    const passes = [0, 0, 9, 10, 19, 20].map((now) => state.passesHold('kari', now, 10));
    expect(passes).toEqual([false, true, true, false, true, false]);
    expect(state.passesHold('ola', 5, 10)).toBe(false);
  });
});

describe('keys that have gone quiet', () => {
  it('are released, so that memory follows what is inside the windows', () => {
    const state = new State();
    let most = 0;
    for (let index = 0; index < 100_000; index += 1) {
      state.count(`client ${index}`, index, { max: 5, windowMs: 500 });
      if (index % 10 === 0) state.passesHold(`person ${index}`, index, 500);
      most = Math.max(most, state.numKeys);
    }
    expect(most).toBeLessThan(3000);
  });

  it('are kept while a hold is active, however long ago they were counted', () => {
    const state = new State();
    const limit = { max: 1, windowMs: 10, holdMs: 1_000_000 };
    state.count('held', 0, limit);
    state.count('held', 1, limit);
    for (let index = 0; index < 5000; index += 1) state.count(`other ${index}`, 100 + index, { max: 5, windowMs: 10 });
    expect(state.count('held', 500_000, limit).isTripped).toBe(true);
  });
});
