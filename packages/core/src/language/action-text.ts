/** Actions of rules and endings of fences and gates: fence text to tree and back. */
import { parseField, printField } from './condition-text.js';
import type { Cursor } from './cursor.js';
import { KEY_FIELDS } from './fields.js';
import { parseBytes, parseDuration, printBytes, printDuration } from './measure.js';
import {
  ACTIONS,
  DEFAULT_BLOCK_STATUS,
  DEFAULT_CLIENT_BITS,
  DEFAULT_HOLD_MS,
  DEFAULT_LIMIT_STATUS,
  DEFAULT_REDIRECT_STATUS,
  MAX_THROTTLE_BYTES,
  type Action,
  type BlockAction,
  type Ending,
  type FenceStatement,
  type LimitAction,
  type LimitKey,
  type PersonAction,
  type RedirectAction,
  type Reference,
  type ThrottleAction,
} from './tree.js';

export function parseAction(cursor: Cursor): Action {
  const kind = cursor.expectOneOf(ACTIONS, 'an action');
  switch (kind) {
    case 'allow':
      return { kind, isOutright: cursor.accept('outright') };
    case 'block':
      return parseBlock(cursor, DEFAULT_BLOCK_STATUS);
    case 'redirect':
      return { ...parseRedirect(cursor), status: parseStatus(cursor, REDIRECTS, DEFAULT_REDIRECT_STATUS) };
    case 'warn':
    case 'passphrase':
    case 'challenge':
      return parsePersonAction(cursor, kind);
    case 'limit':
      return parseLimit(cursor);
    case 'throttle':
      return parseThrottle(cursor);
    case 'tag':
      return { kind, tags: cursor.expectNames('a tag').map(({ name }) => name) };
    case 'observe':
      return { kind };
  }
}

export function parseEnding(cursor: Cursor): Ending {
  const kind = cursor.expectOneOf(['allow', 'block', 'redirect'] as const, 'an ending');
  if (kind === 'allow') return { kind };
  if (kind === 'block') return parseBlock(cursor, DEFAULT_BLOCK_STATUS);
  return { ...parseRedirect(cursor), status: parseStatus(cursor, REDIRECTS, DEFAULT_REDIRECT_STATUS) };
}

export function parseFenceEnding(cursor: Cursor): FenceStatement['otherwise'] {
  if (cursor.accept('continue')) return { kind: 'continue' };
  if (!cursor.sees('allow', 'block', 'redirect'))
    cursor.fail('unexpected', 'expected an ending: continue, allow, block, redirect');
  return parseEnding(cursor);
}

const STOPS = { pattern: /^[45]\d\d$/, expected: 'a status from 400 to 599' };
const REDIRECTS = { pattern: /^30[12378]$/, expected: 'a status of a redirect: 301, 302, 303, 307, 308' };

/** An explicit status, else the default. */
function parseStatus(cursor: Cursor, { pattern, expected }: typeof STOPS, defaultStatus: number): number {
  const { kind, text } = cursor.token;
  if (kind !== 'bare' || !/^\d/.test(text)) return defaultStatus;
  if (!pattern.test(text)) cursor.fail('bad-value', `expected ${expected}`);
  cursor.next();
  return Number(text);
}

function parseBlock(cursor: Cursor, defaultStatus: number): BlockAction {
  const status = parseStatus(cursor, STOPS, defaultStatus);
  return { kind: 'block', status, ...parsePage(cursor) };
}

function parsePage(cursor: Cursor): { page?: Reference } {
  return cursor.accept('page') ? { page: cursor.expectName('a page') } : {};
}

function parseRedirect(cursor: Cursor): RedirectAction {
  const { place } = cursor.token;
  const url = cursor.acceptTitle();
  if (url === undefined) cursor.fail('unexpected', 'expected the quoted URL to redirect to');
  if (!/^(https?:\/\/[^\s/]+|\/)\S*$/i.test(url))
    cursor.report(
      'bad-value',
      `Found ${JSON.stringify(url)}, expected where to redirect to.`,
      place,
      'Write a URL such as "https://www.example/closed", or a path of the same site such as "/closed".',
    );
  return { kind: 'redirect', url, status: DEFAULT_REDIRECT_STATUS };
}

function parsePersonAction(cursor: Cursor, kind: PersonAction['kind']): PersonAction {
  const secret = kind === 'passphrase' ? { secret: cursor.expectName('a passphrase').name } : {};
  const page = kind === 'challenge' ? {} : parsePage(cursor);
  return { kind, ...secret, ...page, holdMs: cursor.accept('for') ? expectDuration(cursor) : DEFAULT_HOLD_MS };
}

