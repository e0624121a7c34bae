/** A count, and whether it may be too low. */
export interface BusyValue {
  readonly value: string;
  readonly requests: number;
  readonly isExact: boolean;
}

const KEPT_VALUES = 50_000;

/**
 * Counts values, keeping those that come often. Exact while there are few; past twice the kept number the rarer half is
 * evicted (lossy counting, Manku and Motwani 2002), and a count is then too low by at most what was evicted.
 */
export class HeavyHitters {
  readonly #counts = new Map<string, number>();
  #maxMissed = 0;

  constructor(private readonly keptValues = KEPT_VALUES) {}

  add(value: string, times = 1): void {
    this.#counts.set(value, (this.#counts.get(value) ?? 0) + times);
    if (this.#counts.size > 2 * this.keptValues) this.#evictRarest();
  }

  #evictRarest(): void {
    const sorted = [...this.#counts.values()].sort((a, b) => b - a);
    const limit = sorted[this.keptValues]!;
    for (const [value, count] of this.#counts) if (count <= limit) this.#counts.delete(value);
    this.#maxMissed += limit;
  }

  countOf(value: string): BusyValue {
    return { value, requests: this.#counts.get(value) ?? 0, isExact: this.#maxMissed === 0 };
  }

  /** The most frequent values, most first, equal ones by name. */
  top(limit: number): BusyValue[] {
    return [...this.#counts]
      .sort(([a, countA], [b, countB]) => countB - countA || (a < b ? -1 : 1))
      .slice(0, limit)
      .map(([value]) => this.countOf(value));
  }
}
