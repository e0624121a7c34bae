/** Expectations: fence text to tree and back. */
import { formatRange, parseAddress } from '../request/address.js';
import { splitUrl } from '../request/url.js';
import { expectCount, expectDuration } from './action-text.js';
import { parseField, printField } from './condition-text.js';
import type { Cursor } from './cursor.js';
import { EXPECT_FIELDS, wordsOf } from './fields.js';
import { printDuration, printInstant } from './measure.js';
import { OUTCOMES } from './outcomes.js';
import { parseRfc3339 } from '../request/time.js';
import { RESERVED_WORDS, type ExpectField, type ExpectStatement } from './tree.js';
import { printText } from './value.js';

type Body = Omit<ExpectStatement, 'kind' | 'comments' | 'place'>;

export function parseExpectation(cursor: Cursor): Body {
  const outcome = cursor.expectOneOf(OUTCOMES, 'an outcome');
  const by = cursor.accept('by') ? parseBy(cursor) : undefined;
  const after = cursor.sees('after') ? parseAfter(cursor, outcome) : undefined;
  cursor.expect('from', 'and the address of the client');
  const client = parseClient(cursor);
  cursor.expect('to', 'and a URL');
  const url = parseUrl(cursor);
  const fields = cursor.accept('with') ? parseFields(cursor) : [];
  const atUnixMs = cursor.accept('at') ? parseTime(cursor) : undefined;
  const because = cursor.accept('because') ? expectQuoted(cursor, 'reason') : undefined;
  return {
    outcome,
    ...(by === undefined ? {} : { by }),
    ...(after === undefined ? {} : { after }),
    client,
    url,
    with: fields,
    ...(atUnixMs === undefined ? {} : { atUnixMs }),
    ...(because === undefined ? {} : { because }),
  };
}

function parseBy(cursor: Cursor): ExpectStatement['by'] {
  cursor.expect('rule', 'after "by"');
  const { kind, text, place } = cursor.token;
  const [, fence, rule] = /^([a-z][a-z0-9-]{0,62})\/([a-z][a-z0-9-]{0,62})$/.exec(text) ?? [];
  if (kind !== 'bare' || fence === undefined || rule === undefined)
    cursor.fail('bad-name', 'expected a rule written fence/rule');
  cursor.next();
  return { fence, rule, place };
}

function parseAfter(cursor: Cursor, outcome: string): ExpectStatement['after'] {
  if (outcome !== 'limited')
    cursor.fail('unexpected', 'expected "from": only "limited" comes after a number of requests');
  cursor.next();
  const count = expectCount(cursor, 'how many requests pass');
  cursor.expect('in', 'and a duration');
  return { count, windowMs: expectDuration(cursor) };
}

function parseClient(cursor: Cursor): ExpectStatement['client'] {
  const address = cursor.token.kind === 'end' ? undefined : parseAddress(cursor.token.text);
  if (!address) cursor.fail('bad-value', 'expected an address such as 198.18.4.7');
  cursor.next();
  return { family: address.family, first: address.value, last: address.value };
}

function parseUrl(cursor: Cursor): string {
  const { kind, text } = cursor.token;
  if ((kind !== 'bare' && kind !== 'quoted') || (kind === 'bare' && RESERVED_WORDS.has(text)) || !splitUrl(text)?.host)
    cursor.fail('bad-value', 'expected a URL such as https://shop.example/login', 'Write the scheme and the host.');
  cursor.next();
  return text;
}

function parseFields(cursor: Cursor): ExpectField[] {
  const fields: ExpectField[] = [];
  do {
    const { field, parameter } = parseField(cursor, EXPECT_FIELDS);
    const { kind, text, place } = cursor.token;
    if ((kind !== 'bare' && kind !== 'quoted') || (kind === 'bare' && RESERVED_WORDS.has(text)))
      cursor.fail('unexpected', `expected the value of ${field}`);
    cursor.next();
    const problem = problemOf(field, text);
    if (problem !== undefined) cursor.report('bad-value', `Found ${JSON.stringify(text)}, expected ${problem}.`, place);
    fields.push({ field, ...(parameter === undefined ? {} : { parameter }), value: text });
  } while (cursor.accept(','));
  return fields;
}

function problemOf(field: ExpectField['field'], text: string): string | undefined {
  if ((field === 'peer' || field === 'server') && !parseAddress(text)) return 'an address such as 198.18.4.7';
  if (field === 'method' && !/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(text)) return 'a method such as GET';
  if (field === 'transport' && !wordsOf('transport')!.includes(text)) return 'tcp, udp or icmp';
  const isBytes = field === 'size' || field === 'from-client' || field === 'to-client';
  return isBytes && !/^\d{1,15}$/.test(text) ? 'a number of bytes' : undefined;
}

function parseTime(cursor: Cursor): number {
  const atUnixMs = cursor.token.kind === 'bare' ? parseRfc3339(cursor.token.text) : undefined;
  if (atUnixMs === undefined) cursor.fail('bad-value', 'expected a time such as 2026-11-02T10:00:00Z');
  cursor.next();
  return atUnixMs;
}

function expectQuoted(cursor: Cursor, what: string): string {
  const text = cursor.acceptTitle();
  if (text === undefined) cursor.fail('unexpected', `expected the quoted ${what}`);
  return text;
}

export function printExpectation(expectation: ExpectStatement): string {
  const { because } = expectation;
  return `${printExpectedRequest(expectation)}${because === undefined ? '' : ` because ${JSON.stringify(because)}`}`;
}

/** The expectation without its reason: what identifies it. */
export function printExpectedRequest(expectation: ExpectStatement): string {
  const { outcome, by, after, client, url, with: fields, atUnixMs } = expectation;
  const printed = fields.map(({ field, parameter, value }) => `${printField(field, parameter)} ${printText(value)}`);
  return [
    `expect ${outcome}`,
    ...(by ? [`by rule ${by.fence}/${by.rule}`] : []),
    ...(after ? [`after ${after.count} in ${printDuration(after.windowMs)}`] : []),
    `from ${formatRange(client)} to ${printText(url)}`,
    ...(printed.length > 0 ? [`with ${printed.join(', ')}`] : []),
    ...(atUnixMs === undefined ? [] : [`at ${printInstant(atUnixMs)}`]),
  ].join(' ');
}
