import { engineBounds } from '../bounds.js';

/** A map from pairs of whole numbers to whole numbers, without an object an entry: open addressing over one array. */
export class PairMap {
  /** First, second, value, in turn; a value of `EMPTY` is a free place. */
  #places: Int32Array;
  #mask: number;
  size = 0;

  constructor(numPlaces = engineBounds().pairPlaces) {
    this.#places = new Int32Array(numPlaces * 3).fill(EMPTY);
    this.#mask = numPlaces - 1;
  }

  /** @returns `ABSENT` where there is none */
  get(first: number, second: number): number {
    const places = this.#places;
    const mask = this.#mask;
    for (let at = hash(first, second) & mask; ; at = (at + 1) & mask) {
      const value = places[at * 3 + 2]!;
      if (value === EMPTY || (places[at * 3] === first && places[at * 3 + 1] === second)) return value;
    }
  }

  /** The pair must not be there yet. @param value not `ABSENT` */
  add(first: number, second: number, value: number): void {
    if (this.size * 2 > this.#mask) this.#grow();
    this.size += 1;
    this.#place(first, second, value);
  }

  #place(first: number, second: number, value: number): void {
    const places = this.#places;
    let at = hash(first, second) & this.#mask;
    while (places[at * 3 + 2] !== EMPTY) at = (at + 1) & this.#mask;
    places[at * 3] = first;
    places[at * 3 + 1] = second;
    places[at * 3 + 2] = value;
  }

  #grow(): void {
    const old = this.#places;
    this.#mask = this.#mask * 2 + 1;
    this.#places = new Int32Array((this.#mask + 1) * 3).fill(EMPTY);
    for (let at = 0; at < old.length; at += 3)
      if (old[at + 2] !== EMPTY) this.#place(old[at]!, old[at + 1]!, old[at + 2]!);
  }
}

const EMPTY = -(2 ** 31);
export const ABSENT = EMPTY;

/** Mixes both halves (the finisher of MurmurHash3). */
function hash(first: number, second: number): number {
  let mixed = Math.imul(first, 0x9e3779b1) ^ Math.imul(second, 0x85ebca6b);
  mixed ^= mixed >>> 15;
  mixed = Math.imul(mixed, 0x2c1b3c6d);
  return mixed ^ (mixed >>> 13);
}
