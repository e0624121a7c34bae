import { suggestCountry } from '../language/country-names.js';
import { suggestNearest, type Diagnostic, type DiagnosticCode, type Place } from '../language/diagnostic.js';
import { visitComparisons } from '../language/visit.js';
import {
  LIST_KIND_OF,
  traitsOf,
  type InlineEntries,
  type ListKind,
  type ListStatement,
  type Statement,
  type Value,
} from '../language/tree.js';

/**
 * Names what is defined twice, used but not defined, or used as another kind than it is.
 * @param entriesOf the entries of each list, also of those kept in files
 */
export function checkNames(
  statements: readonly Statement[],
  entriesOf: ReadonlyMap<ListStatement, InlineEntries>,
): Diagnostic[] {
  const diagnostics: Diagnostic[] = [];
  const report = (code: DiagnosticCode, message: string, place: Place, hint?: string): void => {
    diagnostics.push({ code, message, place, ...(hint ? { hint } : {}) });
  };
  const lists = new Map<string, ListStatement>();
  for (const statement of statements)
    if (statement.kind === 'list' && !lists.has(statement.name)) lists.set(statement.name, statement);
  const fenceNames = new Set(statements.filter((statement) => statement.kind === 'fence').map((fence) => fence.name));

  const kindOf = new Map([...lists].map(([name, list]) => [name, list.listKind]));
  const checkValues = (values: readonly Value[], expected: ListKind): void =>
    checkListNames(values, expected, kindOf, report);
  for (const kind of ['list', 'gate', 'fence'] as const) {
    reportTwice(
      statements.filter((statement) => statement.kind === kind),
      kind,
      report,
    );
  }
  for (const statement of statements) {
    if (statement.kind === 'list' && (statement.name === 'internal' || statement.name === 'no-country')) {
      report('bad-name', `A list cannot be named "${statement.name}", which is a value of country.`, statement.place);
    }
    const source = statement.kind === 'list' ? entriesOf.get(statement) : undefined;
    if (statement.kind === 'list' && source) checkValues([...source.entries, ...source.exceptions], statement.listKind);
    if (statement.kind === 'gate') {
      checkValues(statement.hosts, 'domains');
      reportTwice(statement.fences, `fence at gate ${statement.name},`, report);
      for (const fence of statement.fences) {
        if (!fenceNames.has(fence.name))
          report(
            'unknown-name',
            `No fence is named "${fence.name}".`,
            fence.place,
            suggestNearest(fence.name, fenceNames),
          );
      }
    }
    if (statement.kind === 'fence') {
      reportTwice(statement.rules, `rule in fence ${statement.name},`, report);
      for (const rule of statement.rules) {
        visitComparisons(rule.condition, ({ field, values }) => {
          const expected = LIST_KIND_OF[traitsOf(field).kind];
          if (expected) checkValues(values, expected);
        });
      }
    }
  }
  return diagnostics;
}

/** Names the lists among values that are not there or are of another kind. */
export function checkListNames(
  values: readonly Value[],
  expected: ListKind,
  kindOf: ReadonlyMap<string, ListKind>,
  report: Report,
): void {
  for (const value of values) {
    if (value.kind !== 'list') continue;
    const kind = kindOf.get(value.name);
    if (!kind)
      report(
        'unknown-name',
        `No list is named "${value.name}".`,
        value.place,
        nearestListHint(value.name, kindOf, expected),
      );
    else if (kind !== expected)
      report('wrong-kind', `"${value.name}" is a list of ${kind}, expected a list of ${expected}.`, value.place);
  }
}

function nearestListHint(name: string, kindOf: ReadonlyMap<string, ListKind>, kind: ListKind): string {
  const ofKind = [...kindOf].filter(([, other]) => other === kind).map(([other]) => other);
  const country = kind === 'countries' ? suggestCountry(name) : undefined;
  return (
    suggestNearest(name, ofKind) ??
    country ??
    (kind === 'domains' ? 'Define the list, or quote a real single label.' : 'Define the list, or write a value.')
  );
}

export type Report = (code: DiagnosticCode, message: string, place: Place, hint?: string) => void;

function reportTwice(named: readonly { name: string; place: Place }[], what: string, report: Report): void {
  const seen = new Map<string, Place>();
  for (const { name, place } of named) {
    const first = seen.get(name);
    if (first)
      report(
        'duplicate-name',
        `A second ${what} "${name}", the first is at ${first.file}:${first.line}.`,
        place,
        'Rename one of them.',
      );
    else seen.set(name, place);
  }
}
