import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { ServiceClient } from '@jadefence/contract';
import pg from 'pg';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { jadefence, type Ran } from './jadefence.js';
import { importInto, importTable, startTestService, type TestService } from './service.js';

let service: TestService;
let client: ServiceClient;
beforeEach(async () => {
  service = await startTestService({ JADEFENCE_CHECKPOINT_SECONDS: '0' });
  client = service.client;
  await importTable(client, Buffer.from('198.18.0.0/16,NO\n198.19.0.0/16,SE\n'));
  await importInto(client, fences(BEFORE));
  await client.publish({ note: 'first' }, (await client.draft()).version);
  await importInto(client, fences(AFTER));
  await client.importLog({ name: 'day' }, new TextEncoder().encode(LOG));
});
afterEach(() => service.stop());

const run = (...args: string[]): Promise<Ran> =>
  jadefence(args, { env: { JADEFENCE_URL: service.address, JADEFENCE_TOKEN: service.token } });

const fences = (rules: string) => ({
  fenceFiles: [
    {
      path: 'site.fence',
      text: `gate shop inbound { hosts shop.example fences desk otherwise allow }\nfence desk enforce "Desk" {\n${rules}\n}\n`,
    },
  ],
  namedFiles: [],
});
const BEFORE = '  rule login block when path under /login\n  rule odd block 451 when method = PUT';
const AFTER =
  '  rule abroad block when country = SE\n  rule login allow when path under /login\n  rule puts block 451 when method = PUT';

const row = (second: number, client: string, method: string, path: string): string =>
  `shop.example ${client} - - [12/Oct/2026:10:00:${String(second).padStart(2, '0')} +0000] "${method} ${path} HTTP/1.1" 200 5 "-" "-"\n`;
const LOG = [
  row(0, '198.18.1.1', 'GET', '/'),
  row(1, '198.18.1.1', 'GET', '/login'),
  row(2, '198.19.1.1', 'GET', '/login'),
  row(3, '198.19.1.1', 'GET', '/'),
  row(4, '198.18.1.2', 'PUT', '/x'),
  row(5, '198.18.1.2', 'GET', '/login/again'),
].join('');

describe('a comparison', () => {
  it('reports which requests change, from what to what, and because of which rules', async () => {
    const { stdout, exitCode } = await run('compare', 'day', '--before', '1');
    expect(exitCode).toBe(0);
    expect(stdout).toBe(
      [
        'Comparison 1 of "day": revision 1, then the draft',
        '3 of 6 requests change (50.0%), 2 more are decided by another rule',
        '',
        'before \\ after  allowed  blocked',
        'allowed               1        1',
        'blocked               2        2',
        '',
        'group  requests               before                     after',
        '    1         2  changes      blocked 403 by desk/login  allowed by desk/login',
        '    2         1  changes      allowed by shop otherwise  blocked 403 by desk/abroad',
        '    3         1  same, moved  blocked 403 by desk/login  blocked 403 by desk/abroad',
        '    4         1  same, moved  blocked 451 by desk/odd    blocked 451 by desk/puts',
        '',
      ].join('\n') + stdout.slice(stdout.indexOf('\nline')),
    );
    const result = await client.comparisonResult(1);
    expect(result.breakdowns.find(({ by }) => by === 'country')!.values).toEqual([
      { value: 'NO', requests: 2, stopped: 0, outcomes: { allowed: 2 } },
      { value: 'SE', requests: 1, stopped: 1, outcomes: { blocked: 1 } },
    ]);
  });

  it('lists the requests, of one group or all, with the earlier outcome', async () => {
    await run('compare', 'day', '--before', '1');
    const { rows, total } = await client.changes(1, { offset: 1, limit: 1 });
    expect([total, rows.map(({ line, before, after }) => [line, before.outcome, after.outcome])]).toEqual([
      3,
      [[4, 'allowed', 'blocked']],
    ]);
    const listed = await run('compare', '1', '--before', '1', '--output', 'csv');
    expect(listed.stdout.split('\n').slice(0, 3)).toEqual([
      'line,time,client,country,method,host,path,before,before status,before reason,before redirect,before by,after,after status,after reason,after redirect,after by',
      '2,2026-10-12T10:00:01.000Z,198.18.1.1,NO,GET,shop.example,/login,blocked,403,,,desk/login,allowed,,,,desk/login',
      '4,2026-10-12T10:00:03.000Z,198.19.1.1,SE,GET,shop.example,/,allowed,,,,shop otherwise,blocked,403,,,desk/abroad',
    ]);
    const moved = await run('compare', '1', '--before', '1', '--group', '4', '--output', 'ndjson');
    expect(
      moved.stdout
        .trimEnd()
        .split('\n')
        .map((line) => JSON.parse(line) as object),
    ).toMatchObject([
      { 'jade.line': 5, 'jade.rule': 'puts', 'jade.before': { outcome: 'blocked', rule: 'odd', status: 451 } },
    ]);
    // The replays of the first comparison are used again.
    expect(await client.replays()).toHaveLength(2);
  });

  it('of a side that cannot be judged, or an unknown group, is refused', async () => {
    await run('compare', 'day', '--before', '1');
    expect(await run('compare', 'day', '--before', '7')).toMatchObject({
      exitCode: 2,
      stderr: expect.stringContaining('There is no revision 7.') as string,
    });
    expect(await run('compare', 'day', '--before', '1', '--group', '9')).toMatchObject({
      exitCode: 2,
      stderr: 'There is no group 9.\nThey are numbered from 1 to 4.\n',
    });
    await expect(client.changes(1, { offset: 0, limit: 1, group: 9 })).rejects.toThrow('Comparison 1 has no group 9');
  });
});

