/** What a throttle did over a log, ready to be shown. */
import { waitPercentile, type ThrottleTally } from '../match/counters/throttle-meter.js';

/** Later requests are as the log has them, though a client that waits would have sent them later. */
export interface ThrottleSummary {
  readonly metered: number;
  readonly bytes: number;
  /** Requests that would have waited. */
  readonly delayed: number;
  readonly totalWaitMs: number;
  /** Of those, 95 in 100 would have waited no longer; at most 0.2% too high. */
  readonly p95WaitMs: number;
  /** How long each step is; an hour, unless the log spans too many. */
  readonly stepMs: number;
  /** In the order of time; empty steps are absent. */
  readonly steps: readonly ThrottleStep[];
  /** Bytes that would have waited more than a week. */
  readonly laterBytes: number;
}

export interface ThrottleStep {
  readonly fromUnixMs: number;
  /** Bytes as the log has them. */
  readonly logged: number;
  /** Bytes whose wait would have ended in the step. */
  readonly shaped: number;
}

export function summarizeThrottle(throttle: ThrottleTally): ThrottleSummary {
  const { metered, bytes, delayed, waitMs, steps } = throttle;
  return {
    metered,
    bytes,
    delayed,
    totalWaitMs: waitMs,
    p95WaitMs: waitPercentile(throttle, 0.95),
    stepMs: steps.stepMs,
    steps: Object.entries(steps.bytes)
      .map(([from, counts]) => ({ fromUnixMs: Number(from), ...counts }))
      .sort((a, b) => a.fromUnixMs - b.fromUnixMs),
    laterBytes: steps.later,
  };
}

const COARSER = [1, 2, 3, 4, 6, 12, 24];

/** Every step from the first to the last, also the empty ones, at most `maxSteps` of them. */
export function coarsenThrottle(
  { stepMs, steps }: Pick<ThrottleSummary, 'stepMs' | 'steps'>,
  maxSteps: number,
): { readonly stepMs: number; readonly steps: readonly ThrottleStep[] } {
  if (steps.length === 0) return { stepMs, steps };
  const firstUnixMs = steps[0]!.fromUnixMs;
  const lastUnixMs = steps.at(-1)!.fromUnixMs;
  const numSteps = (size: number): number => Math.floor(lastUnixMs / size) - Math.floor(firstUnixMs / size) + 1;
  let size = COARSER.map((times) => times * stepMs).find((one) => numSteps(one) <= maxSteps) ?? 48 * stepMs;
  while (numSteps(size) > maxSteps) size *= 2;
  const start = Math.floor(firstUnixMs / size) * size;
  const coarse = Array.from({ length: numSteps(size) }, (_, index) => ({
    fromUnixMs: start + index * size,
    logged: 0,
    shaped: 0,
  }));
  for (const { fromUnixMs, logged, shaped } of steps) {
    const step = coarse[Math.floor((fromUnixMs - start) / size)]!;
    step.logged += logged;
    step.shaped += shaped;
  }
  return { stepMs: size, steps: coarse };
}

/** A time that bytes wait: `250 ms`, `3.2 s`, `5 min`, `2.5 h`. */
export function formatWait(waitMs: number): string {
  if (waitMs < 1000) return `${waitMs} ms`;
  const [amount, unit] =
    waitMs < 60_000 ? [waitMs / 1000, 's'] : waitMs < 3_600_000 ? [waitMs / 60_000, 'min'] : [waitMs / 3_600_000, 'h'];
  return `${Number(amount.toPrecision(3)).toLocaleString('en')} ${unit}`;
}

const BYTE_UNITS = ['bytes', 'kB', 'MB', 'GB', 'TB', 'PB'];

/** Bytes in decimal units, three digits: `512 bytes`, `1.25 MB`. */
export function formatBytes(bytes: number): string {
  const power = bytes < 1000 ? 0 : Math.min(Math.floor(Math.log10(bytes) / 3), BYTE_UNITS.length - 1);
  return `${Number((bytes / 1000 ** power).toPrecision(3)).toLocaleString('en')} ${BYTE_UNITS[power]}`;
}
