import { connect } from 'node:net';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ServiceClient, type ServiceError } from '@jadefence/contract';
import pg from 'pg';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { jadefence, type Ran } from './jadefence.js';
import { importInto, importTable, replayOnService, startTestService, type TestService } from './service.js';

const FENCES =
  'gate shop inbound { hosts shop.example fences desk otherwise allow }\nfence desk enforce { rule login block when path under /login }\n';
const LINE = (path: string): string =>
  `shop.example 198.18.1.1 - - [12/Oct/2026:10:00:00 +0000] "GET ${path} HTTP/1.1" 200 5 "-" "-"\n`;
const bytesOf = (text: string): Uint8Array<ArrayBuffer> => new Uint8Array(Buffer.from(text));
const sources = (text: string) => ({ fenceFiles: [{ path: 'site.fence', text }], namedFiles: [] });

let service: TestService;
beforeEach(async () => {
  service = await startTestService();
});
afterEach(() => service.stop());

/** Runs a SQL statement on the service's own database. */
async function sql(text: string): Promise<Record<string, unknown>[]> {
  const client = new pg.Client({ connectionString: service.databaseUrl });
  await client.connect();
  try {
    return (await client.query(text)).rows as Record<string, unknown>[];
  } finally {
    await client.end();
  }
}

const problemOf = (promise: Promise<unknown>): Promise<string> =>
  promise.then(
    () => 'no problem',
    (error: ServiceError) => `${error.problem?.status} ${error.problem?.code}: ${error.message}`,
  );

describe('the everyday way from the command line', () => {
  const run = (...args: string[]): Promise<Ran> => jadefence(args, { env: { XDG_CONFIG_HOME: service.folder } });

  it('signs in, imports fences and a log, replays, and shows', async () => {
    const fences = join(service.folder, 'site.fence');
    const log = join(service.folder, 'day.log');
    writeFileSync(fences, FENCES);
    writeFileSync(log, `${LINE('/')}${LINE('/login')}junk\n`);
    const signIn = join(service.folder, 'sign-in');
    expect(await run('login', '--sign-in-file', signIn)).toMatchObject({ exitCode: 0, stdout: '' });
    expect((await run('fence', 'import', fences, '--yes')).stdout).toBe(
      '+ Gate shop was added.\n    The inbound gate shop protects shop.example, evaluates desk in this order; where none decides: allow.\n+ Fence desk was added.\n    The fence desk is enforced; where no rule ends it: continue with the next fence.\n+ Rule desk/login was added.\n    Block with 403 when the path is under /login.\nThe draft now has 1 gate, 1 fence with 1 rule, and 0 lists.\n',
    );
    expect(await run('log', 'import', log)).toMatchObject({
      exitCode: 0,
      stdout:
        'Log 1 "day.log": 2 requests from 2026-10-12 10:00:00 to 2026-10-12 10:00:00 UTC, read as NCSA combined with the host in front.\n',
      stderr: '1 line rejected: the line does not match the format\n  line 3: "junk"\n',
    });
    expect((await run('log', 'import', log)).stderr).toBe('The same bytes are here already as log 1 "day.log".\n');
    expect(await run('replay', 'start', 'day.log')).toMatchObject({
      exitCode: 0,
      stdout: 'Replay 1 of "day.log" against the draft is done: 2 requests.\n',
    });
    const shown = (await run('replay', 'show')).stdout;
    expect(shown).toContain('blocked         1  50.0%');
    expect(shown).toContain('1 line rejected');
    expect((await run('replay', 'decisions', '1', '--outcome', 'blocked')).stdout).toBe(
      'line  time                 client      country  request                  outcome  decided by\n   2  2026-10-12 10:00:00  198.18.1.1  -        GET shop.example/login   blocked  desk/login\n'
        .replace('login   blocked', 'login  blocked')
        .replace('request                  outcome', 'request                 outcome'),
    );
    const judged = await jadefence(['judge', log, '--fences', fences, '--output', 'ndjson']);
    expect((await run('replay', 'decisions', '1', '--output', 'ndjson')).stdout).toBe(judged.stdout);
  });

  it('ends with 2 where something is wrong, and with 3 where there is no service', async () => {
    await run('login', '--sign-in-file', join(service.folder, 'sign-in'));
    await service.client.importLog({ name: 'day.log' }, bytesOf(LINE('/')));
    expect(await run('replay', 'start', 'nothing')).toMatchObject({
      exitCode: 2,
      stderr: 'There is no log "nothing".\nThe logs are: 1 (day.log).\n',
    });
    expect(await run('replay', 'show', '99')).toMatchObject({ exitCode: 2, stderr: 'There is no replay 99.\n' });
    expect(await jadefence(['replay', 'show'])).toMatchObject({
      exitCode: 2,
      stderr: 'Not signed in.\nRun jadefence login first, or set JADEFENCE_TOKEN.\n',
    });
    const anonymous = await jadefence(['replay', 'show'], {
      env: { JADEFENCE_TOKEN: 'x', JADEFENCE_URL: 'http://127.0.0.1:9' },
    });
    expect(anonymous).toMatchObject({ exitCode: 3, stdout: '' });
    expect(anonymous.stderr).toMatch(/^The service at http:\/\/127\.0\.0\.1:9 cannot be reached/);
    const wrong = await jadefence(['login', '--url', service.address], { input: 'not the password\n' });
    expect(wrong).toMatchObject({ exitCode: 2, stderr: 'The name or the password is wrong.\n' });
    const badToken = await jadefence(['replay', 'show'], {
      env: { JADEFENCE_TOKEN: 'x', JADEFENCE_URL: service.address },
    });
    expect(badToken).toMatchObject({
      exitCode: 2,
      stderr: 'The token is not valid or has expired.\nSign in on the console, or run jadefence login.\n',
    });
  });
});