/** A duration, whose unit is part of the word. */
export function expectDuration(cursor: Cursor): number {
  const durationMs = cursor.token.kind === 'bare' ? parseDuration(cursor.token.text) : undefined;
  if (durationMs === undefined)
    cursor.fail('bad-value', 'expected a duration such as 30s, 5m, 2h or 7d, at least one of its unit');
  cursor.next();
  return durationMs;
}

const MAX_COUNT = 1_000_000;

/** A whole number from 1. */
export function expectCount(cursor: Cursor, what: string): number {
  const { kind, text } = cursor.token;
  const count = kind === 'bare' && /^[1-9]\d{0,6}$/.test(text) ? Number(text) : Number.NaN;
  if (!(count <= MAX_COUNT)) cursor.fail('bad-value', `expected ${what}, a whole number from 1 to ${MAX_COUNT}`);
  cursor.next();
  return count;
}

function parseLimit(cursor: Cursor): LimitAction {
  const count = expectCount(cursor, 'how many requests pass');
  cursor.expect('per', 'and a duration');
  const windowMs = expectDuration(cursor);
  cursor.expect('by', 'and what requests are counted by ("by everyone" for one counter)');
  const keys = cursor.accept('everyone') ? [] : parseKeys(cursor);
  const isAcrossGates = cursor.accept('across');
  if (isAcrossGates) cursor.expect('gates', 'after "across"');
  const then = cursor.accept('then') ? parseThen(cursor) : defaultThen();
  const holdMs = cursor.accept('for') ? expectDuration(cursor) : undefined;
  return { kind: 'limit', count, windowMs, keys, isAcrossGates, then, ...(holdMs === undefined ? {} : { holdMs }) };
}

function parseThrottle(cursor: Cursor): ThrottleAction {
  const { kind, text } = cursor.token;
  const bytesPerSecond = kind === 'bare' && text.endsWith('/s') ? throttleBytes(text.slice(0, -2)) : undefined;
  if (bytesPerSecond === undefined)
    cursor.fail('bad-value', `expected a rate such as 2MB/s or 500kB/s, ${RANGE} a second`);
  cursor.next();
  const direction = cursor.accept('up') ? 'up' : 'down';
  if (direction === 'down') cursor.accept('down');
  cursor.expect('by', 'and whose bytes are metered together ("by everyone" for all)');
  const keys = cursor.accept('everyone') ? [] : parseKeys(cursor);
  const isAcrossGates = cursor.accept('across');
  if (isAcrossGates) cursor.expect('gates', 'after "across"');
  const burstBytes = cursor.accept('burst') ? expectBurst(cursor) : bytesPerSecond;
  return { kind: 'throttle', bytesPerSecond, direction, keys, isAcrossGates, burstBytes };
}

const RANGE = `from 1 to ${MAX_THROTTLE_BYTES} bytes`;

function throttleBytes(text: string): number | undefined {
  const bytes = parseBytes(text);
  return bytes !== undefined && bytes <= MAX_THROTTLE_BYTES ? bytes : undefined;
}

function expectBurst(cursor: Cursor): number {
  const bytes = cursor.token.kind === 'bare' ? throttleBytes(cursor.token.text) : undefined;
  if (bytes === undefined) cursor.fail('bad-value', `expected a size such as 10MB, ${RANGE}`);
  cursor.next();
  return bytes;
}

function defaultThen(): BlockAction {
  return { kind: 'block', status: DEFAULT_LIMIT_STATUS };
}

function parseThen(cursor: Cursor): BlockAction | RedirectAction {
  return cursor.expectOneOf(['block', 'redirect'] as const, 'what happens beyond the limit') === 'block'
    ? parseBlock(cursor, DEFAULT_LIMIT_STATUS)
    : parseRedirect(cursor);
}

function parseKeys(cursor: Cursor): LimitKey[] {
  const keys = [parseKey(cursor)];
  while (cursor.accept(',')) keys.push(parseKey(cursor));
  return keys;
}

