/** What is to be read of requests: classes of partitions of features, and numbers at slots. */
import { HOST_COLUMN, REFERER_COLUMN } from '../../columns/chunk.js';
import { engineBounds } from '../../bounds.js';
import { ColumnEncoder } from './column-encoder.js';
import type { Feature } from '../features/features.js';
import { Partitions } from './partitions.js';

/** Groups and slots that are read from the same attributes are read together. */
export interface Bundle {
  readonly encoder: ColumnEncoder;
  /** What the encoder reads, in this order: classes of partitions, then numbers at slots. */
  readonly partitions: readonly number[];
  readonly slots: readonly number[];
}

export class Plan {
  readonly partitions = new Partitions();
  protected readonly bounds = engineBounds();
  readonly slots: Feature<number>[] = [];
  readonly #slotByKey = new Map<string, number>();
  #bundles: readonly Bundle[] = [];
  bundleOfPartition: readonly Bundle[] = [];
  bundleOfSlot: readonly Bundle[] = [];

  /** The same feature has one slot. */
  protected slotFor(feature: Feature<number>): number {
    let slot = this.#slotByKey.get(feature.key);
    if (slot === undefined) {
      slot = this.slots.push(feature) - 1;
      this.#slotByKey.set(feature.key, slot);
    }
    return slot;
  }

  /** All partitions and slots are there. */
  protected seal(): void {
    const bundles = bundle(this.partitions.all, this.slots);
    this.#bundles = bundles;
    this.bundleOfPartition = this.partitions.all.map((_, partition) =>
      bundles.find(({ partitions }) => partitions.includes(partition))!,
    );
    this.bundleOfSlot = this.slots.map((_, slot) => bundles.find(({ slots }) => slots.includes(slot))!);
  }

  /** The attributes that something is read from. */
  get attributes(): string[] {
    const names = this.#bundles.flatMap(({ encoder }) => encoder.inputs).map((input) => input.replace(/^\?/, ''));
    // Referers are kept relative to the host.
    if (names.includes(REFERER_COLUMN)) names.push(HOST_COLUMN);
    return [...new Set(names)].sort();
  }

  /** Whether so many values are known that they should be released. */
  get isFull(): boolean {
    const { classes, classEntries } = this.bounds;
    return this.partitions.all.some(({ numClasses, numEntries }) => numClasses > classes || numEntries > classEntries);
  }

  /** Releases all known values; earlier numbers become invalid. */
  clear(): void {
    for (const partition of this.partitions.all) partition.clear();
    for (const { encoder } of this.#bundles) encoder.clear();
  }
}

function bundle(partitions: readonly Feature<number>[], slots: readonly Feature<number>[]): Bundle[] {
  const all = [...partitions, ...slots];
  const byInputs = new Map<string, number[]>();
  all.forEach(({ inputs }, index) => {
    const key = inputs.join('\n');
    byInputs.set(key, [...(byInputs.get(key) ?? []), index]);
  });
  return [...byInputs.values()].map((members) => ({
    encoder: new ColumnEncoder(
      all[members[0]!]!.inputs,
      members.map((index) => all[index]!),
    ),
    partitions: members.filter((index) => index < partitions.length),
    slots: members.filter((index) => index >= partitions.length).map((index) => index - partitions.length),
  }));
}
