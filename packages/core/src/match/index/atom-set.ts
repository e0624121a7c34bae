import { engineBounds } from '../../bounds.js';
import { growWords } from '../../arrays/grow.js';

/** Gathers the atoms that hold for a value, or other numbered things, each once. */
export class AtomSet {
  /** Twice the number of an atom, and one more where it is unknown; `size` of them. */
  entries: Int32Array<ArrayBuffer>;
  size = 0;
  /** By atom: the round in which it was added last. */
  readonly #rounds: Int32Array;
  #round = 0;
  readonly #bounds = engineBounds();

  constructor(numAtoms: number) {
    this.entries = new Int32Array(this.#bounds.setRoom);
    this.#rounds = new Int32Array(numAtoms);
  }

  /** Removes all atoms. */
  clear(): void {
    this.size = 0;
    // Rounds are kept in 32 bits.
    if (this.#round === this.#bounds.setRounds) {
      this.#rounds.fill(0);
      this.#round = 0;
    }
    this.#round += 1;
  }

  has(atom: number): boolean {
    return this.#rounds[atom] === this.#round;
  }

  addTrue(atom: number): void {
    this.#add(atom, atom * 2);
  }

  addUnknown(atom: number): void {
    this.#add(atom, atom * 2 + 1);
  }

  #add(atom: number, entry: number): void {
    if (this.#rounds[atom] === this.#round) return;
    this.#rounds[atom] = this.#round;
    if (this.size === this.entries.length) this.entries = growWords(this.entries);
    this.entries[this.size++] = entry;
  }

  /** Brings the entries into their order. Mostly there are few, or some runs that have an order already. */
  sort(): void {
    const { entries, size } = this;
    if (size > this.#bounds.insertionSort) {
      entries.subarray(0, size).sort();
      return;
    }
    for (let at = 1; at < size; at += 1) {
      const entry = entries[at]!;
      let to = at;
      for (; to > 0 && entries[to - 1]! > entry; to -= 1) entries[to] = entries[to - 1]!;
      entries[to] = entry;
    }
  }
}
