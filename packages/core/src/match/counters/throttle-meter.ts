/** What throttles did over many requests: how long they waited, and the bytes of each hour with and without. */

/** Plain data; parts of a log add up. */
export interface ThrottleTally {
  /** Requests whose bytes were metered, and those bytes. */
  metered: number;
  bytes: number;
  /** Requests that would have waited, and how long in all. */
  delayed: number;
  waitMs: number;
  /** How many waited so long, by milliseconds; above 1,023 rounded up to nine binary digits. */
  waits: Record<string, number>;
  /** Bytes by equal steps of time. */
  steps: ByteSteps;
}

/** An hour each; the length doubles when there are too many, so that a log of any span fits. */
interface ByteSteps {
  stepMs: number;
  number: number;
  /** By start of the step in UTC: bytes as the log has them, and those whose wait ends in the step. */
  bytes: Record<string, { logged: number; shaped: number }>;
  /** Bytes that would have waited more than a week. */
  later: number;
}

const HOUR_MS = 3_600_000;
const WEEK_MS = 168 * HOUR_MS;
const MAX_STEPS = 4096;
const EXACT_MS = 1024;

export function createThrottleTally(): ThrottleTally {
  return { metered: 0, bytes: 0, delayed: 0, waitMs: 0, waits: {}, steps: createSteps(HOUR_MS) };
}

/** Adds one metered request. */
export function addMetered(tally: ThrottleTally, atUnixMs: number, bytes: number, waitMs: number): void {
  tally.metered += 1;
  tally.bytes += bytes;
  addBytes(tally.steps, atUnixMs, bytes, 0);
  if (waitMs <= WEEK_MS) addBytes(tally.steps, atUnixMs + waitMs, 0, bytes);
  else tally.steps.later += bytes;
  if (waitMs === 0) return;
  tally.delayed += 1;
  tally.waitMs += waitMs;
  const rounded = roundUp(waitMs);
  tally.waits[rounded] = (tally.waits[rounded] ?? 0) + 1;
}

export function addThrottleTally(into: ThrottleTally, part: ThrottleTally): void {
  into.metered += part.metered;
  into.bytes += part.bytes;
  into.delayed += part.delayed;
  into.waitMs += part.waitMs;
  for (const [wait, requests] of Object.entries(part.waits)) into.waits[wait] = (into.waits[wait] ?? 0) + requests;
  if (part.steps.stepMs > into.steps.stepMs) widen(into.steps, part.steps.stepMs);
  into.steps.later += part.steps.later;
  for (const [start, { logged, shaped }] of Object.entries(part.steps.bytes))
    addBytes(into.steps, Number(start), logged, shaped);
}

/** The wait that a share of the delayed requests does not exceed, by nearest rank; at most 0.2% too high. 0 without any. */
export function waitPercentile({ waits, delayed }: ThrottleTally, share: number): number {
  let left = Math.ceil(delayed * share);
  const sorted = Object.entries(waits)
    .map(([wait, requests]) => [Number(wait), requests] as const)
    .sort(([a], [b]) => a - b);
  for (const [wait, requests] of sorted) if ((left -= requests) <= 0) return wait;
  return 0;
}

function createSteps(stepMs: number): ByteSteps {
  return { stepMs, number: 0, bytes: {}, later: 0 };
}

function addBytes(steps: ByteSteps, atUnixMs: number, logged: number, shaped: number): void {
  const start = Math.floor(atUnixMs / steps.stepMs) * steps.stepMs;
  let step = steps.bytes[start];
  if (!step) {
    step = steps.bytes[start] = { logged: 0, shaped: 0 };
    steps.number += 1;
  }
  step.logged += logged;
  step.shaped += shaped;
  if (steps.number > MAX_STEPS) widen(steps, steps.stepMs * 2);
}

function widen(steps: ByteSteps, stepMs: number): void {
  const { bytes, later } = steps;
  Object.assign(steps, createSteps(stepMs), { later });
  for (const [start, { logged, shaped }] of Object.entries(bytes)) addBytes(steps, Number(start), logged, shaped);
}

function roundUp(waitMs: number): number {
  if (waitMs < EXACT_MS) return waitMs;
  const step = 2 ** (Math.floor(Math.log2(waitMs)) - 9);
  return Math.ceil(waitMs / step) * step;
}
