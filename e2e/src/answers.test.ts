/** Answers from logs, with a service and without one. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { LimitAdvice } from '@jadefence/core/advice';
import { ServiceClient, type FenceReadiness, type RecordedComparisonResult } from '@jadefence/contract';
import { parquetReadObjects } from 'hyparquet';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { setUpDesk, type Desk } from './fixture.js';

const TEXT = `list office addresses { 198.18.4.0/24 }
gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce {
  rule logins limit 3 per 1m by client when path = /login
  rule admin block when path = /admin
}
`;
const START = Date.UTC(2026, 9, 12, 8);

/** Lines of which every tenth is earlier than the one before, since logs are not always in the order of time. */
function logText(): string {
  const lines: string[] = [];
  const add = (seconds: number, client: string, path: string, status = 200): void => {
    const attributes = {
      'timestamp': new Date(START + seconds * 1000).toISOString(),
      'client.address': client,
      'http.request.method': 'GET',
      'http.request.header.host': ['shop.example'],
      'url.path': path,
      'http.response.status_code': status,
    };
    lines.push(JSON.stringify(attributes));
  };
  for (let second = 0; second < 600; second += 1) {
    const at = second % 10 === 0 ? second - 2 : second;
    add(at, `198.18.9.${second % 50}`, second % 3 === 0 ? '/login' : '/');
    if (second < 30) add(at, '198.18.9.200', '/login', second < 20 ? 403 : 200);
    if (second % 5 === 0) add(at, '198.18.4.7', '/login');
  }
  return `${lines.join('\n')}\n`;
}

let desk: Desk;
let client: ServiceClient;
beforeAll(async () => {
  desk = await setUpDesk();
  client = new ServiceClient({ baseUrl: desk.service.address, token: desk.token });
  writeFileSync(join(desk.folder, 'site.fence'), TEXT);
  writeFileSync(join(desk.folder, 'day.ndjson'), logText());
  await desk.run('fence', 'import', 'site.fence', '--yes');
  await desk.run('log', 'import', 'day.ndjson');
});
afterAll(() => desk.clear());

describe('limit advice', () => {
  const advise = async (...options: string[]) => desk.run('limit-advice', ...options, '--output', 'json');

  it.each([
    ['of a rule', ['--rule', 'desk/logins']],
    ['of keys and a window', ['--by', 'client', '--within', '1m', '--when', 'path = /login', '--spare', 'office']],
  ])('%s is the same from a stored log and from files', async (_, options) => {
    const stored = await advise('day.ndjson', ...options);
    const ofFiles = await advise('day.ndjson', '--fences', 'site.fence', ...options);
    expect([stored.exitCode, stored.stdout]).toEqual([0, ofFiles.stdout]);
    const advice = JSON.parse(stored.stdout) as LimitAdvice;
    expect(advice).toMatchObject({ keys: 52, requests: 350, peak: { max: 30 } });
    expect(advice.highest[0]).toMatchObject({ gate: 'shop', values: ['198.18.9.200'], peak: 30, requests: 30 });
    // As a replay with that count finds.
    const { requests } = advice.thresholds.find(({ count }) => count === 3)!;
    const { stdout } = await desk.run('judge', 'day.ndjson', '--fences', 'site.fence', '--output', 'json');
    const { outcomes } = JSON.parse(stdout) as { outcomes: { outcome: string; requests: number }[] };
    expect(outcomes).toContainEqual(expect.objectContaining({ outcome: 'limited', requests }));
  });

  it('suggests what spares a list', async () => {
    const { stdout } = await desk.run(
      ...['limit-advice', '1', '--by', 'client', '--within', '1m', '--when', 'path = /login', '--spare', 'office'],
    );
    expect(stdout).toContain('Suggested: 12, the lowest count that stops no spared client.');
    expect(stdout).toMatch(/shop +198\.18\.9\.200 +30 /);
  });

  it.each([
    [['--rule', 'desk/none'], 'There is no rule "desk/none".'],
    [['--by', 'client', '--within', '1m', '--spare', 'nowhere'], 'No list is named "nowhere".'],
    [['--by', 'client', '--within', '1m', '--when', 'pat = /x'], 'cannot be read'],
    [['--by', 'client'], 'Give a rule that limits, or keys and a window.'],
  ])('with %j is refused', async (options, message) => {
    for (const where of [[], ['--fences', 'site.fence']]) {
      const { exitCode, stderr } = await advise('day.ndjson', ...where, ...options);
      expect([exitCode, stderr]).toEqual([2, expect.stringContaining(message)]);
    }
    await expect(client.limitAdvice(1, { rule: 'desk/none', by: 'client' })).rejects.toThrow('Give a rule');
  });
});

