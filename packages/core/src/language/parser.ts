/**
 * Fence text to tree, by recursive descent. An error gives up on the rule or statement it stands in and goes on at the
 * next line that begins one, so that one pass reports every error. Rejected: a parser generator, whose messages cannot
 * say what was expected in the words of the trade.
 */
import { ALL_FIELDS, parseCondition, parseValue, parseValues, RULE_FIELDS } from './condition-parser.js';
import { Cursor, GiveUp } from './cursor.js';
import type { Diagnostic } from './diagnostic.js';
import {
  ACTIONS,
  DEFAULT_BLOCK_STATUS,
  LIST_KINDS,
  RULE_STATES,
  VALUE_KIND_OF,
  type Action,
  type Condition,
  type Ending,
  type FenceFile,
  type FenceStatement,
  type GateStatement,
  type InlineEntries,
  type ListKind,
  type ListStatement,
  type Rule,
  type Statement,
  type Value,
} from './tree.js';

const STATEMENTS = ['list', 'gate', 'fence'] as const;

/** Reads one file of fence text. The tree holds every statement and rule that could be read; the rest is in `diagnostics`. */
export function parseFences(text: string, path: string): { file: FenceFile; diagnostics: Diagnostic[] } {
  const cursor = new Cursor(text, path);
  const statements: Statement[] = [];
  let comments: readonly string[] = [];
  cursor.construct((gathered) => {
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
    comments = gathered;
  });
  return { file: { path, statements, comments }, diagnostics: cursor.diagnostics };
}

function parseStatement(cursor: Cursor): Statement {
  return cursor.construct((comments) => {
    const { place } = cursor.token;
    switch (cursor.expectOneOf(STATEMENTS, 'a statement')) {
      case 'list':
        return { kind: 'list', ...parseList(cursor), comments, place };
      case 'gate':
        return { kind: 'gate', ...parseGate(cursor), comments, place };
      case 'fence':
        return { kind: 'fence', ...parseFence(cursor), comments, place };
    }
  });
}

type Body<S> = Omit<S, 'kind' | 'comments' | 'place'>;

function parseList(cursor: Cursor): Body<ListStatement> {
  const { name } = cursor.expectName('a list');
  const listKind = cursor.expectOneOf(LIST_KINDS, 'a kind of list');
  const title = cursor.acceptTitle();
  if (cursor.accept('from')) {
    const { place } = cursor.token;
    const path = cursor.acceptTitle();
    if (path === undefined) cursor.fail('unexpected', 'expected the quoted name of a file');
    return { name, listKind, title, source: { kind: 'file', path, place } };
  }
  cursor.expect('{', 'before the entries, or the word "from" and a file');
  const valueKind = VALUE_KIND_OF[listKind];
  const entries = cursor.sees('}', 'except') ? [] : parseValues(cursor, valueKind);
  const exceptions = cursor.accept('except') ? parseValues(cursor, valueKind) : [];
  cursor.expect('}', 'after the entries');
  return { name, listKind, title, source: { kind: 'inline', entries, exceptions } };
}

function parseGate(cursor: Cursor): Body<GateStatement> {
  const { name, place } = cursor.expectName('a gate');
  const direction = cursor.expectOneOf(['inbound'] as const, 'a direction');
  cursor.expect('{', 'before the clauses of the gate');
  const clauses: { hosts?: Value[]; fences?: GateStatement['fences']; otherwise?: Ending } = {};
  while (!cursor.sees('}')) {
    const clausePlace = cursor.token.place;
    const clause = cursor.expectOneOf(['hosts', 'fences', 'otherwise'] as const, 'a clause of the gate, or "}"');
    if (clauses[clause])
      cursor.report(
        'duplicate-clause',
        `Found a second "${clause}" in gate ${name}, expected one.`,
        clausePlace,
        'Put both into one clause.',
      );
    if (clause === 'hosts') clauses.hosts = parseValues(cursor, 'domain');
    if (clause === 'fences') clauses.fences = cursor.expectNames('a fence');
    if (clause === 'otherwise') clauses.otherwise = parseEnding(cursor);
  }
  cursor.next();
  for (const clause of ['hosts', 'otherwise'] as const) {
    if (clauses[clause] === undefined) {
      const hint = {
        hosts: 'Say which hosts the gate stands for.',
        otherwise: 'Say what happens when no fence decides: otherwise allow, or otherwise block.',
      }[clause];
      cursor.report('missing-clause', `Gate ${name} has no "${clause}" clause.`, place, hint);
    }
  }
  return {
    name,
    direction,
    hosts: clauses.hosts ?? [],
    fences: clauses.fences ?? [],
    otherwise: clauses.otherwise ?? { kind: 'block', status: DEFAULT_BLOCK_STATUS },
  };
}

