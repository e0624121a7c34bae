import type { AddressRange } from '../request/address.js';
import { Heap } from '../arrays/heap.js';

/** The owner of a piece that no range covers. */
export const NO_OWNER = 0xffff_ffff;

export interface Pieces {
  /** Ascending; a piece ends where the next begins. */
  readonly starts: readonly bigint[];
  /** An index into the ranges, or -1. */
  readonly owners: readonly number[];
}

/**
 * Cuts ranges, which may nest and overlap, into disjoint pieces, each owned by the smallest range that covers it, at equal
 * size by the later one. Method: goes over the edges of the ranges in order, with the open ranges in a heap; a range that
 * has ended is dropped when it reaches the top.
 * @param endOfFamily the number behind the last address
 */
export function cutIntoPieces(ranges: readonly AddressRange[], endOfFamily: bigint): Pieces {
  const byStart = ranges.map((_, index) => index).sort((a, b) => compare(ranges[a]!.first, ranges[b]!.first));
  const edges = ranges.flatMap(({ first, last }) => [first, last + 1n]).sort(compare);
  const open = new Heap<number>((a, b) => {
    const difference = compare(ranges[a]!.last - ranges[a]!.first, ranges[b]!.last - ranges[b]!.first);
    return difference === 0 ? a > b : difference < 0;
  });
  const starts: bigint[] = [];
  const owners: number[] = [];
  let next = 0;
  for (const [at, edge] of edges.entries()) {
    if (edge === endOfFamily) break;
    if (at > 0 && edge === edges[at - 1]) continue;
    for (; next < byStart.length && ranges[byStart[next]!]!.first === edge; next += 1) open.push(byStart[next]!);
    while (open.top !== undefined && ranges[open.top]!.last < edge) open.pop();
    const owner = open.top ?? NO_OWNER;
    if (owner === (owners.at(-1) ?? NO_OWNER)) continue;
    starts.push(edge);
    owners.push(owner);
  }
  return { starts, owners };
}

function compare(a: bigint, b: bigint): number {
  return a < b ? -1 : a > b ? 1 : 0;
}