describe('compared with what was recorded', () => {
  it('requests that one stops and the other does not are counted, grouped and listed', async () => {
    const { stdout } = await desk.run('compare', '1', '--before', 'recorded', '--stops', '403', '--output', 'json');
    const result = JSON.parse(stdout) as RecordedComparisonResult;
    // Of thirty attempts the first three pass by the limit; the log shows that the first twenty were stopped.
    expect(result.groups.filter(({ isDifferent }) => isDifferent)).toMatchObject([
      { recorded: 'passed', status: '200', after: { outcome: 'limited', fence: 'desk', rule: 'logins' } },
      { recorded: 'stopped', status: '403', after: { outcome: 'allowed', gate: 'shop' }, requests: 3 },
    ]);
    expect(result).toMatchObject({ newlyPassed: 3, matrix: { stopped: { allowed: 3, limited: 17 } } });
    const lines = await desk.run(
      ...['compare', '1', '--before', 'recorded', '--stops', '403', '--group', '2', '--output', 'ndjson'],
    );
    const records = lines.stdout
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as Record<string, unknown>);
    expect(records.map((record) => [record['client.address'], record['http.response.status_code']])).toEqual(
      Array(3).fill(['198.18.9.200', 403]),
    );
    const table = await desk.run('compare', 'day.ndjson', '--before', 'recorded');
    expect(table.stdout).toContain('0 were stopped and would pass');
  });

  it('a log without statuses, wrong statuses and wrong groups are refused', async () => {
    writeFileSync(join(desk.folder, 'bare.ndjson'), logText().replaceAll(/,"http.response.status_code":\d+/g, ''));
    await desk.run('log', 'import', 'bare.ndjson');
    const bare = await desk.run('compare', 'bare.ndjson', '--before', 'recorded');
    expect([bare.exitCode, bare.stderr]).toEqual([2, expect.stringContaining('has a status')]);
    for (const [options, message] of [
      [['--before', 'recorded', '--stops', '40'], 'Expected statuses from 100 to 599'],
      [['--before', 'recorded', '--group', '9'], 'There is no group 9.'],
      [['--before', 'draft', '--stops', '403'], '--stops is for --before recorded'],
    ] as const) {
      const { exitCode, stderr } = await desk.run('compare', '1', ...options);
      expect([exitCode, stderr]).toEqual([2, expect.stringContaining(message)]);
    }
  });
});

describe('protected clients', () => {
  const stops = (...options: string[]) => desk.run('judge', 'day.ndjson', '--fences', 'site.fence', ...options);

  it('that are stopped end a judgement of files with 1, before and after what is printed', async () => {
    const stopped = await stops('--protect', 'office', '--output', 'ndjson');
    expect(stopped.exitCode).toBe(1);
    // Each minute twelve attempts of the office, of which three pass.
    expect(stopped.stderr).toContain('requests of protected clients (list office) would be stopped:');
    expect(stopped.stderr).toMatch(/line \d+ {2}198\.18\.4\.7 {2}GET shop\.example\/login {2}limited by desk\/logins/);
    expect(stopped.stdout).toBe((await stops('--output', 'ndjson')).stdout);
    const unknown = await stops('--protect', 'ofice');
    expect([unknown.exitCode, unknown.stderr]).toEqual([2, expect.stringContaining('Did you mean "office"?')]);
  });

  it('that a replay stops are shown first, and keep from publishing unless that is forced', async () => {
    expect((await desk.run('list', 'protect', 'office')).exitCode).toBe(0);
    expect((await desk.run('replay', 'start', 'day.ndjson', '--against', 'draft')).exitCode).toBe(0);
    const { stdout } = await desk.run('replay', 'show');
    expect(stdout).toMatch(/^\d+ requests of protected clients \(list office\) would be stopped:\n.*198\.18\.4\.7/);
    const refused = await desk.run('publish', '--note', 'Start', '--yes');
    expect([refused.exitCode, refused.stderr]).toEqual([
      2,
      expect.stringContaining('of the list office, the first by desk/logins'),
    ]);
    expect((await desk.run('publish', '--note', 'Start', '--yes', '--force')).exitCode).toBe(0);
    const { entries } = await client.audit({ offset: 0, limit: 20 });
    expect(entries.find(({ what }) => what === 'revision.publish')!.detail).toMatchObject({
      protected: [{ list: 'office' }],
    });
  });
});

