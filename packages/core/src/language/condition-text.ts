/** Conditions: fence text to tree and back. */
import type { Cursor } from './cursor.js';
import { suggestNearest } from '../text/nearest-name.js';
import {
  ANY_CASE_KINDS,
  ANY_CASE_OPERATORS,
  FIELD_NAMES,
  FIELDS_WITH_PARAMETER,
  FILTER_FIELDS,
  kindOf,
  OPERATORS_OF,
  type FieldName,
  type FilterFieldName,
  type Operator,
} from './fields.js';
import { RESERVED_WORDS, type Comparison, type Condition, type Value } from './tree.js';
import { decodeValue, describeKind, printValue, type ValueContext } from './value.js';

type AnyField = FieldName | FilterFieldName;

/** What a condition can be about: rules cannot test decisions, which are not made yet. */
export const RULE_FIELDS = FIELD_NAMES;
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
  const { field, parameter } = parseField(cursor, fields);
  const { operator, isNegated } = parseOperator(cursor, field);
  const isAnyCase = parseAnyCase(cursor, field, operator, isNegated);
  const base = {
    kind: 'comparison',
    field,
    ...(parameter === undefined ? {} : { parameter }),
    operator,
    isNegated,
    isAnyCase,
  } as const;
  if (operator === 'present') return { ...base, values: [], place };
  const requested = { kind: kindOf(field), operator, field };
  const values = takesOneValue(operator) ? [parseValue(cursor, requested)] : parseValues(cursor, requested);
  for (const value of values) checkLiteral(cursor, field, operator, value);
  return { ...base, values, place };
}

function takesOneValue(operator: Operator): boolean {
  return operator === '=' || /^[<>]/.test(operator);
}

/** A field, with the name behind it where it takes one. */
export function parseField<F extends AnyField>(cursor: Cursor, fields: readonly F[]): { field: F; parameter?: string } {
  const { text, place } = cursor.token;
  if (cursor.sees('always')) cursor.fail('unexpected', 'expected a comparison', '"always" is used alone after "when".');
  const glued = /^([a-z-]+)(!?=|[<>]=?)(.+)$/.exec(text);
  if (glued && fields.includes(glued[1] as F)) {
    cursor.fail(
      'unexpected',
      'expected a field, an operator and a value',
      `Write spaces between them: ${glued[1]} ${glued[2]} ${glued[3]}.`,
    );
  }
  if (cursor.sees('recorded') && fields.includes('recorded status' as F)) {
    cursor.next();
    cursor.expect('status', 'after "recorded"');
    return { field: 'recorded status' as F };
  }
  if (cursor.sees('server') && fields.includes('server country' as F)) {
    cursor.next();
    if (cursor.accept('country')) return { field: 'server country' as F };
    if (fields.includes('server' as F)) return { field: 'server' as F };
    cursor.fail('unexpected', 'expected "country" after "server"');
  }
  const known = ALL_FIELDS.find((candidate) => cursor.sees(candidate));
  if (known !== undefined && !fields.includes(known as F))
    cursor.fail('unknown-field', `expected a field that can be tested here: ${fields.join(', ')}`);
  const field = cursor.expectOneOf(fields, 'a field', 'unknown-field');
  if (!FIELDS_WITH_PARAMETER.includes(field)) return { field };
  const parameter = cursor.acceptTitle();
  if (parameter === undefined && field === 'query') return { field };
  if (parameter === undefined) cursor.fail('unexpected', `expected the quoted name of a ${field}`);
  if (parameter === '' || (field === 'header' && !/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(parameter)))
    cursor.report('bad-value', `Found ${JSON.stringify(parameter)}, expected the name of a ${field}.`, place);
  // Header names are case-insensitive (RFC 9110, 5.1).
  return { field, parameter: field === 'header' ? parameter.toLowerCase() : parameter };
}

const OPERATOR_WORDS: Record<string, { operator: Operator; isNegated: boolean }> = {
  '=': { operator: '=', isNegated: false },
  '!=': { operator: '=', isNegated: true },
  'in': { operator: 'in', isNegated: false },
  'not in': { operator: 'in', isNegated: true },
  'under': { operator: 'under', isNegated: false },
  'like': { operator: 'like', isNegated: false },
  'starts': { operator: 'starts', isNegated: false },
  'ends': { operator: 'ends', isNegated: false },
  'contains': { operator: 'contains', isNegated: false },
  'matches': { operator: 'matches', isNegated: false },
  'is': { operator: 'is', isNegated: false },
  '<': { operator: '<', isNegated: false },
  '<=': { operator: '<=', isNegated: false },
  '>': { operator: '>', isNegated: false },
  '>=': { operator: '>=', isNegated: false },
  'present': { operator: 'present', isNegated: false },
  'absent': { operator: 'present', isNegated: true },
};

