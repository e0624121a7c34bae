import { compareDiagnostics, type Diagnostic } from '../language/diagnostic.js';
import { pathBeside } from '../language/parts.js';
import { parseFences, parseListFile } from '../language/parser.js';
import {
  type FenceFile,
  type FenceStatement,
  type InlineEntries,
  type ListStatement,
  type Statement,
} from '../language/tree.js';
import { invariant } from '../request/invariant.js';
import { collectMembers, createMembers, resolveList, type ResolvedList } from './members.js';
import { checkNames } from './names.js';
import type { CheckedGate, Rulebook } from './rulebook.js';

/** A fence file or a file that a list is kept in, by its path from the folder of the fences, with `/` between parts. */
export interface SourceFile {
  readonly path: string;
  readonly text: string;
}

/** What reading a folder of fences came to: the tree always, the rulebook only where nothing is wrong. */
export interface CheckedFences {
  readonly files: readonly FenceFile[];
  /** Sorted by place. */
  readonly diagnostics: readonly Diagnostic[];
  readonly rulebook?: Rulebook;
}

/**
 * Parses and checks a whole configuration: fence files (in byte order of path, whatever their order here) and the files
 * that lists are kept in.
 */
export function checkFences(fenceSources: readonly SourceFile[], listSources: readonly SourceFile[]): CheckedFences {
  const parsed = [...fenceSources]
    .sort((a, b) => (a.path < b.path ? -1 : 1))
    .map((source) => parseFences(source.text, source.path));
  const files = parsed.map(({ file }) => file);
  const statements = files.flatMap((file) => file.statements);
  const diagnostics = parsed.flatMap((result) => result.diagnostics);
  const entriesOf = readEntries(files, new Map(listSources.map((source) => [source.path, source.text])), diagnostics);
  diagnostics.push(...checkNames(statements, entriesOf));
  const lists = resolveLists(statements, entriesOf, diagnostics);
  diagnostics.sort(compareDiagnostics);
  return diagnostics.length > 0
    ? { files, diagnostics }
    : { files, diagnostics, rulebook: buildRulebook(statements, lists) };
}

/** The files that the lists of a fence file are kept in, by path from the folder of the fences. */
export function namedListFiles(file: FenceFile): string[] {
  return file.statements.flatMap((statement) =>
    statement.kind === 'list' && statement.source.kind === 'file' ? [pathBeside(file.path, statement.source.path)] : [],
  );
}

function readEntries(
  files: readonly FenceFile[],
  texts: ReadonlyMap<string, string>,
  diagnostics: Diagnostic[],
): Map<ListStatement, InlineEntries> {
  const entriesOf = new Map<ListStatement, InlineEntries>();
  for (const file of files) {
    for (const statement of file.statements) {
      if (statement.kind !== 'list') continue;
      if (statement.source.kind === 'inline') {
        entriesOf.set(statement, statement.source);
        continue;
      }
      const path = pathBeside(file.path, statement.source.path);
      const text = texts.get(path);
      if (text === undefined) {
        const message = `List ${statement.name} is kept in "${path}", which is not there.`;
        diagnostics.push({
          code: 'missing-file',
          message,
          place: statement.source.place,
          hint: 'Put the file there; the path is read from the folder of the fence file.',
        });
        continue;
      }
      const read = parseListFile(text, statement.listKind, path);
      diagnostics.push(...read.diagnostics);
      entriesOf.set(statement, read.entries);
    }
  }
  return entriesOf;
}

/** Resolves lists inside out. A list that contains itself through others is reported once, at the list that closes the circle. */
function resolveLists(
  statements: readonly Statement[],
  entriesOf: ReadonlyMap<ListStatement, InlineEntries>,
  diagnostics: Diagnostic[],
): Map<string, ResolvedList> {
  const statementOf = new Map(
    statements.flatMap((statement) => (statement.kind === 'list' ? [[statement.name, statement] as const] : [])),
  );
  const resolved = new Map<string, ResolvedList>();
  const underWay: string[] = [];
  const broken = new Set<string>();
  const resolve = (name: string): boolean => {
    const statement = statementOf.get(name);
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
    underWay.push(name);
    const source = entriesOf.get(statement);
    const named = source
      ? [...source.entries, ...source.exceptions].flatMap((value) => (value.kind === 'list' ? [value.name] : []))
      : [];
    const isWhole = named.map(resolve).every(Boolean) && source !== undefined;
    underWay.pop();
    if (isWhole) resolved.set(name, resolveList(name, statement.listKind, source, resolved));
    else broken.add(name);
    return isWhole;
  };
  for (const name of statementOf.keys()) resolve(name);
  return resolved;
}

function buildRulebook(statements: readonly Statement[], lists: ReadonlyMap<string, ResolvedList>): Rulebook {
  const fences = new Map(
    statements.flatMap((statement) => (statement.kind === 'fence' ? [[statement.name, statement] as const] : [])),
  );
  const gates = statements.flatMap((statement): CheckedGate[] => {
    if (statement.kind !== 'gate') return [];
    const stack = statement.fences.map(({ name }): FenceStatement => {
      const fence = fences.get(name);
      invariant(fence, `fence ${name} was not checked`);
      return fence;
    });
    return [{ statement, hosts: createMembers('domains', statement.hosts, lists), fences: stack }];
  });
  const membersOf = collectMembers(
    [...fences.values()].flatMap((fence) => fence.rules.map((rule) => rule.condition)),
    lists,
  );
  return { gates, fences: [...fences.values()], lists, membersOf };
}
