/** The commands of an afternoon with one's own log, each with what goes well and what goes wrong. */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { connect, createServer, type Server, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { ServiceClient } from '@jadefence/contract';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { jadefence, type Ran } from './jadefence.js';
import { startTestService, type TestService } from './service.js';
import { startService } from '../../scripts/lib/service.mjs';

const FENCES = `list team addresses { 198.18.4.0/24 }
gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce "Desk" {
  rule staff tag staff when client in team
  rule login block when path under /login and not tag = staff
}
`;
const line = (client: string, path: string, second: number, status = 200): string => `shop.example ${client} - - [12/Oct/2026:10:00:${String(second).padStart(2, '0')} +0000] "GET ${path} HTTP/1.1" ${status} 5 "-" "-"`;
const LOG = [...Array.from({ length: 8 }, (_, index) => line(`198.18.4.${index}`, '/', index)), ...Array.from({ length: 4 }, (_, index) => line('203.0.113.9', '/login', 20 + index, 401)), 'broken'].join('\n') + '\n';

let folder: string;
let service: TestService;
/** A token that outlives what the tests do to sign-ins. */
let token: string;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'jadefence-'));
  writeFileSync(join(folder, 'site.fence'), FENCES);
  writeFileSync(join(folder, 'day.log'), LOG);
  writeFileSync(join(folder, 'day.log.gz'), gzipSync(LOG));
  service = await startTestService();
  await run('login', '--sign-in-file', join(service.folder, 'sign-in'));
  token = (await run('admin', 'token', 'create', 'tests', '--scope', 'administrator')).stdout.trim();
});
afterAll(async () => {
  await service.stop();
  rmSync(folder, { recursive: true, force: true });
});

const run = (...args: string[]): Promise<Ran> => jadefence(args, { env: { XDG_CONFIG_HOME: folder }, cwd: folder });

describe('jadefence survey', () => {
  it('tells what a log holds, and gives rules and the next command', async () => {
    const { stdout, exitCode } = await run('survey', 'day.log');
    expect(exitCode).toBe(0);
    expect(stdout).toBe(`\
day.log
12 requests from 2026-10-12 10:00:00 to 2026-10-12 10:00:23 UTC, 9 clients, 1 hosts, 2 paths

methods   GET (12)
statuses  200 (8), 401 (4)
hosts     shop.example (12)

No country table: give one with --country-table to see where requests come from.

Signs of a proxy in front, so that the log may show the proxy for the client:
  203.0.113.9, 198.18.4.0, 198.18.4.1 make 50% of all requests

most within a minute  requests  minute (UTC)
203.0.113.9                  4  2026-10-12 10:00
198.18.4.0                   1  2026-10-12 10:00
198.18.4.1                   1  2026-10-12 10:00
198.18.4.2                   1  2026-10-12 10:00
198.18.4.3                   1  2026-10-12 10:00

busiest clients  requests  share
203.0.113.9             4  33.3%
198.18.4.0              1   8.3%
198.18.4.1              1   8.3%
198.18.4.2              1   8.3%
198.18.4.3              1   8.3%
198.18.4.4              1   8.3%
198.18.4.5              1   8.3%
198.18.4.6              1   8.3%
198.18.4.7              1   8.3%

busiest paths  requests  share
/                     8  66.7%
/login                4  33.3%

1 lines rejected
  1: the line does not have the shape of the format
the first of them
  line 13: broken

Rules to begin from:
  rule loudest-client trial block when client = 203.0.113.9
      would have stopped 4 requests: 203.0.113.9 made 4 requests within one minute
  rule most-refused-path trial block when path = /login
      would have stopped 4 requests: /login was answered 401, 403, 404 or 429 most often

Keep these lines as starter.fence and judge the log with them:

gate site inbound {
  hosts =shop.example
  fences starter
  otherwise allow
}

fence starter enforce "To begin from" {
  rule loudest-client trial block when client = 203.0.113.9
  rule most-refused-path trial block when path = /login
}

  jadefence judge day.log --fences starter.fence
`);
  });

  it('reads gzip and standard input, and gives the same answer', async () => {
    const [plain, gzip, piped] = await Promise.all([run('survey', 'day.log', '--output', 'json'), run('survey', 'day.log.gz', '--output', 'json'), jadefence(['survey', '-', '--output', 'json'], { input: LOG })]);
    expect(gzip.stdout).toBe(plain.stdout);
    expect(piped.stdout).toBe(plain.stdout);
  });

  it('of a gzip that is cut short reads what came before, and says so', async () => {
    const whole = gzipSync(Array.from({ length: 20_000 }, (_, index) => line(`198.18.${index % 200}.${index % 250}`, `/${index}`, index % 60)).join('\n'));
    writeFileSync(join(folder, 'cut.gz'), whole.subarray(0, whole.length / 2));
    const { stdout, stderr, exitCode } = await run('survey', 'cut.gz', '--output', 'json');
    expect(exitCode).toBe(0);
    expect(stderr).toContain('cut.gz: the gzip file is damaged or cut short (unexpected end of file); the lines before that are read');
    expect((JSON.parse(stdout) as { requests: number }).requests).toBeGreaterThan(5000);
  });

  it('is not shaken by one line of 100 MB', async () => {
    async function* huge(): AsyncGenerator<string> {
      yield LOG;
      for (let index = 0; index < 100; index += 1) yield 'x'.repeat(1_000_000);
      yield `\n${LOG}`;
    }
    const { stdout, exitCode } = await jadefence(['survey', '-', '--output', 'json'], { input: huge(), nodeOptions: '--max-old-space-size=64' });
    expect(exitCode).toBe(0);
    expect(JSON.parse(stdout)).toMatchObject({ requests: 24, rejected: [{ reason: 'not-the-format', lines: 2 }, { reason: 'overlong', lines: 1 }] });
  });
});

