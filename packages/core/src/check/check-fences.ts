import { compareDiagnostics, type Diagnostic } from '../language/diagnostic.js';
import { fileSourceOf, nameOfStatement, siblingPath } from '../language/parts.js';
import { parseFences, parseListFile } from '../language/parser.js';
import { keepsState } from '../language/tree.js';
import type {
  FenceFile,
  FenceStatement,
  GateStatement,
  InlineEntries,
  ListStatement,
  ScheduleStatement,
  Statement,
  Until,
} from '../language/tree.js';
import { conditionsOf } from '../language/visit.js';
import type { Dataset } from '../reference/dataset.js';
import { createSchedule, endOfDate, type Schedule } from '../reference/schedule.js';
import { invariant } from '../request/invariant.js';
import { checkPage } from '../pages/page-text.js';
import { BUILT_IN_APPLICATIONS } from './built-in-applications.js';
import { collectLookups } from './lookups.js';
import {
  createMembers,
  isListName,
  resolveDataset,
  resolveList,
  resolveRegions,
  type ResolvedList,
} from './members.js';
import { checkNames, fencesByName, findUnsetTags } from './names.js';
import type { CheckedGate, Rulebook } from './rulebook.js';

/** A fence file or a file that a list or page is kept in, by its path from the folder of the fences, with `/` between parts. */
export interface SourceFile {
  readonly path: string;
  readonly text: string;
}

/** The result of reading a folder of fences: the tree always, the rulebook only where nothing is wrong. */
export interface CheckedFences {
  readonly files: readonly FenceFile[];
  /** Sorted by place. */
  readonly diagnostics: readonly Diagnostic[];
  /** What the rulebook can judge with and is probably a mistake. Sorted by place. */
  readonly warnings: readonly Diagnostic[];
  readonly rulebook?: Rulebook;
}

/** What fences may name that no fence file defines. */
export interface ExternalNames {
  /** Categories that the feeds know; without feeds every name may be one. */
  readonly categories?: ReadonlySet<string>;
  /** By name. Absent where only files are read, which have none. */
  readonly datasets?: ReadonlyMap<string, Dataset>;
  /** What was pinned when these checks were fewer stays usable: countries and gates that conditions name are not checked. */
  readonly isPinned?: boolean;
}

/**
 * Parses and checks a whole configuration: fence files (in byte order of path, whatever their order here) and the files
 * that lists and pages are kept in.
 */
export function checkFences(
  fenceSources: readonly SourceFile[],
  namedFiles: readonly SourceFile[],
  outside: ExternalNames = {},
): CheckedFences {
  const parsed = [...fenceSources]
    .sort((a, b) => (a.path < b.path ? -1 : 1))
    .map((source) => parseFences(source.text, source.path));
  const checked = checkTree(
    parsed.map(({ file }) => file),
    namedFiles,
    outside,
  );
  const diagnostics = [...parsed.flatMap((result) => result.diagnostics), ...checked.diagnostics];
  diagnostics.sort(compareDiagnostics);
  const { warnings } = checked;
  return diagnostics.length > 0 ? { files: checked.files, diagnostics, warnings } : { ...checked, diagnostics };
}

/** Checks files that are parsed already. */
export function checkTree(
  files: readonly FenceFile[],
  namedFiles: readonly SourceFile[],
  outside: ExternalNames = {},
): CheckedFences {
  const statements = files.flatMap((file) => file.statements);
  const diagnostics: Diagnostic[] = [];
  const texts = new Map(namedFiles.map((source) => [source.path, source.text]));
  const entriesOf = readEntries(files, texts, diagnostics);
  for (const diagnostic of checkNames(statements, entriesOf, outside)) diagnostics.push(diagnostic);
  const lists = resolveLists(statements, entriesOf, outside.datasets ?? new Map(), diagnostics);
  for (const diagnostic of checkCarriers(statements)) diagnostics.push(diagnostic);
  diagnostics.sort(compareDiagnostics);
  const warnings = findUnsetTags(statements).sort(compareDiagnostics);
  return diagnostics.length > 0
    ? { files, diagnostics, warnings }
    : { files, diagnostics, warnings, rulebook: buildRulebook(statements, lists, pageTexts(files, texts)) };
}