describe('a replay', () => {
  it('is of a span of time, whose bounds are those of the requests that are judged and explained', async () => {
    const args = ['--from', '2026-10-12T10:00:01Z', '--to', '2026-10-12T10:00:05Z', '--output', 'json'];
    const started = await run('replay', 'start', 'day', ...args);
    const { id } = JSON.parse(started.stdout) as { id: number };
    const { summary, requests } = await client.replayResult(id);
    expect([requests, summary.requests]).toEqual([4, 4]);
    const { rows, total } = await client.decisions(id, { offset: 0, limit: 10 });
    expect([total, rows.map(({ line }) => line)]).toEqual([4, [2, 3, 4, 5]]);
    const { total: filtered } = await client.decisions(id, { offset: 0, limit: 10, where: 'method = GET' });
    expect(filtered).toBe(3);
    await expect(client.explanation(id, 0)).rejects.toThrow('Row 0 lies outside the span');
    expect((await client.explanation(id, 1)).decision.rule).toBe('login');
    expect(await run('replay', 'start', 'day', '--from', '2026-10-13', '--to', '2026-10-12')).toMatchObject({
      exitCode: 2,
      stderr: 'The end of the time range is before its start.\n',
    });
  });

  it('is against a folder, which leaves the draft alone', async () => {
    const folder = join(service.folder, 'other');
    mkdirSync(folder);
    writeFileSync(join(folder, 'x.fence'), fences('  rule all block when always').fenceFiles[0]!.text);
    const { version } = await client.draft();
    const started = await run('replay', 'start', 'day', '--fences', folder);
    expect(started.stdout).toMatch(/against the fences of other is done: 6 requests/);
    const [latest] = await client.replays();
    expect([latest!.folder, latest!.revision]).toEqual(['other', null]);
    expect((await client.replayResult(latest!.id)).summary.outcomes).toMatchObject([
      { outcome: 'blocked', requests: 6 },
    ]);
    expect((await client.draft()).version).toBe(version);
    writeFileSync(join(folder, 'x.fence'), 'fence broken {');
    expect((await run('replay', 'start', 'day', '--fences', folder)).exitCode).toBe(2);
  });

  describe('of many requests', () => {
    const NUM_REQUESTS = 400_000;
    let logId: number;
    beforeEach(async () => {
      const lines = Array.from({ length: NUM_REQUESTS }, (_, index) => {
        const time = new Date(Date.UTC(2026, 9, 12) + index * 100).toISOString();
        return `${time},198.18.${index % 7}.${index % 250},shop.example,/p${index % 9000}\n`;
      });
      // Two stretches of time are the wrong way round.
      const mixed = [...lines.slice(0, 100_000), ...lines.slice(200_000), ...lines.slice(100_000, 200_000)];
      const bytes = new TextEncoder().encode(`time,client,host,path\n${mixed.join('')}`);
      ({ id: logId } = await client.importLog({ name: 'long' }, bytes));
      await importInto(
        client,
        fences('  rule pace limit 2 per 1m by client when always\n  rule rest allow when path under /p1'),
      );
    }, 60_000);

    it('goes on after a restart from where it was, and has the same result', async () => {
      const whole = await client.startReplay({ logId });
      await client.followReplay(whole.id, () => undefined);
      const cut = await client.startReplay({ logId });
      const db = new pg.Client({ connectionString: service.databaseUrl });
      await db.connect();
      // The database ends before the test file does.
      db.on('error', () => undefined);
      const doneAt = async (): Promise<number> => {
        const { rows } = await db.query<{ n: string }>(
          'select count(*) as n from replay_checkpoints where replay_id = $1',
          [cut.id],
        );
        return Number(rows[0]!.n);
      };
      await expect.poll(doneAt, { timeout: 30_000, interval: 5 }).toBe(1);
      client = await service.killAndRestart();
      const dones: number[] = [];
      const end = await client.followReplay(cut.id, ({ requestsDone }) => dones.push(requestsDone));
      expect(end).toMatchObject({ state: 'done', requestsDone: NUM_REQUESTS });
      const expected = Object.values(end.partial!.outcomes).reduce((sum, requests) => sum + requests, 0);
      expect(expected).toBe(NUM_REQUESTS);
      expect(Math.min(...dones)).toBeGreaterThan(0);
      const [one, other] = await Promise.all([whole.id, cut.id].map((id) => client.replayResult(id)));
      expect(other!.summary).toEqual(one!.summary);
      expect(other!.timeline).toEqual(one!.timeline);
      const { rows } = await db.query<{ n: string }>(
        'select count(*) as n from replay_chunks a join replay_chunks b using (chunk) where a.replay_id = $1 and b.replay_id = $2 and a.checksum = b.checksum',
        [whole.id, cut.id],
      );
      expect(Number(rows[0]!.n)).toBe(Math.ceil(NUM_REQUESTS / 65_536));
      await db.end();
    }, 120_000);

    it('can be cancelled, and then keeps nothing', async () => {
      const { id } = await client.startReplay({ logId });
      await expect.poll(async () => (await client.replay(id)).state, { timeout: 15_000, interval: 5 }).toBe('running');
      expect((await client.cancelReplay(id)).state).toBe('cancelled');
      expect((await client.followReplay(id, () => undefined)).state).toBe('cancelled');
      const again = await run('replay', 'cancel', String(id));
      expect(again).toMatchObject({ exitCode: 2, stderr: `Replay ${id} is cancelled already.\n` });
      await expect(client.replayResult(id)).rejects.toThrow('is cancelled');
    }, 60_000);
  });
});