describe('jadefence try', () => {
  const args = ['try', '--client', '203.0.113.9', '--url', 'shop.example/login/x', '--at', '2026-10-12T10:00:00Z'];
  const EXPLANATION = `\
GET shop.example/login/x at 2026-10-12T10:00:00.000Z
client   203.0.113.9
country  (unknown) (no country table is loaded)
gate     shop (its hosts cover the request with shop.example)
fence    desk
  staff: not matched
      Tag as staff when the client is in team (1 address entry).
      asked client in team; the client is 203.0.113.9
  login: matched
      Block with 403 when the path is under /login and the request is not tagged staff.
      asked path under /login; the path is /login/x
      asked not tag = staff; the tag is (none)
outcome  blocked. Rule desk/login blocked it.
client sees: Status 403 instead of what was asked for.
`;

  it('explains the same with fence files and with the draft of the service', async () => {
    expect((await run(...args, '--fences', 'site.fence')).stdout).toBe(EXPLANATION);
    await run('fence', 'import', 'site.fence', '--yes');
    expect((await run(...args)).stdout).toBe(EXPLANATION);
    expect(JSON.parse((await run(...args, '--output', 'json')).stdout)).toEqual(JSON.parse((await run(...args, '--fences', 'site.fence', '--output', 'json')).stdout));
  });

  it.each([
    [['--client', 'nobody', '--url', 'https:///x', '--method', 'G T'], 'Found "nobody", expected an address such as 198.18.4.7 or 2001:db8::7.\nFound "https:///x", expected a URL such as https://shop.example/login.\nFound "G T", expected a method such as GET.\n'],
    [['--client', '198.18.4.1', '--url', 'shop.example', '--gate', 'shp'], 'No gate is named "shp".\nDid you mean "shop"?\n'],
    [['--client', '198.18.4.1', '--url', 'shop.example', '--at', 'noon'], "error: option '--at <time>' argument 'noon' is invalid. Expected a time such as 2026-10-12T10:00:00Z.\n"],
  ])('says what is wrong with %j', async (options, expected) => {
    expect(await run('try', ...options, '--fences', 'site.fence')).toMatchObject({ exitCode: 2, stdout: '', stderr: expected });
  });
});

