/** Sets of requests as a condition: a short one that is true of them and of no others. */
import { printCondition } from '../../language/condition-text.js';
import type { Comparison, Condition } from '../../language/tree.js';
import { CAN_FALSE, CAN_TRUE, CAN_UNKNOWN, truthsIn, type Box, type Formula } from './boxes.js';
import type { Start } from './gate-model.js';
import type { Atom } from './recording-partitions.js';
import type { Search } from './search.js';

/** A comparison with the truth values that it has in a set: `CAN_TRUE` and the others, together. */
export interface Literal {
  readonly formula: Formula;
  readonly truths: number;
  /** What it is written as; absent of hours. */
  readonly comparison?: Comparison;
  /** Hours, as rules have them. */
  readonly hours?: string;
}

type Cube = readonly Literal[];

/** A set of requests in words: a condition, and what no condition can express. */
export interface Cover {
  readonly condition: Condition;
  /** `during desk-hours`, where the set has such hours only. */
  readonly hours: readonly string[];
  /** Comparisons that are unknown of the requests. */
  readonly unknown: readonly string[];
  /** Comparisons of the condition that are meant to hold also where they are unknown. */
  readonly orUnknown: readonly string[];
}

export interface Source {
  readonly atom?: Atom;
  readonly hours?: string;
  readonly formula: Formula;
}

const ALL = CAN_TRUE | CAN_UNKNOWN | CAN_FALSE;

/** Whether a literal has one of its truth values. */
function formulaOf({ formula, truths }: Literal): Formula {
  const isTrue: Formula = { kind: 'matches', part: formula, isWithUnknown: false };
  const isNotFalse: Formula = { kind: 'matches', part: formula, isWithUnknown: true };
  const isFalse: Formula = { kind: 'not', part: isNotFalse };
  const parts = [
    ...((truths & CAN_TRUE) === 0 ? [] : [isTrue]),
    ...((truths & CAN_FALSE) === 0 ? [] : [isFalse]),
    ...((truths & CAN_UNKNOWN) === 0
      ? []
      : [{ kind: 'and', parts: [isNotFalse, { kind: 'not', part: isTrue }] } satisfies Formula]),
  ];
  return { kind: 'or', parts };
}

const conjunction = (cube: Cube): Formula => ({ kind: 'and', parts: cube.map(formulaOf) });

/**
 * Covers of the boxes, each of a conjunction, which together hold these boxes and nothing else.
 * @param sources comparisons and hours, those that are preferred last
 * @param starts all requests there are
 */
export function coverBoxes(
  boxes: readonly Box[],
  sources: readonly Source[],
  starts: readonly Start[],
  search: Search,
): Cover[] {
  const cubes = joinCubes(distinct(boxes.map((box) => cubeOf(box, sources, search))));
  const whole: Formula = { kind: 'or', parts: cubes.map(conjunction) };
  const isWithin = (cube: Cube, set: Formula): boolean =>
    search.solveAll(starts, [conjunction(cube), { kind: 'not', part: set }]).next().done === true;
  const shortened = distinct(
    cubes.map((cube) => {
      let short = cube;
      // What reads worst is left out first, where the rest suffices.
      for (const literal of [...cube].sort((a, b) => Number(isOneOf(a)) - Number(isOneOf(b)))) {
        const without = short.filter((one) => one !== literal);
        if (isWithin(without, whole)) short = without;
      }
      for (const literal of short) {
        const put = (truths: number): Cube => short.map((one) => (one === literal ? { ...one, truths } : one));
        const known = literal.truths & ~CAN_UNKNOWN;
        // Where it cannot be unknown anyway, that is not written.
        if (known !== 0 && known !== literal.truths && isWithin(short, conjunction(put(known)))) short = put(known);
        // "Not so, or unknown" is shorter than both by themselves.
        const wider = put(CAN_FALSE | CAN_UNKNOWN);
        if (literal.truths !== CAN_TRUE && isOneOf(literal) && isWithin(wider, whole))
          short = isWithin(wider, conjunction(short)) ? short : wider;
      }
      return short;
    }),
  );
  const kept = [...shortened];
  for (const cube of shortened) {
    const others = kept.filter((one) => one !== cube);
    if (others.length > 0 && isWithin(cube, { kind: 'or', parts: others.map(conjunction) }))
      kept.splice(kept.indexOf(cube), 1);
  }
  return kept.map(writeCube);
}

/** Whether a comparison has one truth value, and not one of two. */
function isOneOf({ truths, comparison }: Literal): boolean {
  return comparison !== undefined && (truths & (truths - 1)) === 0;
}

/** Covers that leave nothing out which is known of the boxes. */
export function writeBoxes(boxes: readonly Box[], sources: readonly Source[], search: Search): Cover[] {
  return joinCubes(distinct(boxes.map((box) => cubeOf(box, sources, search)))).map(writeCube);
}

