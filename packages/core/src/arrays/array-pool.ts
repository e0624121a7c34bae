/** Arrays of one number a row, used again: making new ones for every chunk keeps the garbage collector busy. */
export class ArrayPool {
  readonly #free: Int32Array[] = [];

  /** @returns an array of at least so many places, the shortest that there is, with whatever was in them */
  take(numPlaces: number): Int32Array {
    let best = -1;
    this.#free.forEach(({ length }, index) => {
      if (length >= numPlaces && (best < 0 || length < this.#free[best]!.length)) best = index;
    });
    return best < 0 ? new Int32Array(numPlaces) : this.#free.splice(best, 1)[0]!;
  }

  give(arrays: readonly Int32Array[]): void {
    for (const array of arrays) this.#free.push(array);
  }
}
