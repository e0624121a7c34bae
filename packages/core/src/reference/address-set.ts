import { isInRange, type Address, type AddressRange, type Family } from '../request/address.js';
import { toKey, upperBound, type Key } from '../arrays/upper-bound.js';

/** A set of addresses given as ranges, which may overlap. Lookup answers with the narrowest range that was written. */
export interface AddressSet {
  readonly ranges: readonly AddressRange[];
  /** @returns the smallest range that contains the address, or undefined. */
  find(address: Address): AddressRange | undefined;
}

/** Ranges sorted by family and first address, with the widest end seen so far, so that a lookup can stop early. */
interface FamilyIndex {
  readonly sorted: readonly AddressRange[];
  readonly firsts: readonly Key[];
  readonly widestEnds: readonly Key[];
}

/** Method: sort by start, binary-search the last start at or below the address, walk back while an end can still reach it. */
export function createAddressSet(ranges: readonly AddressRange[]): AddressSet {
  const index = { 4: indexFamily(ranges, 4), 6: indexFamily(ranges, 6) };
  return {
    ranges,
    find(address) {
      const { sorted, firsts, widestEnds } = index[address.family];
      if (sorted.length === 0) return undefined;
      const value = address.key;
      let best: AddressRange | undefined;
      for (let at = upperBound(firsts, value) - 1; at >= 0 && widestEnds[at]! >= value; at -= 1) {
        const range = sorted[at]!;
        if (isInRange(range, address) && (best === undefined || range.last - range.first < best.last - best.first))
          best = range;
      }
      return best;
    },
  };
}

function indexFamily(ranges: readonly AddressRange[], family: Family): FamilyIndex {
  const sorted = ranges
    .filter((range) => range.family === family)
    .sort((a, b) => (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  let widest = -1n;
  const widestEnds = sorted.map((range) => toKey(family, range.last > widest ? (widest = range.last) : widest));
  return { sorted, firsts: sorted.map((range) => toKey(family, range.first)), widestEnds };
}