/** What is decided in a box: the truth values that some comparisons cannot have there. */
function cubeOf(box: Box, sources: readonly Source[], search: Search): Cube {
  return sources.flatMap(({ atom, hours, formula }): Literal[] => {
    const truths = exactTruths(formula, box, search);
    if (truths === ALL) return [];
    return [
      { formula, truths, ...(atom ? { comparison: atom.comparison } : {}), ...(hours === undefined ? {} : { hours }) },
    ];
  });
}

/** Of a comparison whose texts are made, truth values depend on two axes, which `truthsIn` does not look at together. */
function exactTruths(formula: Formula, box: Box, search: Search): number {
  const truths = truthsIn(formula, box);
  if (formula.kind === 'atom') return truths;
  return [CAN_TRUE, CAN_UNKNOWN, CAN_FALSE]
    .filter((one) => (truths & one) !== 0)
    .filter((one) => search.solve(box, [formulaOf({ formula, truths: one })]).next().done !== true)
    .reduce((sum, one) => sum | one, 0);
}

/** Of more conjunctions none are joined, which would take long. */
const MAX_JOINED = 100;

/** The same set in fewer conjunctions: two that differ in one literal are one, until there are none such. */
function joinCubes(cubes: readonly Cube[]): readonly Cube[] {
  if (cubes.length > MAX_JOINED) return cubes;
  let joined = [...cubes];
  for (let isJoined = true; isJoined;) {
    isJoined = false;
    const byRest = new Map<string, { cube: Cube; literal: Literal }>();
    for (const cube of joined) {
      const texts = cube.map(textOf);
      const pair = cube.flatMap((literal, at) => {
        const rest = [literal.comparison ?? literal.hours, ...texts.filter((_, other) => other !== at).sort()];
        const key = JSON.stringify(rest, withoutPlace);
        const there = byRest.get(key);
        if (!there) byRest.set(key, { cube, literal });
        return there && there.cube !== cube ? [{ there, literal }] : [];
      })[0];
      if (!pair) continue;
      const truths = pair.literal.truths | pair.there.literal.truths;
      const both = cube.flatMap((one) => (one === pair.literal ? (truths === ALL ? [] : [{ ...one, truths }]) : [one]));
      joined = distinct([...joined.filter((one) => one !== cube && one !== pair.there.cube), both]);
      isJoined = true;
      break;
    }
  }
  return joined;
}

function withoutPlace(key: string, value: unknown): unknown {
  return key === 'place' ? undefined : typeof value === 'bigint' ? String(value) : value;
}

function distinct(cubes: readonly Cube[]): Cube[] {
  const byText = new Map(cubes.map((cube) => [cube.map(textOf).sort().join('\n'), cube]));
  return [...byText.values()];
}

function textOf({ comparison, hours, truths }: Literal): string {
  return `${truths} ${comparison ? printCondition({ ...comparison, isNegated: false }) : hours}`;
}

function writeCube(cube: Cube): Cover {
  const written = cube.map((literal) => ({ ...literal, condition: conditionOf(literal) }));
  const parts = written.flatMap(({ condition }) => condition ?? []);
  // What has to be there comes before what must not be.
  const isNegated = (part: Condition): number =>
    Number(part.kind === 'not' || (part.kind === 'comparison' && part.isNegated));
  parts.sort((a, b) => isNegated(a) - isNegated(b));
  const textsOf = (isWanted: (literal: Literal) => boolean): string[] => [
    ...new Set(
      cube
        .filter(isWanted)
        .flatMap(({ comparison }) => (comparison ? [printCondition({ ...comparison, isNegated: false })] : [])),
    ),
  ];
  return {
    condition: parts.length === 0 ? { kind: 'always' } : parts.length === 1 ? parts[0]! : { kind: 'and', parts },
    hours: [...new Set(cube.flatMap((literal) => (literal.hours === undefined ? [] : [hoursText(literal)])))],
    unknown: textsOf(({ truths }) => truths === CAN_UNKNOWN),
    orUnknown: textsOf(({ truths }) => truths !== CAN_UNKNOWN && (truths & CAN_UNKNOWN) !== 0),
  };
}

function conditionOf({ comparison, truths }: Literal): Condition | undefined {
  if (!comparison || truths === CAN_UNKNOWN) return undefined;
  const yes: Condition = { ...comparison, isNegated: false };
  // No operator negates what ignores case.
  const hasNegation = ['=', 'in', 'present'].includes(comparison.operator) && !comparison.isAnyCase;
  const no: Condition = hasNegation ? { ...comparison, isNegated: true } : { kind: 'not', part: yes };
  // One or the other is true where it is known.
  if (truths === (CAN_TRUE | CAN_FALSE)) return { kind: 'or', parts: [yes, no] };
  return (truths & CAN_TRUE) !== 0 ? yes : no;
}

function hoursText({ hours = '', truths }: Literal): string {
  return (truths & CAN_TRUE) !== 0 ? hours : `not ${hours}`;
}
