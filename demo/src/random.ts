/** A seeded source of numbers (the mulberry32 generator): the same seed gives the same sequence everywhere. */
export class Random {
  #state: number;

  constructor(seed: number) {
    this.#state = seed >>> 0;
  }

  /** A number from 0 up to, not including, 1. */
  fraction(): number {
    this.#state = (this.#state + 0x6d2b79f5) >>> 0;
    let value = this.#state;
    value = Math.imul(value ^ (value >>> 15), value | 1);
    value ^= value + Math.imul(value ^ (value >>> 7), value | 61);
    return ((value ^ (value >>> 14)) >>> 0) / 4_294_967_296;
  }

  /** A whole number from 0 up to, not including, `end`. */
  below(end: number): number {
    return Math.floor(this.fraction() * end);
  }

  pick<T>(values: readonly T[]): T {
    return values[this.below(values.length)]!;
  }

  chance(probability: number): boolean {
    return this.fraction() < probability;
  }
}
