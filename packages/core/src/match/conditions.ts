/** The conditions of the rules of a stage, and what they come to. */
import type { Groups } from './groups.js';
import { findCover, type Node } from './nodes.js';
import type { Seat } from './seat.js';
import { FALSE, negateDegree, TRUE, UNKNOWN, type Degree } from './truth.js';

export class Conditions {
  /**
   * Conditions that join nothing but comparisons with and, one behind the other, three numbers a comparison: group, atom,
   * whether negated. Those of a rule begin where `#starts` says; none, where its condition is not such.
   */
  readonly #tests: Int32Array;
  readonly #starts: Int32Array;

  /** @param all by rule */
  constructor(
    readonly all: readonly Node[],
    private readonly groups: Groups,
  ) {
    const tests = all.map((node) => toTests(node, findCover(node)?.atoms));
    this.#tests = Int32Array.from(tests.flat());
    this.#starts = new Int32Array(all.length + 1);
    tests.forEach(({ length }, rule) => (this.#starts[rule + 1] = this.#starts[rule]! + length));
  }

  /** Whether the condition of a rule joins nothing but comparisons with and. */
  isJoined(rule: number): boolean {
    return this.#starts[rule]! < this.#starts[rule + 1]!;
  }

  /** What such a condition comes to. */
  evaluateJoined(rule: number, seat: Seat): Degree {
    const { groups } = this;
    const tests = this.#tests;
    const end = this.#starts[rule + 1]!;
    let result: Degree = TRUE;
    for (let at = this.#starts[rule]!; at < end; at += 3) {
      const group = tests[at]!;
      const degree = groups.all[group]!.degreeOf(seat.classOf(group), tests[at + 1]!);
      if (degree === UNKNOWN) result = UNKNOWN;
      else if ((degree === TRUE) === (tests[at + 2] === 1)) return FALSE;
    }
    return result;
  }

  /**
   * The least that the condition of a rule can come to, where only the class of one group is known; undefined where it
   * comes to false whatever else is known.
   */
  leastFor(group: number, number: number, rule: number): Degree | undefined {
    if (this.isJoined(rule)) return this.#leastOfTests(group, number, rule);
    const node = this.all[rule]!;
    const greatest = this.#bound(node, group, number, TRUE);
    return greatest === FALSE ? undefined : this.#bound(node, group, number, FALSE);
  }

  #leastOfTests(group: number, number: number, rule: number): Degree | undefined {
    const tests = this.#tests;
    const end = this.#starts[rule + 1]!;
    let least: Degree = TRUE;
    for (let at = this.#starts[rule]!; at < end; at += 3) {
      if (tests[at] !== group) {
        least = FALSE;
        continue;
      }
      const degree = this.groups.all[group]!.degreeOf(number, tests[at + 1]!);
      const own = tests[at + 2] === 1 ? TRUE - degree : degree;
      if (own === FALSE) return undefined;
      if (own === UNKNOWN && least === TRUE) least = UNKNOWN;
    }
    return least;
  }

  /** What a node comes to where only the class of one group is known. @param other what stands for all else that it asks */
  #bound(node: Node, group: number, number: number, other: Degree): Degree {
    switch (node.kind) {
      case 'known':
        return node.degree;
      case 'tag':
        return other;
      case 'atom':
        return node.group === group ? this.groups.all[group]!.degreeOf(number, node.atom) : other;
      case 'not':
        return negateDegree(this.#bound(node.part, group, number, negateDegree(other)));
      case 'and':
        return node.parts.reduce<Degree>((least, part) => lesser(least, this.#bound(part, group, number, other)), TRUE);
      case 'or':
        return node.parts.reduce<Degree>((most, part) => greater(most, this.#bound(part, group, number, other)), FALSE);
    }
  }
}

function lesser(a: Degree, b: Degree): Degree {
  return a < b ? a : b;
}

function greater(a: Degree, b: Degree): Degree {
  return a > b ? a : b;
}

/**
 * The comparisons of a condition that joins nothing but such with and, three numbers each; none where it is not
 * such.
 * @param leading those that lead to the rule: they mostly hold where it is asked, so others are asked first
 */
function toTests(node: Node, leading: readonly { readonly group: number }[] = []): number[] {
  const parts = node.kind === 'and' ? node.parts : [node];
  const [first, last]: [number[], number[]] = [[], []];
  for (const part of parts) {
    const atom = part.kind === 'not' ? part.part : part;
    if (atom.kind !== 'atom') return [];
    const leads = leading.some(({ group }) => group === atom.group);
    (leads ? last : first).push(atom.group, atom.atom, part.kind === 'not' ? 1 : 0);
  }
  return [...first, ...last];
}

/** What a condition comes to. @param tags those that its rule sees */
export function evaluateNode(node: Node, seat: Seat, groups: Groups, tags: ReadonlySet<string>): Degree {
  switch (node.kind) {
    case 'known':
      return node.degree;
    case 'atom':
      return groups.all[node.group]!.degreeOf(seat.classOf(node.group), node.atom);
    case 'tag':
      return (node.tags === 'any' ? tags.size > 0 : [...node.tags].some((tag) => tags.has(tag))) ? TRUE : FALSE;
    case 'not':
      return negateDegree(evaluateNode(node.part, seat, groups, tags));
    case 'and': {
      let result: Degree = TRUE;
      for (const part of node.parts) {
        const degree = evaluateNode(part, seat, groups, tags);
        if (degree === FALSE) return FALSE;
        if (degree === UNKNOWN) result = UNKNOWN;
      }
      return result;
    }
    case 'or': {
      let result: Degree = FALSE;
      for (const part of node.parts) {
        const degree = evaluateNode(part, seat, groups, tags);
        if (degree === TRUE) return TRUE;
        if (degree === UNKNOWN) result = UNKNOWN;
      }
      return result;
    }
  }
}
