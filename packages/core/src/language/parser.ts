/**
 * Fence text to tree, by recursive descent. An error gives up on the enclosing rule or statement and goes on at the
 * next line that begins one, so that one pass reports every error. Rejected: a parser generator, whose messages cannot
 * name what was expected in the words of the trade.
 */
import { parseApplication } from './application-text.js';
import { ALL_FIELDS, parseCondition, parseValue } from './condition-text.js';
import { Cursor, GiveUp } from './cursor.js';
import type { Diagnostic } from './diagnostic.js';
import { parseExpectation } from './expectation-text.js';
import { parseFence } from './fence-text.js';
import { VALUE_KIND_OF, type ListKind } from './fields.js';
import { parseGate } from './gate-text.js';
import { parseList, parsePage } from './list-text.js';
import { parseSchedule, parseZone } from './schedule-text.js';
import { STATEMENTS, type Condition, type FenceFile, type InlineEntries, type Statement, type Value } from './tree.js';

/** Reads one file of fence text. The tree holds every statement and rule that could be read; the rest is in `diagnostics`. */
export function parseFences(text: string, path: string): { file: FenceFile; diagnostics: Diagnostic[] } {
  const cursor = new Cursor(text, path);
  const statements: Statement[] = [];
  let comments: readonly string[] = [];
  cursor.construct((collected) => {
    while (!cursor.isAtEnd) {
      const startedAt = cursor.position;
      try {
        statements.push(parseStatement(cursor));
      } catch (error) {
        if (!(error instanceof GiveUp)) throw error;
        cursor.skipTo({ lineStarts: STATEMENTS }, startedAt);
      }
    }
    cursor.next();
    comments = collected;
  });
  return { file: { path, statements, comments }, diagnostics: cursor.diagnostics };
}

function parseStatement(cursor: Cursor): Statement {
  return cursor.construct((comments) => {
    const { place } = cursor.token;
    const kind = cursor.expectOneOf(STATEMENTS, 'a statement');
    switch (kind) {
      case 'zone':
        return { kind, zone: parseZone(cursor), comments, place };
      case 'list':
        return { kind, ...parseList(cursor), comments, place };
      case 'schedule':
        return { kind, ...parseSchedule(cursor), comments, place };
      case 'page':
        return { kind, ...parsePage(cursor), comments, place };
      case 'application':
        return { kind, ...parseApplication(cursor), comments, place };
      case 'gate':
        return { kind, ...parseGate(cursor), comments, place };
      case 'fence':
        return { kind, ...parseFence(cursor), comments, place };
      case 'expect':
        return { kind, ...parseExpectation(cursor), comments, place };
    }
  });
}

/**
 * Reads a filter: a condition that may also test the fields of decisions.
 * @param name what the filter is called in places, since it has no file
 */
export function parseFilter(text: string, name: string): { condition?: Condition; diagnostics: Diagnostic[] } {
  const cursor = new Cursor(text, name);
  try {
    const condition = parseCondition(cursor, ALL_FIELDS);
    if (!cursor.isAtEnd)
      cursor.fail(
        'unexpected',
        'expected the end of the condition',
        'Conditions are joined with "and" or "or", values with commas.',
      );
    return { condition, diagnostics: cursor.diagnostics };
  } catch (error) {
    if (!(error instanceof GiveUp)) throw error;
    return { diagnostics: cursor.diagnostics };
  }
}

/**
 * Reads the entries of a list kept in a file: one a line, `#` comments. A line that is no entry is reported and left out.
 * @param path the file's name in the reports
 */
export function parseListFile(
  text: string,
  listKind: ListKind,
  path: string,
): { entries: InlineEntries; diagnostics: Diagnostic[] } {
  const entries: Value[] = [];
  const diagnostics: Diagnostic[] = [];
  text.split(/\r?\n/).forEach((row, index) => {
    const read = parseEntry(row, listKind, path, index + 1);
    if (read.entry) entries.push(read.entry);
    for (const diagnostic of read.diagnostics) diagnostics.push(diagnostic);
  });
  return { entries: { kind: 'inline', entries, exceptions: [] }, diagnostics };
}

/** Reads one line that holds one entry of a list, or nothing but a comment. */
export function parseEntry(
  row: string,
  listKind: ListKind,
  file: string,
  line: number,
): { entry?: Value; diagnostics: Diagnostic[] } {
  const cursor = new Cursor(row, file);
  const place = { file, line, column: 1 };
  let entry: Value | undefined;
  try {
    if (cursor.isAtEnd) return { diagnostics: [] };
    const { value, comments } = cursor.construct((behind) => {
      const read = parseValue(cursor, { kind: VALUE_KIND_OF[listKind], operator: 'in' });
      cursor.takeTrailingComments();
      return { value: read, comments: behind };
    });
    entry = { ...value, place, ...(comments.length > 0 ? { comments } : {}) };
    if (!cursor.isAtEnd) cursor.fail('bad-entry', 'expected one entry on each line');
  } catch (error) {
    if (!(error instanceof GiveUp)) throw error;
  }
  const diagnostics = cursor.diagnostics.map((diagnostic) => ({
    ...diagnostic,
    code: 'bad-entry' as const,
    place: { ...place, column: diagnostic.place.column },
  }));
  return diagnostics.length > 0 || !entry ? { diagnostics } : { entry, diagnostics };
}
