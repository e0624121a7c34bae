import { kindOf, LIST_KIND_OF } from '../language/fields.js';
import type { Hours } from '../language/measure.js';
import type { Comparison, Condition } from '../language/tree.js';
import { visitComparisons } from '../language/visit.js';
import { invariant } from '../request/invariant.js';
import { readPath, readPathPart, type PathReading } from '../request/path.js';
import { compileLike, compilePattern, foldAsciiCase, type TextTest } from '../reference/text-pattern.js';
import { createMembers, type Members, type ResolvedList } from './members.js';
import { createUrlMembers, type UrlMembers } from './url-members.js';

/** What a comparison is answered with, prepared once: the set behind an `in`, or the tests behind a text operator. */
export type Lookup =
  | { readonly kind: 'members'; readonly members: Members; readonly lists: ReadonlyMap<string, ResolvedList> }
  | { readonly kind: 'urls'; readonly urls: UrlMembers }
  /** Of hours among the times that a filter tests. */
  | { readonly kind: 'hours'; readonly contains: (hours: Hours, atUnixMs: number) => boolean }
  /** For a server's reading of paths; all others read nothing into a text. */
  | { readonly kind: 'tests'; readonly testsFor: (reading: PathReading) => readonly TextTest[] };

export type Lookups = ReadonlyMap<Comparison, Lookup>;

/** @param lists the lists that the conditions may name, all resolved */
export function collectLookups(conditions: readonly Condition[], lists: ReadonlyMap<string, ResolvedList>): Lookups {
  const lookups = new Map<Comparison, Lookup>();
  for (const condition of conditions) {
    visitComparisons(condition, (comparison) => {
      const lookup = createLookup(comparison, lists);
      if (lookup) lookups.set(comparison, lookup);
    });
  }
  return lookups;
}

function createLookup(comparison: Comparison, lists: ReadonlyMap<string, ResolvedList>): Lookup | undefined {
  const kind = kindOf(comparison.field);
  const listKind = LIST_KIND_OF[kind];
  if (comparison.operator === 'in' && listKind === 'urls')
    return { kind: 'urls', urls: createUrlMembers({ entries: comparison.values, exceptions: [] }, lists) };
  if (comparison.operator === 'in' && listKind)
    return { kind: 'members', members: createMembers(listKind, comparison.values, lists), lists };
  if (kind !== 'path' && kind !== 'text' && kind !== 'domain' && kind !== 'word') return undefined;
  const testOf = TEST_OF[comparison.operator];
  if (!testOf) return undefined;
  const literals = comparison.values.map((value) => (value.kind === 'domain' ? value.entry.name : textOf(value)));
  const build = (reading: PathReading): TextTest[] =>
    literals.map((literal) => {
      const read = kind === 'path' ? readLiteral(comparison, literal, reading) : literal;
      const test = testOf(comparison.isAnyCase ? foldAsciiCase(read) : read);
      return comparison.isAnyCase ? (text) => test(foldAsciiCase(text)) : test;
    });
  const byReading = new Map<string, readonly TextTest[]>();
  return {
    kind: 'tests',
    testsFor(reading) {
      const key = Object.keys(reading).sort().join();
      const built = byReading.get(key) ?? build(reading);
      byReading.set(key, built);
      return built;
    },
  };
}

/** Literals are read as the server reads paths: whole paths as paths, parts as parts, expressions not at all. */
function readLiteral({ operator }: Comparison, literal: string, reading: PathReading): string {
  if (operator === 'matches') return literal;
  return operator === '=' || operator === 'in' ? readPath(literal, reading) : readPathPart(literal, reading);
}

function textOf(value: Comparison['values'][number]): string {
  invariant(value.kind === 'text', `a text is compared with a ${value.kind}`);
  return value.text;
}

/** `under` is not here: it compares labels and segments, not for text. */
const TEST_OF: Partial<Record<Comparison['operator'], (literal: string) => TextTest>> = {
  '=': (literal) => (text) => text === literal,
  'in': (literal) => (text) => text === literal,
  'like': (literal) => compileLike(literal),
  'starts': (literal) => (text) => text.startsWith(literal),
  'ends': (literal) => (text) => text.endsWith(literal),
  'contains': (literal) => (text) => text.includes(literal),
  'matches': (literal) => {
    const compiled = compilePattern(literal);
    invariant('test' in compiled, `an expression was not checked: ${literal}`);
    return compiled.test;
  },
};
