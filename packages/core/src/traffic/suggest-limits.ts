/** Limits that stop chosen requests of a log and spare others, where these come more often. */
import type { EvaluationContext } from '../decide/interpreter.js';
import { CHOSEN, SPARED, type DecidedSegment } from './decided-log.js';
import { observing, forEachRow } from './observing-rules.js';
import { RequestValues } from './request-values.js';
import { LIMIT_WORTH, scoreOf, type Proposal } from './suggest.js';

const MINUTE_MS = 60_000;
/** Ascending. */
const WINDOWS = [
  { text: '1m', ms: MINUTE_MS },
  { text: '10m', ms: 10 * MINUTE_MS },
  { text: '1h', ms: 60 * MINUTE_MS },
] as const;
/** Counts that a limit is proposed with. */
const COUNTS = [1, 2, 3, 5, 7, 10, 15, 20, 30, 50, 70, 100, 150, 200, 300, 500, 700, 1000, 2000, 5000, 10_000];
/** Clients are followed until there are so many; a limit is for those that come often. */
const MAX_CLIENTS = 500_000;
/** Of requests that are over, so many are kept before they are released. */
const MAX_OVER = 512;
const SHOWN = 2;
/** A share of the chosen that a limit has to stop at least. */
const LEAST = 0.3;

/** The latest requests of a client. */
class Recent {
  #times: number[] = [];
  /** By window, the first that lies in it. */
  readonly #starts: number[] = WINDOWS.map(() => 0);

  add(atUnixMs: number): void {
    this.#times.push(atUnixMs);
    for (let window = 0; window < WINDOWS.length; window += 1) {
      let start = this.#starts[window]!;
      while (this.#times[start]! <= atUnixMs - WINDOWS[window]!.ms) start += 1;
      this.#starts[window] = start;
    }
    const over = this.#starts[WINDOWS.length - 1]!;
    if (over <= MAX_OVER) return;
    this.#times = this.#times.slice(over);
    for (let window = 0; window < WINDOWS.length; window += 1) this.#starts[window]! -= over;
  }

  /** How many lie in a window that ends with the latest. */
  countIn(window: number): number {
    return this.#times.length - this.#starts[window]!;
  }
}

/** By count and purpose: how many requests were the next behind so many in their window. */
type Beyond = Readonly<Record<typeof CHOSEN | typeof SPARED, Float64Array>>;

/** Goes through a log in the order of its time, and counts how many requests each of a client has before it. */
export class LimitSearch {
  readonly #observed: ReturnType<typeof observing>;
  readonly #values: RequestValues;
  readonly #numGates: number;
  /** By subject, by client and gate. */
  readonly #recent: (Recent | undefined)[][];
  readonly #numFollowed: number[];
  /** By subject and window. */
  readonly #beyond: readonly (readonly Beyond[])[];
  readonly #totals = { [CHOSEN]: 0, [SPARED]: 0 };

  /** @param subjects conditions of what limits may count */
  constructor(
    context: EvaluationContext,
    private readonly subjects: readonly Pick<Proposal, 'condition' | 'comparisons'>[],
  ) {
    this.#observed = observing(
      context,
      subjects.map(({ condition }) => `observe when ${condition}`),
    );
    this.#values = new RequestValues(context, ['client']);
    this.#numGates = context.rulebook.gates.length + 1;
    this.#recent = subjects.map(() => []);
    this.#numFollowed = subjects.map(() => 0);
    const counts = (): Float64Array => new Float64Array(COUNTS.length + 1);
    this.#beyond = subjects.map(() => WINDOWS.map(() => ({ [CHOSEN]: counts(), [SPARED]: counts() })));
  }