/** The files that the lists and pages of a fence file are kept in, by path from the folder of the fences. */
export function namedFilesOf(file: FenceFile): string[] {
  return file.statements.flatMap((statement) => {
    const source = fileSourceOf(statement);
    return source ? [siblingPath(file.path, source.path)] : [];
  });
}

/** The entries of each list; reports files that are not there, and what pages may not have. */
function readEntries(
  files: readonly FenceFile[],
  texts: ReadonlyMap<string, string>,
  diagnostics: Diagnostic[],
): Map<ListStatement, InlineEntries> {
  const entriesOf = new Map<ListStatement, InlineEntries>();
  for (const file of files) {
    for (const statement of file.statements) {
      if (statement.kind === 'list' && statement.source.kind === 'inline') entriesOf.set(statement, statement.source);
      const source = fileSourceOf(statement);
      if (!source) continue;
      const path = siblingPath(file.path, source.path);
      const text = texts.get(path);
      const [what, name] = [statement.kind === 'page' ? 'Page' : 'List', nameOfStatement(statement)];
      if (text === undefined) {
        diagnostics.push({
          code: 'missing-file',
          message: `${what} ${name} is kept in "${path}", which is not there.`,
          place: source.place,
          hint: 'Put the file there; the path is read from the folder of the fence file.',
        });
      } else if (statement.kind === 'page') {
        for (const { line, message, hint } of checkPage(text))
          diagnostics.push({ code: 'bad-page', message, hint, place: { file: path, line, column: 1 } });
      } else if (statement.kind === 'list') {
        const read = parseListFile(text, statement.listKind, path);
        for (const diagnostic of read.diagnostics) diagnostics.push(diagnostic);
        entriesOf.set(statement, read.entries);
      }
    }
  }
  return entriesOf;
}

/** An application that is carried by itself, through others. */
function checkCarriers(statements: readonly Statement[]): Diagnostic[] {
  const applications = statements.filter((statement) => statement.kind === 'application');
  const carrierOf = new Map(applications.map(({ name, over }) => [name, over?.name]));
  return applications.flatMap(({ name, place }): Diagnostic[] => {
    const path = [name];
    for (let next = carrierOf.get(name); next !== undefined && !path.includes(next); next = carrierOf.get(next))
      path.push(next);
    if (carrierOf.get(path.at(-1)!) !== name) return [];
    return [
      {
        code: 'cyclic-application',
        message: `Application ${name} is carried by itself: ${[...path, name].join(' over ')}.`,
        place,
        hint: 'Leave out one "over".',
      },
    ];
  });
}

/** Resolves lists inside out. A list that contains itself through others is reported once, at the list that closes the circle. */
function resolveLists(
  statements: readonly Statement[],
  entriesOf: ReadonlyMap<ListStatement, InlineEntries>,
  datasets: ReadonlyMap<string, Dataset>,
  diagnostics: Diagnostic[],
): Map<string, ResolvedList> {
  const statementOf = new Map(
    statements.flatMap((statement) => (statement.kind === 'list' ? [[statement.name, statement] as const] : [])),
  );
  const resolved = new Map<string, ResolvedList>([...resolveRegions()].filter(([name]) => !statementOf.has(name)));
  const underWay: string[] = [];
  const broken = new Set<string>();
  const resolve = (name: string): boolean => {
    const statement = statementOf.get(name);
    const protection = statement?.isProtected ? { isProtected: true as const } : {};
    if (resolved.has(name)) return true;
    if (!statement || broken.has(name)) return false;
    if (underWay.includes(name)) {
      const circle = [...underWay.slice(underWay.indexOf(name)), name].join(' > ');
      diagnostics.push({
        code: 'cyclic-list',
        message: `List ${name} contains itself: ${circle}.`,
        place: statement.place,
        hint: 'Take one of these lists out of the other.',
      });
      return false;
    }
    if (statement.source.kind === 'dataset') {
      const dataset = datasets.get(statement.source.name);
      if (dataset?.kind === statement.listKind) resolved.set(name, { ...resolveDataset(name, dataset), ...protection });
      else broken.add(name);
      return resolved.has(name);
    }
    underWay.push(name);
    const source = entriesOf.get(statement);
    const named = source
      ? [...source.entries, ...source.exceptions].flatMap((value) =>
          isListName(value, statementOf) ? [value.name] : [],
        )
      : [];
    const isWhole = named.map(resolve).every(Boolean) && source !== undefined;
    underWay.pop();
    if (isWhole) resolved.set(name, { ...resolveList(name, statement.listKind, source, resolved), ...protection });
    else broken.add(name);
    return isWhole;
  };
  for (const name of statementOf.keys()) resolve(name);
  return resolved;
}

