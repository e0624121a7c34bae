/** Calls of the whole API that are fine, so that each part of each can be exchanged for what is not. */
import type { ServiceClient } from '@jadefence/contract';
import { FENCES, LOG } from './fixture.js';
import { importInto } from './service.js';

/** Brings in what the calls are about. */
export async function prepareService(client: ServiceClient): Promise<void> {
  await importInto(client, { fenceFiles: [{ path: 'site.fence', text: FENCES }], namedFiles: [] });
  await client.publish({ note: 'first' }, (await client.draft()).version);
  await client.importLog({ name: 'day' }, new TextEncoder().encode(LOG));
  for (const start of [
    () => client.startReplay({ logId: 1 }),
    () => client.startReplay({ logId: 1, against: 'draft' }),
  ])
    await client.followReplay((await start()).id, () => undefined);
  const { id } = await client.startComparison({ logId: 1, before: 1, after: 'draft' });
  await client.followComparison(id, () => undefined);
}

/** A call of the API. */
export interface Call {
  readonly method: string;
  readonly path: string;
  readonly query?: Readonly<Record<string, string>>;
  readonly body?: unknown;
}

const call = (method: string, path: string, rest: Omit<Call, 'method' | 'path'> = {}): Call => ({
  method,
  path,
  ...rest,
});
const edit = (item: object): Call => call('POST', '/draft/edits/preview', { body: { edits: [item] } });

/** Calls that are fine, on the service that `prepareService` makes. */
export const CALLS: readonly Call[] = [
  call('GET', '/audit', { query: { offset: '0', limit: '5' } }),
  call('GET', '/draft/steps'),
  call('GET', '/draft/findings'),
  call('GET', '/revisions/1'),
  call('GET', '/revisions/1/files'),
  call('GET', '/revisions/diff', { query: { from: '1', to: 'draft' } }),
  call('GET', '/lists/team'),
  call('GET', '/lists/team/lookup', { query: { value: '198.18.4.7' } }),
  call('GET', '/logs/1'),
  call('GET', '/logs/1/survey'),
  call('GET', '/countries', { query: { log: '1' } }),
  call('GET', '/countries/lookup', { query: { value: '198.18.4.7' } }),
  call('GET', '/categories/lookup', { query: { value: 'shop.example' } }),
  call('GET', '/datasets', { query: { kind: 'country' } }),
  call('GET', '/datasets/1'),
  call('GET', '/corrections/country'),
  call('GET', '/replays/1/result'),
  call('GET', '/replays/1/decisions', {
    query: { offset: '0', limit: '5', outcome: 'blocked', where: 'path under /login' },
  }),
  call('GET', '/replays/1/decisions/3/explanation'),
  call('GET', '/comparisons/1/changes', { query: { offset: '0', limit: '5', group: '0' } }),
  call('POST', '/replays', {
    body: { logId: 1, gate: 'shop', against: 1, held: 'continue', fromUnixMs: 0, toUnixMs: 1_791_799_210_000 },
  }),
  call('POST', '/replays', {
    body: { logId: 1, folder: 'fences', fences: { fenceFiles: [{ path: 'a.fence', text: FENCES }], namedFiles: [] } },
  }),
  call('POST', '/replays/1/cancel'),
  call('POST', '/comparisons', {
    body: { logId: 1, before: 1, after: 'draft', gate: 'shop', held: 'continue', fromUnixMs: 0, toUnixMs: 9e12 },
  }),
  call('POST', '/logs/1/matches', { body: { text: 'rule x block when path under /login', fence: 'desk' } }),
  call('POST', '/try', {
    body: {
      client: '198.18.4.7',
      url: 'https://shop.example/',
      method: 'GET',
      at: '2026-10-12T10:00:00Z',
      against: 1,
      headers: [{ name: 'x-one', value: 'two' }],
      user: 'kari',
      peer: '198.18.4.9',
    },
  }),
  call('POST', '/applications/identify', {
    body: { url: 'https://shop.example/', port: 443, transport: 'tcp', agent: 'Heron/1', payload: '16 03 01' },
  }),
  call('POST', '/draft/files/preview', {
    body: {
      fenceFiles: [{ path: 'a.fence', text: FENCES }],
      namedFiles: [{ path: 'pages/a.html', text: 'x' }],
      isMerge: true,
    },
  }),
  edit({ kind: 'put', text: 'list more addresses { 198.18.9.1 }' }),
  edit({ kind: 'rename', part: 'list', name: 'team', to: 'crew' }),
  edit({ kind: 'add-rule', fence: 'desk', text: 'rule x block when always', position: { at: 'above', name: 'login' } }),
  edit({
    kind: 'set-rule',
    fence: 'desk',
    rule: 'login',
    state: 'off',
    until: '2026-12-31',
    owner: 'kari',
    reason: 'x',
  }),
  edit({ kind: 'edit-list', list: 'team', add: ['198.18.5.1'], remove: ['198.18.4.0/24'] }),
  edit({ kind: 'attach', gate: 'shop', fence: 'desk', position: { at: 'top' } }),
  edit({ kind: 'put-file', path: 'pages/a.html', text: 'x' }),
  edit({ kind: 'start-from', startingPoint: 'public-api' }),
  call('POST', '/revisions', { body: { note: 'again', isForced: true, only: [{ part: 'fence', name: 'desk' }] } }),
  call('POST', '/revisions/1/restore', { body: { note: 'back' } }),
  call('PUT', '/passphrases/door', { body: { passphrase: 'open sesame' } }),
  call('PUT', '/corrections/country', { body: { key: '198.18.4.0/24', value: 'NO', reason: 'a desk' } }),
  call('PUT', '/corrections/category', { body: { key: 'shop.example', value: 'sport', reason: 'a desk' } }),
  call('DELETE', '/corrections/country', { query: { key: '198.18.4.0/24' } }),
  call('PUT', '/categories/feeds', { body: { names: ['one'] } }),
  call('DELETE', '/categories/feeds/one'),
  call('PUT', '/sources/category/feed', {
    body: {
      locations: ['https://feeds.example/a.csv'],
      everyMinutes: 60,
      category: 'sport',
    },
  }),
  call('DELETE', '/sources/category/feed'),
  call('POST', '/datasets/1/activate', { body: { isConfirmed: true } }),
  call('POST', '/tokens', { body: { name: 'x', scope: 'viewer', expiresInDays: 1 } }),
  call('DELETE', '/tokens/999'),
  call('POST', '/users/stranger/password-reset'),
  call('POST', '/logs', {
    query: { name: 'x', format: 'combined', host: 'shop.example', zone: 'UTC', year: '2026' },
    body: 'x',
  }),
];

/** Texts that break what was written in haste. */
export const ODD_TEXTS = [
  '',
  '0',
  '-1',
  '1.5',
  '2147483648',
  '99999999999999999999',
  'a\u0000b',
  '\ufffe',
  '../..',
  '%',
  '__proto__',
  'constructor',
  'x'.repeat(5000),
];
export const ODD_VALUES: readonly unknown[] = [
  ...ODD_TEXTS,
  '\ud800',
  null,
  true,
  0,
  -1,
  1.5,
  2 ** 31,
  2 ** 53,
  1e300,
  [],
  [null],
  {},
  { __proto__: null, toString: 1 },
];
