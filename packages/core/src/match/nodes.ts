/** Conditions over numbered atoms. */
import type { Rulebook } from '../check/rulebook.js';
import { kindOf, type FieldName } from '../language/fields.js';
import type { ApplicationStatement, Comparison, Condition } from '../language/tree.js';
import { featureOf, type Lens } from './features.js';
import { Heard } from './heard.js';
import type { Groups } from './groups.js';
import { AtomIndex, wordOf } from './atoms.js';
import { FALSE, negateDegree, TRUE, UNKNOWN, type Degree } from './truth.js';

export type Node =
  | { readonly kind: 'known'; readonly degree: Degree }
  | {
      readonly kind: 'atom';
      /** Which group of features it asks, and its number there. */
      readonly group: number;
      readonly atom: number;
      /** About which share of requests it holds for, 0 to 1: a guess that only decides how fast a rule is found. */
      readonly share: number;
    }
  /** Which tags are set is known only on the way. */
  | { readonly kind: 'tag'; readonly tags: ReadonlySet<string> | 'any' }
  | { readonly kind: 'not'; readonly part: Node }
  | { readonly kind: 'and' | 'or'; readonly parts: readonly Node[] };

export interface NodeTerms {
  readonly rulebook: Rulebook;
  readonly lens: Lens;
  readonly groups: Groups;
}

export function compileCondition(condition: Condition, terms: NodeTerms): Node {
  switch (condition.kind) {
    case 'always':
      return { kind: 'known', degree: TRUE };
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
  if (part.kind === 'known') return { kind: 'known', degree: negateDegree(part.degree) };
  return { kind: 'not', part };
}

export function join(kind: 'and' | 'or', parts: readonly Node[]): Node {
  const flat = parts.flatMap((part) => (part.kind === kind ? part.parts : [part]));
  const absorbing = kind === 'and' ? FALSE : TRUE;
  if (flat.some((part) => part.kind === 'known' && part.degree === absorbing))
    return { kind: 'known', degree: absorbing };
  const left = flat.filter((part) => part.kind !== 'known' || part.degree === UNKNOWN);
  if (left.length === 0) return { kind: 'known', degree: kind === 'and' ? TRUE : FALSE };
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
      return compileWord(comparison, terms.lens.gate.statement.name);
    case 'direction':
      return compileWord(comparison, terms.lens.gate.statement.direction);
    default: {
      const feature = featureOf(field as FieldName, comparison.parameter, terms.lens);
      if (!feature) return { kind: 'known', degree: UNKNOWN };
      const { group, atom } = terms.groups.atomFor(
        feature,
        comparison,
        terms.rulebook.lookups.get(comparison),
        terms.lens.gate.pathReading,
      );
      return { kind: 'atom', group, atom, share: guessShare(comparison) };
    }
  }
}

/** A comparison whose value is known beforehand. */
function compileWord(comparison: Comparison, value: string): Node {
  const index = new AtomIndex({});
  index.add(0, comparison, undefined);
  const heard = new Heard(1);
  heard.begin();
  index.ask(value, heard);
  return { kind: 'known', degree: heard.size > 0 ? TRUE : FALSE };
}

const UNRECOGNISED = 'unrecognised';

/** Any application that satisfies it, each recognised by its signatures and by those of what it carries. */
function compileApplication(comparison: Comparison, terms: NodeTerms): Node {
  const { operator, values } = comparison;
  if (operator === 'present') return { kind: 'known', degree: TRUE };
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

const SHARES: Partial<Record<FieldName, number>> = {
  'country': 0.02,
  'server country': 0.02,
  'category': 0.05,
  'method': 0.2,
  'scheme': 0.5,
  'port': 0.5,
  'transport': 0.5,
  'path': 0.02,
};
const USUAL_SHARE = 0.01;

function guessShare({ field, operator, values }: Comparison): number {
  if (operator === 'present') return 0.9;
  if (kindOf(field) === 'number' && operator !== '=' && operator !== 'in') return 0.5;
  const share = SHARES[field as FieldName] ?? USUAL_SHARE;
  const isSet =
    values.some((value) => value.kind === 'list') || kindOf(field) === 'address' || kindOf(field) === 'domain';
  return Math.min(0.95, isSet ? share : share * values.length);
}

/**
 * Atoms of which at least one does not come out false where the node does not; undefined where there are none such, so
 * that the node must always be asked. The cheapest that there are.
 */
export function findCover(
  node: Node,
): { readonly atoms: readonly { group: number; atom: number }[]; readonly share: number } | undefined {
  switch (node.kind) {
    case 'known':
      return node.degree === FALSE ? { atoms: [], share: 0 } : undefined;
    case 'atom':
      return { atoms: [node], share: node.share };
    case 'tag':
    case 'not':
      return undefined;
    case 'and':
      return node.parts
        .map(findCover)
        .reduce((best, cover) => (cover && (!best || cover.share < best.share) ? cover : best), undefined);
    case 'or': {
      const covers = node.parts.map(findCover);
      if (!covers.every((cover) => cover !== undefined)) return undefined;
      return { atoms: covers.flatMap(({ atoms }) => atoms), share: covers.reduce((sum, { share }) => sum + share, 0) };
    }
  }
}
