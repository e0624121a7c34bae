/** Features that are read from the same attributes, taken together: what no rule tells apart is one class. */
import type { Lookup } from '../check/lookups.js';
import type { Comparison } from '../language/tree.js';
import type { Field } from '../request/field.js';
import type { PathReading } from '../request/path.js';
import type { Attributes } from '../request/record.js';
import { printCondition } from '../language/condition-text.js';
import { AtomIndex } from './atoms.js';
import type { Feature, FeatureValue } from './features.js';
import { FALSE, TRUE, UNKNOWN, type Degree } from './truth.js';

/** One feature with the atoms that ask it. */
interface Asked {
  readonly feature: Feature<Field<FeatureValue>>;
  readonly index: AtomIndex;
}

const FIRST_ROOM = 1024;

/**
 * A group answers with the number of a class: a set of atoms that do not come out false. Classes are numbered as they
 * are first seen; the atoms of each lie one behind the other in one array, ascending, twice their number, and one more
 * where they are unknown.
 */
export class Group implements Feature<number> {
  readonly #asked = new Map<string, Asked>();
  readonly #numbers = new Map<string, number>();
  #entries = new Int32Array(FIRST_ROOM);
  numEntries = 0;
  /** Where the entries of each class begin, and those of the next. */
  #starts = new Int32Array(FIRST_ROOM);
  numAtoms = 0;

  constructor(
    readonly key: string,
    readonly inputs: readonly string[],
  ) {}

  get numClasses(): number {
    return this.#numbers.size;
  }

  /** All atoms must be there before the first class is read. */
  addAtom(
    feature: Feature<Field<FeatureValue>>,
    reading: PathReading,
    comparison: Comparison,
    lookup: Lookup | undefined,
  ): number {
    let asked = this.#asked.get(feature.key);
    if (!asked) this.#asked.set(feature.key, (asked = { feature, index: new AtomIndex(reading) }));
    asked.index.add(this.numAtoms, comparison, lookup);
    return this.numAtoms++;
  }

  /** The class of a request, seen by the attributes that the group is read from. */
  read(attributes: Attributes): number {
    const all: number[] = [];
    for (const { feature, index } of this.#asked.values()) all.push(...index.ask(feature.read(attributes)));
    if (this.#asked.size > 1) all.sort((a, b) => a - b);
    const key = all.join();
    let number = this.#numbers.get(key);
    if (number === undefined) {
      number = this.#numbers.size;
      this.#numbers.set(key, number);
      this.#append(number, all);
    }
    return number;
  }

  #append(number: number, entries: readonly number[]): void {
    while (this.numEntries + entries.length > this.#entries.length) this.#entries = doubled(this.#entries);
    if (number + 1 >= this.#starts.length) this.#starts = doubled(this.#starts);
    this.#entries.set(entries, this.numEntries);
    this.#starts[number] = this.numEntries;
    this.numEntries += entries.length;
    this.#starts[number + 1] = this.numEntries;
  }

  /** The entries of a class. */
  entriesOf(number: number): Int32Array {
    return this.#entries.subarray(this.#starts[number]!, this.#starts[number + 1]!);
  }

  /** What an atom comes to for a class. */
  degreeOf(number: number, atom: number): Degree {
    const entries = this.#entries;
    const wanted = atom * 2;
    let low = this.#starts[number]!;
    let high = this.#starts[number + 1]!;
    while (low < high) {
      const middle = (low + high) >>> 1;
      const entry = entries[middle]!;
      if (entry < wanted) low = middle + 1;
      else if (entry > wanted + 1) high = middle;
      else return entry === wanted ? TRUE : UNKNOWN;
    }
    return FALSE;
  }

  /** Lets go of all classes. */
  forget(): void {
    this.#numbers.clear();
    this.numEntries = 0;
  }
}

export function doubled(array: Int32Array): Int32Array<ArrayBuffer> {
  const larger = new Int32Array(array.length * 2);
  larger.set(array);
  return larger;
}

/** The groups of a program, and the number of each comparison in its group. */
export class Groups {
  readonly all: Group[] = [];
  readonly #byInputs = new Map<string, number>();
  readonly #atoms = new Map<string, { group: number; atom: number }>();

  /** The same comparison of the same feature is one atom. */
  atomFor(
    feature: Feature<Field<FeatureValue>>,
    comparison: Comparison,
    lookup: Lookup | undefined,
    reading: PathReading,
  ): { group: number; atom: number } {
    const key = `${feature.key}\n${printCondition({ ...comparison, isNegated: false })}`;
    let found = this.#atoms.get(key);
    if (!found) {
      const group = this.#groupFor(feature.inputs);
      found = { group, atom: this.all[group]!.addAtom(feature, reading, comparison, lookup) };
      this.#atoms.set(key, found);
    }
    return found;
  }

  #groupFor(inputs: readonly string[]): number {
    const key = inputs.join('\n');
    let group = this.#byInputs.get(key);
    if (group === undefined) {
      group = this.all.push(new Group(`group of ${key}`, inputs)) - 1;
      this.#byInputs.set(key, group);
    }
    return group;
  }
}
