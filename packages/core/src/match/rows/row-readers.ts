/** The numbers that a plan needs of a request. */
import type { Attributes } from '../../request/record.js';
import type { EncodedRows, RowNumbers } from './column-encoder.js';
import { ABSENT } from '../../arrays/pair-map.js';
import { AttributeReader } from '../features/attribute-reader.js';
import type { Bundle, Plan } from './plan.js';

export interface RowReader {
  /** The class of the request in a partition of features. */
  classOf(partition: number): number;
  /** The number of the request at a slot. */
  numberOf(slot: number): number;
}

/** The rows of a chunk, one after the other; numbers are found for all rows at once, on demand. */
export class ChunkReader implements RowReader {
  row = 0;
  readonly #classes: (RowNumbers | undefined)[] = [];
  readonly #numbers: (RowNumbers | undefined)[] = [];

  constructor(
    private readonly plan: Plan,
    readonly rows: EncodedRows,
  ) {}

  classOf(partition: number): number {
    const { keys, numbers } = this.classesOf(partition);
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
  classesOf(partition: number): RowNumbers {
    const known = this.#classes[partition];
    if (known !== undefined) return known;
    this.#read(this.plan.bundleOfPartition[partition]!);
    return this.#classes[partition]!;
  }

  #read({ encoder, partitions, slots }: Bundle): void {
    const numbers = encoder.read(this.rows);
    partitions.forEach((partition, index) => (this.#classes[partition] = numbers[index]));
    slots.forEach((slot, index) => (this.#numbers[slot] = numbers[partitions.length + index]));
  }
}

/** All rows of a chunk at once, where they have the same numbers. */
export class ConstantReader implements RowReader {
  /** Whether all answers are the same for all rows; if not, they are meaningless. */
  isCommon = true;

  constructor(private readonly seat: ChunkReader) {}

  classOf(partition: number): number {
    return this.#onlyOf(this.seat.classesOf(partition));
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
export class RequestReader implements RowReader {
  readonly #reading: AttributeReader;
  readonly #classes: number[] = [];
  readonly #numbers: number[] = [];

  constructor(
    private readonly plan: Plan,
    attributes: Attributes,
  ) {
    this.#reading = new AttributeReader(attributes);
  }

  classOf(partition: number): number {
    return (this.#classes[partition] ??= this.plan.partitions.all[partition]!.read(this.#reading));
  }

  numberOf(slot: number): number {
    return (this.#numbers[slot] ??= this.plan.slots[slot]!.read(this.#reading));
  }
}
