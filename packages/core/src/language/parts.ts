/**
 * A configuration as parts that can be stored, compared and moved one by one: each rule is a part, so that two
 * people can edit two rules of one fence. Every part is canonical fence text, so that equal rules have equal texts.
 */
import { invariant } from '../request/invariant.js';
import { parseFences } from './parser.js';
import { printExpectedRequest } from './expectation-text.js';
import { printRule } from './fence-text.js';
import { printStatement } from './printer.js';
import type { FenceFile, FenceStatement, FileSource, Rule, Statement } from './tree.js';

export type PartKind = Statement['kind'] | 'rule';

export interface Part {
  readonly kind: PartKind;
  /** The fence of a rule; empty for statements. */
  readonly owner: string;
  readonly name: string;
  readonly text: string;
}

/** The parts of the files in their order; the rules of a fence follow its head. Files that are named are named from the folder of the fences. */
export function splitIntoParts(files: readonly FenceFile[]): Part[] {
  return withAllComments(files).flatMap((file) =>
    withLastComments(file).flatMap((statement) => splitStatement(namedFromRoot(statement, file.path))),
  );
}

/** Comments of a file that contains nothing else go with the file before it that does, or the first after it. */
function withAllComments(files: readonly FenceFile[]): readonly FenceFile[] {
  const kept: FenceFile[] = [];
  let waiting: readonly string[] = [];
  for (const file of files) {
    const last = kept.at(-1);
    if (file.statements.length > 0) {
      const [first, ...others] = file.statements as [Statement, ...Statement[]];
      kept.push({ ...file, statements: [{ ...first, comments: [...waiting, ...first.comments] }, ...others] });
      waiting = [];
    } else if (last) {
      kept[kept.length - 1] = { ...last, comments: [...last.comments, ...file.comments] };
    } else {
      waiting = [...waiting, ...file.comments];
    }
  }
  return kept;
}

/** Comments behind the last statement go above it, since parts are statements and nothing else. */
function withLastComments({ statements, comments }: FenceFile): readonly Statement[] {
  const last = statements.at(-1);
  if (!last || comments.length === 0) return statements;
  return [...statements.slice(0, -1), { ...last, comments: [...last.comments, ...comments] }];
}

function namedFromRoot(statement: Statement, filePath: string): Statement {
  const source = fileSourceOf(statement);
  if (!source) return statement;
  return { ...statement, source: { ...source, path: siblingPath(filePath, source.path) } } as Statement;
}

/** The file that a list or page is kept in. */
export function fileSourceOf(statement: Statement): FileSource | undefined {
  if (statement.kind === 'page') return statement.source;
  return statement.kind === 'list' && statement.source.kind === 'file' ? statement.source : undefined;
}

/** What a statement is known by among those of its kind. */
export function nameOfStatement(statement: Statement): string {
  if (statement.kind === 'zone') return 'zone';
  return statement.kind === 'expect' ? printExpectedRequest(statement) : statement.name;
}

/** The parts of one statement: a fence comes apart into its head and its rules. */
export function splitStatement(statement: Statement): Part[] {
  const base = { kind: statement.kind, owner: '', name: nameOfStatement(statement) };
  if (statement.kind !== 'fence') return [{ ...base, text: printStatement(statement) }];
  return [
    { ...base, text: printStatement({ ...statement, rules: [] }) },
    ...statement.rules.map((rule) => rulePart(statement.name, rule)),
  ];
}

export function rulePart(fence: string, rule: Rule): Part {
  return { kind: 'rule', owner: fence, name: rule.name, text: printRule(rule) };
}

/** The whole configuration again, as one file. */
export function joinParts(parts: readonly Part[], path: string): FenceFile {
  const rules = new Map<string, Part[]>();
  for (const part of parts) {
    if (part.kind !== 'rule') continue;
    const siblings = rules.get(part.owner);
    if (siblings) siblings.push(part);
    else rules.set(part.owner, [part]);
  }
  const statements = parts
    .filter((part) => part.kind !== 'rule')
    .map((part) => {
      const statement = parsePart(part.text, path);
      return statement.kind === 'fence'
        ? { ...statement, rules: (rules.get(part.name) ?? []).map((rule) => parseRulePart(rule, path)) }
        : statement;
    });
  return { path, statements, comments: [] };
}

/** A list of many thousand entries takes seconds to read, and is shown, described and edited one after the other. */
const LONG_TEXT = 200_000;
const KEPT_LONG = 2;
const keptLong: { readonly text: string; readonly path: string; readonly statement: Statement }[] = [];

/** @throws Error when a stored text cannot be read, which would be an internal error */
export function parsePart(text: string, path: string): Statement {
  if (text.length < LONG_TEXT) return parseStored(text, path);
  const kept = keptLong.find((item) => item.path === path && item.text === text);
  if (kept) return kept.statement;
  const statement = parseStored(text, path);
  keptLong.unshift({ text, path, statement });
  keptLong.length = Math.min(keptLong.length, KEPT_LONG);
  return statement;
}

function parseStored(text: string, path: string): Statement {
  const { file, diagnostics } = parseFences(text, path);
  const statement = file.statements[0];
  invariant(statement && diagnostics.length === 0, `a stored part cannot be read: ${diagnostics[0]?.message ?? text}`);
  return statement;
}

export function parseRulePart({ text }: Part, path: string): Rule {
  const fence = parsePart(`fence owner enforce {\n${text}\n}`, path) as FenceStatement;
  const rule = fence.rules[0];
  invariant(rule, `a stored rule cannot be read: ${text}`);
  return rule;
}

/** The path of a file named in another, both from the same folder: `lists/touts.txt` in `a/b.fence` is `a/lists/touts.txt`. */
export function siblingPath(file: string, named: string): string {
  const path: string[] = [];
  for (const part of [...file.split('/').slice(0, -1), ...named.split('/')]) {
    if (part === '..' && path.length > 0) path.pop();
    else if (part !== '.' && part !== '') path.push(part);
  }
  return path.join('/');
}
