import { suggestCode, suggestCountry } from '../language/country-hint.js';
import type { Diagnostic, DiagnosticCode, SourceLocation } from '../language/diagnostic.js';
import { suggestNearest } from '../text/nearest-name.js';
import type { ListKind } from '../language/fields.js';
import { listMentions, type Mention } from '../language/mentions.js';
import { nameOfStatement } from '../language/parts.js';
import type { Comparison, FenceStatement, InlineEntries, ListStatement, Statement } from '../language/tree.js';
import { conditionsOf, visitComparisons } from '../language/visit.js';
import { INTERNAL, NO_COUNTRY } from '../reference/country-table.js';
import type { Dataset } from '../reference/dataset.js';
import { isWritableCountry, REGIONS } from '../reference/regions.js';
import type { ExternalNames } from './check-fences.js';
import { BUILT_IN_APPLICATIONS } from './built-in-applications.js';

export type Report = (code: DiagnosticCode, message: string, place: SourceLocation, hint?: string) => void;

/** Everything that has a name, by what it is. */
interface KnownNames {
  readonly lists: ReadonlyMap<string, ListKind>;
  readonly fences: ReadonlySet<string>;
  readonly gates: ReadonlySet<string>;
  readonly schedules: ReadonlySet<string>;
  readonly pages: ReadonlySet<string>;
  readonly applications: ReadonlySet<string>;
  /** Written `fence/rule`. */
  readonly rules: ReadonlySet<string>;
  /** Undefined if no feed defines the categories. */
  readonly categories: ReadonlySet<string> | undefined;
  /** Undefined where there are only files. */
  readonly datasets: ReadonlyMap<string, Dataset> | undefined;
  readonly isPinned: boolean;
}

/**
 * Names what is defined twice, used but not defined, or used as another kind than it is.
 * @param entriesOf the entries of each list, also of those kept in files
 */
export function checkNames(
  statements: readonly Statement[],
  entriesOf: ReadonlyMap<ListStatement, InlineEntries>,
  outside: ExternalNames,
): Diagnostic[] {
  const diagnostics: Diagnostic[] = [];
  const report: Report = (code, message, place, hint) => {
    diagnostics.push({ code, message, place, ...(hint ? { hint } : {}) });
  };
  const known = collectNames(statements, outside);
  reportDuplicates(statements, known, report);
  for (const statement of statements) {
    // Entries that are kept in a file mention lists, too.
    const entries = statement.kind === 'list' ? entriesOf.get(statement) : undefined;
    const whole = statement.kind === 'list' && entries ? { ...statement, source: entries } : statement;
    for (const mention of listMentions(whole)) checkMention(mention, known, report);
    if (known.isPinned) continue;
    for (const condition of conditionsOf(statement))
      visitComparisons(condition, (comparison) => checkWords(comparison, 'gate', known.gates, report));
  }
  return diagnostics;
}

/**
 * Names tags that are requested and that no rule sets, in whatever state it is: such a condition is never true, or always.
 */
export function findUnsetTags(statements: readonly Statement[]): Diagnostic[] {
  const tags = tagsOf(statements);
  const diagnostics: Diagnostic[] = [];
  for (const condition of statements.flatMap(conditionsOf))
    visitComparisons(condition, (comparison) => {
      if (comparison.field !== 'tag' || !isByName(comparison)) return;
      for (const value of comparison.values) {
        if (value.kind !== 'text' || tags.has(value.text)) continue;
        const message = `No rule sets the tag "${value.text}".`;
        diagnostics.push({
          code: 'unset-tag',
          message,
          place: value.place,
          hint: suggestNearest(value.text, tags) ?? `Set it in a rule: tag ${value.text} when ...`,
        });
      }
    });
  return diagnostics;
}

/** The tags that rules set. */
export function tagsOf(statements: readonly Statement[]): Set<string> {
  return new Set(
    statements.flatMap((statement) =>
      statement.kind === 'fence'
        ? statement.rules.flatMap(({ action }) => (action.kind === 'tag' ? action.tags : []))
        : [],
    ),
  );
}