function parseKey(cursor: Cursor): LimitKey {
  if (cursor.accept('client')) {
    if (cursor.accept('exact')) return { kind: 'client', bits4: 32, bits6: 128 };
    if (!cursor.token.text.startsWith('/') || cursor.token.kind !== 'bare')
      return { kind: 'client', ...DEFAULT_CLIENT_BITS };
    return { kind: 'client', bits4: expectBits(cursor, 32, 'IPv4'), bits6: expectBits(cursor, 128, 'IPv6') };
  }
  if (cursor.sees('everyone'))
    cursor.fail('unexpected', 'expected another key', '"everyone" is one counter for all, so no key goes with it.');
  const { field, parameter } = parseField(cursor, KEY_FIELDS);
  if (field === 'query' && parameter === undefined)
    cursor.fail('unexpected', 'expected the quoted name of a parameter');
  return { kind: 'field', field, ...(parameter === undefined ? {} : { parameter }) };
}

function expectBits(cursor: Cursor, max: number, family: string): number {
  const { kind, text } = cursor.token;
  const bits = kind === 'bare' && /^\/(0|[1-9]\d{0,2})$/.test(text) ? Number(text.slice(1)) : Number.NaN;
  if (!(bits <= max))
    cursor.fail('bad-value', `expected the bits of an ${family} network, /0 to /${max}`, 'Write both: client /24 /56.');
  cursor.next();
  return bits;
}

export function printAction(action: Action): string {
  switch (action.kind) {
    case 'allow':
      return action.isOutright ? 'allow outright' : 'allow';
    case 'block':
      return printBlock(action, DEFAULT_BLOCK_STATUS);
    case 'redirect':
      return printRedirect(action);
    case 'warn':
    case 'passphrase':
    case 'challenge':
      return [
        action.kind,
        ...(action.secret === undefined ? [] : [action.secret]),
        ...printPage(action.page),
        ...(action.holdMs === DEFAULT_HOLD_MS ? [] : [`for ${printDuration(action.holdMs)}`]),
      ].join(' ');
    case 'limit':
      return printLimit(action);
    case 'throttle':
      return printThrottle(action);
    case 'tag':
      return `tag ${action.tags.join(', ')}`;
    case 'observe':
      return 'observe';
  }
}

export function printEnding(ending: FenceStatement['otherwise']): string {
  if (ending.kind === 'block') return printBlock(ending, DEFAULT_BLOCK_STATUS);
  return ending.kind === 'redirect' ? printRedirect(ending) : ending.kind;
}

function printBlock({ status, page }: BlockAction, defaultStatus: number): string {
  return ['block', ...(status === defaultStatus ? [] : [String(status)]), ...printPage(page)].join(' ');
}

function printPage(page: Reference | undefined): string[] {
  return page ? [`page ${page.name}`] : [];
}

function printRedirect({ url, status }: RedirectAction): string {
  return `redirect ${JSON.stringify(url)}${status === DEFAULT_REDIRECT_STATUS ? '' : ` ${status}`}`;
}

function printLimit({ count, windowMs, keys, isAcrossGates, then, holdMs }: LimitAction): string {
  const isDefault = then.kind === 'block' && then.status === DEFAULT_LIMIT_STATUS && !then.page;
  return [
    `limit ${count} per ${printDuration(windowMs)} by`,
    keys.length === 0 ? 'everyone' : keys.map(printKey).join(', '),
    ...(isAcrossGates ? ['across gates'] : []),
    ...(isDefault
      ? []
      : [`then ${then.kind === 'block' ? printBlock(then, DEFAULT_LIMIT_STATUS) : printRedirect(then)}`]),
    ...(holdMs === undefined ? [] : [`for ${printDuration(holdMs)}`]),
  ].join(' ');
}

function printThrottle({ bytesPerSecond, direction, keys, isAcrossGates, burstBytes }: ThrottleAction): string {
  return [
    `throttle ${printBytes(bytesPerSecond)}/s`,
    ...(direction === 'up' ? ['up'] : []),
    `by ${keys.length === 0 ? 'everyone' : keys.map(printKey).join(', ')}`,
    ...(isAcrossGates ? ['across gates'] : []),
    ...(burstBytes === bytesPerSecond ? [] : [`burst ${printBytes(burstBytes)}`]),
  ].join(' ');
}

export function printKey(key: LimitKey): string {
  if (key.kind === 'field') return printField(key.field, key.parameter);
  const { bits4, bits6 } = key;
  if (bits4 === DEFAULT_CLIENT_BITS.bits4 && bits6 === DEFAULT_CLIENT_BITS.bits6) return 'client';
  return bits4 === 32 && bits6 === 128 ? 'client exact' : `client /${bits4} /${bits6}`;
}
