/** Where a request stands before a plan: the numbers that a plan wants of it. */
import type { Attributes } from '../request/record.js';
import type { CodedRows, RowNumbers } from './coder.js';
import { ABSENT } from './pair-map.js';
import { Reading } from './reading.js';
import type { Bundle, Plan } from './plan.js';

export interface Seat {
  /** The class of the request in a group of features. */
  classOf(group: number): number;
  /** The number of the request at a slot. */
  numberOf(slot: number): number;
}

/** The rows of a chunk, one after the other; numbers are found for all rows at once, and only those that are asked. */
export class ChunkSeat implements Seat {
  row = 0;
  readonly #classes: (RowNumbers | undefined)[] = [];
  readonly #numbers: (RowNumbers | undefined)[] = [];

  constructor(
    private readonly plan: Plan,
    readonly rows: CodedRows,
  ) {}

  classOf(group: number): number {
    const { keys, numbers } = this.classesOf(group);
    return numbers[keys[this.row]!]!;
  }

  numberOf(slot: number): number {
    const { keys, numbers } = this.numbersOf(slot);
    return numbers[keys[this.row]!]!;
  }

  /** The numbers of all rows at a slot. */
  numbersOf(slot: number): RowNumbers {
    const known = this.#numbers[slot];
    if (known !== undefined) return known;
    this.#read(this.plan.bundleOfSlot[slot]!);
    return this.#numbers[slot]!;
  }

  /** The classes of all rows. */
  classesOf(group: number): RowNumbers {
    const known = this.#classes[group];
    if (known !== undefined) return known;
    this.#read(this.plan.bundleOfGroup[group]!);
    return this.#classes[group]!;
  }

  #read({ coder, groups, slots }: Bundle): void {
    const numbers = coder.read(this.rows);
    groups.forEach((group, index) => (this.#classes[group] = numbers[index]));
    slots.forEach((slot, index) => (this.#numbers[slot] = numbers[groups.length + index]));
  }
}

/** All rows of a chunk at once, where they have the same numbers. */
export class CommonSeat implements Seat {
  /** Whether all that was asked is the same for all rows; if not, the answers mean nothing. */
  isCommon = true;

  constructor(private readonly seat: ChunkSeat) {}

  classOf(group: number): number {
    return this.#onlyOf(this.seat.classesOf(group));
  }

  numberOf(slot: number): number {
    return this.#onlyOf(this.seat.numbersOf(slot));
  }

  #onlyOf({ numbers }: RowNumbers): number {
    let only = ABSENT;
    for (const number of numbers) {
      if (number === only || number === ABSENT) continue;
      if (only !== ABSENT) this.isCommon = false;
      only = number;
      if (!this.isCommon) break;
    }
    return only;
  }
}

/** One request by itself. */
export class SingleSeat implements Seat {
  readonly #reading: Reading;
  readonly #classes: number[] = [];
  readonly #numbers: number[] = [];

  constructor(
    private readonly plan: Plan,
    attributes: Attributes,
  ) {
    this.#reading = new Reading(attributes);
  }

  classOf(group: number): number {
    return (this.#classes[group] ??= this.plan.groups.all[group]!.read(this.#reading));
  }

  numberOf(slot: number): number {
    return (this.#numbers[slot] ??= this.plan.slots[slot]!.read(this.#reading));
  }
}
