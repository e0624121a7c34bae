import { deflateSync } from 'node:zlib';
import type { StoredState } from '@jadefence/core/decide';
import { CounterStore } from '@jadefence/core/match';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { packMemory, unpackState } from './pack-state.js';

const state: StoredState = {
  counters: [
    ['["g","f/a","198.18.4.7"]', { stampsUnixMs: [1, 2], heldUntilUnixMs: 9, quietFromUnixMs: 11 }],
    ['["g","f/a","\\"å\\""]', { stampsUnixMs: [], heldUntilUnixMs: -1, quietFromUnixMs: 5 }],
  ],
  holds: [['["g","f/b","kari"]', 7]],
  levels: [
    ['["g","f/c",null]', { level: '-9007199254740993000', atUnixMs: 1, fullFromUnixMs: Number.MAX_SAFE_INTEGER }],
  ],
};

describe('what requests left behind', () => {
  it('comes back as it was packed', () => {
    expect(unpackState(packMemory(new CounterStore(state)))).toEqual(state);
    expect(unpackState(packMemory(new CounterStore()))).toEqual({ counters: [], holds: [], levels: [] });
  });

  it('comes back whatever its times and keys are', () => {
    const whole = fc.integer({ min: -8e13, max: 8e13 });
    const counter = fc.record({
      stampsUnixMs: fc.array(whole, { maxLength: 20 }),
      heldUntilUnixMs: fc.oneof(fc.constant(Number.MIN_SAFE_INTEGER), whole),
      quietFromUnixMs: whole,
    });
    const level = fc.record({
      level: fc.bigInt().map(String),
      atUnixMs: whole,
      // What is full again by the latest request is not stored.
      fullFromUnixMs: fc.integer({ min: 1e14, max: Number.MAX_SAFE_INTEGER }),
    });
    const key = fc.string({ unit: 'grapheme' });
    const states = fc.record({
      counters: fc.uniqueArray(fc.tuple(key, counter), { maxLength: 300, selector: ([name]) => name }),
      holds: fc.uniqueArray(fc.tuple(key, whole), { maxLength: 300, selector: ([name]) => name }),
      levels: fc.uniqueArray(fc.tuple(key, level), { maxLength: 300, selector: ([name]) => name }),
    });
    fc.assert(
      fc.property(states, (some) => {
        expect(unpackState(packMemory(new CounterStore(some)))).toEqual(some);
      }),
      { numRuns: 50 },
    );
  });

  it('is packed without being cut, however much it is', () => {
    const many: StoredState = {
      counters: Array.from({ length: 20_000 }, (_, index) => [
        `["g","f/a","${index}"]`,
        { stampsUnixMs: [index], heldUntilUnixMs: 0, quietFromUnixMs: index + 1 },
      ]),
      holds: [],
      levels: [],
    };
    expect(unpackState(packMemory(new CounterStore(many)))).toEqual(many);
  });

  it('is read as releases before wrote it, and not as later ones may', () => {
    const { levels: _, ...before } = state;
    expect(unpackState(deflateSync(JSON.stringify(before)))).toEqual(before);
    expect(unpackState(deflateSync(Buffer.of(1, 0, 0)))).toEqual({ counters: [], holds: [] });
    expect(() => unpackState(deflateSync(Buffer.of(3)))).toThrow('A state has version 3, expected 2.');
  });
});
