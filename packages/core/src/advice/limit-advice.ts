/** Which count is right for a limit: how high the keys of a log get, and whom each count would stop. */
import { NUM_TIMES, type Peak, type PeakCounters, type Times } from './peak-counters.js';
import type { CountingRules } from './limit-rules.js';

export interface AdviceWishes {
  /** At most this share of the keys is stopped; 0.001 where neither this nor a list to spare is given, and no gap shows. */
  readonly share?: number;
  /** Counts that are looked at besides those that the log suggests. */
  readonly counts?: readonly number[];
  /** As many of the highest keys are listed. */
  readonly maxKeys?: number;
}

export interface LimitAdvice {
  /** Keys with a counter; at each gate apart, unless the limit counts across gates. */
  readonly keys: number;
  /** Counted requests. */
  readonly requests: number;
  /** Requests that would have been counted, but for a key that is unknown. */
  readonly unknown: number;
  /** Percentiles of the peaks of keys, by nearest rank; 0 without any. */
  readonly peak: Readonly<Record<'p50' | 'p90' | 'p99' | 'p999' | 'max', number>>;
  /** All counted requests lie in one window, so that each peak is all that its key has. */
  readonly isOneWindow: boolean;
  /** How many keys peak from one number to another, both included. */
  readonly histogram: readonly { readonly from: number; readonly to: number; readonly keys: number }[];
  /** For a count, the keys and requests that a limit without a hold would stop; stopped requests count on. */
  readonly thresholds: readonly { readonly count: number; readonly keys: number; readonly requests: number }[];
  readonly suggestion: { readonly count: number; readonly reason: string };
  /** Keys of spared clients, and the highest of their peaks. */
  readonly spared?: { readonly keys: number; readonly peak: number };
  /** The highest keys, the first of the highest first. */
  readonly highest: readonly Peak[];
  /** The parts of the time that `times` of the highest are of. */
  readonly times?: Times & { readonly parts: number };
}

const DEFAULT_SHARE = 0.001;
const MAX_COUNT = 1_000_000;
/** A gap is one where the next key gets so many times as high, with at most this share of the keys above it. */
const GAP_FACTOR = 3;
const GAP_SHARE = 0.02;
const LISTED = 20;

/** @param numUnknown requests that matched and had an unknown key */
export function adviseLimit(
  counters: PeakCounters,
  { counted, spared }: CountingRules,
  numUnknown: number,
  { share, counts = [], maxKeys = LISTED }: AdviceWishes = {},
): LimitAdvice {
  const indexes: number[] = [];
  const ofSpared: number[] = [];
  for (let index = 0; index < counters.numPeaks; index += 1) {
    const { rule, peak } = counters.peakAt(index);
    if (rule === counted) indexes.push(index);
    else if (rule === spared) ofSpared.push(peak);
  }
  const peaks = Float64Array.from(indexes, (index) => counters.peakAt(index).peak).sort();
  const byCount = counters.byCount(counted);
  const requests = byCount.reduce((sum, count) => sum + count, 0);
  const rank = (part: number): number => peaks[Math.max(0, Math.ceil(peaks.length * part) - 1)] ?? 0;
  const peak = { p50: rank(0.5), p90: rank(0.9), p99: rank(0.99), p999: rank(0.999), max: rank(1) };
  const stopped = stoppedBy(peaks, byCount);
  const suggestion = suggest(peaks, spared === undefined ? undefined : ofSpared, share);
  const candidates = [...roundCounts(peak.max), ...Object.values(peak), suggestion.count, ...counts].filter(
    (count) => count >= 1 && count <= MAX_COUNT,
  );
  const { times } = counters;
  return {
    keys: peaks.length,
    requests,
    unknown: numUnknown,
    peak,
    isOneWindow: requests > 0 && counters.isOneWindow,
    histogram: histogramOf(peaks),
    thresholds: [...new Set(candidates)].sort((a, b) => a - b).map((count) => ({ count, ...stopped(count) })),
    suggestion,
    ...(spared === undefined
      ? {}
      : { spared: { keys: ofSpared.length, peak: ofSpared.reduce((highest, one) => Math.max(highest, one), 0) } }),
    highest: highestOf(counters, indexes, maxKeys),
    ...(times ? { times: { ...times, parts: NUM_TIMES } } : {}),
  };
}

