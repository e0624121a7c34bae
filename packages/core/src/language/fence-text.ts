/** Fences and their rules: fence text to tree and back. */
import { parseAction, parseFenceEnding, printAction, printEnding } from './action-text.js';
import { parseCondition, printCondition, RULE_FIELDS } from './condition-text.js';
import { GiveUp, type Cursor } from './cursor.js';
import { MAX_WIDTH, printComments, printTitle } from './layout.js';
import { parseDate, printInstant } from './measure.js';
import { parseRfc3339 } from '../request/time.js';
import { RULE_STATES, STATEMENTS, type FenceStatement, type Rule, type Until } from './tree.js';

export function parseFence(cursor: Cursor): Omit<FenceStatement, 'kind' | 'comments' | 'place'> {
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
  return { name, mode, ...(title === undefined ? {} : { title }), rules, otherwise };
}

function hintAfterRule(cursor: Cursor): string | undefined {
  const { kind, text } = cursor.token;
  if (kind !== 'bare' || /^[!=<>]/.test(text)) return undefined;
  if (AFTER_CONDITION.includes(text)) return `After the condition come, in this order: ${AFTER_CONDITION.join(', ')}.`;
  return 'Conditions are joined with "and" or "or", values with commas.';
}

const AFTER_CONDITION = ['during', 'outside', 'until', 'if', 'owner', 'reason'];

export function parseRule(cursor: Cursor): Rule {
  return cursor.construct((comments) => {
    const { place } = cursor.expect('rule', 'here');
    const { name } = cursor.expectName('a rule');
    const title = cursor.acceptTitle();
    const state = RULE_STATES.slice(1).find((candidate) => cursor.accept(candidate)) ?? 'on';
    const action = parseAction(cursor);
    cursor.expect('when', 'and a condition ("when always" for every request)');
    const condition = parseCondition(cursor, RULE_FIELDS);
    return {
      name,
      ...(title === undefined ? {} : { title }),
      state,
      action,
      condition,
      ...parseHours(cursor),
      ...(cursor.accept('until') ? { until: parseUntil(cursor) } : {}),
      matchesUnknown: parseMatchesUnknown(cursor),
      ...parseNote(cursor, 'owner'),
      ...parseNote(cursor, 'reason'),
      comments,
      place,
    };
  });
}

function parseHours(cursor: Cursor): Pick<Rule, 'hours'> {
  const word = (['during', 'outside'] as const).find((candidate) => cursor.accept(candidate));
  return word === undefined
    ? {}
    : { hours: { isOutside: word === 'outside', schedule: cursor.expectName('a schedule') } };
}

function parseUntil(cursor: Cursor): Until {
  const { kind, text } = cursor.token;
  const date = kind === 'bare' ? parseDate(text) : undefined;
  const atUnixMs = kind === 'bare' ? parseRfc3339(text) : undefined;
  if (date === undefined && atUnixMs === undefined)
    cursor.fail('bad-value', 'expected a date such as 2026-12-24 or a time such as 2026-12-24T18:00:00Z');
  cursor.next();
  return date === undefined ? { kind: 'instant', atUnixMs: atUnixMs! } : { kind: 'date', date };
}

function parseMatchesUnknown(cursor: Cursor): boolean {
  if (!cursor.accept('if')) return false;
  cursor.expect('unknown', 'after "if"');
  cursor.expect('match', 'after "if unknown"');
  return true;
}

function parseNote<W extends 'owner' | 'reason'>(cursor: Cursor, word: W): Partial<Record<W, string>> {
  if (!cursor.accept(word)) return {};
  const text = cursor.acceptTitle();
  if (text === undefined) cursor.fail('unexpected', `expected the quoted ${word}`);
  return { [word]: text } as Record<W, string>;
}

export function printFence(fence: FenceStatement): string {
  const ending = fence.otherwise.kind === 'continue' ? [] : [`  otherwise ${printEnding(fence.otherwise)}`];
  const head = `fence ${fence.name} ${fence.mode}${printTitle(fence.title)} {`;
  return [head, ...fence.rules.map((rule) => printRule(rule)), ...ending, '}'].join('\n');
}

/** One rule, indented by two, comments above it. */
export function printRule(rule: Rule): string {
  const head = `rule ${rule.name}${printTitle(rule.title)}${rule.state === 'on' ? '' : ` ${rule.state}`} ${printAction(rule.action)}`;
  const condition = `when ${printCondition(rule.condition)}${printRest(rule)}`;
  const isShort = head.length + condition.length + 3 <= MAX_WIDTH;
  return `${printComments(rule.comments, '  ')}  ${head}${isShort ? ' ' : '\n    '}${condition}`;
}

function printRest({ hours, until, matchesUnknown, owner, reason }: Rule): string {
  return [
    ...(hours ? [` ${hours.isOutside ? 'outside' : 'during'} ${hours.schedule.name}`] : []),
    ...(until ? [` until ${printUntil(until)}`] : []),
    ...(matchesUnknown ? [' if unknown match'] : []),
    ...(owner === undefined ? [] : [` owner ${JSON.stringify(owner)}`]),
    ...(reason === undefined ? [] : [` reason ${JSON.stringify(reason)}`]),
  ].join('');
}

export function printUntil(until: Until): string {
  return until.kind === 'date' ? until.date : printInstant(until.atUnixMs);
}
