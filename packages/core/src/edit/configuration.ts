import { parseFences } from '../language/parser.js';
import { parsePart, parseRulePart, type Part, type PartKind } from '../language/parts.js';
import { formatDiagnostic } from '../language/diagnostic.js';
import type { FenceStatement, Rule, Statement } from '../language/tree.js';
import type { SourceFile } from '../check/check-fences.js';
import type { Dataset } from '../reference/dataset.js';

/** A whole configuration as it is stored and edited: parts of fence text, and the files that lists and pages are kept in. */
export interface Configuration {
  readonly parts: readonly Part[];
  readonly namedFiles: readonly SourceFile[];
  /** Those that lists take their entries from, by name; what is not among them is not there. */
  readonly datasets?: readonly Dataset[];
}

/** Why an edit cannot be made. */
export type EditProblemCode = 'unknown-part' | 'name-taken' | 'part-in-use' | 'invalid-text' | 'changed-since';

export class EditError extends Error {
  constructor(
    readonly code: EditProblemCode,
    message: string,
    readonly hint?: string,
  ) {
    super(message);
  }
}

/** Locations in edited text are reported in this file. */
export const EDIT_FILE = 'edit';

/** @throws EditError naming the part */
export function findPart(parts: readonly Part[], kind: PartKind, name: string, owner = ''): Part {
  const item = parts.find((part) => part.kind === kind && part.owner === owner && part.name === name);
  if (item) return item;
  const what = kind === 'rule' ? `fence ${owner} has no rule "${name}"` : `there is no ${kind} "${name}"`;
  throw new EditError('unknown-part', `${what[0]!.toUpperCase()}${what.slice(1)}.`);
}

export function statementOf(part: Part): Statement {
  return parsePart(part.text, EDIT_FILE);
}

export function ruleOf(part: Part): Rule {
  return parseRulePart(part, EDIT_FILE);
}

/** Reads one statement that a user wrote. @throws EditError with every error */
export function readStatement(text: string): Statement {
  const { file, diagnostics } = parseFences(text, EDIT_FILE);
  if (diagnostics.length > 0) throw new EditError('invalid-text', diagnostics.map(formatDiagnostic).join('\n'));
  const [statement] = file.statements;
  if (!statement || file.statements.length > 1)
    throw new EditError('invalid-text', `Found ${file.statements.length} statements, expected one.`);
  return statement;
}

/** Reads one rule that a user wrote. @throws EditError with every error, placed in the text of the rule */
export function readRule(text: string): Rule {
  const { file, diagnostics } = parseFences(`fence f enforce {\n${text}\n}`, EDIT_FILE);
  const shifted = diagnostics.map((diagnostic) => ({
    ...diagnostic,
    place: { ...diagnostic.place, line: diagnostic.place.line - 1 },
  }));
  if (shifted.length > 0) throw new EditError('invalid-text', shifted.map(formatDiagnostic).join('\n'));
  const rules = (file.statements[0] as FenceStatement).rules;
  if (rules.length !== 1 || file.statements.length !== 1)
    throw new EditError('invalid-text', `Found ${rules.length} rules, expected one.`);
  return rules[0]!;
}
