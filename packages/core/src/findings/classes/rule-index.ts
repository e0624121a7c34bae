/** Which rules can match anything in a box: found by the classes of each axis, instead of rule by rule. */
import type { Box, Formula } from './boxes.js';

/** Axes with more classes in a box are not looked at. */
const MAX_CLASSES = 16;
/** Axes of more classes take too much memory. */
const MAX_AXIS_CLASSES = 60_000;

export class RuleIndex {
  /** By axis, for each of its classes the rules that can match there, a bit each; undefined where it narrows nothing. */
  readonly #byAxis: readonly (Uint32Array | undefined)[];
  /** The axes that narrow, those that narrow most first. */
  readonly #order: readonly number[];
  readonly #numWords: number;
  /** Which words have rules left, while candidates are found. */
  readonly #live: Uint32Array;
  readonly #any: Uint32Array;

  /** @param numClasses of each axis */
  constructor(
    formulas: readonly Formula[],
    private readonly numClasses: readonly number[],
  ) {
    this.#numWords = (formulas.length + 31) >>> 5;
    const axesOf = formulas.map((formula) => {
      const axes = new Set<number>();
      collectAxes(formula, axes);
      return axes;
    });
    const constrained = new Set(axesOf.flatMap((axes) => [...axes]));
    this.#byAxis = numClasses.map((count, axis) =>
      constrained.has(axis) && count <= MAX_AXIS_CLASSES ? this.#build(formulas, axesOf, axis, count) : undefined,
    );
    const shares = this.#byAxis.map((bits, axis) => (bits ? countBits(bits) / numClasses[axis]! : Infinity));
    this.#order = [...numClasses.keys()].filter((axis) => this.#byAxis[axis]).sort((a, b) => shares[a]! - shares[b]!);
    this.#live = new Uint32Array(this.#numWords);
    this.#any = new Uint32Array(this.#numWords);
  }

  #build(
    formulas: readonly Formula[],
    axesOf: readonly ReadonlySet<number>[],
    axis: number,
    count: number,
  ): Uint32Array {
    const bits = new Uint32Array(count * this.#numWords);
    formulas.forEach((formula, rule) => {
      const possible = axesOf[rule]!.has(axis) ? truthSets(formula, axis, count).isTrue : undefined;
      const [word, bit] = [rule >>> 5, 1 << (rule & 31)];
      for (let number = 0; number < count; number += 1)
        if (possible === undefined || ((possible[number >>> 5]! >>> (number & 31)) & 1) === 1)
          bits[number * this.#numWords + word]! |= bit;
    });
    return bits;
  }

  /**
   * At least the rules that can match a request of the box, a bit each.
   * @param below only rules before this one are looked at
   */
  candidates(box: Box, below = this.#numWords * 32): Uint32Array {
    const [numWords, live, any] = [this.#numWords, this.#live, this.#any];
    const found = new Uint32Array(numWords);
    let numLive = (below + 31) >>> 5;
    for (let word = 0; word < numLive; word += 1) {
      found[word] = 0xffffffff;
      live[word] = word;
    }
    for (const axis of this.#order) {
      const bits = this.#byAxis[axis]!;
      const { bits: set, from, to } = box[axis]!;
      if (!narrows(set, from, to, this.numClasses[axis]!)) continue;
      for (let nth = 0; nth < numLive; nth += 1) any[live[nth]!] = 0;
      for (let at = from; at < to; at += 1)
        for (let left = set[at]!; left !== 0; left &= left - 1) {
          const start = (at * 32 + 31 - Math.clz32(left & -left)) * numWords;
          for (let nth = 0; nth < numLive; nth += 1) any[live[nth]!]! |= bits[start + live[nth]!]!;
        }
      let numLeft = 0;
      for (let nth = 0; nth < numLive; nth += 1) {
        const word = live[nth]!;
        found[word]! &= any[word]!;
        if (found[word] !== 0) live[numLeft++] = word;
      }
      numLive = numLeft;
    }
    return found;
  }
}

function countBits(bits: Uint32Array): number {
  let count = 0;
  for (const word of bits) for (let left = word; left !== 0; left &= left - 1) count += 1;
  return count;
}

/** The candidates before a rule, in order. */
export function candidatesBelow(candidates: Uint32Array, to: number): number[] {
  const found: number[] = [];
  for (let word = 0; word * 32 < to; word += 1)
    for (let left = candidates[word]!; left !== 0; left &= left - 1) {
      const rule = word * 32 + 31 - Math.clz32(left & -left);
      if (rule < to) found.push(rule);
    }
  return found;
}

/** The first candidate from a rule on, or a number past all. */
export function nextCandidate(candidates: Uint32Array, from: number): number {
  let word = from >>> 5;
  let left = (candidates[word] ?? 0) & (0xffffffff << (from & 31));
  while (left === 0) {
    word += 1;
    if (word >= candidates.length) return candidates.length * 32;
    left = candidates[word]!;
  }
  return word * 32 + 31 - Math.clz32(left & -left);
}

export function isCandidate(candidates: Uint32Array, rule: number): boolean {
  return ((candidates[rule >>> 5]! >>> (rule & 31)) & 1) === 1;
}

/** Whether a set is worth looking at: it has few classes, and not all that there are. */
function narrows(bits: Uint32Array, from: number, to: number, numClasses: number): boolean {
  let count = 0;
  for (let at = from; at < to; at += 1)
    for (let word = bits[at]!; word !== 0; word &= word - 1) if ((count += 1) > MAX_CLASSES) return false;
  return count < numClasses;
}

function collectAxes(formula: Formula, axes: Set<number>): void {
  if (formula.kind === 'atom') axes.add(formula.axis);
  else if (formula.kind === 'not' || formula.kind === 'matches') collectAxes(formula.part, axes);
  else if (formula.kind === 'and' || formula.kind === 'or') for (const part of formula.parts) collectAxes(part, axes);
}

/** The classes of one axis with which a formula can be true, unknown, false, whatever the others are; undefined is all. */
interface TruthSets {
  readonly isTrue: Uint32Array | undefined;
  readonly isUnknown: Uint32Array | undefined;
  readonly isFalse: Uint32Array | undefined;
}

const ANY: TruthSets = { isTrue: undefined, isUnknown: undefined, isFalse: undefined };

function truthSets(formula: Formula, axis: number, count: number): TruthSets {
  switch (formula.kind) {
    case 'known':
      return ANY;
    case 'atom': {
      if (formula.axis !== axis) return ANY;
      const isTrue = formula.whereTrue.bits;
      const isUnknown = formula.whereUnknown?.bits ?? new Uint32Array(isTrue.length);
      return { isTrue, isUnknown, isFalse: isTrue.map((word, at) => ~(word | isUnknown[at]!)) };
    }
    case 'not': {
      const { isTrue, isUnknown, isFalse } = truthSets(formula.part, axis, count);
      return { isTrue: isFalse, isUnknown, isFalse: isTrue };
    }
    case 'matches': {
      const { isTrue, isUnknown, isFalse } = truthSets(formula.part, axis, count);
      return formula.isWithUnknown
        ? { isTrue: either(isTrue, isUnknown), isUnknown: new Uint32Array((count + 31) >>> 5), isFalse }
        : { isTrue, isUnknown: new Uint32Array((count + 31) >>> 5), isFalse: either(isFalse, isUnknown) };
    }
    case 'and':
    case 'or': {
      const parts = formula.parts.map((part) => truthSets(part, axis, count));
      const all = (key: keyof TruthSets): Uint32Array | undefined =>
        parts.map((part) => part[key]).reduce(both, undefined);
      const some = (key: keyof TruthSets): Uint32Array | undefined => {
        const [first, ...rest] = parts.map((part) => part[key]);
        return rest.reduce(either, first);
      };
      return formula.kind === 'and'
        ? { isTrue: all('isTrue'), isUnknown: some('isUnknown'), isFalse: some('isFalse') }
        : { isTrue: some('isTrue'), isUnknown: some('isUnknown'), isFalse: all('isFalse') };
    }
  }
}

function both(a: Uint32Array | undefined, b: Uint32Array | undefined): Uint32Array | undefined {
  if (!a || !b) return a ?? b;
  return a.map((word, at) => word & b[at]!);
}

function either(a: Uint32Array | undefined, b: Uint32Array | undefined): Uint32Array | undefined {
  return a && b ? a.map((word, at) => word | b[at]!) : undefined;
}