describe('the same without a service', () => {
  interface Suggested {
    readonly chosen: number;
    readonly rules: readonly object[];
  }
  const suggest = async (...options: string[]): Promise<Suggested> => {
    const { exitCode, stdout } = await desk.run('suggest', 'day.ndjson', ...options, '--output', 'json');
    expect(exitCode).toBe(0);
    const { chosen, rules } = JSON.parse(stdout) as Suggested;
    return { chosen, rules: rules.map((rule) => ({ ...rule, text: '', fence: '', edits: [] })) };
  };
  const FILES = ['--fences', 'site.fence'];

  it('rules are suggested, by a filter and by lines', async () => {
    const found = await suggest('--stop', 'recorded status = 403');
    expect(found.chosen).toBe(20);
    expect(found.rules[0]).toMatchObject({ action: 'block', condition: 'client = 198.18.9.200', stopped: 20 });
    const lines = logText()
      .split('\n')
      .flatMap((line, at) => (line.includes(':403') ? [`${at + 1}:${line}\n`] : []));
    writeFileSync(join(desk.folder, 'lines.txt'), lines.join(''));
    for (const options of [
      ['--stop-lines', 'lines.txt'],
      ['--stop', 'recorded status = 403', ...FILES],
      ['--stop-lines', 'lines.txt', ...FILES],
    ])
      expect(await suggest(...options)).toEqual(found);
  });

  it('findings are those of a replay', async () => {
    const { stdout } = await desk.run('judge', 'day.ndjson', ...FILES, '--findings', '--output', 'json');
    const { findings } = JSON.parse(stdout) as { findings: readonly object[] };
    const replay = await desk.run('replay', 'findings', '1', '--output', 'json');
    expect(findings).toEqual(JSON.parse(replay.stdout));
    expect(findings).toMatchObject([{ id: 'no-hits', rule: 'desk/admin' }]);
  });

  it.each([
    [['suggest', 'day.ndjson', '--stop-lines', 'site.fence'], 'site.fence:1: Found "list office'],
    [['suggest', 'day.ndjson'], 'Choose the requests to stop by a filter, or by their lines.'],
    [['suggest', 'day.ndjson', '--stop', 'path = /nowhere'], 'that a gate covers'],
    [['suggest', 'day.ndjson', '--stop', 'path = /nowhere', ...FILES], 'that a gate covers'],
    [['suggest', 'day.ndjson', '--stop', 'pth = /', ...FILES], '--stop:'],
    [['suggest', 'day.ndjson', '--stop', 'path = /', '--add', '1', ...FILES], '--add and --replay need a service.'],
    [['judge', 'day.ndjson', ...FILES, '--findings', '--output', 'csv'], '--findings shows what all'],
    [['fence', 'readiness', 'desk', '--log', 'day.ndjson'], 'Give log files together with --fences'],
    [['fence', 'readiness', 'dsk', '--log', 'day.ndjson', ...FILES], 'Did you mean "desk"?'],
  ])('%j is refused', async (options, message) => {
    const { exitCode, stderr } = await desk.run(...options);
    expect([exitCode, stderr]).toEqual([2, expect.stringContaining(message)]);
  });
});