describe('jadefence fence', () => {
  it('shows what an import changes, and changes nothing where nobody can be asked', async () => {
    await run('fence', 'import', 'site.fence', '--yes');
    writeFileSync(join(folder, 'other.fence'), FENCES.replace('block when', 'block 451 when').replace('rule staff', 'rule new observe when always\n  rule staff'));
    const before = (await run('fence', 'show', 'desk')).stdout;
    expect(before).toBe('fence desk enforce "Desk" at shop\n  1  staff\n     Tag as staff when the client is in team (1 address entry).\n  2  login\n     Block with 403 when the path is under /login and the request is not tagged staff.\n     otherwise continue with the next fence\n');
    expect(await run('fence', 'import', 'other.fence')).toMatchObject({
      exitCode: 2,
      stdout: '+ rule desk/new added\n~ rule desk/login changed\n    from rule login block when path under /login and not tag = staff\n    to   rule login block 451 when path under /login and not tag = staff\n',
      stderr: 'Nothing is changed: nobody can be asked here.\nSay --yes to go on without asking.\n',
    });
    expect((await run('fence', 'show', 'desk')).stdout).toBe(before);
  });

  it('merges with --only, and exports what imports back to no difference', async () => {
    writeFileSync(join(folder, 'extra.fence'), 'fence extra trial { rule x block when always }\n');
    expect((await run('fence', 'import', 'extra.fence', '--only', '--yes')).stdout).toBe('+ fence extra added\n+ rule extra/x added\nThe draft now has 1 gates, 2 fences with 3 rules, and 1 lists.\n');
    expect((await run('fence', 'list')).stdout).toBe('fence  mode     rules  at       title\ndesk   enforce      2  shop     Desk\nextra  trial        1  no gate\n');
    expect((await run('fence', 'list', '--output', 'csv')).stdout).toBe('fence,mode,rules,at,title\ndesk,enforce,2,shop,Desk\nextra,trial,1,no gate,\n');
    expect((await run('fence', 'list', '--output', 'ndjson')).stdout.split('\n').map((row) => (row ? (JSON.parse(row) as { name: string }).name : ''))).toEqual(['desk', 'extra', '']);
    expect((await run('fence', 'export', 'exported')).stdout).toBe('Wrote 1 file into exported.\n');
    expect((await run('fence', 'import', 'exported')).stdout).toMatch(/^The draft is so already\.\n/);
    expect(await run('fence', 'export', 'exported')).toMatchObject({ exitCode: 2, stderr: 'The folder "exported" is not empty.\nGive a new folder, so that nothing is overwritten.\n' });
    expect(readFileSync(join(folder, 'exported/fences.fence'), 'utf8')).toContain('rule login block when path under /login and not tag = staff');
    expect(await run('fence', 'show', 'dsk')).toMatchObject({ exitCode: 2, stderr: 'No fence is named "dsk".\nDid you mean "desk"?\n' });
    await run('fence', 'import', 'site.fence', '--yes');
  });
});

