import { Memory, type StoredState } from '@jadefence/core';
import { describe, expect, it } from 'vitest';
import { packMemory, unpackState } from './pack-state.js';

const state: StoredState = {
  counters: [
    ['["g","f/a","198.18.4.7"]', { stampsUnixMs: [1, 2], heldUntilUnixMs: 9, quietFromUnixMs: 11 }],
    ['["g","f/a","\\"å\\""]', { stampsUnixMs: [], heldUntilUnixMs: -1, quietFromUnixMs: 5 }],
  ],
  holds: [['["g","f/b","kari"]', 7]],
};

describe('what requests left behind', () => {
  it('comes back as it was packed', () => {
    expect(unpackState(packMemory(new Memory(state)))).toEqual(state);
    expect(unpackState(packMemory(new Memory()))).toEqual({ counters: [], holds: [] });
  });

  it('is packed in pieces without being cut', () => {
    const many: StoredState = {
      counters: Array.from({ length: 20_000 }, (_, index) => [
        `["g","f/a","${index}"]`,
        { stampsUnixMs: [index], heldUntilUnixMs: 0, quietFromUnixMs: index + 1 },
      ]),
      holds: [],
    };
    expect(unpackState(packMemory(new Memory(many)))).toEqual(many);
  });
});
