/** Features with the comparisons that ask them: what no rule tells apart is one class. */
import type { Lookup } from '../check/lookups.js';
import type { Comparison } from '../language/tree.js';
import type { Field } from '../request/field.js';
import type { PathReading } from '../request/path.js';
import { printCondition } from '../language/condition-text.js';
import { engineBounds } from '../bounds.js';
import { AtomIndex } from './atoms.js';
import type { Feature, FeatureValue } from './features.js';
import { grownWords } from '../columns/grown.js';
import { Heard } from './heard.js';
import type { Reading } from './reading.js';
import { FALSE, TRUE, UNKNOWN, type Degree } from './truth.js';

const NO_CLASS = -1;
/** Of the table of degrees: two bits each, so many in a word. */
const DEGREES_BITS = 4;
const DEGREE_MASK = (1 << DEGREES_BITS) - 1;

/**
 * A group answers with the number of a class: a set of atoms that do not come out false. Classes are numbered as they
 * are first seen; the atoms of each lie one behind the other in one array, ascending, twice their number, and one more
 * where they are unknown. While there are few, what each atom comes to also stands in a table.
 */
export class Group implements Feature<number> {
  readonly key: string;
  readonly inputs: readonly string[];
  readonly #index: AtomIndex;
  readonly #bounds = engineBounds();
  /** Numbers of classes by the hash of their entries, open addressing. */
  #byHash = new Int32Array(this.#bounds.classRoom).fill(NO_CLASS);
  #heard: Heard | undefined;
  numClasses = 0;
  #entries = new Int32Array(this.#bounds.classRoom);
  numEntries = 0;
  /** Where the entries of each class begin, and those of the next. */
  #starts = new Int32Array(this.#bounds.classRoom);
  numAtoms = 0;
  /** By class and atom; as it began where it would be too large. */
  #degrees = new Int32Array(this.#bounds.classRoom);
  #hasDegrees = true;
  /** Of a class in the table of degrees. */
  #degreeWords = 0;

  constructor(
    private readonly feature: Feature<Field<FeatureValue>>,
    reading: PathReading,
  ) {
    this.key = `class of ${feature.key}`;
    this.inputs = feature.inputs;
    this.#index = new AtomIndex(reading);
  }

  /** All atoms must be there before the first class is read. */
  addAtom(comparison: Comparison, lookup: Lookup | undefined): number {
    this.#index.add(this.numAtoms, comparison, lookup);
    return this.numAtoms++;
  }

  /** The class of a request, seen by the attributes that the feature is read from. */
  read(reading: Reading): number {
    const heard = (this.#heard ??= this.#begin());
    heard.begin();
    this.#index.ask(this.feature.read(reading), heard);
    heard.sort();
    return this.#numberOf(heard);
  }

  #begin(): Heard {
    this.#degreeWords = (this.numAtoms >> DEGREES_BITS) + 1;
    return new Heard(this.numAtoms);
  }

  /** The class with these entries; the first that is asked for them makes it. */
  #numberOf({ entries, size }: Heard): number {
    if (this.numClasses * 2 > this.#byHash.length) this.#rehash();
    const mask = this.#byHash.length - 1;
    let at = hashEntries(entries, 0, size) & mask;
    for (; this.#byHash[at]! !== NO_CLASS; at = (at + 1) & mask)
      if (this.#hasEntries(this.#byHash[at]!, entries, size)) return this.#byHash[at]!;
    const number = this.numClasses++;
    this.#byHash[at] = number;
    this.#append(number, entries.subarray(0, size));
    return number;
  }

  #hasEntries(number: number, entries: Int32Array, size: number): boolean {
    const start = this.#starts[number]!;
    if (this.#starts[number + 1]! - start !== size) return false;
    for (let at = 0; at < size; at += 1) if (this.#entries[start + at] !== entries[at]) return false;
    return true;
  }

  #rehash(): void {
    this.#byHash = new Int32Array(this.#byHash.length * 2).fill(NO_CLASS);
    const mask = this.#byHash.length - 1;
    for (let number = 0; number < this.numClasses; number += 1) {
      let at = hashEntries(this.#entries, this.#starts[number]!, this.#starts[number + 1]!) & mask;
      while (this.#byHash[at] !== NO_CLASS) at = (at + 1) & mask;
      this.#byHash[at] = number;
    }
  }

  #append(number: number, entries: Int32Array): void {
    while (this.numEntries + entries.length > this.#entries.length) this.#entries = grownWords(this.#entries);
    if (number + 1 >= this.#starts.length) this.#starts = grownWords(this.#starts);
    this.#entries.set(entries, this.numEntries);
    this.#starts[number] = this.numEntries;
    this.numEntries += entries.length;
    this.#starts[number + 1] = this.numEntries;
    if (this.#hasDegrees) this.#tabulate(number, entries);
  }

  #tabulate(number: number, entries: Int32Array): void {
    const start = number * this.#degreeWords;
    const end = start + this.#degreeWords;
    // A larger table would be waited for longer than entries are searched.
    this.#hasDegrees = end <= this.#bounds.truthWords;
    if (!this.#hasDegrees) return;
    while (end > this.#degrees.length) this.#degrees = grownWords(this.#degrees);
    this.#degrees.fill(0, start, end);
    for (const entry of entries) {
      const atom = entry >> 1;
      const degree = (entry & 1) === 0 ? TRUE : UNKNOWN;
      this.#degrees[start + (atom >> DEGREES_BITS)]! |= degree << ((atom & DEGREE_MASK) * 2);
    }
  }

  /** The entries of a class. */
  entriesOf(number: number): Int32Array {
    return this.#entries.subarray(this.#starts[number]!, this.#starts[number + 1]!);
  }

  /** What an atom comes to for a class. */
  degreeOf(number: number, atom: number): Degree {
    if (!this.#hasDegrees) return this.#searchDegree(number, atom);
    const word = this.#degrees[number * this.#degreeWords + (atom >> DEGREES_BITS)]!;
    return ((word >>> ((atom & DEGREE_MASK) * 2)) & 3) as Degree;
  }

  #searchDegree(number: number, atom: number): Degree {
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
    this.#byHash = new Int32Array(this.#bounds.classRoom).fill(NO_CLASS);
    this.numClasses = 0;
    this.numEntries = 0;
    this.#hasDegrees = true;
  }
}

/** FNV-1a over whole numbers. */
function hashEntries(entries: Int32Array, start: number, end: number): number {
  let hash = 0x811c9dc5;
  for (let at = start; at < end; at += 1) hash = Math.imul(hash ^ entries[at]!, 0x01000193);
  return hash ^ (hash >>> 15);
}

/** The groups of a program, one for each feature, and the number of each comparison in its group. */
export class Groups {
  readonly all: Group[] = [];
  readonly #byFeature = new Map<string, number>();
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
      const group = this.#groupFor(feature, reading);
      found = { group, atom: this.all[group]!.addAtom(comparison, lookup) };
      this.#atoms.set(key, found);
    }
    return found;
  }

  #groupFor(feature: Feature<Field<FeatureValue>>, reading: PathReading): number {
    let group = this.#byFeature.get(feature.key);
    if (group === undefined) {
      group = this.all.push(new Group(feature, reading)) - 1;
      this.#byFeature.set(feature.key, group);
    }
    return group;
  }
}