/** The text of each page by its name. */
function pageTexts(files: readonly FenceFile[], texts: ReadonlyMap<string, string>): Map<string, string> {
  const pages = new Map<string, string>();
  for (const file of files)
    for (const statement of file.statements)
      if (statement.kind === 'page')
        pages.set(statement.name, texts.get(siblingPath(file.path, statement.source.path)) ?? '');
  return pages;
}

function buildRulebook(
  statements: readonly Statement[],
  lists: ReadonlyMap<string, ResolvedList>,
  pages: ReadonlyMap<string, string>,
): Rulebook {
  const byName = fencesByName(statements);
  const fences = [...byName.values()];
  const zone = statements.find((statement) => statement.kind === 'zone')?.zone ?? 'UTC';
  const rules = fences.flatMap((fence) => fence.rules);
  const applications = [
    ...BUILT_IN_APPLICATIONS,
    ...statements.filter((eachStatement) => eachStatement.kind === 'application'),
  ];
  return {
    gates: statements.flatMap((statement) => (statement.kind === 'gate' ? [checkGate(statement, byName, lists)] : [])),
    fences,
    lists,
    zone,
    lookups: collectLookups([...statements, ...BUILT_IN_APPLICATIONS].flatMap(conditionsOf), lists),
    schedules: new Map(
      statements.flatMap((eachStatement) =>
        eachStatement.kind === 'schedule' ? [[eachStatement.name, scheduleOf(eachStatement, zone)] as const] : [],
      ),
    ),
    applications,
    pages,
    expectations: statements.filter((statement) => statement.kind === 'expect'),
    endsAtUnixMs: new Map(rules.flatMap((rule) => (rule.until ? [[rule, endOf(rule.until, zone)] as const] : []))),
    isStateful: rules.some(({ action }) => keepsState(action)),
  };
}

function checkGate(
  statement: GateStatement,
  fences: ReadonlyMap<string, FenceStatement>,
  lists: ReadonlyMap<string, ResolvedList>,
): CheckedGate {
  return {
    statement,
    hosts: createMembers('domains', statement.hosts, lists),
    clients: createMembers('addresses', statement.clients, lists),
    trusting: createMembers('addresses', statement.clientFrom?.trusting ?? [], lists),
    pathReading: Object.fromEntries(statement.pathForms.map((form) => [form, true])),
    fences: statement.fences.map(({ name }) => {
      const fence = fences.get(name);
      invariant(fence, `fence ${name} was not checked`);
      return fence;
    }),
  };
}

function scheduleOf({ zone, weekly, exceptions }: ScheduleStatement, defaultZone: string): Schedule {
  const spans = weekly.flatMap((hours) => hours.days.flatMap((day) => hours.spans.map((span) => ({ day, ...span }))));
  return createSchedule(zone ?? defaultZone, spans, new Set(exceptions));
}

/** When a rule ends, in the time zone of the rules; milliseconds since the epoch. */
export function endOf(until: Until, zone: string): number {
  return until.kind === 'instant' ? until.atUnixMs : endOfDate(until.date, zone);
}
