import type { Outcome } from '../language/outcomes.js';

type Counts = Partial<Record<Outcome, number>>;

/** Outcome counts by equal steps of time. The step doubles when there are too many, so that a log of any span fits. */
export interface Timeline {
  stepMs: number;
  /** By start of the step, in milliseconds since the epoch. */
  counts: Record<string, Counts>;
  numSteps: number;
}

const FIRST_STEP_MS = 60_000;
const MAX_STEPS = 4096;

export function createTimeline(): Timeline {
  return { stepMs: FIRST_STEP_MS, counts: {}, numSteps: 0 };
}

export function addToTimeline(timeline: Timeline, atUnixMs: number, outcome: Outcome, requests: number): void {
  const start = Math.floor(atUnixMs / timeline.stepMs) * timeline.stepMs;
  let counts = timeline.counts[start];
  if (counts === undefined) {
    counts = timeline.counts[start] = {};
    timeline.numSteps += 1;
  }
  counts[outcome] = (counts[outcome] ?? 0) + requests;
  if (timeline.numSteps > MAX_STEPS) widen(timeline, timeline.stepMs * 2);
}

/** Adds a timeline to another; the wider step of both is the result's. */
export function addTimeline(into: Timeline, part: Timeline): void {
  if (part.stepMs > into.stepMs) widen(into, part.stepMs);
  for (const [start, counts] of Object.entries(part.counts)) addCounts(into, Number(start), counts);
}

function widen(timeline: Timeline, stepMs: number): void {
  const { counts } = timeline;
  Object.assign(timeline, { stepMs, counts: {}, numSteps: 0 });
  for (const [start, step] of Object.entries(counts)) addCounts(timeline, Number(start), step);
}

function addCounts(into: Timeline, atUnixMs: number, counts: Counts): void {
  for (const outcome of Object.keys(counts) as Outcome[]) addToTimeline(into, atUnixMs, outcome, counts[outcome]!);
}

const NICE_MINUTES = [1, 2, 5, 10, 15, 30, 60, 120, 240, 360, 720, 1440];

/** Every step from the first to the last, also the empty ones, at most `maxSteps` of them and of a round length where one fits. */
export function coarsenTimeline(
  timeline: Timeline,
  maxSteps: number,
): { stepMs: number; steps: { fromUnixMs: number; outcomes: Counts }[] } {
  const starts = Object.keys(timeline.counts)
    .map(Number)
    .sort((a, b) => a - b);
  if (starts.length === 0) return { stepMs: timeline.stepMs, steps: [] };
  const [from, to] = [starts[0]!, starts.at(-1)! + timeline.stepMs];
  const isEnough = (stepMs: number): boolean => Math.ceil(to / stepMs) - Math.floor(from / stepMs) <= maxSteps;
  const nice = NICE_MINUTES.map((minutes) => minutes * 60_000).find(
    (stepMs) => stepMs % timeline.stepMs === 0 && isEnough(stepMs),
  );
  let stepMs = nice ?? timeline.stepMs;
  while (!isEnough(stepMs)) stepMs *= 2;
  const coarse: Timeline = { stepMs, counts: {}, numSteps: 0 };
  for (const [start, counts] of Object.entries(timeline.counts)) addCounts(coarse, Number(start), counts);
  const first = Math.floor(from / stepMs) * stepMs;
  const steps = Array.from({ length: Math.ceil((to - first) / stepMs) }, (_, index) => ({
    fromUnixMs: first + index * stepMs,
    outcomes: coarse.counts[first + index * stepMs] ?? {},
  }));
  return { stepMs, steps };
}
