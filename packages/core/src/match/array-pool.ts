/** Arrays of one number a row, used again: making new ones for every chunk keeps the garbage collector busy. */
export class ArrayPool {
  readonly #free: Int32Array[] = [];

  /** @returns an array of at least so many places, with whatever was in them */
  take(numPlaces: number): Int32Array {
    const index = this.#free.findIndex(({ length }) => length >= numPlaces);
    return index < 0 ? new Int32Array(numPlaces) : this.#free.splice(index, 1)[0]!;
  }

  give(arrays: readonly Int32Array[]): void {
    this.#free.push(...arrays);
  }
}
