import type { Cursor } from './cursor.js';
import { suggestNearest } from './diagnostic.js';
import { FIELDS, RESERVED_WORDS, type Comparison, type Condition, type FieldName, type Operator, type Value, type ValueKind } from './tree.js';
import { decodeValue, describeKind } from './value.js';

const FIELD_NAMES = Object.keys(FIELDS) as FieldName[];

/** `always`, or `or` of `and` of `not` of comparisons and parenthesised conditions. */
export function parseCondition(cursor: Cursor): Condition {
  return cursor.accept('always') ? { kind: 'always' } : parseJoined(cursor, 'or');
}

function parseJoined(cursor: Cursor, word: 'or' | 'and'): Condition {
  const parsePart = (): Condition => (word === 'or' ? parseJoined(cursor, 'and') : parseNegatable(cursor));
  const parts = [parsePart()];
  while (cursor.accept(word)) parts.push(parsePart());
  // One thought, one spelling: (a and b) and c is a and b and c.
  return parts.length === 1 ? parts[0]! : { kind: word, parts: parts.flatMap((part) => (part.kind === word ? part.parts : [part])) };
}

function parseNegatable(cursor: Cursor): Condition {
  if (cursor.accept('not')) return { kind: 'not', part: parsePrimary(cursor) };
  return parsePrimary(cursor);
}

function parsePrimary(cursor: Cursor): Condition {
  if (!cursor.accept('(')) return parseComparison(cursor);
  const condition = parseJoined(cursor, 'or');
  cursor.expect(')', 'after the condition');
  return condition;
}

function parseComparison(cursor: Cursor): Comparison {
  const { place, text } = cursor.token;
  if (cursor.sees('always')) cursor.fail('unexpected', 'expected a comparison', '"always" stands alone after "when".');
  const glued = /^([a-z-]+)(!?=)(.+)$/.exec(text);
  if (glued && FIELD_NAMES.includes(glued[1] as FieldName)) {
    cursor.fail('unexpected', 'expected a field, an operator and a value', `Write spaces between them: ${glued[1]} ${glued[2]} ${glued[3]}.`);
  }
  const field = cursor.expectOneOf(FIELD_NAMES, 'a field', 'unknown-field');
  const { kind, operators } = FIELDS[field];
  const { operator, isNegated } = parseOperator(cursor, field, operators);
  const values = operator === '=' ? [parseValue(cursor, kind)] : parseValues(cursor, kind);
  for (const value of values) checkLiteral(cursor, field, operator, value);
  return { kind: 'comparison', field, operator, isNegated, values, place };
}

function parseOperator(cursor: Cursor, field: FieldName, operators: readonly Operator[]): { operator: Operator; isNegated: boolean } {
  const isNotIn = cursor.accept('not');
  const spellings = isNotIn ? ['in'] : operators.flatMap((operator) => (operator === '=' ? ['=', '!='] : operator === 'in' ? ['in', 'not in'] : [operator]));
  const word = cursor.token.text;
  if (!cursor.sees('=', '!=', 'in', 'under') || (isNotIn && word !== 'in') || !operators.includes((word === '!=' ? '=' : word) as Operator)) {
    cursor.fail('wrong-operator', `expected what ${field} is asked: ${spellings.join(', ')}`, word === '==' ? 'Write "=" for equal.' : suggestNearest(word, spellings));
  }
  cursor.next();
  return { operator: word === '!=' ? '=' : (word as Operator), isNegated: isNotIn || word === '!=' };
}

/** Only `in` takes lists, networks, ranges and entries; the other operators take plain literals. */
function checkLiteral(cursor: Cursor, field: FieldName, operator: Operator, value: Value): void {
  if (operator === 'in') return;
  const isPlain =
    value.kind === 'addresses' ? value.range.first === value.range.last
    : value.kind === 'domain' ? value.entry.reach === 'whole'
    : value.kind !== 'list';
  if (isPlain) return;
  const hint = value.kind === 'list' && FIELDS[field].kind === 'domain' ? `Write ${field} in ${value.name} if it is a list, or quote a real single label.` : `Use "in" for lists, networks, ranges and entries with * or =.`;
  cursor.report('wrong-operator', `${field} ${operator} takes one plain ${operator === '=' ? 'value' : 'value each'}.`, value.place, hint);
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