describe('jadefence log and replay', () => {
  it('previews a file, brings in a gzip, filters decisions, and deletes only what is said', async () => {
    expect((await run('log', 'preview', 'day.log', '--lines', '1')).stdout).toBe('line 1 at 2026-10-12T10:00:00.000Z\n  client.address: 198.18.4.0\n  network.protocol.version: 1.1\n  url.path: /\n  http.request.method: GET\n  http.request.header.host: ["shop.example"]\n  http.response.status_code: 200\n  http.response.body.size: 5\n');
    expect((await run('log', 'import', 'day.log.gz')).stdout).toBe('Log 1 "day.log.gz": 12 requests from 2026-10-12 10:00:00 to 2026-10-12 10:00:23 UTC, read as NCSA combined with the host in front.\n');
    expect((await run('log', 'list')).stdout).toBe('number  log         requests  rejected  span (UTC)\n     1  day.log.gz        12         1  2026-10-12 10:00:00 to 2026-10-12 10:00:23\n');
    expect((await run('log', 'show', '1')).stdout).toContain('line 13, not-the-format: "broken"');
    await run('replay', 'start', '1');
    const count = async (where: string): Promise<string> => (await run('replay', 'decisions', '1', '--where', where)).stderr;
    expect(await count('rule = desk/login and recorded status >= 400 and line in 9 - 10')).toBe('2 of 2 decisions from row 0 on\n');
    expect(await count('tag present and outcome = allowed or client = 203.0.113.9')).toBe('12 of 12 decisions from row 0 on\n');
    expect(await count('country = NO')).toBe('0 of 0 decisions from row 0 on\n');
    expect(await run('replay', 'decisions', '1', '--where', 'status = desk and outcom = blocked')).toMatchObject({
      exitCode: 2,
      stderr: 'Found "desk", expected a whole number. Found "outcom", expected a field: client, country, host, path, method, tag, outcome, gate, fence, rule, would, status, recorded status, line. Did you mean "outcome"?\n1:10: Found "desk", expected a whole number.\n1:19: Found "outcom", expected a field: client, country, host, path, method, tag, outcome, gate, fence, rule, would, status, recorded status, line. Did you mean "outcome"?\n',
    });
    expect(await run('log', 'delete', '1', '--yes')).toMatchObject({ exitCode: 2, stderr: 'Log 1 "day.log.gz" has replay 1, which would be deleted with it.\nDelete it with --force if that is what you want.\n' });
    expect((await run('log', 'delete', '1', '--force', '--yes')).stdout).toBe('Log 1 "day.log.gz" is deleted.\n');
    expect(await run('replay', 'show', '1')).toMatchObject({ exitCode: 2, stderr: 'There is no replay 1.\n' });
  });

  it('of a gzip that is cut short keeps nothing', async () => {
    const whole = gzipSync(LOG.repeat(5000));
    writeFileSync(join(folder, 'short.gz'), whole.subarray(0, whole.length - 20));
    expect(await run('log', 'import', 'short.gz')).toMatchObject({ exitCode: 2, stderr: 'The gzip file is damaged or cut short (unexpected end of file); nothing of it is kept.\n' });
    expect((await run('log', 'list', '--output', 'json')).stdout).toBe('[]\n');
  });
});

describe('jadefence admin', () => {
  it('makes, lists and revokes tokens, and resets the password', async () => {
    const created = (await run('admin', 'token', 'create', 'pipeline', '--days', '9')).stdout.trim();
    const client = new ServiceClient({ baseUrl: service.address, token: created });
    expect(await client.me()).toEqual({ name: 'admin', role: 'viewer' });
    const listed = JSON.parse((await run('admin', 'token', 'list', '--output', 'json')).stdout) as { id: number; name: string }[];
    const { id } = listed.find((one) => one.name === 'pipeline')!;
    expect((await run('admin', 'token', 'revoke', String(id))).stdout).toBe(`Token ${id} is revoked.\n`);
    await expect(client.me()).rejects.toThrow('The token is not valid or has expired.');
    expect(await run('admin', 'token', 'revoke', '999')).toMatchObject({ exitCode: 2, stderr: 'There is no token 999.\njadefence admin token list shows those there are.\n' });
    const password = (await run('admin', 'reset-password')).stdout.trim();
    const anonymous = new ServiceClient({ baseUrl: service.address });
    await expect(anonymous.createToken(service.signIn, { name: 'old', scope: 'viewer' })).rejects.toThrow('The name or the password is wrong.');
    expect((await anonymous.createToken({ name: 'admin', password }, { name: 'new', scope: 'viewer' })).scope).toBe('viewer');
  });
});

