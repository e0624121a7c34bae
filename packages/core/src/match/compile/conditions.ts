/** The conditions of the rules of a stage, and their evaluation. */
import type { Partitions } from '../rows/partitions.js';
import { findIndexKey, type Node } from './nodes.js';
import type { RowReader } from '../rows/row-readers.js';
import { FALSE, negateTruth, TRUE, UNKNOWN, type TruthValue } from '../features/truth.js';

export class Conditions {
  /**
   * Conjunctions of comparisons, contiguous, three numbers a comparison: partition, atom,
   * whether negated. `#starts` holds the offset of each rule; no entries if its condition is no conjunction.
   */
  readonly #tests: Int32Array;
  readonly #starts: Int32Array;

  /** @param all by rule */
  constructor(
    readonly all: readonly Node[],
    private readonly partitions: Partitions,
  ) {
    const tests = all.map((node) => toTests(node, findIndexKey(node)?.atoms));
    this.#tests = Int32Array.from(tests.flat());
    this.#starts = new Int32Array(all.length + 1);
    tests.forEach(({ length }, rule) => (this.#starts[rule + 1] = this.#starts[rule]! + length));
  }

  /** Whether the condition of a rule joins nothing but comparisons with and. */
  isConjunction(rule: number): boolean {
    return this.#starts[rule]! < this.#starts[rule + 1]!;
  }

  /** The truth value of a conjunction. */
  evaluateConjunction(rule: number, reader: RowReader): TruthValue {
    const { partitions } = this;
    const tests = this.#tests;
    const end = this.#starts[rule + 1]!;
    let result: TruthValue = TRUE;
    for (let at = this.#starts[rule]!; at < end; at += 3) {
      const partition = tests[at]!;
      const truth = partitions.all[partition]!.truthOf(reader.classOf(partition), tests[at + 1]!);
      if (truth === UNKNOWN) result = UNKNOWN;
      else if ((truth === TRUE) === (tests[at + 2] === 1)) return FALSE;
    }
    return result;
  }

  /**
   * The lower bound of the condition of a rule if only the class of one partition is known; undefined if it
   * is false whatever else is known.
   */
  lowerBoundFor(partition: number, number: number, rule: number): TruthValue | undefined {
    if (this.isConjunction(rule)) return this.#lowerBoundOfTests(partition, number, rule);
    const node = this.all[rule]!;
    const greatest = this.#bound(node, partition, number, TRUE);
    return greatest === FALSE ? undefined : this.#bound(node, partition, number, FALSE);
  }

  #lowerBoundOfTests(partition: number, number: number, rule: number): TruthValue | undefined {
    const tests = this.#tests;
    const end = this.#starts[rule + 1]!;
    let least: TruthValue = TRUE;
    for (let at = this.#starts[rule]!; at < end; at += 3) {
      if (tests[at] !== partition) {
        least = FALSE;
        continue;
      }
      const truth = this.partitions.all[partition]!.truthOf(number, tests[at + 1]!);
      const outcome = tests[at + 2] === 1 ? TRUE - truth : truth;
      if (outcome === FALSE) return undefined;
      if (outcome === UNKNOWN && least === TRUE) least = UNKNOWN;
    }
    return least;
  }

  /** The truth value of a node if only the class of one partition is known. @param other the value of all else that it reads */
  #bound(node: Node, partition: number, number: number, other: TruthValue): TruthValue {
    switch (node.kind) {
      case 'known':
        return node.truth;
      case 'tag':
        return other;
      case 'atom':
        return node.partition === partition ? this.partitions.all[partition]!.truthOf(number, node.atom) : other;
      case 'not':
        return negateTruth(this.#bound(node.part, partition, number, negateTruth(other)));
      case 'and':
        return node.parts.reduce<TruthValue>(
          (least, part) => minimum(least, this.#bound(part, partition, number, other)),
          TRUE,
        );
      case 'or':
        return node.parts.reduce<TruthValue>(
          (most, part) => maximum(most, this.#bound(part, partition, number, other)),
          FALSE,
        );
    }
  }
}

function minimum(a: TruthValue, b: TruthValue): TruthValue {
  return a < b ? a : b;
}

function maximum(a: TruthValue, b: TruthValue): TruthValue {
  return a > b ? a : b;
}

/**
 * The comparisons of a condition that joins nothing but such with and, three numbers each; none where it is not
 * such.
 * @param indexed the partitions of the index: they mostly hold when the rule is evaluated, so others are evaluated first
 */
function toTests(node: Node, indexed: readonly { readonly partition: number }[] = []): number[] {
  const parts = node.kind === 'and' ? node.parts : [node];
  const [first, last]: [number[], number[]] = [[], []];
  for (const part of parts) {
    const atom = part.kind === 'not' ? part.part : part;
    if (atom.kind !== 'atom') return [];
    const leads = indexed.some(({ partition }) => partition === atom.partition);
    (leads ? last : first).push(atom.partition, atom.atom, part.kind === 'not' ? 1 : 0);
  }
  return [...first, ...last];
}

/** The truth value of a condition. @param tags the tags that its rule sees */
export function evaluateNode(
  node: Node,
  reader: RowReader,
  partitions: Partitions,
  tags: ReadonlySet<string>,
): TruthValue {
  switch (node.kind) {
    case 'known':
      return node.truth;
    case 'atom':
      return partitions.all[node.partition]!.truthOf(reader.classOf(node.partition), node.atom);
    case 'tag':
      return (node.tags === 'any' ? tags.size > 0 : [...node.tags].some((tag) => tags.has(tag))) ? TRUE : FALSE;
    case 'not':
      return negateTruth(evaluateNode(node.part, reader, partitions, tags));
    case 'and': {
      let result: TruthValue = TRUE;
      for (const part of node.parts) {
        const truth = evaluateNode(part, reader, partitions, tags);
        if (truth === FALSE) return FALSE;
        if (truth === UNKNOWN) result = UNKNOWN;
      }
      return result;
    }
    case 'or': {
      let result: TruthValue = FALSE;
      for (const part of node.parts) {
        const truth = evaluateNode(part, reader, partitions, tags);
        if (truth === TRUE) return TRUE;
        if (truth === UNKNOWN) result = UNKNOWN;
      }
      return result;
    }
  }
}
