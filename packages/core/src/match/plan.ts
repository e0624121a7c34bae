/** What is to be read of requests: classes of groups of features, and numbers at slots. */
import { HOST_COLUMN, REFERER_COLUMN } from '../columns/chunk.js';
import { engineBounds } from '../bounds.js';
import { Coder } from './coder.js';
import type { Feature } from './features.js';
import { Groups } from './groups.js';

/** Groups and slots that are read from the same attributes are read together. */
export interface Bundle {
  readonly coder: Coder;
  /** What the coder reads, in this order: classes of groups, then numbers at slots. */
  readonly groups: readonly number[];
  readonly slots: readonly number[];
}

export class Plan {
  readonly groups = new Groups();
  protected readonly bounds = engineBounds();
  readonly slots: Feature<number>[] = [];
  readonly #slotByKey = new Map<string, number>();
  #bundles: readonly Bundle[] = [];
  bundleOfGroup: readonly Bundle[] = [];
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

  /** All groups and slots are there. */
  protected seal(): void {
    const bundles = bundle(this.groups.all, this.slots);
    this.#bundles = bundles;
    this.bundleOfGroup = this.groups.all.map((_, group) => bundles.find(({ groups }) => groups.includes(group))!);
    this.bundleOfSlot = this.slots.map((_, slot) => bundles.find(({ slots }) => slots.includes(slot))!);
  }

  /** The attributes that something is read from. */
  get attributes(): string[] {
    const names = this.#bundles.flatMap(({ coder }) => coder.inputs).map((input) => input.replace(/^\?/, ''));
    // Referers are kept relative to the host.
    if (names.includes(REFERER_COLUMN)) names.push(HOST_COLUMN);
    return [...new Set(names)].sort();
  }

  /** Whether so much is known of values that it should be let go of. */
  get isFull(): boolean {
    const { classes, classEntries } = this.bounds;
    return this.groups.all.some(({ numClasses, numEntries }) => numClasses > classes || numEntries > classEntries);
  }

  /** Lets go of what is known of values; numbers of before mean nothing any more. */
  forget(): void {
    for (const group of this.groups.all) group.forget();
    for (const { coder } of this.#bundles) coder.forget();
  }
}

function bundle(groups: readonly Feature<number>[], slots: readonly Feature<number>[]): Bundle[] {
  const all = [...groups, ...slots];
  const byInputs = new Map<string, number[]>();
  all.forEach(({ inputs }, index) => {
    const key = inputs.join('\n');
    byInputs.set(key, [...(byInputs.get(key) ?? []), index]);
  });
  return [...byInputs.values()].map((members) => ({
    coder: new Coder(
      all[members[0]!]!.inputs,
      members.map((index) => all[index]!),
    ),
    groups: members.filter((index) => index < groups.length),
    slots: members.filter((index) => index >= groups.length).map((index) => index - groups.length),
  }));
}
