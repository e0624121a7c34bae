/**
 * Sets of requests as boxes: of each axis some of its classes. An axis is what of a request can be chosen by itself; its
 * classes are the values that no comparison of the rules distinguishes. Bits are numbered from the lowest of the first word.
 */

/** Some classes of one axis. */
export interface ClassSet {
  readonly bits: Uint32Array;
  /** Words outside these are zero; the end is not included. */
  readonly from: number;
  readonly to: number;
}

/** By axis; a request is in the box if each of its classes is. */
export type Box = readonly ClassSet[];

export function classSet(numClasses: number, has: (number: number) => boolean): ClassSet {
  const bits = new Uint32Array((numClasses + 31) >>> 5);
  for (let number = 0; number < numClasses; number += 1) if (has(number)) bits[number >>> 5]! |= 1 << (number & 31);
  return trim(bits);
}

function trim(bits: Uint32Array): ClassSet {
  let from = 0;
  let to = bits.length;
  while (from < to && bits[from] === 0) from += 1;
  while (to > from && bits[to - 1] === 0) to -= 1;
  return { bits, from, to };
}

export function hasClass({ bits }: ClassSet, number: number): boolean {
  return ((bits[number >>> 5]! >>> (number & 31)) & 1) === 1;
}

export function isEmptySet({ from, to }: ClassSet): boolean {
  return from === to;
}

export function intersect(a: ClassSet, b: ClassSet): ClassSet {
  const bits = new Uint32Array(a.bits.length);
  for (let at = Math.max(a.from, b.from); at < Math.min(a.to, b.to); at += 1) bits[at] = a.bits[at]! & b.bits[at]!;
  return trim(bits);
}

export function subtract(a: ClassSet, b: ClassSet): ClassSet {
  const bits = a.bits.slice();
  for (let at = Math.max(a.from, b.from); at < Math.min(a.to, b.to); at += 1) bits[at]! &= ~b.bits[at]!;
  return trim(bits);
}

/** The classes of a set, ascending. */
export function* classesOf({ bits, from, to }: ClassSet): Generator<number> {
  for (let at = from; at < to; at += 1)
    for (let word = bits[at]!; word !== 0; word &= word - 1) yield at * 32 + (31 - Math.clz32(word & -word));
}

export function withSet(box: Box, axis: number, set: ClassSet): Box {
  const next = box.slice();
  next[axis] = set;
  return next;
}

/** The truth values that a formula can have in a box, a bit each. */
export const CAN_TRUE = 1;
export const CAN_UNKNOWN = 2;
export const CAN_FALSE = 4;

/** A condition over the classes of axes. */
export type Formula =
  | { readonly kind: 'known'; readonly mask: number }
  | {
      readonly kind: 'atom';
      readonly axis: number;
      readonly whereTrue: ClassSet;
      /** Absent where it never is. */
      readonly whereUnknown?: ClassSet;
    }
  | { readonly kind: 'not'; readonly part: Formula }
  | { readonly kind: 'and' | 'or'; readonly parts: readonly Formula[] }
  /** Whether a condition makes its rule match: never unknown. */
  | { readonly kind: 'matches'; readonly part: Formula; readonly isWithUnknown: boolean };

export const ALWAYS: Formula = { kind: 'known', mask: CAN_TRUE };
export const NEVER: Formula = { kind: 'known', mask: CAN_FALSE };

/** The truth values a formula can have: all that it has, and perhaps some that only a smaller box rules out. */
export function truthsIn(formula: Formula, box: Box): number {
  switch (formula.kind) {
    case 'known':
      return formula.mask;
    case 'atom':
      return truthsOfAtom(formula, box[formula.axis]!);
    case 'not':
      return swap(truthsIn(formula.part, box));
    case 'matches': {
      const truths = truthsIn(formula.part, box);
      const yes = CAN_TRUE | (formula.isWithUnknown ? CAN_UNKNOWN : 0);
      return ((truths & yes) !== 0 ? CAN_TRUE : 0) | ((truths & ~yes) !== 0 ? CAN_FALSE : 0);
    }
    case 'and': {
      let all = CAN_TRUE;
      for (const part of formula.parts) {
        all = joinTruths(all, truthsIn(part, box));
        if (all === CAN_FALSE) return all;
      }
      return all;
    }
    case 'or': {
      let all = CAN_TRUE;
      for (const part of formula.parts) {
        all = joinTruths(all, swap(truthsIn(part, box)));
        if (all === CAN_FALSE) return CAN_TRUE;
      }
      return swap(all);
    }
  }
}

/** Kleene's and, over sets of truth values. */
function joinTruths(a: number, b: number): number {
  const isUnknown = (a & (CAN_TRUE | CAN_UNKNOWN)) !== 0 && (b & (CAN_TRUE | CAN_UNKNOWN)) !== 0;
  return (a & b & CAN_TRUE) | ((a | b) & CAN_FALSE) | (isUnknown ? (a | b) & CAN_UNKNOWN : 0);
}

function swap(truths: number): number {
  return (truths & CAN_UNKNOWN) | ((truths & CAN_TRUE) << 2) | ((truths & CAN_FALSE) >> 2);
}

function truthsOfAtom({ whereTrue, whereUnknown }: Formula & { kind: 'atom' }, { bits, from, to }: ClassSet): number {
  let truths = 0;
  for (let at = from; at < to; at += 1) {
    const word = bits[at]!;
    if (word === 0) continue;
    const isTrue = whereTrue.bits[at]!;
    const isUnknown = whereUnknown?.bits[at] ?? 0;
    if ((word & isTrue) !== 0) truths |= CAN_TRUE;
    if ((word & isUnknown) !== 0) truths |= CAN_UNKNOWN;
    if ((word & ~(isTrue | isUnknown)) !== 0) truths |= CAN_FALSE;
    if (truths === (whereUnknown ? 7 : 5)) break;
  }
  return truths;
}

export function isDecided(truths: number): boolean {
  return (truths & (truths - 1)) === 0;
}

/** Cuts a box in two, so that a comparison of a formula that is not decided in it becomes so in one of them. */
export function cut(formula: Formula, box: Box): readonly [Box, Box] | undefined {
  switch (formula.kind) {
    case 'known':
      return undefined;
    case 'atom': {
      const { axis, whereTrue, whereUnknown } = formula;
      const truths = truthsOfAtom(formula, box[axis]!);
      if (isDecided(truths)) return undefined;
      const side = (truths & CAN_TRUE) !== 0 ? whereTrue : whereUnknown!;
      return [withSet(box, axis, intersect(box[axis]!, side)), withSet(box, axis, subtract(box[axis]!, side))];
    }
    case 'not':
    case 'matches':
      return cut(formula.part, box);
    case 'and':
    case 'or':
      for (const part of formula.parts) {
        const halves = cut(part, box);
        if (halves) return halves;
      }
      return undefined;
  }
}
