/** Conditions over numbered atoms. */
import type { Rulebook } from '../../check/rulebook.js';
import { FIELD_TABLE, kindOf, specOf, type FieldName } from '../../language/fields.js';
import type { ApplicationStatement, Comparison, Condition } from '../../language/tree.js';
import { featureOf, type GateView } from '../features/features.js';
import { AtomSet } from '../index/atom-set.js';
import type { Partitions } from '../rows/partitions.js';
import { AtomIndex, wordOf } from '../index/atoms.js';
import { FALSE, negateTruth, TRUE, UNKNOWN, type TruthValue } from '../features/truth.js';

export type Node =
  | { readonly kind: 'known'; readonly truth: TruthValue }
  | {
      readonly kind: 'atom';
      /** Its partition, and its number there. */
      readonly partition: number;
      readonly atom: number;
      /** About which selectivity of requests it holds for, 0 to 1: a guess that only decides how fast a rule is found. */
      readonly selectivity: number;
    }
  /** Which tags are set is known only on the way. */
  | { readonly kind: 'tag'; readonly tags: ReadonlySet<string> | 'any' }
  | { readonly kind: 'not'; readonly part: Node }
  | { readonly kind: 'and' | 'or'; readonly parts: readonly Node[] };

export interface NodeTerms {
  readonly rulebook: Rulebook;
  readonly view: GateView;
  readonly partitions: Partitions;
}

export function compileCondition(condition: Condition, terms: NodeTerms): Node {
  switch (condition.kind) {
    case 'always':
      return { kind: 'known', truth: TRUE };
    case 'not':
      return not(compileCondition(condition.part, terms));
    case 'and':
    case 'or':
      return join(
        condition.kind,
        condition.parts.map((part) => compileCondition(part, terms)),
      );
    case 'comparison': {
      const node = compileComparison(condition, terms);
      return condition.isNegated ? not(node) : node;
    }
  }
}

export function not(part: Node): Node {
  if (part.kind === 'not') return part.part;
  if (part.kind === 'known') return { kind: 'known', truth: negateTruth(part.truth) };
  return { kind: 'not', part };
}

export function join(kind: 'and' | 'or', parts: readonly Node[]): Node {
  const flat = parts.flatMap((part) => (part.kind === kind ? part.parts : [part]));
  const absorbing = kind === 'and' ? FALSE : TRUE;
  if (flat.some((part) => part.kind === 'known' && part.truth === absorbing))
    return { kind: 'known', truth: absorbing };
  const left = flat.filter((part) => part.kind !== 'known' || part.truth === UNKNOWN);
  if (left.length === 0) return { kind: 'known', truth: kind === 'and' ? TRUE : FALSE };
  return left.length === 1 ? left[0]! : { kind, parts: left };
}

function compileComparison(comparison: Comparison, terms: NodeTerms): Node {
  const { field, operator, values } = comparison;
  switch (field) {
    case 'tag':
      return { kind: 'tag', tags: operator === 'present' ? 'any' : new Set(values.map(wordOf)) };
    case 'application':
      return compileApplication(comparison, terms);
    case 'gate':
      return compileWord(comparison, terms.view.gate.statement.name);
    case 'direction':
      return compileWord(comparison, terms.view.gate.statement.direction);
    default: {
      const feature = featureOf(field as FieldName, comparison.parameter, terms.view);
      if (!feature) return { kind: 'known', truth: UNKNOWN };
      const { partition, atom } = terms.partitions.atomFor(
        feature,
        comparison,
        terms.rulebook.lookups.get(comparison),
        terms.view.gate.pathReading,
      );
      return { kind: 'atom', partition, atom, selectivity: estimateSelectivity(comparison) };
    }
  }
}

/** A comparison whose value is known beforehand. */
function compileWord(comparison: Comparison, value: string): Node {
  const index = new AtomIndex({});
  index.add(0, comparison, undefined);
  const atoms = new AtomSet(1);
  atoms.clear();
  index.collect(value, atoms);
  return { kind: 'known', truth: atoms.size > 0 ? TRUE : FALSE };
}

const UNRECOGNISED = 'unrecognised';

/** Any application that satisfies it, each recognised by its signatures and by those of what it carries. */
function compileApplication(comparison: Comparison, terms: NodeTerms): Node {
  const { operator, values } = comparison;
  if (operator === 'present') return { kind: 'known', truth: TRUE };
  const { applications, lookups } = terms.rulebook;
  const lookup = lookups.get(comparison);
  const names = new Set(values.filter(({ kind }) => kind === 'word' || kind === 'text').map(wordOf));
  const isWanted = (name: string): boolean =>
    lookup?.kind === 'members' ? lookup.members.find(name) !== undefined : names.has(name);
  const recognised = (application: ApplicationStatement): Node =>
    join(
      'or',
      application.signatures.map((signature) => compileCondition(signature, terms)),
    );
  const wanted = applications.filter((application) => chainOf(application, applications).some(isWanted));
  const parts = wanted.map(recognised);
  if (isWanted(UNRECOGNISED)) parts.push(not(join('or', applications.map(recognised))));
  return join('or', parts);
}

/** An application, what carries it, and what carries that. */
function chainOf(application: ApplicationStatement, applications: readonly ApplicationStatement[]): string[] {
  const chain: string[] = [];
  let next: ApplicationStatement | undefined = application;
  while (next && !chain.includes(next.name)) {
    chain.push(next.name);
    const over: string | undefined = next.over?.name;
    next = over === undefined ? undefined : applications.find(({ name }) => name === over);
  }
  return chain;
}

const DEFAULT_SELECTIVITY = 0.01;

function estimateSelectivity({ field, operator, values }: Comparison): number {
  if (operator === 'present') return 0.9;
  if (kindOf(field) === 'number' && operator !== '=' && operator !== 'in') return 0.5;
  const selectivity =
    (field in FIELD_TABLE ? specOf(field as FieldName).selectivity : undefined) ?? DEFAULT_SELECTIVITY;
  const isSet =
    values.some((value) => value.kind === 'list') || kindOf(field) === 'address' || kindOf(field) === 'domain';
  return Math.min(0.95, isSet ? selectivity : selectivity * values.length);
}

/**
 * Atoms of which at least one does not come out false where the node does not; undefined where there are none such, so
 * that the node must always be evaluated. The most selective ones.
 */
export function findIndexKey(
  node: Node,
): { readonly atoms: readonly { partition: number; atom: number }[]; readonly selectivity: number } | undefined {
  switch (node.kind) {
    case 'known':
      return node.truth === FALSE ? { atoms: [], selectivity: 0 } : undefined;
    case 'atom':
      return { atoms: [node], selectivity: node.selectivity };
    case 'tag':
    case 'not':
      return undefined;
    case 'and':
      return node.parts
        .map(findIndexKey)
        .reduce((best, cover) => (cover && (!best || cover.selectivity < best.selectivity) ? cover : best), undefined);
    case 'or': {
      const covers = node.parts.map(findIndexKey);
      if (!covers.every((cover) => cover !== undefined)) return undefined;
      return {
        atoms: covers.flatMap(({ atoms }) => atoms),
        selectivity: covers.reduce((sum, { selectivity }) => sum + selectivity, 0),
      };
    }
  }
}
