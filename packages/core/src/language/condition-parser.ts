import type { Cursor } from './cursor.js';
import { suggestNearest } from './diagnostic.js';
import {
  FIELDS,
  FILTER_FIELDS,
  RESERVED_WORDS,
  traitsOf,
  type Comparison,
  type Condition,
  type FieldName,
  type FilterFieldName,
  type Operator,
  type Value,
  type ValueKind,
} from './tree.js';
import { decodeValue, describeKind } from './value.js';

type AnyField = FieldName | FilterFieldName;

/** What a condition can be about: rules cannot ask for decisions, which are not made yet. */
export const RULE_FIELDS = Object.keys(FIELDS) as AnyField[];
export const ALL_FIELDS = [...RULE_FIELDS, ...(Object.keys(FILTER_FIELDS) as AnyField[])];

/** `always`, or `or` of `and` of `not` of comparisons and parenthesised conditions. */
export function parseCondition(cursor: Cursor, fields: readonly AnyField[]): Condition {
  return cursor.accept('always') ? { kind: 'always' } : parseJoined(cursor, fields, 'or');
}

function parseJoined(cursor: Cursor, fields: readonly AnyField[], word: 'or' | 'and'): Condition {
  const parsePart = (): Condition =>
    word === 'or' ? parseJoined(cursor, fields, 'and') : parseNegatable(cursor, fields);
  const parts = [parsePart()];
  while (cursor.accept(word)) parts.push(parsePart());
  // One thought, one spelling: (a and b) and c is a and b and c.
  return parts.length === 1
    ? parts[0]!
    : { kind: word, parts: parts.flatMap((part) => (part.kind === word ? part.parts : [part])) };
}

function parseNegatable(cursor: Cursor, fields: readonly AnyField[]): Condition {
  if (cursor.accept('not')) return { kind: 'not', part: parsePrimary(cursor, fields) };
  return parsePrimary(cursor, fields);
}

function parsePrimary(cursor: Cursor, fields: readonly AnyField[]): Condition {
  if (!cursor.accept('(')) return parseComparison(cursor, fields);
  const condition = cursor.nest(() => parseJoined(cursor, fields, 'or'));
  cursor.expect(')', 'after the condition');
  return condition;
}

function parseComparison(cursor: Cursor, fields: readonly AnyField[]): Comparison {
  const { place } = cursor.token;
  const field = parseField(cursor, fields);
  const { kind, operators } = traitsOf(field);
  const { operator, isNegated } = parseOperator(cursor, field, operators);
  if (operator === 'present') return { kind: 'comparison', field, operator, isNegated, values: [], place };
  const values = operator === 'in' || operator === 'under' ? parseValues(cursor, kind) : [parseValue(cursor, kind)];
  for (const value of values) checkLiteral(cursor, field, operator, value);
  return { kind: 'comparison', field, operator, isNegated, values, place };
}

function parseField(cursor: Cursor, fields: readonly AnyField[]): AnyField {
  const { text } = cursor.token;
  if (cursor.sees('always')) cursor.fail('unexpected', 'expected a comparison', '"always" stands alone after "when".');
  const glued = /^([a-z-]+)(!?=|[<>]=?)(.+)$/.exec(text);
  if (glued && fields.includes(glued[1] as AnyField)) {
    cursor.fail(
      'unexpected',
      'expected a field, an operator and a value',
      `Write spaces between them: ${glued[1]} ${glued[2]} ${glued[3]}.`,
    );
  }
  if (cursor.sees('recorded') && fields.includes('recorded status')) {
    cursor.next();
    cursor.expect('status', 'after "recorded"');
    return 'recorded status';
  }
  return cursor.expectOneOf(fields, 'a field', 'unknown-field');
}

const OPERATOR_WORDS: Record<string, { operator: Operator; isNegated: boolean }> = {
  '=': { operator: '=', isNegated: false },
  '!=': { operator: '=', isNegated: true },
  'in': { operator: 'in', isNegated: false },
  'not in': { operator: 'in', isNegated: true },
  'under': { operator: 'under', isNegated: false },
  '<': { operator: '<', isNegated: false },
  '<=': { operator: '<=', isNegated: false },
  '>': { operator: '>', isNegated: false },
  '>=': { operator: '>=', isNegated: false },
  'present': { operator: 'present', isNegated: false },
  'absent': { operator: 'present', isNegated: true },
};

/** The word of an operator as it is written. */
export function operatorWord(operator: Operator, isNegated: boolean): string {
  return (
    Object.keys(OPERATOR_WORDS).find(
      (word) => OPERATOR_WORDS[word]!.operator === operator && OPERATOR_WORDS[word]!.isNegated === isNegated,
    ) ?? operator
  );
}

function parseOperator(
  cursor: Cursor,
  field: AnyField,
  operators: readonly Operator[],
): { operator: Operator; isNegated: boolean } {
  const words = Object.keys(OPERATOR_WORDS).filter((word) => operators.includes(OPERATOR_WORDS[word]!.operator));
  const isNot = cursor.accept('not');
  const word = `${isNot ? 'not ' : ''}${cursor.token.text}`;
  if (cursor.token.kind !== 'bare' || !words.includes(word)) {
    cursor.fail(
      'wrong-operator',
      `expected what ${field} is asked: ${words.join(', ')}`,
      word === '==' ? 'Write "=" for equal.' : suggestNearest(word, words),
    );
  }
  cursor.next();
  return OPERATOR_WORDS[word]!;
}

/** Only `in` takes lists, networks, ranges and entries; the other operators take plain literals. */
function checkLiteral(cursor: Cursor, field: AnyField, operator: Operator, value: Value): void {
  if (operator === 'in') return;
  const isPlain =
    value.kind === 'addresses'
      ? value.range.first === value.range.last
      : value.kind === 'domain'
        ? value.entry.reach === 'whole'
        : value.kind === 'number'
          ? value.first === value.last
          : value.kind !== 'list';
  if (isPlain) return;
  const hint =
    value.kind === 'list' && traitsOf(field).kind === 'domain'
      ? `Write ${field} in ${value.name} if it is a list, or quote a real single label.`
      : `Use "in" for lists, networks, ranges and entries with * or =.`;
  cursor.report(
    'wrong-operator',
    `${field} ${operator} takes one plain ${operator === '=' ? 'value' : 'value each'}.`,
    value.place,
    hint,
  );
}

/** Values separated by commas; the list ends where no comma follows, and a trailing comma is an error. */
export function parseValues(cursor: Cursor, kind: ValueKind): Value[] {
  const values = [parseValue(cursor, kind)];
  while (cursor.accept(',')) values.push(parseValue(cursor, kind));
  return values;
}

/** One value. A value that cannot be read is reported, and parsing goes on behind it. */
export function parseValue(cursor: Cursor, kind: ValueKind): Value {
  const { place, text } = cursor.token;
  const isQuoted = cursor.token.kind === 'quoted';
  if (!isQuoted && (cursor.token.kind !== 'bare' || RESERVED_WORDS.has(text))) {
    cursor.fail('unexpected', `expected ${/^[aeiou]/.test(describeKind(kind)) ? 'an' : 'a'} ${describeKind(kind)}`);
  }
  if (cursor.next().isBroken) return { kind: 'text', text, place };
  const rangeEnd = cursor.accept('-') ? cursor.next().text : undefined;
  const decoded = decodeValue(kind, { text, isQuoted, rangeEnd });
  if ('content' in decoded) return { ...decoded.content, place };
  cursor.report('bad-value', decoded.problem, place, decoded.hint);
  return { kind: 'text', text, place };
}