describe('what goes wrong with any command of the service', () => {
  const COMMANDS: { args: string[]; needs: 'viewer' | 'editor' | 'administrator' }[] = [
    { args: ['fence', 'list'], needs: 'viewer' }, { args: ['fence', 'show', 'desk'], needs: 'viewer' }, { args: ['fence', 'export', 'nowhere'], needs: 'viewer' },
    { args: ['fence', 'import', 'other.fence', '--yes'], needs: 'editor' }, { args: ['log', 'list'], needs: 'viewer' }, { args: ['log', 'import', 'day.log'], needs: 'editor' },
    { args: ['replay', 'list'], needs: 'viewer' }, { args: ['country', 'import', 'countries.csv'], needs: 'editor' }, { args: ['admin', 'token', 'list'], needs: 'administrator' },
    { args: ['admin', 'token', 'create', 'x'], needs: 'administrator' }, { args: ['admin', 'reset-password'], needs: 'administrator' }, { args: ['try', '--client', '198.18.4.1', '--url', 'shop.example'], needs: 'viewer' },
  ];
  const withToken = (args: readonly string[], url: string, speaking: string): Promise<Ran> => jadefence(args, { env: { JADEFENCE_URL: url, JADEFENCE_TOKEN: speaking }, cwd: folder });

  it('no service ends with 3, and a token that may not with 2, each with a clear line', async () => {
    writeFileSync(join(folder, 'countries.csv'), '198.18.0.0/15,NO\n');
    const viewer = (await run('admin', 'token', 'create', 'viewer')).stdout.trim();
    for (const { args, needs } of COMMANDS) {
      const gone = await withToken(args, 'http://127.0.0.1:47399', viewer);
      expect([args, gone.exitCode, gone.stdout]).toEqual([args, 3, '']);
      expect(gone.stderr).toMatch(/^The service at http:\/\/127\.0\.0\.1:47399 cannot be reached \(ECONNREFUSED\)\.\n$/);
      if (needs === 'viewer') continue;
      const refused = await withToken(args, service.address, viewer);
      expect([args, refused.exitCode, refused.stderr]).toEqual([args, 2, `admin is viewer here; this needs ${needs}.\n`]);
    }
  });

  it('a wrong file or name ends with 2 and says which', async () => {
    for (const [args, message] of [
      [['fence', 'import', 'nowhere.fence'], 'There is no file or folder "nowhere.fence".'],
      [['log', 'import', 'nowhere.log'], 'There is no log "nowhere.log".'],
      [['log', 'preview', 'nowhere.log'], 'There is no log "nowhere.log".'],
      [['log', 'show', 'nowhere'], 'There is no log "nowhere".'],
      [['log', 'delete', 'nowhere'], 'There is no log "nowhere".'],
      [['survey', 'nowhere.log'], 'There is no log "nowhere.log".'],
      [['survey', 'day.log', '--country-table', 'nowhere.csv'], 'The country table "nowhere.csv" cannot be read (ENOENT).'],
      [['country', 'import', 'nowhere.csv'], 'The country table "nowhere.csv" cannot be read (ENOENT).'],
      [['replay', 'start', 'nowhere'], 'There is no log "nowhere".'],
      [['replay', 'decisions', '99'], 'There is no replay 99.'],
      [['admin', 'reset-password', 'nobody'], 'There is no user "nobody".'],
      [['login', '--sign-in-file', 'nowhere'], 'The sign-in file "nowhere" cannot be read (ENOENT).'],
    ] as const) {
      const { exitCode, stderr } = await run(...args);
      expect([args, exitCode, stderr.split('\n')[0]]).toEqual([args, 2, message]);
    }
  });

  it('login keeps a token that logout ends', async () => {
    const { token: kept, url } = JSON.parse(readFileSync(join(folder, 'jadefence/credentials.json'), 'utf8')) as { token: string; url: string };
    expect(await run('logout')).toMatchObject({ exitCode: 0, stderr: 'Signed out.\n' });
    expect((await withToken(['log', 'list'], url, kept)).stderr).toContain('The token is not valid or has expired.');
    expect(await run('log', 'list')).toMatchObject({ exitCode: 2, stderr: 'Not signed in.\nRun jadefence login first, or set JADEFENCE_TOKEN.\n' });
  });
});

