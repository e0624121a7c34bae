import type { LimitAdvice } from '@jadefence/core/advice';

type Threshold = LimitAdvice['thresholds'][number];

/** Of the thresholds that were counted, the one that is nearest in proportion. */
export function nearestThreshold(thresholds: readonly Threshold[], count: number): Threshold | undefined {
  const distance = (threshold: Threshold): number => Math.abs(Math.log(threshold.count / Math.max(1, count)));
  return thresholds.reduce<Threshold | undefined>(
    (best, one) => (best === undefined || distance(one) < distance(best) ? one : best),
    undefined,
  );
}

/** Where a count is over bars of 1, 2 to 3, 4 to 7, ...: at the right end of that which it is the last of. */
export function placeOfCount(count: number): number {
  return Math.log2(count + 1);
}

/** The count at a place over the bars. */
export function countAt(place: number): number {
  return 2 ** place - 1;
}