function isByName({ operator }: Comparison): boolean {
  return operator === '=' || operator === 'in';
}

/** Checks the values of a field that are names of something. */
export function checkWords(
  comparison: Comparison,
  kind: 'gate' | 'fence' | 'rule' | 'tag',
  names: ReadonlySet<string>,
  report: Report,
  field: Comparison['field'] = kind,
): void {
  if (comparison.field !== field || !isByName(comparison)) return;
  for (const value of comparison.values)
    if (value.kind === 'text') checkKnown(value.text, value.place, kind, names, report);
}

/** Reports two letters that are no country. */
export function checkCountry(code: string, place: SourceLocation, report: Report): void {
  if (!isWritableCountry(code) && code !== INTERNAL && code !== NO_COUNTRY)
    report('unknown-name', `No country has the code "${code}".`, place, suggestCode(code));
}

function collectNames(
  statements: readonly Statement[],
  { categories, datasets, isPinned = false }: ExternalNames,
): KnownNames {
  const named = (kind: Statement['kind']): Set<string> =>
    new Set(statements.filter((statement) => statement.kind === kind).map(nameOfStatement));
  const lists = new Map<string, ListKind>();
  for (const statement of statements)
    if (statement.kind === 'list' && !lists.has(statement.name)) lists.set(statement.name, statement.listKind);
  for (const region of REGIONS.keys()) if (!lists.has(region)) lists.set(region, 'countries');
  const rules = statements.flatMap((statement) =>
    statement.kind === 'fence' ? statement.rules.map((rule) => `${statement.name}/${rule.name}`) : [],
  );
  return {
    lists,
    fences: named('fence'),
    gates: named('gate'),
    schedules: named('schedule'),
    pages: named('page'),
    applications: new Set([...BUILT_IN_APPLICATIONS.map(({ name }) => name), ...named('application'), 'unrecognised']),
    rules: new Set(rules),
    categories: categories && new Set([...categories, 'uncategorised']),
    datasets,
    isPinned,
  };
}

function reportDuplicates(statements: readonly Statement[], known: KnownNames, report: Report): void {
  for (const kind of ['list', 'schedule', 'page', 'application', 'gate', 'fence', 'expect', 'zone'] as const) {
    const ofKind = statements.filter((statement) => statement.kind === kind);
    reportTwice(
      ofKind.map((statement) => ({ name: nameOfStatement(statement), place: statement.place })),
      kind,
      report,
    );
  }
  for (const statement of statements) {
    if (statement.kind === 'gate') reportTwice(statement.fences, `fence at gate ${statement.name},`, report);
    if (statement.kind === 'fence') reportTwice(statement.rules, `rule in fence ${statement.name},`, report);
    if (statement.kind === 'list') reportTakenName(statement, known, report);
  }
}

/** A list name must differ from any value that can be used in its place. */
function reportTakenName({ name, place }: ListStatement, known: KnownNames, report: Report): void {
  if (name === 'internal' || name === 'no-country')
    report('bad-name', `A list cannot be named "${name}", which is a value of country.`, place);
  const taken = known.applications.has(name)
    ? 'an application'
    : known.categories?.has(name)
      ? 'a category'
      : undefined;
  if (taken)
    report('duplicate-name', `A list cannot be named "${name}", which is ${taken}.`, place, 'Rename the list.');
}

function checkMention(mention: Mention, known: KnownNames, report: Report): void {
  const { name, place } = mention;
  switch (mention.kind) {
    case 'list':
      return checkListName(name, place, mention.listKind, known.lists, report);
    case 'word':
      return checkWord(mention, known, report);
    case 'fence':
      return checkKnown(name, place, 'fence', known.fences, report);
    case 'schedule':
      return checkKnown(name, place, 'schedule', known.schedules, report);
    case 'page':
      return checkKnown(name, place, 'page', known.pages, report);
    case 'application':
      return checkKnown(name, place, 'application', known.applications, report);
    case 'rule':
      return checkKnown(name, place, 'rule', known.rules, report);
    case 'dataset':
      return checkDataset(mention, known.datasets, report);
    case 'country':
      return known.isPinned ? undefined : checkCountry(name, place, report);
  }
}