function parseEnding(cursor: Cursor): Ending {
  return cursor.expectOneOf(['allow', 'block'] as const, 'an ending') === 'allow'
    ? { kind: 'allow' }
    : { kind: 'block', status: parseStatus(cursor) };
}

function parseFence(cursor: Cursor): Body<FenceStatement> {
  const { name } = cursor.expectName('a fence');
  const mode = cursor.expectOneOf(['trial', 'enforce'] as const, 'the mode of the fence');
  const title = cursor.acceptTitle();
  cursor.expect('{', 'before the rules');
  cursor.takeTrailingComments();
  const rules: Rule[] = [];
  while (cursor.sees('rule')) {
    const startedAt = cursor.position;
    try {
      rules.push(parseRule(cursor));
      if (!cursor.sees('rule', 'otherwise', '}'))
        cursor.fail('unexpected', 'expected the next rule, "otherwise" or "}"', hintAfterRule(cursor));
    } catch (error) {
      if (!(error instanceof GiveUp)) throw error;
      cursor.skipTo({ anywhere: ['rule', 'otherwise', '}'], lineStarts: STATEMENTS }, startedAt);
    }
  }
  const otherwise = cursor.accept('otherwise') ? parseFenceEnding(cursor) : ({ kind: 'continue' } as const);
  cursor.expect('}', 'after the rules');
  return { name, mode, title, rules, otherwise };
}

function hintAfterRule(cursor: Cursor): string | undefined {
  const { kind, text } = cursor.token;
  return kind === 'bare' && /^[!=<>]/.test(text) === false
    ? 'Conditions are joined with "and" or "or", values with commas.'
    : undefined;
}

function parseFenceEnding(cursor: Cursor): FenceStatement['otherwise'] {
  if (cursor.accept('continue')) return { kind: 'continue' };
  if (!cursor.sees('allow', 'block')) cursor.fail('unexpected', 'expected an ending: continue, allow, block');
  return parseEnding(cursor);
}

function parseRule(cursor: Cursor): Rule {
  return cursor.construct((comments) => {
    const { place } = cursor.expect('rule', 'here');
    const { name } = cursor.expectName('a rule');
    const title = cursor.acceptTitle();
    const state = RULE_STATES.slice(1).find((candidate) => cursor.accept(candidate)) ?? 'on';
    const action = parseAction(cursor);
    cursor.expect('when', 'and a condition ("when always" for every request)');
    return { name, title, state, action, condition: parseCondition(cursor, RULE_FIELDS), comments, place };
  });
}

function parseAction(cursor: Cursor): Action {
  const kind = cursor.expectOneOf(ACTIONS, 'an action');
  switch (kind) {
    case 'allow':
      return { kind, isOutright: cursor.accept('outright') };
    case 'block':
      return { kind, status: parseStatus(cursor) };
    case 'tag':
      return { kind, tags: cursor.expectNames('a tag').map(({ name }) => name) };
    case 'observe':
      return { kind };
  }
}

/** An HTTP status for a stop, 403 unless said. */
function parseStatus(cursor: Cursor): number {
  const { kind, text } = cursor.token;
  if (kind !== 'bare' || !/^\d/.test(text)) return DEFAULT_BLOCK_STATUS;
  if (!/^[45]\d\d$/.test(text)) cursor.fail('bad-value', 'expected a status from 400 to 599');
  cursor.next();
  return Number(text);
}

/**
 * Reads a filter: a condition that may also ask for the fields of decisions.
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
    const cursor = new Cursor(row, path);
    const place = { file: path, line: index + 1, column: 1 };
    try {
      if (cursor.isAtEnd) return;
      const entry = { ...parseValue(cursor, VALUE_KIND_OF[listKind]), place };
      if (!cursor.isAtEnd) cursor.fail('bad-entry', 'expected one entry on each line');
      if (cursor.diagnostics.length === 0) entries.push(entry);
    } catch (error) {
      if (!(error instanceof GiveUp)) throw error;
    }
    diagnostics.push(
      ...cursor.diagnostics.map((diagnostic) => ({
        ...diagnostic,
        code: 'bad-entry' as const,
        place: { ...place, column: diagnostic.place.column },
      })),
    );
  });
  return { entries: { kind: 'inline', entries, exceptions: [] }, diagnostics };
}
