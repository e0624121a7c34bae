/**
 * A configuration as parts that can be stored, compared and moved one by one: a rule is a part of its own, so that two
 * people can edit two rules of one fence. Every part is canonical fence text, so that equal rules have equal texts.
 */
import { invariant } from '../request/invariant.js';
import { parseFences } from './parser.js';
import { printRule, printStatement } from './printer.js';
import type { FenceFile, FenceStatement, Rule, Statement } from './tree.js';

export type PartKind = Statement['kind'] | 'rule';

export interface Part {
  readonly kind: PartKind;
  /** The fence of a rule; empty for statements. */
  readonly owner: string;
  readonly name: string;
  readonly text: string;
}

/** The parts of the files in their order; the rules of a fence follow its head. Files named by lists are named from the folder of the fences. */
export function splitIntoParts(files: readonly FenceFile[]): Part[] {
  return files.flatMap((file) =>
    file.statements.flatMap((statement) => splitStatement(namedFromRoot(statement, file.path))),
  );
}

function namedFromRoot(statement: Statement, filePath: string): Statement {
  if (statement.kind !== 'list' || statement.source.kind !== 'file') return statement;
  return { ...statement, source: { ...statement.source, path: pathBeside(filePath, statement.source.path) } };
}

function splitStatement(statement: Statement): Part[] {
  const { kind, name } = statement;
  if (kind !== 'fence') return [{ kind, owner: '', name, text: printStatement(statement) }];
  const head = { kind, owner: '', name, text: printStatement({ ...statement, rules: [] }) };
  return [
    head,
    ...statement.rules.map((rule) => ({ kind: 'rule' as const, owner: name, name: rule.name, text: printRule(rule) })),
  ];
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

function parsePart(text: string, path: string): Statement {
  const { file, diagnostics } = parseFences(text, path);
  const statement = file.statements[0];
  invariant(statement && diagnostics.length === 0, `a stored part cannot be read: ${diagnostics[0]?.message ?? text}`);
  return statement;
}

function parseRulePart({ text }: Part, path: string): Rule {
  const fence = parsePart(`fence owner enforce {\n${text}\n}`, path) as FenceStatement;
  const rule = fence.rules[0];
  invariant(rule, `a stored rule cannot be read: ${text}`);
  return rule;
}

/** The path of a file named in another, both from the same folder: `lists/touts.txt` in `a/b.fence` is `a/lists/touts.txt`. */
export function pathBeside(file: string, named: string): string {
  const path: string[] = [];
  for (const part of [...file.split('/').slice(0, -1), ...named.split('/')]) {
    if (part === '..' && path.length > 0) path.pop();
    else if (part !== '.' && part !== '') path.push(part);
  }
  return path.join('/');
}
