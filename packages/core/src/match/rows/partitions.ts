/** Features with the comparisons that test them: values that no rule distinguishes are one class. */
import type { Lookup } from '../../check/lookups.js';
import type { Comparison } from '../../language/tree.js';
import type { Field } from '../../request/field.js';
import type { PathReading } from '../../request/path.js';
import { printCondition } from '../../language/condition-text.js';
import { engineBounds } from '../../bounds.js';
import { AtomIndex } from '../index/atoms.js';
import type { Feature, FeatureValue } from '../features/features.js';
import { growWords } from '../../arrays/grow.js';
import { AtomSet } from '../index/atom-set.js';
import type { AttributeReader } from '../features/attribute-reader.js';
import { FALSE, TRUE, UNKNOWN, type TruthValue } from '../features/truth.js';

const NO_CLASS = -1;
/** Of the table of degrees: two bits each, so many in a word. */
const TRUTHS_BITS = 4;
const TRUTH_MASK = (1 << TRUTHS_BITS) - 1;

/**
 * A partition answers with the number of a class: a set of atoms that do not come out false. Classes are numbered as they
 * are first seen; the atoms of each are contiguous in one array, ascending, twice their number, plus one
 * if they are unknown. While there are few, the truth values are also in a table.
 */
export class Partition implements Feature<number> {
  readonly key: string;
  readonly inputs: readonly string[];
  readonly #index: AtomIndex;
  readonly #bounds = engineBounds();
  /** Numbers of classes by the hash of their entries, open addressing. */
  #byHash = new Int32Array(this.#bounds.classRoom).fill(NO_CLASS);
  #atoms: AtomSet | undefined;
  numClasses = 0;
  #entries = new Int32Array(this.#bounds.classRoom);
  numEntries = 0;
  /** Where the entries of each class begin, and those of the next. */
  #starts = new Int32Array(this.#bounds.classRoom);
  numAtoms = 0;
  /** By class and atom; as it began where it would be too large. */
  #truths = new Int32Array(this.#bounds.classRoom);
  #hasTruths = true;
  /** Of a class in the table of degrees. */
  #truthWords = 0;

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
  read(reading: AttributeReader): number {
    const atoms = (this.#atoms ??= this.#begin());
    atoms.clear();
    this.#index.collect(this.feature.read(reading), atoms);
    atoms.sort();
    return this.#numberOf(atoms);
  }

  #begin(): AtomSet {
    this.#truthWords = (this.numAtoms >> TRUTHS_BITS) + 1;
    return new AtomSet(this.numAtoms);
  }

  /** The class with these entries; the first that is requested them makes it. */
  #numberOf({ entries, size }: AtomSet): number {
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
    while (this.numEntries + entries.length > this.#entries.length) this.#entries = growWords(this.#entries);
    if (number + 1 >= this.#starts.length) this.#starts = growWords(this.#starts);
    this.#entries.set(entries, this.numEntries);
    this.#starts[number] = this.numEntries;
    this.numEntries += entries.length;
    this.#starts[number + 1] = this.numEntries;
    if (this.#hasTruths) this.#tabulate(number, entries);
  }

  #tabulate(number: number, entries: Int32Array): void {
    const start = number * this.#truthWords;
    const end = start + this.#truthWords;
    // A larger table would be waited for longer than entries are searched.
    this.#hasTruths = end <= this.#bounds.truthWords;
    if (!this.#hasTruths) return;
    while (end > this.#truths.length) this.#truths = growWords(this.#truths);
    this.#truths.fill(0, start, end);
    for (const entry of entries) {
      const atom = entry >> 1;
      const truth = (entry & 1) === 0 ? TRUE : UNKNOWN;
      this.#truths[start + (atom >> TRUTHS_BITS)]! |= truth << ((atom & TRUTH_MASK) * 2);
    }
  }

  /** The entries of a class. */
  entriesOf(number: number): Int32Array {
    return this.#entries.subarray(this.#starts[number]!, this.#starts[number + 1]!);
  }

  /** The truth value of an atom for a class. */
  truthOf(number: number, atom: number): TruthValue {
    if (!this.#hasTruths) return this.#searchTruth(number, atom);
    const word = this.#truths[number * this.#truthWords + (atom >> TRUTHS_BITS)]!;
    return ((word >>> ((atom & TRUTH_MASK) * 2)) & 3) as TruthValue;
  }

  #searchTruth(number: number, atom: number): TruthValue {
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

  /** Releases all classes. */
  clear(): void {
    this.#byHash = new Int32Array(this.#bounds.classRoom).fill(NO_CLASS);
    this.numClasses = 0;
    this.numEntries = 0;
    this.#hasTruths = true;
  }
}

/** FNV-1a over whole numbers. */
function hashEntries(entries: Int32Array, start: number, end: number): number {
  let hash = 0x811c9dc5;
  for (let at = start; at < end; at += 1) hash = Math.imul(hash ^ entries[at]!, 0x01000193);
  return hash ^ (hash >>> 15);
}

/** The partitions of a program, one for each feature, and the number of each comparison in its partition. */
export class Partitions {
  readonly all: Partition[] = [];
  readonly #byFeature = new Map<string, number>();
  readonly #atoms = new Map<string, { partition: number; atom: number }>();

  /** The same comparison of the same feature is one atom. @param written as which it is the same as others */
  atomFor(
    feature: Feature<Field<FeatureValue>>,
    comparison: Comparison,
    lookup: Lookup | undefined,
    reading: PathReading,
    written = comparison,
  ): { partition: number; atom: number } {
    const key = `${feature.key}\n${printCondition({ ...written, isNegated: false })}`;
    let item = this.#atoms.get(key);
    if (!item) {
      const partition = this.#partitionFor(feature, reading);
      item = { partition, atom: this.all[partition]!.addAtom(comparison, lookup) };
      this.#atoms.set(key, item);
    }
    return item;
  }

  #partitionFor(feature: Feature<Field<FeatureValue>>, reading: PathReading): number {
    let partition = this.#byFeature.get(feature.key);
    if (partition === undefined) {
      partition = this.all.push(new Partition(feature, reading)) - 1;
      this.#byFeature.set(feature.key, partition);
    }
    return partition;
  }
}