describe('at home in a terminal', () => {
  it('every command has help with an example', async () => {
    const commands = [['survey'], ['judge'], ['try'], ['login'], ['logout'], ['fence', 'list'], ['fence', 'show'], ['fence', 'export'], ['fence', 'import'], ['log', 'list'], ['log', 'show'], ['log', 'preview'], ['log', 'import'], ['log', 'delete'], ['replay', 'list'], ['replay', 'start'], ['replay', 'show'], ['replay', 'decisions'], ['country', 'import'], ['admin', 'reset-password'], ['admin', 'token', 'create'], ['admin', 'token', 'list'], ['admin', 'token', 'revoke'], ['completion']];
    for (const command of commands) {
      const { exitCode, stdout } = await jadefence([...command, '--help']);
      expect([command, exitCode, stdout.includes(command[0] === 'completion' ? 'jadefence completion' : `jadefence ${command.join(' ')}`), stdout.includes('Examples:')]).toEqual([command, 0, true, true]);
    }
  });

  it('completes commands, options, their values and the gates of local fences', async () => {
    const complete = async (...words: string[]): Promise<string[]> => (await run('complete', '--', ...words)).stdout.split('\n').filter(Boolean);
    expect(await complete('re')).toEqual(['replay']);
    expect(await complete('replay', 's')).toEqual(['start', 'show']);
    expect(await complete('judge', 'x', '--fo')).toEqual(['--format']);
    expect(await complete('judge', 'x', '--output', 'n')).toEqual(['ndjson']);
    expect(await complete('judge', 'x', '--fences', 'site.fence', '--gate', '')).toEqual(['shop']);
    expect((await run('completion', 'bash')).stdout).toContain('complete -o filenames -F _jadefence jadefence');
    expect(await run('completion', 'tcsh')).toMatchObject({ exitCode: 2 });
  });
});

describe('a service whose database goes away', () => {
  let proxy: Server;
  let behind: Awaited<ReturnType<typeof startService>> | undefined;
  const sockets = new Set<Socket>();
  afterAll(async () => {
    await behind?.stop();
    proxy.close();
  });

  it('says so in one line, ends commands with 3, and is back when the database is', async () => {
    const open = (port: number): Promise<number> =>
      new Promise((resolve) => {
        proxy = createServer((socket) => {
          const { hostname, port: databasePort } = new URL(service.databaseUrl);
          const upstream = connect(Number(databasePort), hostname);
          for (const [from, to] of [[socket, upstream], [upstream, socket]] as const) {
            sockets.add(from);
            from.pipe(to).on('error', () => undefined);
            from.on('error', () => undefined).on('close', () => to.destroy());
          }
        }).listen(port, '127.0.0.1', () => resolve((proxy.address() as { port: number }).port));
      });
    const port = await open(0);
    const url = new URL(service.databaseUrl);
    url.port = String(port);
    behind = await startService({ JADEFENCE_DATABASE_URL: url.href, JADEFENCE_PORT: '0', JADEFENCE_LOG_LEVEL: 'silent' }, 'ignore');
    const ask = (): Promise<Ran> => jadefence(['log', 'list', '--output', 'json'], { env: { JADEFENCE_URL: service.address, JADEFENCE_TOKEN: token } });
    const { address } = behind;
    const asked = (): Promise<Ran> => jadefence(['log', 'list', '--output', 'json'], { env: { JADEFENCE_URL: address, JADEFENCE_TOKEN: token } });
    expect((await ask()).exitCode).toBe(0);
    expect((await asked()).exitCode).toBe(0);
    await new Promise<void>((resolve) => {
      proxy.close(() => resolve());
      sockets.forEach((socket) => socket.destroy());
    });
    expect(await asked()).toMatchObject({ exitCode: 3, stdout: '', stderr: 'The service cannot reach its database.\nCheck that PostgreSQL runs and that JADEFENCE_DATABASE_URL is right.\n' });
    expect((await fetch(`${address}/api/v1/health`)).status).toBe(200);
    expect((await fetch(`${address}/api/v1/ready`)).status).toBe(503);
    await open(port);
    await expect.poll(async () => (await asked()).exitCode, { timeout: 15_000 }).toBe(0);
  });
});
