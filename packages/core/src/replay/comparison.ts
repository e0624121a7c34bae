/** Two replays of one log held side by side: which requests change, from what to what, because of which rules. */
import type { Ruling } from '../decide/decision.js';
import type { Outcome } from '../language/outcomes.js';
import { NOT_JUDGED } from './replay-chunk.js';
import type { Tally } from './tally.js';

/** The decision of a request, and what decided it. */
export interface Side extends Pick<Ruling, 'outcome' | 'gate' | 'fence' | 'rule' | 'status' | 'reason'> {
  /** Where the client is sent instead. */
  readonly redirect?: string;
}

/** The address that a ruling redirects to; undefined where it redirects nowhere. */
export type RedirectOf = (ruling: Ruling) => string | undefined;

/** Requests that were decided alike before, and alike after. */
export interface ComparisonGroup {
  readonly before: Side;
  readonly after: Side;
  /** Whether the client gets another response; else only another rule decided. */
  readonly isChange: boolean;
  requests: number;
}

/** Plain data. */
export interface ComparisonTally {
  requests: number;
  /** Requests whose client gets another response. */
  changed: number;
  /** Requests with the same response that another rule decided. */
  moved: number;
  /** Requests by outcome Before \ After. */
  matrix: Partial<Record<Outcome, Partial<Record<Outcome, number>>>>;
  /** Those that changed or moved; most requests first, changes before moves. */
  groups: ComparisonGroup[];
  /** The requests that changed, by their properties, and by their outcome after. */
  by: Tally['by'];
}

/** What of a ruling two replays are compared by. */
export function sideOf(ruling: Ruling, redirectOf: RedirectOf): Side {
  const { outcome, gate, fence, rule, status, reason } = ruling;
  const redirect = redirectOf(ruling);
  return {
    outcome,
    ...(gate === undefined ? {} : { gate }),
    ...(fence === undefined ? {} : { fence }),
    ...(rule === undefined ? {} : { rule }),
    ...(status === undefined ? {} : { status }),
    ...(reason === undefined ? {} : { reason }),
    ...(redirect === undefined ? {} : { redirect }),
  };
}

/** What the client gets: another page, tag or `would` is the same. */
function answerOf({ outcome, status, reason, redirect }: Side): string {
  return JSON.stringify([outcome, status, reason, redirect]);
}

/** The sides of the rulings of a replay, each once. */
class Sides {
  readonly all: Side[] = [];
  readonly answers: string[] = [];
  /** By the code of a ruling. */
  readonly numberOf: Int32Array;

  constructor(rulings: readonly Ruling[], redirectOf: RedirectOf) {
    const numbers = new Map<string, number>();
    this.numberOf = Int32Array.from(rulings, (ruling) => {
      const side = sideOf(ruling, redirectOf);
      const key = JSON.stringify(side);
      let number = numbers.get(key);
      if (number === undefined) {
        numbers.set(key, (number = this.all.push(side) - 1));
        this.answers.push(answerOf(side));
      }
      return number;
    });
  }
}

export class DecisionComparison {
  readonly #before: Sides;
  readonly #after: Sides;
  /** By the number of the side before, times those after, plus that of the side after. */
  readonly #counts: Float64Array;

  /**
   * @param before the rulings of a replay by their codes. @param after those of the other
   * @param redirects of the rules before and after
   */
  constructor(
    before: readonly Ruling[],
    after: readonly Ruling[],
    redirects: { readonly before: RedirectOf; readonly after: RedirectOf },
  ) {
    this.#before = new Sides(before, redirects.before);
    this.#after = new Sides(after, redirects.after);
    this.#counts = new Float64Array(this.#before.all.length * this.#after.all.length);
  }

  /**
   * Counts rows by their codes in both replays.
   * @returns the rows whose client gets another response, ascending
   */
  add(before: Uint32Array, after: Uint32Array): Uint32Array {
    const changed: number[] = [];
    for (let row = 0; row < after.length; row += 1) {
      const pair = this.pairAt(before, after, row);
      if (pair < 0) continue;
      this.#counts[pair]! += 1;
      if (this.isChange(pair)) changed.push(row);
    }
    return Uint32Array.from(changed);
  }

  /** The outcomes of a row in both replays, as one number; negative if it was not judged. */
  pairAt(before: Uint32Array, after: Uint32Array, row: number): number {
    const [was, is] = [before[row]!, after[row]!];
    if (was === NOT_JUDGED || is === NOT_JUDGED) return -1;
    return this.#before.numberOf[was]! * this.#after.all.length + this.#after.numberOf[is]!;
  }

  isChange(pair: number): boolean {
    const [was, is] = this.#split(pair);
    return this.#before.answers[was] !== this.#after.answers[is];
  }

  /** The two sides of a pair. */
  sidesOf(pair: number): readonly [before: Side, after: Side] {
    const [was, is] = this.#split(pair);
    return [this.#before.all[was]!, this.#after.all[is]!];
  }

  /** @param by the requests that changed, by what describes them */
  tally(by: Tally['by']): ComparisonTally {
    const tally: ComparisonTally = { requests: 0, changed: 0, moved: 0, matrix: {}, groups: [], by };
    this.#counts.forEach((requests, pair) => {
      if (requests === 0) return;
      const [before, after] = this.sidesOf(pair);
      const row = (tally.matrix[before.outcome] ??= {});
      row[after.outcome] = (row[after.outcome] ?? 0) + requests;
      tally.requests += requests;
      if (JSON.stringify(before) === JSON.stringify(after)) return;
      const isChange = this.isChange(pair);
      if (isChange) tally.changed += requests;
      else tally.moved += requests;
      tally.groups.push({ before, after, isChange, requests });
    });
    tally.groups.sort(
      (a, b) => Number(b.isChange) - Number(a.isChange) || b.requests - a.requests || (keyOf(a) < keyOf(b) ? -1 : 1),
    );
    return tally;
  }

  #split(pair: number): readonly [before: number, after: number] {
    const width = this.#after.all.length;
    return [Math.floor(pair / width), pair % width];
  }
}

function keyOf({ before, after }: ComparisonGroup): string {
  return JSON.stringify([before, after]);
}

/** What decided, in words: a rule, what a fence or a gate does otherwise, or nothing. */
export function describeDecider({ gate, fence, rule }: Pick<Side, 'gate' | 'fence' | 'rule'>): string {
  if (rule !== undefined) return `${fence}/${rule}`;
  if (fence !== undefined) return `${fence} otherwise`;
  return gate === undefined ? 'no gate' : `${gate} otherwise`;
}