function checkKnown(
  name: string,
  place: SourceLocation,
  what: string,
  names: ReadonlySet<string>,
  report: Report,
): void {
  if (!names.has(name)) report('unknown-name', `No ${what} is named "${name}".`, place, suggestNearest(name, names));
}

function checkDataset(
  { name, place, listKind }: Extract<Mention, { kind: 'dataset' }>,
  datasets: ReadonlyMap<string, Dataset> | undefined,
  report: Report,
): void {
  const dataset = datasets?.get(name);
  if (dataset?.kind === listKind) return;
  if (dataset) return report('wrong-kind', `Dataset ${name} holds ${dataset.kind}, expected ${listKind}.`, place);
  const hint = datasets
    ? (suggestNearest(name, datasets.keys()) ?? 'Import it with jadefence dataset import.')
    : 'The service keeps datasets; without it, keep the entries in a file: from "lists/name.txt".';
  report('unknown-name', `No dataset is named "${name}".`, place, hint);
}

function checkWord(
  { name, place, listKind, takesLists }: Extract<Mention, { kind: 'word' }>,
  known: KnownNames,
  report: Report,
): void {
  const kind = known.lists.get(name);
  if (takesLists && kind !== undefined) {
    if (kind !== listKind)
      report('wrong-kind', `"${name}" is a list of ${kind}, expected a list of ${listKind}.`, place);
    return;
  }
  const names = listKind === 'applications' ? known.applications : known.categories;
  if (!names || names.has(name)) return;
  const what = listKind === 'applications' ? 'application' : 'category';
  const lists = takesLists ? [...known.lists].filter(([, one]) => one === listKind).map(([one]) => one) : [];
  const hint = kind !== undefined ? `Use "in" for the list ${name}.` : suggestNearest(name, [...names, ...lists]);
  report('unknown-name', `No ${what} is named "${name}".`, place, hint);
}

/** Names a list that is not there or is of another kind. */
export function checkListName(
  name: string,
  place: SourceLocation,
  expected: ListKind,
  lists: ReadonlyMap<string, ListKind>,
  report: Report,
): void {
  const kind = lists.get(name);
  if (!kind) report('unknown-name', `No list is named "${name}".`, place, nearestListHint(name, lists, expected));
  else if (kind !== expected)
    report('wrong-kind', `"${name}" is a list of ${kind}, expected a list of ${expected}.`, place);
}

function nearestListHint(name: string, lists: ReadonlyMap<string, ListKind>, kind: ListKind): string {
  const ofKind = [...lists].filter(([, other]) => other === kind).map(([other]) => other);
  const country = kind === 'countries' ? suggestCountry(name) : undefined;
  return (
    suggestNearest(name, ofKind) ??
    country ??
    (kind === 'domains' ? 'Define the list, or quote a real single label.' : 'Define the list, or write a value.')
  );
}

function reportTwice(named: readonly { name: string; place: SourceLocation }[], what: string, report: Report): void {
  const seen = new Map<string, SourceLocation>();
  for (const { name, place } of named) {
    const first = seen.get(name);
    if (first)
      report(
        'duplicate-name',
        `A second ${what} "${name}", the first is at ${first.file}:${first.line}.`,
        place,
        what === 'zone' || what === 'expect' ? 'Leave one of them out.' : 'Rename one of them.',
      );
    else seen.set(name, place);
  }
}

/** The fences of a configuration by name, the first of each. */
export function fencesByName(statements: readonly Statement[]): Map<string, FenceStatement> {
  const fences = new Map<string, FenceStatement>();
  for (const statement of statements)
    if (statement.kind === 'fence' && !fences.has(statement.name)) fences.set(statement.name, statement);
  return fences;
}
