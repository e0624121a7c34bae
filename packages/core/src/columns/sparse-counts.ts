import { engineBounds } from '../bounds.js';

/** Counts by whole numbers, few of which come up between two times of being taken. */
export class SparseCounts {
  #counts = new Int32Array(engineBounds().counts);
  /** Those that are not 0, in the order in which they came up. */
  #touched: number[] = [];

  add(number: number): void {
    if (number >= this.#counts.length) this.#grow(number);
    if (this.#counts[number] === 0) this.#touched.push(number);
    this.#counts[number]! += 1;
  }

  #grow(number: number): void {
    let length = this.#counts.length;
    while (number >= length) length *= 2;
    const grown = new Int32Array(length);
    grown.set(this.#counts);
    this.#counts = grown;
  }

  /** Hands over what was counted, and begins anew. */
  take(receive: (number: number, count: number) => void): void {
    for (const number of this.#touched) {
      receive(number, this.#counts[number]!);
      this.#counts[number] = 0;
    }
    this.#touched = [];
  }
}
