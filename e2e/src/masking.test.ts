/** Masked values are in nothing that leaves the service, and change no decision. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ServiceClient } from '@jadefence/contract';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { setUpDesk, type Desk } from './fixture.js';

const FENCES = `list proxies addresses { 203.0.113.0/26 }
gate shop inbound {
  hosts shop.example
  client from header x-forwarded-for trusting proxies
  fences pace, desk
  otherwise allow
}
fence pace trial { rule often limit 3 per 1m by client, header "x-account" when always }
fence desk enforce {
  rule account block when header "x-account" ends -77 and path under /orders
  rule session block when cookie "sid" starts s3
  rule key block when query "key" != open
  rule signed-in allow when user present
}
`;
const CLIENTS = ['198.51.100.7', '198.51.100.201', '2001:db8:77:1::9'];
const SECRETS = [...CLIENTS, 'ada.lovelace', 'A-77', 's3cret-sid', 's3cret-key'];
const MASKS = 'client=shorten,user=pseudonym,header "x-account"=hide,cookie "sid"=hide,query "key"=hide';

/** Every value of a request is also where nothing expects it: in the path, the agent, the referrer. */
const LOG = Array.from({ length: 60 }, (_, index) => {
  const client = CLIENTS[index % 3]!;
  const [user, account] = [index % 3 === 0 ? 'ada.lovelace' : undefined, index % 2 === 0 ? 'A-77' : 'B-1'];
  return JSON.stringify({
    'timestamp': new Date(Date.UTC(2026, 9, 12, 10, 0, index)).toISOString(),
    'network.peer.address': '203.0.113.9',
    'url.full': `https://shop.example${index % 5 === 0 ? '/orders' : `/of/${user ?? 'all'}/${index}`}?key=${index % 7 === 0 ? 's3cret-key' : 'open'}&from=${encodeURIComponent(client)}`,
    'http.request.method': 'GET',
    'http.response.status_code': index % 4 === 0 ? 429 : 200,
    'http.request.header.x-forwarded-for': [`${client}, 203.0.113.8`],
    'http.request.header.x-account': [account],
    'http.request.header.cookie': [index % 11 === 0 ? 'theme=dark; sid=s3cret-sid' : 'sid=other'],
    'http.request.header.referer': [`https://shop.example/?account=${account}`],
    'user_agent.original': `mail of ${user ?? 'all'} from ${client}`,
    ...(user ? { 'user.name': user } : {}),
  });
}).join('\n');

let desk: Desk;
let masked: ServiceClient;
let trueToken: string;
beforeAll(async () => {
  desk = await setUpDesk();
  writeFileSync(join(desk.folder, 'site.fence'), FENCES);
  writeFileSync(join(desk.folder, 'day.ndjson'), `${LOG}\n{"broken": "198.51.100.7 ada.lovelace\n`);
  await desk.run('fence', 'import', 'site.fence', '--yes');
  await desk.run('log', 'import', 'day.ndjson');
  await desk.run('publish', '--note', 'first');
  await desk.run('replay', 'start', '1', '--against', '1');
  await desk.run('replay', 'start', '1', '--against', 'draft');
  trueToken = (
    await desk.run('admin', 'token', 'create', 'true', '--scope', 'administrator', '--unmask')
  ).stdout.trim();
  masked = new ServiceClient({ baseUrl: desk.service.address, token: desk.token });
});
afterAll(() => desk.clear());

async function answer(path: string, token: string, body?: object): Promise<{ status: number; text: string }> {
  const response = await fetch(`${desk.service.address}/api/v1${path}`, {
    headers: { 'authorization': `Bearer ${token}`, 'content-type': 'application/json' },
    ...(body ? { method: 'POST', body: JSON.stringify(body) } : {}),
  });
  return { status: response.status, text: await response.text() };
}

/** Those of the secrets that a text has; rules name some values, so those of their text are no find. */
function found(text: string): string[] {
  return SECRETS.filter((secret) => text.includes(secret));
}

const ANSWERS: [path: string, body?: object][] = [
  ['/logs'],
  ['/logs/1'],
  ['/logs/1/survey'],
  ['/replays'],
  ['/replays/1/protected'],
  ['/replays/1/decisions?limit=100'],
  ['/replays/1/recorded'],
  ['/replays/1/recorded/requests?limit=50'],
  ['/fences/pace/readiness'],
  ['/audit?limit=100'],
  ['/logs/1/limit-advice', { by: 'client, header "x-account"', within: '1m', gate: 'shop' }],
];

