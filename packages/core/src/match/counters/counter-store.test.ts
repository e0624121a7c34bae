import { describe, expect, it } from 'vitest';
import { State, type StoredState } from '../../decide/state.js';
import { CounterStore, TooManyKeysError } from './counter-store.js';

const WINDOW = { max: 3, windowMs: 60_000, holdMs: 90_000 };

/** A memory whose keys are named as the interpreter would name them. */
function memoryOf(maxKeys?: number): CounterStore {
  const memory = new CounterStore(undefined, maxKeys);
  memory.setKeyNames((limit, key) => `${limit} ${key}`);
  return memory;
}

describe('the memory of limits', () => {
  it('counts as the interpreter does, also over so many keys that quiet ones are released', () => {
    const memory = memoryOf();
    const state = new State();
    // A linear congruential generator (Numerical Recipes), always the same.
    let seed = 1;
    const below = (end: number): number => {
      seed = (Math.imul(seed, 1_664_525) + 1_013_904_223) >>> 0;
      return Math.floor((seed / 2 ** 32) * end);
    };
    let differing = 0;
    let numTripped = 0;
    let most = 0;
    for (let index = 0; index < 600_000; index += 1) {
      // Mostly new keys, and some that come again and again, so that rings grow and holds are active.
      const key = below(10) < 3 ? below(500) : Math.floor(index / 2);
      const at = index;
      const isTripped = memory.count(key % 3, key, at, WINDOW);
      if (state.count(`${key % 3} ${key}`, at, WINDOW).isTripped !== isTripped) differing += 1;
      if (isTripped) numTripped += 1;
      most = Math.max(most, memory.numKeys);
    }
    expect(differing).toBe(0);
    expect(numTripped).toBeGreaterThan(10_000);
    // Of more than 200,000 keys only those of the last minutes are kept.
    expect(most).toBeLessThan(150_000);
    const loud = new Map(state.store().counters.filter(([, { quietFromUnixMs }]) => quietFromUnixMs > 599_999));
    expect(new Map(memory.store().counters)).toEqual(loud);
  });

  it('takes up what was handed over, a hold also where the limit has none any more', () => {
    const stored: StoredState = {
      counters: [
        ['0 1', { stampsUnixMs: [1, 2], heldUntilUnixMs: 90, quietFromUnixMs: 90 }],
        ['0 2', { stampsUnixMs: [1, 2, 3], heldUntilUnixMs: Number.MIN_SAFE_INTEGER, quietFromUnixMs: 63 }],
      ],
      holds: [],
    };
    const [memory, state] = [new CounterStore(stored), new State(stored)];
    memory.setKeyNames((limit, key) => `${limit} ${key}`);
    for (const [at, key] of [
      [10, 1],
      [20, 2],
      [62, 2],
      [80, 1],
      [95, 1],
    ] as const) {
      const limit = { max: 3, windowMs: 60, holdMs: undefined };
      expect(memory.count(0, key, at, limit)).toBe(state.count(`0 ${key}`, at, limit).isTripped);
    }
    expect(new Map(memory.store().counters)).toEqual(new Map(state.store().counters));
  });

  it('ends with a clear error when too many keys are alive', () => {
    const memory = memoryOf(2);
    memory.count(0, 1, 0, WINDOW);
    memory.count(0, 2, 0, WINDOW);
    memory.count(0, 1, 0, WINDOW);
    expect(() => memory.count(0, 3, 0, WINDOW)).toThrow(TooManyKeysError);
    expect(() => memory.checkGrace('x', 0, 1)).toThrow(
      'The rules keep more than 2 counters and holds alive at once. Count by fewer keys or over a shorter time.',
    );
  });
});
