/** What every command owes a person at a terminal, above all when something is wrong. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { connect, createServer, type Server, type Socket } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { startService } from '../../scripts/lib/service.mjs';
import { setUpDesk, type Desk } from './fixture.js';
import { jadefence, type Ran } from './jadefence.js';

let desk: Desk;
let folder: Desk['folder'];
let service: Desk['service'];
let token: Desk['token'];
let run: Desk['run'];
beforeAll(async () => {
  desk = await setUpDesk();
  ({ folder, service, token, run } = desk);
});
afterAll(() => desk.clear());

describe('at home in a terminal', () => {
  it('every command has help with an example', async () => {
    const commands = [
      ['survey'],
      ['judge'],
      ['try'],
      ['login'],
      ['logout'],
      ['fence', 'list'],
      ['fence', 'show'],
      ['fence', 'export'],
      ['fence', 'import'],
      ['log', 'list'],
      ['log', 'show'],
      ['log', 'preview'],
      ['log', 'import'],
      ['log', 'delete'],
      ['replay', 'list'],
      ['replay', 'start'],
      ['replay', 'show'],
      ['replay', 'decisions'],
      ['country', 'import'],
      ['admin', 'reset-password'],
      ['admin', 'token', 'create'],
      ['admin', 'token', 'list'],
      ['admin', 'token', 'revoke'],
      ['completion'],
    ];
    for (const command of commands) {
      const { exitCode, stdout } = await jadefence([...command, '--help']);
      expect([
        command,
        exitCode,
        stdout.includes(command[0] === 'completion' ? 'jadefence completion' : `jadefence ${command.join(' ')}`),
        stdout.includes('Examples:'),
      ]).toEqual([command, 0, true, true]);
    }
  });

  it('completes commands, options, their values and the gates of local fences', async () => {
    const complete = async (...words: string[]): Promise<string[]> =>
      (await run('complete', '--', ...words)).stdout.split('\n').filter(Boolean);
    expect(await complete('re')).toEqual(['review', 'revision', 'replay']);
    expect(await complete('replay', 's')).toEqual(['start', 'show']);
    expect(await complete('judge', 'x', '--fo')).toEqual(['--format']);
    expect(await complete('judge', 'x', '--output', 'n')).toEqual(['ndjson']);
    expect(await complete('judge', 'x', '--fences', 'site.fence', '--gate', '')).toEqual(['shop']);
    expect((await run('completion', 'bash')).stdout).toContain('complete -o filenames -F _jadefence jadefence');
    expect(await run('completion', 'tcsh')).toMatchObject({ exitCode: 2 });
  });
});

describe('what goes wrong with any command of the service', () => {
  const COMMANDS: { args: string[]; needs: 'viewer' | 'editor' | 'administrator' }[] = [
    { args: ['fence', 'list'], needs: 'viewer' },
    { args: ['fence', 'show', 'desk'], needs: 'viewer' },
    { args: ['fence', 'export', 'nowhere'], needs: 'viewer' },
    { args: ['fence', 'import', 'site.fence', '--yes'], needs: 'editor' },
    { args: ['log', 'list'], needs: 'viewer' },
    { args: ['log', 'import', 'day.log'], needs: 'editor' },
    { args: ['replay', 'list'], needs: 'viewer' },
    { args: ['country', 'import', 'countries.csv'], needs: 'editor' },
    { args: ['admin', 'token', 'list'], needs: 'administrator' },
    { args: ['admin', 'token', 'create', 'x'], needs: 'administrator' },
    { args: ['admin', 'reset-password'], needs: 'administrator' },
    { args: ['try', '--client', '198.18.4.1', '--url', 'shop.example'], needs: 'viewer' },
  ];
  const withToken = (args: readonly string[], url: string, speaking: string): Promise<Ran> =>
    jadefence(args, { env: { JADEFENCE_URL: url, JADEFENCE_TOKEN: speaking }, cwd: folder });
  const signedIn = (...args: string[]): Promise<Ran> => withToken(args, service.address, token);

  it('no service ends with 3, and a token that may not with 2, each with a clear line', async () => {
    writeFileSync(join(folder, 'countries.csv'), '198.18.0.0/15,NO\n');
    const viewer = (await signedIn('admin', 'token', 'create', 'viewer')).stdout.trim();
    for (const { args, needs } of COMMANDS) {
      const gone = await withToken(args, 'http://127.0.0.1:47399', viewer);
      expect([args, gone.exitCode, gone.stdout]).toEqual([args, 3, '']);
      expect(gone.stderr).toMatch(
        /^The service at http:\/\/127\.0\.0\.1:47399 cannot be reached \(ECONNREFUSED\)\.\n$/,
      );
      if (needs === 'viewer') continue;
      const refused = await withToken(args, service.address, viewer);
      expect([args, refused.exitCode, refused.stderr]).toEqual([
        args,
        2,
        `admin is viewer here; this needs ${needs}.\n`,
      ]);
    }
  });

  it('a wrong file or name ends with 2 and is named', async () => {
    for (const [args, message] of [
      [['fence', 'import', 'nowhere.fence'], 'There is no file or folder "nowhere.fence".'],
      [['log', 'import', 'nowhere.log'], 'There is no log "nowhere.log".'],
      [['log', 'preview', 'nowhere.log'], 'There is no log "nowhere.log".'],
      [['log', 'show', 'nowhere'], 'There is no log "nowhere".'],
      [['log', 'delete', 'nowhere'], 'There is no log "nowhere".'],
      [['survey', 'nowhere.log'], 'There is no log "nowhere.log".'],
      [
        ['survey', 'day.log', '--country-table', 'nowhere.csv'],
        'The country table "nowhere.csv" cannot be read (ENOENT).',
      ],
      [['country', 'import', 'nowhere.csv'], 'The country table "nowhere.csv" cannot be read (ENOENT).'],
      [['replay', 'start', 'nowhere'], 'There is no log "nowhere".'],
      [['fence', 'export', 'day.log'], '"day.log" is no folder to write into (ENOTDIR).'],
      [
        ['list', 'show', '../..'],
        "error: command-argument value '../..' is invalid for argument 'name'. Expected a name: a small letter, then small letters, digits and hyphens.",
      ],
      [['replay', 'decisions', '99'], 'There is no replay 99.'],
      [['admin', 'reset-password', 'stranger'], 'There is no user "stranger".'],
      [['login', '--sign-in-file', 'nowhere'], 'The sign-in file "nowhere" cannot be read (ENOENT).'],
    ] as const) {
      const { exitCode, stderr } = await signedIn(...args);
      expect([args, exitCode, stderr.split('\n')[0]]).toEqual([args, 2, message]);
    }
  });

  it('login keeps a token that logout ends', async () => {
    const { token: kept, url } = JSON.parse(readFileSync(join(folder, 'jadefence/credentials.json'), 'utf8')) as {
      token: string;
      url: string;
    };
    expect(await run('logout')).toMatchObject({ exitCode: 0, stderr: 'Signed out.\n' });
    expect((await withToken(['log', 'list'], url, kept)).stderr).toContain('The token is not valid or has expired.');
    expect(await run('log', 'list')).toMatchObject({
      exitCode: 2,
      stderr: 'Not signed in.\nRun jadefence login first, or set JADEFENCE_TOKEN.\n',
    });
  });
});

describe('files', () => {
  it('are formatted in place, all or none, and checked', async () => {
    const formatted = join(folder, 'format');
    mkdirSync(formatted);
    const write = (name: string, text: string): void => writeFileSync(join(formatted, name), text);
    write('a.fence', '# kept\nlist b addresses{198.18.1.1}   # and this\n');
    write('b.fence', 'fence f enforce { rule r blok when always }');
    const broken = await run('format', 'format');
    expect([broken.exitCode, broken.stderr]).toEqual([2, expect.stringContaining('Nothing is written.')]);
    write('b.fence', 'fence f enforce {\n  rule r block when always\n}\n');
    expect((await run('format', '--check', 'format')).exitCode).toBe(1);
    expect((await run('format', 'format')).exitCode).toBe(0);
    expect(readFileSync(join(formatted, 'a.fence'), 'utf8')).toBe(
      '# kept\n# and this\nlist b addresses { 198.18.1.1 }\n',
    );
    expect((await run('format', '--check', 'format')).exitCode).toBe(0);
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

  it('is reported in one line, ends commands with 3, and recovers with the database', async () => {
    const open = (port: number): Promise<number> =>
      new Promise((resolve) => {
        proxy = createServer((socket) => {
          const { hostname, port: databasePort } = new URL(service.databaseUrl);
          const upstream = connect(Number(databasePort), hostname);
          for (const [from, to] of [
            [socket, upstream],
            [upstream, socket],
          ] as const) {
            sockets.add(from);
            from.pipe(to).on('error', () => undefined);
            from.on('error', () => undefined).on('close', () => to.destroy());
          }
        }).listen(port, '127.0.0.1', () => resolve((proxy.address() as { port: number }).port));
      });
    const port = await open(0);
    const url = new URL(service.databaseUrl);
    url.port = String(port);
    behind = await startService(
      {
        JADEFENCE_DATABASE_URL: url.href,
        JADEFENCE_SIGN_IN_FILE: join(service.folder, 'sign-in'),
        JADEFENCE_PORT: '0',
        JADEFENCE_LOG_LEVEL: 'silent',
      },
      'ignore',
    );
    const listLogs = (): Promise<Ran> =>
      jadefence(['log', 'list', '--output', 'json'], {
        env: { JADEFENCE_URL: service.address, JADEFENCE_TOKEN: token },
      });
    const { address } = behind;
    const listThroughProxy = (): Promise<Ran> =>
      jadefence(['log', 'list', '--output', 'json'], { env: { JADEFENCE_URL: address, JADEFENCE_TOKEN: token } });
    expect((await listLogs()).exitCode).toBe(0);
    expect((await listThroughProxy()).exitCode).toBe(0);
    await new Promise<void>((resolve) => {
      proxy.close(() => resolve());
      sockets.forEach((socket) => socket.destroy());
    });
    expect(await listThroughProxy()).toMatchObject({
      exitCode: 3,
      stdout: '',
      stderr:
        'The service cannot reach its database.\nCheck that PostgreSQL runs and that JADEFENCE_DATABASE_URL is right.\n',
    });
    expect((await fetch(`${address}/api/v1/health`)).status).toBe(200);
    expect((await fetch(`${address}/api/v1/ready`)).status).toBe(503);
    await open(port);
    await expect.poll(async () => (await listThroughProxy()).exitCode, { timeout: 15_000 }).toBe(0);
  });
});