describe('masking', () => {
  it('is set by command, shown, and kept in the audit trail', async () => {
    const before = await desk.run('replay', 'export', '1', 'true.ndjson', '--format', 'ndjson');
    expect(before.exitCode).toBe(0);
    const { stdout } = await desk.run('masking', 'set', ...MASKS.split(','));
    expect(stdout).toBe(`Masked: ${MASKS.replaceAll(',', ', ')}.\n`);
    const { entries } = JSON.parse((await answer('/audit?limit=1', desk.token)).text) as { entries: object[] };
    expect(entries[0]).toMatchObject({ what: 'masking.set', detail: { masks: MASKS.split(',') } });
  });

  it.each(ANSWERS)('shows no masked value in %s, which has some for who sees true values', async (path, body) => {
    const shown = await answer(path, desk.token, body);
    expect([path, shown.status, found(shown.text)]).toEqual([path, 200, []]);
    expect((await answer(path, trueToken, body)).status).toBe(200);
  });

  it('masks explanations, but not what rules are written with', async () => {
    for (let row = 0; row < 8; row += 1) {
      const { text } = await answer(`/replays/1/decisions/${row}/explanation`, desk.token);
      expect([row, found(text)]).toEqual([row, []]);
    }
  });

  it('masks results, and adds up what is the same then', async () => {
    const { summary, masked: note } = await masked.replayResult(1);
    expect(note).toBe(MASKS.replaceAll(',', ', '));
    const clients = summary.breakdowns.find(({ by }) => by === 'client')!.values;
    expect(clients.map(({ value, requests }) => [value, requests])).toEqual([
      ['198.51.100.0/24', 40],
      ['2001:db8:77::/48', 20],
    ]);
    expect(found(JSON.stringify({ ...summary, fences: [] }))).toEqual([]);
  });

  it('refuses answers whose sentences name masked values', async () => {
    for (const [path, body] of [
      ['/replays/1/findings', undefined],
      ['/replays/1/suggestions', { stop: 'path under /orders' }],
    ] as const) {
      const { status, text } = await answer(path, desk.token, body);
      expect([path, status, found(text)]).toEqual([path, 403, []]);
      expect((await answer(path, trueToken, body)).status).toBe(200);
    }
  });

  it('exports the same decisions, apart from masked fields', async () => {
    const [plain, hidden] = await Promise.all(
      [trueToken, desk.token].map(async (token) => {
        const { text } = await answer('/replays/1/decisions?limit=100', token);
        return (JSON.parse(text) as { rows: { record: Record<string, unknown> }[] }).rows.map(({ record }) => record);
      }),
    );
    const decided = (records: typeof plain): string[] =>
      records!.map((record) =>
        JSON.stringify(Object.entries(record).filter(([name]) => name.startsWith('jade.') && name !== 'jade.client')),
      );
    expect(decided(hidden)).toEqual(decided(plain));
    expect(hidden!.map((record) => Object.keys(record))).toEqual(plain!.map((record) => Object.keys(record)));
    expect(new Set(hidden!.flatMap((record) => record['user.name'] ?? [])).size).toBe(1);
  });

  it('lets filters see masked values only, so that no trying finds a true one', async () => {
    const count = async (where: string, token: string): Promise<number> => {
      const { text } = await answer(`/replays/1/decisions?where=${encodeURIComponent(where)}`, token);
      return (JSON.parse(text) as { total: number }).total;
    };
    const filters = [
      'client = 198.51.100.7',
      'client in 198.51.100.128/25',
      'user = ada.lovelace',
      'header "x-account" = A-77',
      'cookie "sid" starts s3',
      'query "key" = s3cret-key',
      'query contains s3cret',
      'header "x-forwarded-for" contains "198.51.100.7"',
    ];
    for (const where of filters) expect([where, await count(where, desk.token)]).toEqual([where, 0]);
    for (const where of filters) expect([where, (await count(where, trueToken)) > 0]).toEqual([where, true]);
    // What is shown can be filtered by, together with what is not masked.
    expect(await count('client in 198.51.100.0/24', desk.token)).toBe(40);
    expect(await count('client in 198.51.100.0/24 and path = /orders', desk.token)).toBe(8);
  });

  it('masks the report and the files that the command line writes', async () => {
    await desk.run('logout');
    expect((await desk.run('login', '--sign-in-file', join(desk.service.folder, 'sign-in'))).exitCode).toBe(0);
    const { readFileSync } = await import('node:fs');
    for (const args of [
      ['replay', 'export', '1', 'masked.ndjson', '--format', 'ndjson'],
      ['replay', 'report', '1', '--output', 'report.html'],
    ])
      expect([args, (await desk.run(...args)).exitCode]).toEqual([args, 0]);
    expect(found(readFileSync(join(desk.folder, 'masked.ndjson'), 'utf8'))).toEqual([]);
    const report = readFileSync(join(desk.folder, 'report.html'), 'utf8');
    expect(report).toContain('Masked in this report');
    expect(found(report.replaceAll(/<section[^>]*><h2>Rules.*?<\/section>/gs, ''))).toEqual([]);
  });

  it('of files is the same as of the service, and needs no service', async () => {
    const run = await desk.run(
      'judge',
      'day.ndjson',
      '--fences',
      'site.fence',
      '--output',
      'ndjson',
      '--mask',
      MASKS,
      '--mask-key',
      'key.hex',
    );
    expect(run.stderr).toContain('key.hex');
    writeFileSync(join(desk.folder, 'key.hex'), `${'0f'.repeat(32)}\n`);
    const [shown, plain] = await Promise.all(
      [['--mask', MASKS, '--mask-key', 'key.hex'], []].map((masks) =>
        desk.run('judge', 'day.ndjson', '--fences', 'site.fence', '--output', 'ndjson', ...masks),
      ),
    );
    expect(found(shown!.stdout)).toEqual([]);
    const outcomes = (text: string): unknown[] =>
      text
        .trim()
        .split('\n')
        .map((line) => {
          const record = JSON.parse(line) as Record<string, unknown>;
          return [record['jade.line'], record['jade.outcome'], record['jade.would'], record['jade.rule']];
        });
    expect(outcomes(shown!.stdout)).toEqual(outcomes(plain!.stdout));
    const summary = await desk.run(
      'judge',
      'day.ndjson',
      '--fences',
      'site.fence',
      '--output',
      'json',
      '--mask',
      MASKS,
    );
    expect(found(JSON.stringify({ ...(JSON.parse(summary.stdout) as object), fences: [] }))).toEqual([]);
  });

  it('is turned off in a session by an administrator, with a reason, for a while', async () => {
    const { signIn, address } = desk.service;
    const begun = await fetch(`${address}/api/v1/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: signIn.name, password: signIn.password }),
    });
    const cookie = begun.headers.get('set-cookie')!.split(';')[0]!;
    const inSession = (method: string, path: string, body?: object): Promise<Response> =>
      fetch(`${address}/api/v1${path}`, {
        method,
        headers: { cookie, 'content-type': 'application/json' },
        ...(body ? { body: JSON.stringify(body) } : {}),
      });
    const first = async (): Promise<string> => (await inSession('GET', '/replays/1/decisions?limit=3')).text();
    expect(found(await first())).toEqual([]);
    expect((await inSession('POST', '/session/unmask', { minutes: 5, reason: 'a complaint' })).status).toBe(200);
    expect(await first()).toContain('198.51.100.7');
    expect(await (await inSession('GET', '/audit?limit=1')).json()).toMatchObject({
      entries: [{ what: 'unmask', detail: { minutes: 5, reason: 'a complaint' } }],
    });
    await inSession('DELETE', '/session/unmask');
    expect(found(await first())).toEqual([]);
  });

  it.each([
    [{ field: 'clint', method: 'hide' }, 'field must be one of'],
    [{ field: 'user', method: 'shorten' }, 'does not fit user'],
    [{ field: 'header', method: 'hide' }, 'lacks a name'],
  ])('refuses %j', async (mask, message) => {
    const response = await fetch(`${desk.service.address}/api/v1/masking`, {
      method: 'PUT',
      headers: { 'authorization': `Bearer ${desk.token}`, 'content-type': 'application/json' },
      body: JSON.stringify({ masks: [mask] }),
    });
    expect(response.status).toBe(422);
    expect(await response.text()).toContain(message);
  });
});
