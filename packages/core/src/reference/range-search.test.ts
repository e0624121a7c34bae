import fc from 'fast-check';
import { expect, it } from 'vitest';
import { findIpv4, findIpv6, buildIpv4Index, buildIpv6Index } from './range-search.js';

/** Starts crowd below a few prefixes, and within those at every depth, as allocations do. */
const crowded6 = fc
  .record({
    prefix: fc.constantFrom(0n, 0x2001_0db8_0004n << 80n, 0x2001_0db8_0004_1980n << 64n, 0x2a00n << 112n),
    rest: fc.bigInt(0n, 4095n),
    depth: fc.constantFrom(0n, 40n, 58n, 64n, 70n, 100n),
  })
  .map(({ prefix, rest, depth }) => (prefix | (rest << depth)) & ((1n << 128n) - 1n));
const crowded4 = fc
  .record({ prefix: fc.constantFrom(0, 0xc612_0000, 0xffff_0000), rest: fc.nat(0x1_ffff) })
  .map(({ prefix, rest }) => (prefix + rest) % 0x1_0000_0000);

/** Ascending, each once. */
function sorted<T extends number | bigint>(values: readonly T[]): T[] {
  return [...new Set(values)].sort((a, b) => (a < b ? -1 : 1));
}

function toWords(value: bigint): Uint32Array {
  return Uint32Array.from([96n, 64n, 32n, 0n], (shift) => Number((value >> shift) & 0xffff_ffffn));
}

it('the last start at or below an address is found, however starts crowd', () => {
  fc.assert(
    fc.property(fc.array(crowded6, { maxLength: 600, size: 'max' }), fc.array(crowded6), (values, others) => {
      const starts = sorted(values);
      const search = buildIpv6Index(Uint32Array.from(starts.flatMap((value) => [...toWords(value)])));
      for (const requested of [...others, ...starts, ...starts.map((value) => (value === 0n ? value : value - 1n))])
        expect(findIpv6(search, toWords(requested))).toBe(starts.findLastIndex((start) => start <= requested));
    }),
    // Making an example of hundreds of starts smaller would take minutes.
    { numRuns: 60, endOnFailure: true },
  );
  fc.assert(
    fc.property(fc.array(crowded4, { maxLength: 600 }), fc.array(crowded4), (values, others) => {
      const starts = sorted(values);
      const search = buildIpv4Index(Uint32Array.from(starts));
      for (const requested of [...others, ...starts, ...starts.map((value) => Math.max(0, value - 1))])
        expect(findIpv4(search, requested | 0)).toBe(starts.findLastIndex((start) => start <= requested));
    }),
  );
});