describe('the service', () => {
  it('keeps the draft as it was where fences are wrong, and reports every error', async () => {
    const before = await service.client.draft();
    const error = await importInto(
      service.client,
      sources('lst a { }\nfence f enforce { rule r blok when always }'),
    ).catch((caught: ServiceError) => caught);
    expect((error as ServiceError).problem?.errors).toEqual([
      {
        place: 'site.fence:1:1',
        message:
          'Found "lst", expected a statement: zone, list, schedule, page, application, gate, fence, expect. Did you mean "list"? [unexpected]',
      },
      {
        place: 'site.fence:2:26',
        message:
          'Found "blok", expected an action: allow, block, redirect, warn, passphrase, challenge, limit, throttle, tag, observe. Did you mean "block"? [unexpected]',
      },
    ]);
    expect(await service.client.draft()).toEqual(before);
  });

  it('accepts an unknown name in the draft, and refuses to replay it', async () => {
    const draft = await importInto(
      service.client,
      sources('gate shop inbound { hosts shp-list otherwise allow }\nlist shop-list domains { shop.example }'),
    );
    expect(draft.diagnostics.map(({ message }) => message)).toEqual(['No list is named "shp-list".']);
    const { id: logId } = await service.client.importLog({ name: 'day' }, bytesOf(LINE('/')));
    expect(await problemOf(service.client.startReplay({ logId }))).toBe(
      '409 draft-invalid: The draft has errors and cannot judge.',
    );
  });

  it('pins what a replay depends on: later changes of the draft do not touch it', async () => {
    const { id, snapshot } = await replayOnService(service.client, sources(FENCES), {
      name: 'pinned',
      bytes: bytesOf(`${LINE('/pinned')}${LINE('/login')}`),
    });
    const before = await service.client.replayResult(id);
    await importInto(service.client, sources(FENCES.replace('/login', '/other')));
    expect((await service.client.draft()).snapshot).not.toBe(snapshot);
    expect(await service.client.replayResult(id)).toEqual(before);
    await importInto(service.client, sources(FENCES));
    expect((await service.client.draft()).snapshot).toBe(snapshot);
  });

  it('reports how far a replay is, and pages decisions across chunks', async () => {
    const numRequests = 70_000;
    const log = Array.from({ length: numRequests }, (_, index) => LINE(index % 10 === 0 ? '/login' : `/${index}`)).join(
      '',
    );
    await importInto(service.client, sources(FENCES));
    const { id: logId } = await service.client.importLog({ name: 'two chunks' }, bytesOf(log));
    const { id } = await service.client.startReplay({ logId });
    const seen: number[] = [];
    const end = await service.client.followReplay(id, ({ requestsDone }) => seen.push(requestsDone));
    expect(end).toMatchObject({ state: 'done', requestsDone: numRequests, requests: numRequests, failure: null });
    expect(seen).toEqual([...seen].sort((a, b) => a - b));
    const lines = async (offset: number, outcome?: 'blocked'): Promise<number[]> =>
      (await service.client.decisions(id, { offset, limit: 3, outcome })).rows.map((row) => row.line);
    expect(await lines(65_535)).toEqual([65_536, 65_537, 65_538]);
    expect(await lines(6553, 'blocked')).toEqual([65_531, 65_541, 65_551]);
    expect(await lines(70_000)).toEqual([]);
    expect((await service.client.decisions(id, { offset: 0, limit: 1, outcome: 'blocked' })).total).toBe(7000);
    expect((await service.client.explanation(id, 65_540)).conclusion).toBe('Rule desk/login blocked it.');
    expect(await problemOf(service.client.explanation(id, numRequests))).toBe(
      `404 not-found: Replay ${id} has no row 70000; it has 70000.`,
    );
  });

  it('judges a log of many chunks in steps, and hands on what each leaves behind', async () => {
    const rules = 'rule door limit 10 per 1h by client when path under /door rule late block when path = /late';
    await importInto(service.client, sources(FENCES.replace('rule login block when path under /login', rules)));
    // Six chunks of one segment, in steps of four: values come up again in the second step, and others are new there.
    const numRequests = 350_000;
    const pathAt = (index: number): string =>
      index % 500 === 0 ? `/door/${index}` : index % 100 === 1 && index > 300_000 ? '/late' : `/${index % 90_000}`;
    const log = Array.from({ length: numRequests }, (_, index) => LINE(pathAt(index))).join('');
    const { id: logId } = await service.client.importLog({ name: 'many chunks' }, bytesOf(log));
    const { id } = await service.client.startReplay({ logId });
    expect((await service.client.followReplay(id, () => undefined)).state).toBe('done');
    const { summary } = await service.client.replayResult(id);
    const counts = Object.fromEntries(summary.outcomes.map(({ outcome, requests }) => [outcome, requests]));
    expect(counts).toMatchObject({ limited: 700 - 10, blocked: 500, allowed: numRequests - 1190 });
    const { rows } = await service.client.decisions(id, { offset: 200, limit: 1, where: 'path = /late' });
    expect(rows[0]!.line).toBe(300_002 + 200 * 100);
  }, 60_000);

  it('names a damaged chunk and fails the replay, other logs unharmed', async () => {
    await importInto(service.client, sources(FENCES));
    const { id: logId } = await service.client.importLog({ name: 'damaged' }, bytesOf(LINE('/damaged')));
    await sql(
      `update chunk_columns set bytes = set_byte(bytes, length(bytes) - 1, 255 - get_byte(bytes, length(bytes) - 1)) where log_id = ${logId} and column_name = 'url.path'`,
    );
    const { id } = await service.client.startReplay({ logId });
    const end = await service.client.followReplay(id, () => undefined);
    expect(end.state).toBe('failed');
    expect(end.failure).toBe(`Log ${logId} cannot be judged: chunk 0, column url.path: incorrect data check.`);
    expect(
      (await replayOnService(service.client, sources(FENCES), { name: 'good', bytes: bytesOf(LINE('/good')) })).state,
    ).toBe('done');
  });

  it('keeps nothing of an upload that was cut off, or that cannot be read', async () => {
    const before = (await service.client.logs()).length;
    const { port } = new URL(service.address);
    const { token } = await new ServiceClient({ baseUrl: service.address }).createToken(service.signIn, {
      name: 'cut',
      scope: 'editor',
    });
    await new Promise<void>((resolve) => {
      const socket = connect(Number(port), '127.0.0.1', () => {
        socket.write(
          `POST /api/v1/logs?name=cut HTTP/1.1\r\nhost: 127.0.0.1:${port}\r\nauthorization: Bearer ${token}\r\ncontent-length: 100000000\r\n\r\n${LINE('/cut').repeat(20_000)}`,
          () => setTimeout(() => socket.destroy(), 300),
        );
      });
      socket.on('close', () => resolve());
    });
    expect(await problemOf(service.client.importLog({ name: 'x' }, bytesOf('a,b,c,d\n')))).toMatch(
      /^422 unknown-format: None of the formats fits/,
    );
    expect(
      await problemOf(service.client.importLog({ name: 'x' }, bytesOf(LINE('/').replace('shop.example ', '')))),
    ).toMatch(/^422 host-required/);
    expect(await problemOf(service.client.importLog({ name: 'x', format: 'ndjson' }, bytesOf(LINE('/'))))).toMatch(
      /^422 no-valid-lines/,
    );
    await expect
      .poll(() => sql("select count(*) as n from logs where state = 'importing'"), { timeout: 5000 })
      .toEqual([{ n: '0' }]);
    expect((await service.client.logs()).length).toBe(before);
    expect(
      await sql('select count(*) as n from log_chunks c where not exists (select from logs l where l.id = c.log_id)'),
    ).toEqual([{ n: '0' }]);
  });

  it('refuses a country table without rows, and leaves the one it has', async () => {
    await importTable(service.client, bytesOf('198.18.0.0/15,NO\n'), 'good.csv');
    expect(await problemOf(service.client.importDataset({ kind: 'country', name: 'bad.csv' }, bytesOf('x,y\n')))).toBe(
      '422 bad-reference-data: The file has no usable line; everything is as it was.',
    );
    expect((await service.client.countries()).table?.name).toBe('good.csv');
  });

  it('chains its audit trail', async () => {
    await replayOnService(service.client, sources(FENCES), { name: 'day', bytes: bytesOf(LINE('/')) });
    await importTable(service.client, bytesOf('198.18.0.0/15,NO\n'));
    const wrong = { ...service.signIn, password: 'wrong' };
    await new ServiceClient({ baseUrl: service.address })
      .createToken(wrong, { name: 't', scope: 'viewer' })
      .catch(() => undefined);
    const rows = (await sql('select what, previous_hash, hash from audit order by id')) as {
      what: string;
      previous_hash: string;
      hash: string;
    }[];
    expect(rows.length).toBeGreaterThan(5);
    rows.slice(1).forEach((row, index) => expect(row.previous_hash).toBe(rows[index]!.hash));
    expect(new Set(rows.map((row) => row.what))).toEqual(
      new Set([
        'sign-in',
        'sign-in.failure',
        'user.create',
        'token.create',
        'draft.import',
        'log.import',
        'replay.start',
        'country.import',
        'country.use',
      ]),
    );
  });

  it('refuses what a role may not do', async () => {
    const { token } = await new ServiceClient({ baseUrl: service.address }).createToken(service.signIn, {
      name: 'looks only',
      scope: 'viewer',
    });
    const viewer = new ServiceClient({ baseUrl: service.address, token });
    expect((await viewer.me()).role).toBe('viewer');
    expect(await problemOf(importInto(viewer, sources(FENCES)))).toBe(
      '403 not-permitted: admin is viewer here; this needs editor.',
    );
  });

  it('takes a session cookie from its own pages only, and admits ten of two hundred guesses at once', async () => {
    const signIn = (password: string, name = service.signIn.name): Promise<Response> =>
      fetch(`${service.address}/api/v1/session`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ name, password }),
      });
    const cookie = (await signIn(service.signIn.password)).headers.get('set-cookie')!;
    expect(cookie).toMatch(/HttpOnly; SameSite=Strict/);
    const me = (headers: Record<string, string>): Promise<number> =>
      fetch(`${service.address}/api/v1/session`, { headers }).then((response) => response.status);
    expect([await me({}), await me({ cookie: cookie.split(';')[0]! })]).toEqual([401, 200]);
    const foreign = await fetch(`${service.address}/api/v1/session`, {
      method: 'DELETE',
      headers: { cookie: cookie.split(';')[0]!, origin: 'https://evil.example' },
    });
    expect([foreign.status, await me({ cookie: cookie.split(';')[0]! })]).toEqual([403, 200]);
    const guesses = await Promise.all(Array.from({ length: 200 }, () => signIn('wrong', 'guessed')));
    expect(guesses.filter(({ status }) => status === 401)).toHaveLength(10);
    expect(guesses.filter(({ status }) => status === 429)).toHaveLength(190);
    expect(guesses.find(({ status }) => status === 429)!.headers.get('retry-after')).toBe('60');
    // Guesses at another account from the same address lock no one out.
    expect((await signIn(service.signIn.password)).status).toBe(200);
  });
});

describe('a killed service', () => {
  it('resumes its replays, and removes unfinished imports', async () => {
    const log = Array.from({ length: 140_000 }, (_, index) => LINE(`/${index % 7 === 0 ? 'login' : index}`)).join('');
    await importInto(service.client, sources(FENCES));
    const { id: logId } = await service.client.importLog({ name: 'killed' }, bytesOf(log));
    const { id } = await service.client.startReplay({ logId });
    await expect
      .poll(async () => (await service.client.replay(id)).requestsDone, { timeout: 15_000, interval: 20 })
      .toBeGreaterThan(0);
    await sql("insert into logs (name, format, state) values ('half', 'ndjson', 'importing')");
    const client = await service.killAndRestart();
    expect(await client.followReplay(id, () => undefined)).toMatchObject({
      state: 'done',
      requestsDone: 140_000,
      requests: 140_000,
      failure: null,
    });
    expect((await client.replayResult(id)).summary.outcomes).toEqual([
      { outcome: 'allowed', requests: 120_000, share: 120_000 / 140_000 },
      { outcome: 'blocked', requests: 20_000, share: 1 / 7 },
    ]);
    expect(await sql("select count(*) as n from logs where state = 'importing'")).toEqual([{ n: '0' }]);
  });
});