/** By count: keys that peak above it, and requests with more than that in their window. @param peaks ascending */
function stoppedBy(peaks: Float64Array, byCount: Float64Array): (count: number) => { keys: number; requests: number } {
  const above = new Float64Array(byCount.length + 1);
  for (let count = byCount.length - 1; count >= 0; count -= 1) above[count] = above[count + 1]! + byCount[count]!;
  return (count) => ({ keys: peaks.length - numUpTo(peaks, count), requests: above[count + 1] ?? 0 });
}

/** How many of some ascending numbers are at most one. */
function numUpTo(ascending: Float64Array, most: number): number {
  let [from, to] = [0, ascending.length];
  while (from < to) {
    const middle = (from + to) >>> 1;
    if (ascending[middle]! <= most) from = middle + 1;
    else to = middle;
  }
  return from;
}

/** 1, 2, 3, 5, 7, 10, 15, 20, 30, ... up to a number. */
function roundCounts(most: number): number[] {
  const counts: number[] = [];
  for (let ten = 1; ten <= most; ten *= 10)
    for (const part of ten === 1 ? [1, 2, 3, 5, 7] : [1, 1.5, 2, 3, 5, 7])
      if (ten * part <= most) counts.push(ten * part);
  return counts;
}

/** Bars that are twice as wide each. */
function histogramOf(peaks: Float64Array): LimitAdvice['histogram'] {
  const bars: { from: number; to: number; keys: number }[] = [];
  for (let from = 1, below = 0; below < peaks.length; from *= 2) {
    const to = from * 2 - 1;
    const upTo = numUpTo(peaks, to);
    bars.push({ from, to, keys: upTo - below });
    below = upTo;
  }
  return bars;
}

/** @param spared peaks of the spared clients, where some are to be spared */
function suggest(
  peaks: Float64Array,
  spared: readonly number[] | undefined,
  share: number | undefined,
): LimitAdvice['suggestion'] {
  if (peaks.length === 0) return { count: 1, reason: 'no request was counted, so any count stops none' };
  const capped = (count: number, reason: string): LimitAdvice['suggestion'] =>
    count > MAX_COUNT
      ? { count: MAX_COUNT, reason: `${reason}; a limit can have at most ${MAX_COUNT.toLocaleString('en')}` }
      : { count: Math.max(1, count), reason };
  const ofSpared = spared?.reduce((most, one) => Math.max(most, one), 0) ?? 0;
  if (ofSpared > 0 && share === undefined) return capped(ofSpared, 'the lowest count that stops no spared client');
  const gap = share === undefined ? widestGap(peaks) : undefined;
  if (gap) {
    const above = peaks.length - numUpTo(peaks, gap.from);
    const of = `${above.toLocaleString('en')} of ${peaks.length.toLocaleString('en')} keys`;
    return capped(
      Math.floor(Math.sqrt(gap.from * gap.to)),
      `in the widest gap: ${of} get higher than ${gap.from.toLocaleString('en')}, all of them to ${gap.to.toLocaleString('en')} or more`,
    );
  }
  const wanted = share ?? DEFAULT_SHARE;
  const atMost = Math.floor(peaks.length * wanted);
  const least = peaks[peaks.length - 1 - Math.min(atMost, peaks.length - 1)]!;
  const reason = `the lowest count that stops at most ${wanted * 100}% of the keys`;
  return ofSpared > least
    ? capped(ofSpared, `${reason}, and no spared client`)
    : capped(atMost >= peaks.length ? 1 : least, reason);
}

/** Where few keys get several times as high as all others: between which peaks none is. @param peaks ascending */
function widestGap(peaks: Float64Array): { from: number; to: number } | undefined {
  let widest: { from: number; to: number } | undefined;
  const first = Math.max(1, Math.ceil(peaks.length * (1 - GAP_SHARE)));
  for (let index = first; index < peaks.length; index += 1) {
    const [from, to] = [peaks[index - 1]!, peaks[index]!];
    if (to / from >= (widest ? widest.to / widest.from : GAP_FACTOR)) widest = { from, to };
  }
  return widest;
}

function highestOf(counters: PeakCounters, indexes: readonly number[], most: number): Peak[] {
  const of = (index: number): number => counters.peakAt(index).peak;
  return [...indexes]
    .sort((a, b) => of(b) - of(a) || a - b)
    .slice(0, most)
    .map((index) => counters.describe(index));
}