describe('a matrix', () => {
  const matrix = (...options: string[]) =>
    desk.run(
      ...['matrix', '--clients', 'office', 'kari@198.18.9.1', '--to', 'shop.example/login', 'else.example'],
      ...['--at', '2026-10-12T10:00:00Z', ...options],
    );

  it('is the same from the draft and from files, and its cells are expectations', async () => {
    const [ofDraft, ofFiles] = [
      await matrix('--against', 'draft', '--output', 'csv'),
      await matrix('--fences', 'site.fence', '--output', 'csv'),
    ];
    expect([ofDraft.exitCode, ofDraft.stdout]).toEqual([0, ofFiles.stdout]);
    expect(ofDraft.stdout.split('\n').slice(0, 3)).toEqual([
      'client,user,list,to,time,outcome,status,gate,fence,rule',
      '198.18.4.0,,office,shop.example/login,2026-10-12T10:00:00.000Z,allowed,,shop,,',
      '198.18.4.0,,office,else.example,2026-10-12T10:00:00.000Z,uncovered,,,,',
    ]);
    expect(ofDraft.stderr).toContain('To shop.example/login none is stopped of these clients.');
    const { stdout } = await matrix('--output', 'fence', '--fences', 'site.fence');
    writeFileSync(join(desk.folder, 'expected.fence'), TEXT + stdout);
    expect((await desk.run('expect', '--fences', 'expected.fence')).exitCode).toBe(0);
    const wrong = await desk.run('matrix', '--clients', 'ofice', '--to', 'shop.example', '--fences', 'site.fence');
    expect([wrong.exitCode, wrong.stderr]).toEqual([2, expect.stringContaining('Did you mean "office"?')]);
  });
});

it('the rules for a client are the same from the draft and from files', async () => {
  const rulesFor = (...options: string[]) => desk.run('rules-for', '198.18.4.7', '--output', 'json', ...options);
  const [ofDraft, ofFiles] = [await rulesFor('--against', 'draft'), await rulesFor('--fences', 'site.fence')];
  expect([ofDraft.exitCode, ofDraft.stdout]).toEqual([0, ofFiles.stdout]);
  expect(JSON.parse(ofDraft.stdout)).toMatchObject([
    {
      gate: 'shop',
      rules: [
        { rule: 'desk/logins', needs: 'path = /login', takesAll: false },
        { rule: 'desk/admin', needs: 'path = /admin', takesAll: false },
      ],
    },
  ]);
  for (const where of [[], ['--fences', 'site.fence']])
    for (const [options, message] of [
      [['198.18.4'], 'Found "198.18.4", expected an address'],
      [['198.18.4.7', '--gate', 'shp'], 'Did you mean "shop"?'],
    ] as const) {
      const { exitCode, stderr } = await desk.run('rules-for', ...options, ...where);
      expect([exitCode, stderr]).toEqual([2, expect.stringContaining(message)]);
    }
});

describe('readiness', () => {
  it('a trial is judged by the latest replay of each log by the fence as it is', async () => {
    const ready = () => desk.run('fence', 'readiness', 'desk', '--output', 'json');
    const verdict = async () => {
      const { exitCode, stdout } = await ready();
      const { verdict: found, numEarlier, newlyStopped } = JSON.parse(stdout) as FenceReadiness;
      return [exitCode, found, numEarlier, newlyStopped];
    };
    await desk.run('list', 'protect', 'office');
    expect((await verdict()).slice(0, 2)).toEqual([0, 'nothing-in-trial']);
    await desk.run('fence', 'mode', 'desk', 'trial');
    expect((await verdict()).slice(0, 2)).toEqual([1, 'untried']);
    await desk.run('replay', 'start', 'day.ndjson', '--against', 'draft');
    const { stdout } = await desk.run('fence', 'readiness', 'desk');
    expect(stdout).toContain('It would stop 1 client of the protected list office.');
    expect(stdout).toMatch(/198\.18\.9\.200 .* 27 +3/);
    const trial = TEXT.replace('desk enforce', 'desk trial').replace('addresses', 'addresses protected');
    writeFileSync(join(desk.folder, 'trial.fence'), trial);
    const ofFiles = await desk.run(
      ...['fence', 'readiness', 'desk', '--fences', 'trial.fence', '--log', 'day.ndjson', '--output', 'json'],
    );
    const { replays: _, numEarlier: __, ...stored } = JSON.parse((await ready()).stdout) as FenceReadiness;
    expect([ofFiles.exitCode, JSON.parse(ofFiles.stdout)]).toEqual([1, stored]);
    // Its rules are others now, so that what was replayed shows nothing.
    await desk.run('rule', 'rename', 'desk/logins', 'sign-ins');
    expect((await verdict()).slice(0, 2)).toEqual([1, 'untried']);
    const { exitCode, stderr } = await desk.run('fence', 'readiness', 'dsk');
    expect([exitCode, stderr]).toEqual([2, expect.stringContaining('The draft has no fence "dsk".')]);
    await desk.run('fence', 'mode', 'desk', 'enforce');
  });
});