  /** The attributes that it reads. */
  get attributes(): string[] {
    return [...new Set([...this.#observed.attributes, ...this.#values.attributes])];
  }

  /** @param purposes by index of the chunks of the segment, of their rows */
  add(segment: DecidedSegment, purposes: readonly Uint8Array[]): void {
    const judged = this.#observed.judge(segment);
    const readers = segment.chunks.map(({ rows }) => this.#values.open(rows));
    const times = segment.chunks.map(({ rows }) => rows.timesUnixMs());
    forEachRow(segment, (index, chunk, row) => {
      const purpose = purposes[chunk]![row]!;
      const isCounted = purpose === CHOSEN || purpose === SPARED;
      if (isCounted) this.#totals[purpose] += 1;
      const { matched, gate } = judged(index);
      if (matched.length === 0) return;
      const reader = readers[chunk]!;
      reader.row = row;
      const gateNumber = this.#values.gateNumber(gate);
      const client = this.#values.numberOf('client', reader, gateNumber);
      if (client < 0) return;
      for (const subject of matched) {
        const recent = this.#recentOf(subject, client * this.#numGates + gateNumber);
        if (!recent) continue;
        recent.add(times[chunk]![row]!);
        if (!isCounted) continue;
        const beyond = this.#beyond[subject]!;
        for (let window = 0; window < WINDOWS.length; window += 1)
          beyond[window]![purpose][placeOf(recent.countIn(window))]! += 1;
      }
    });
  }

  #recentOf(subject: number, key: number): Recent | undefined {
    const all = this.#recent[subject]!;
    const known = all[key];
    if (known || this.#numFollowed[subject] === MAX_CLIENTS) return known;
    this.#numFollowed[subject]! += 1;
    return (all[key] = new Recent());
  }

  /** The best first; none where the chosen come no more often than others. */
  propose(): readonly Proposal[] {
    const found = this.subjects.flatMap(({ condition, comparisons }, subject) => {
      const limits = WINDOWS.flatMap(({ text }, window) =>
        this.#limitsOf(subject, window).map(({ count, stopped, besides }) => ({
          action: `limit ${count} per ${text} by client`,
          condition,
          comparisons,
          stopped,
          besides,
          score: scoreOf(stopped, besides, comparisons + LIMIT_WORTH, 1),
        })),
      ).filter(({ stopped, score }) => stopped >= LEAST && score > this.#scoreWithout(subject));
      return limits.sort((a, b) => b.score - a.score).slice(0, 1);
    });
    return found
      .sort((a, b) => b.score - a.score)
      .filter((one, at) => !found.slice(0, at).some((before) => isSame(before, one)))
      .slice(0, SHOWN)
      .map(({ action, condition, comparisons }) => ({ action, condition, comparisons }));
  }

  /** Shares of the chosen and the spared that a limit stops, by its count. */
  #limitsOf(subject: number, window: number): { count: number; stopped: number; besides: number }[] {
    const beyond = this.#beyond[subject]![window]!;
    return COUNTS.map((count, place) => ({
      count,
      stopped: share(beyond[CHOSEN], place, this.#totals[CHOSEN]),
      besides: share(beyond[SPARED], place, this.#totals[SPARED]),
    }));
  }

  /** What stopping all of it is worth, and nothing: a limit has to be better than both. */
  #scoreWithout(subject: number): number {
    const { [CHOSEN]: chosen, [SPARED]: spared } = this.#beyond[subject]![0]!;
    const all = scoreOf(
      share(chosen, -1, this.#totals[CHOSEN]),
      share(spared, -1, this.#totals[SPARED]),
      this.subjects[subject]!.comparisons,
      1,
    );
    return Math.max(0, all);
  }
}

interface Stops {
  readonly action: string;
  readonly stopped: number;
  readonly besides: number;
}

/** The same by another comparison. */
function isSame(a: Stops, b: Stops): boolean {
  return a.action === b.action && a.stopped === b.stopped && a.besides === b.besides;
}

/** Of all requests, those that were behind more than `COUNTS[place]` others and themselves. */
function share(beyond: Float64Array, place: number, total: number): number {
  let sum = 0;
  for (let at = place + 1; at < beyond.length; at += 1) sum += beyond[at]!;
  return sum / Math.max(1, total);
}

/** How many of the counts are below one. */
function placeOf(count: number): number {
  let place = 0;
  while (place < COUNTS.length && COUNTS[place]! < count) place += 1;
  return place;
}