/** The words in which a field can be tested. */
export function operatorWordsOf(field: AnyField): string[] {
  const operators = OPERATORS_OF[kindOf(field)];
  return Object.keys(OPERATOR_WORDS).filter((word) => operators.includes(OPERATOR_WORDS[word]!.operator));
}

/** The word of an operator as it is written. */
export function operatorWord(operator: Operator, isNegated: boolean): string {
  return (
    Object.keys(OPERATOR_WORDS).find(
      (word) => OPERATOR_WORDS[word]!.operator === operator && OPERATOR_WORDS[word]!.isNegated === isNegated,
    ) ?? operator
  );
}

function parseOperator(cursor: Cursor, field: AnyField): { operator: Operator; isNegated: boolean } {
  const words = operatorWordsOf(field);
  const isNot = cursor.accept('not');
  const word = `${isNot ? 'not ' : ''}${cursor.token.text}`;
  if (cursor.token.kind !== 'bare' || !words.includes(word)) {
    cursor.fail('wrong-operator', `expected an operator of ${field}: ${words.join(', ')}`, operatorHint(word, words));
  }
  cursor.next();
  return OPERATOR_WORDS[word]!;
}

function operatorHint(word: string, words: readonly string[]): string | undefined {
  if (word === '==') return 'Write "=" for equal.';
  if (word.startsWith('not ')) return 'Put "not" before the whole comparison.';
  return suggestNearest(word, words);
}

function parseAnyCase(cursor: Cursor, field: AnyField, operator: Operator, isNegated: boolean): boolean {
  if (!cursor.sees('anycase')) return false;
  if (!ANY_CASE_KINDS.includes(kindOf(field)) || !ANY_CASE_OPERATORS.includes(operator) || isNegated)
    cursor.fail(
      'wrong-operator',
      `expected a value: "anycase" goes with ${ANY_CASE_OPERATORS.join(', ')} of texts`,
      'Quote the value if the word itself is meant.',
    );
  cursor.next();
  return true;
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
    value.kind === 'list' && kindOf(field) === 'domain'
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
export function parseValues(cursor: Cursor, requested: ValueContext): Value[] {
  const values = [parseValue(cursor, requested)];
  while (cursor.accept(',')) values.push(parseValue(cursor, requested));
  return values;
}

/** One value. A value that cannot be read is reported, and parsing goes on behind it. */
export function parseValue(cursor: Cursor, requested: ValueContext): Value {
  const isHex = requested.kind === 'payload' && requested.operator === 'starts';
  if (isHex) cursor.expect('hex', 'before the quoted bytes');
  const { place, text } = cursor.token;
  const isQuoted = cursor.token.kind === 'quoted';
  if (isHex && !isQuoted) cursor.fail('unexpected', 'expected quoted bytes such as "16 03"');
  if (!isQuoted && (cursor.token.kind !== 'bare' || RESERVED_WORDS.has(text))) {
    const what = describeKind(requested.kind);
    cursor.fail('unexpected', `expected ${/^[aeiou]/.test(what) ? 'an' : 'a'} ${what}`);
  }
  if (cursor.next().isBroken) return { kind: 'text', text, place };
  const rangeEnd = cursor.accept('-') ? cursor.next().text : undefined;
  const decoded = decodeValue(requested, { text, isQuoted, rangeEnd });
  if ('content' in decoded) return { ...decoded.content, place };
  cursor.report(decoded.isPattern ? 'bad-pattern' : 'bad-value', decoded.problem, place, decoded.hint);
  return { kind: 'text', text, place };
}

export function printCondition(condition: Condition): string {
  switch (condition.kind) {
    case 'always':
      return 'always';
    case 'comparison':
      return printComparison(condition);
    case 'not':
      return `not ${condition.part.kind === 'comparison' ? printComparison(condition.part) : `(${printCondition(condition.part)})`}`;
    case 'and':
    case 'or':
      return condition.parts
        .map((part) => (part.kind === 'or' ? `(${printCondition(part)})` : printCondition(part)))
        .join(` ${condition.kind} `);
  }
}

function printComparison({ field, parameter, operator, isNegated, isAnyCase, values }: Comparison): string {
  const kind = kindOf(field);
  return [
    printField(field, parameter),
    operatorWord(operator, isNegated),
    ...(isAnyCase ? ['anycase'] : []),
    ...(values.length > 0 ? [values.map((value) => printValue(value, kind)).join(', ')] : []),
  ].join(' ');
}

/** A field as it is written: `path`, `header "x-forwarded-for"`. */
export function printField(field: AnyField, parameter: string | undefined): string {
  return parameter === undefined ? field : `${field} ${JSON.stringify(parameter)}`;
}