describe('a client that is stopped at once', () => {
  it('is blocked at every gate by a separate revision; what else is in the draft stays there', async () => {
    await desk.run('publish', '--note', 'first', '--yes');
    await desk.run('rule', 'add', 'desk', 'rule other block when path = /other');
    const { exitCode, stdout } = await desk.run('client', 'stop', '198.18.9.200', '--for', '2h', '--reason', 'Guesses');
    expect([exitCode, stdout]).toEqual([0, expect.stringMatching(/198\.18\.9\.200 is stopped .* by revision \d/)]);
    const latest = async () => (await client.revisions())[0]!.number;
    const at = (from: string, against: 'draft' | number) =>
      client
        .tryRequest({ client: from, url: 'https://shop.example/', against })
        .then(({ decision }) => decision.outcome);
    expect([
      await at('198.18.9.200', await latest()),
      await at('198.18.9.200', 'draft'),
      await at('198.18.9.201', await latest()),
    ]).toEqual(['blocked', 'blocked', 'allowed']);
    const { changes } = await client.draftChanges();
    expect(changes.map(({ name }) => name)).toEqual(['desk/other']);
    expect(await client.stoppedClients()).toMatchObject([{ client: '198.18.9.200', reason: 'Guesses' }]);
    await desk.run('client', 'release', '198.18.9.200');
    expect([await at('198.18.9.200', await latest()), await at('198.18.9.200', 'draft')]).toEqual([
      'allowed',
      'allowed',
    ]);
    const again = await desk.run('client', 'release', '198.18.9.200');
    expect([again.exitCode, again.stderr]).toEqual([2, expect.stringContaining('is not stopped')]);
  });

  it('is refused where it is protected, unless forced', async () => {
    await desk.run('list', 'protect', 'office');
    await desk.run('publish', '--note', 'protect', '--yes');
    const refused = await desk.run('client', 'stop', '198.18.4.0/22');
    expect([refused.exitCode, refused.stderr]).toEqual([2, expect.stringContaining('is in the protected list office')]);
    const forced = await desk.run('client', 'stop', '198.18.4.0/22', '--force');
    expect([forced.exitCode, forced.stderr]).toEqual([0, expect.stringContaining('client release')]);
    await desk.run('client', 'release', '198.18.4.0/22');
  });
});

describe('decisions for other tools', () => {
  it('Parquet, read by another library, has what NDJSON has', async () => {
    await desk.run('replay', 'start', 'day.ndjson', '--against', 'draft');
    for (const [file, ...options] of [
      ['all.parquet'],
      ['all.ndjson', '--format', 'ndjson'],
      ['all.csv', '--format', 'csv'],
    ]) {
      const { exitCode, stderr } = await desk.run('replay', 'export', '1', file!, ...options);
      expect([exitCode, stderr]).toEqual([0, expect.stringContaining('750 decisions in')]);
    }
    const expected = readFileSync(join(desk.folder, 'all.ndjson'), 'utf8')
      .trim()
      .split('\n')
      .map((line) => withoutNone(JSON.parse(line) as Record<string, unknown>));
    const bytes = readFileSync(join(desk.folder, 'all.parquet'));
    const rows = await parquetReadObjects({
      file: bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer,
    });
    expect(rows.map(withoutNone)).toEqual(expected);
    expect(readFileSync(join(desk.folder, 'all.csv'), 'utf8').trim().split('\n')).toHaveLength(751);
  });
});

/** None is null in NDJSON, and null like what is unknown in Parquet; whole numbers have 64 bits there. */
function withoutNone(record: Record<string, unknown>): Record<string, unknown> {
  const plain = (value: unknown): unknown =>
    typeof value === 'bigint' ? Number(value) : value instanceof Date ? value.toISOString() : value;
  return Object.fromEntries(
    Object.entries(record).flatMap(([name, value]) =>
      value === null || value === undefined ? [] : [[name, plain(value)]],
    ),
  );
}
