import { ProblemError } from '../../http/problem.js';

const MAX_WRONG = 10;
const WINDOW_MS = 60_000;
const MAX_KEPT = 10_000;

/** Refuses more than ten wrong sign-ins a minute from one address. */
export class TryLimit {
  readonly #wrong = new Map<string, number[]>();

  constructor(private readonly now: () => number = Date.now) {}

  assertFree(from: string): void {
    if (this.#recent(from).length >= MAX_WRONG) {
      throw new ProblemError('too-many-tries', 'There were ten wrong sign-ins from here within a minute.', {
        hint: 'Wait a minute and try again.',
      });
    }
  }

  countWrong(from: string): void {
    if (this.#wrong.size >= MAX_KEPT) this.#wrong.clear();
    this.#wrong.set(from, [...this.#recent(from), this.now()]);
  }

  #recent(from: string): number[] {
    const since = this.now() - WINDOW_MS;
    return (this.#wrong.get(from) ?? []).filter((at) => at > since);
  }
}
