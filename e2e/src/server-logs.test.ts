/** Logs of web servers of Debian, where they are installed, as they write them; and lines of a load balancer. */
import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { jadefence } from './jadefence.js';

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'jadefence-servers-'));
  writeFileSync(
    join(folder, 'site.fence'),
    'gate shop inbound { hosts shop.example client from header x-forwarded-for trusting 127.0.0.1, 198.18.0.1 fences desk otherwise allow }\n' +
      'fence desk enforce { rule far block when client in 203.0.113.0/24 rule quoted block when agent contains "\\"odd\\"" }\n',
  );
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Requests that each server writes in another way: quotation marks, bytes that are no text, a list of proxies. */
const REQUESTS: readonly { readonly path: string; readonly headers: Record<string, string> }[] = [
  { path: '/a?x=1&y=%22', headers: { 'user-agent': 'Agent/1.0 (a; b)' } },
  { path: '/b', headers: { 'user-agent': 'An "odd" agent \\ here' } },
  { path: '/%C3%A6', headers: { 'user-agent': 'bytes \u00e6\u00f8', 'referer': 'https://www.shop.example/"x"' } },
  { path: '/c', headers: { 'user-agent': '-', 'x-forwarded-for': '203.0.113.7, 198.18.0.1' } },
  { path: '/d', headers: { authorization: `Basic ${Buffer.from('ann lee:x').toString('base64')}` } },
];

async function freePort(): Promise<number> {
  const server = createServer().listen(0, '127.0.0.1');
  await once(server, 'listening');
  const { port } = server.address() as AddressInfo;
  server.close();
  await once(server, 'close');
  return port;
}

/** Runs a server while the requests are sent, and ends it. */
async function serve(command: string, args: readonly string[], port: number): Promise<void> {
  const child: ChildProcess = spawn(command, args, { stdio: ['ignore', 'ignore', 'pipe'] });
  let errors = '';
  child.stderr!.on('data', (piece: Buffer) => (errors += piece.toString()));
  const ended = once(child, 'exit');
  try {
    const isUp = (): Promise<boolean> =>
      fetch(`http://127.0.0.1:${port}/up`).then(
        () => true,
        () => false,
      );
    for (let tries = 0; !(await isUp()); tries += 1) {
      if (tries === 100 || child.exitCode !== null) throw new Error(`The server does not answer: ${errors}`);
      await sleep(100);
    }
    for (const { path, headers } of REQUESTS) {
      const { request } = await import('node:http');
      const sent = request({ port, host: '127.0.0.1', path, headers: { host: 'www.shop.example', ...headers } });
      sent.end();
      const [response] = (await once(sent, 'response')) as [NodeJS.ReadableStream];
      response.resume();
      await once(response, 'end');
    }
  } finally {
    child.kill('SIGTERM');
    await ended;
  }
}

async function judged(log: string, ...options: string[]): Promise<Record<string, unknown>[]> {
  const args = ['judge', log, '--fences', join(folder, 'site.fence'), '--output', 'ndjson', ...options];
  const { stdout, stderr, exitCode } = await jadefence(args);
  expect([exitCode, stderr]).toEqual([0, stderr]);
  return stdout
    .split('\n')
    .filter((line) => line !== '')
    .map((line) => JSON.parse(line) as Record<string, unknown>)
    .filter((record) => record['url.path'] !== '/up');
}

/** What has to be read, whichever server wrote it. */
function expectRequests(records: readonly Record<string, unknown>[]): void {
  expect(records.map((record) => record['url.path'])).toEqual(['/a', '/b', '/%C3%A6', '/c', '/d']);
  expect(records[0]).toMatchObject({ 'url.query': 'x=1&y=%22', 'user_agent.original': 'Agent/1.0 (a; b)' });
  expect(records[1]).toMatchObject({ 'user_agent.original': 'An "odd" agent \\ here' });
  expect(records[1]).toMatchObject({ 'jade.outcome': 'blocked', 'jade.rule': 'quoted' });
}

describe.skipIf(!existsSync('/usr/sbin/nginx'))('nginx', () => {
  it('with a column for forwarded addresses is read by the pattern that is proposed', async () => {
    const port = await freePort();
    const log = join(folder, 'nginx.log');
    const file = join(folder, 'nginx.conf');
    writeFileSync(
      file,
      `daemon off; pid ${folder}/nginx.pid; error_log ${folder}/nginx.err; events { }
http {
  log_format more '$host $remote_addr - $remote_user [$time_local] "$request" $status $body_bytes_sent "$http_referer" "$http_user_agent" "$http_x_forwarded_for" $request_time';
  access_log ${log} more;
  client_body_temp_path ${folder}/body; proxy_temp_path ${folder}/proxy; fastcgi_temp_path ${folder}/fastcgi;
  uwsgi_temp_path ${folder}/uwsgi; scgi_temp_path ${folder}/scgi;
  server { listen 127.0.0.1:${port}; location / { return 204; } }
}
`,
    );
    await serve('/usr/sbin/nginx', ['-c', file], port);
    const refused = await jadefence(['judge', log, '--fences', join(folder, 'site.fence')]);
    expect(refused.exitCode).toBe(2);
    const pattern = /--pattern '(.*)'/.exec(refused.stderr)?.[1];
    expect(pattern).toBe(
      '{host} {client} {} {user} [{time}] "{request}" {status} {bytes} "{referer}" "{agent}" "{http.request.header.x-forwarded-for}" {}',
    );
    const records = await judged(log, '--pattern', pattern!);
    expectRequests(records);
    expect(records[4]).toMatchObject({ 'client.address': '127.0.0.1', 'user.name': 'ann lee' });
    expect(records[3]).toMatchObject({ 'jade.client': '203.0.113.7', 'jade.outcome': 'blocked', 'jade.rule': 'far' });
  });
});

describe.skipIf(!existsSync('/usr/sbin/apache2'))('apache2', () => {
  it('with the host and port in front is read as it is', async () => {
    const port = await freePort();
    const log = join(folder, 'apache.log');
    const file = join(folder, 'apache.conf');
    const modules = ['mpm_event', 'authz_core', 'alias'].map(
      (name) => `LoadModule ${name}_module /usr/lib/apache2/modules/mod_${name}.so`,
    );
    mkdirSync(join(folder, 'htdocs'));
    writeFileSync(
      file,
      `ServerRoot ${folder}
Listen 127.0.0.1:${port}
${modules.join('\n')}
PidFile ${folder}/apache.pid
ErrorLog ${folder}/apache.err
ServerName www.shop.example:443
UseCanonicalName On
DocumentRoot ${folder}/htdocs
User www-data
Group www-data
LogFormat "%v:%p %h %l %u %t \\"%r\\" %>s %O \\"%{Referer}i\\" \\"%{User-Agent}i\\"" vhost
CustomLog ${log} vhost
`,
    );
    await serve('/usr/sbin/apache2', ['-f', file, '-DFOREGROUND'], port);
    const records = await judged(log);
    expectRequests(records);
    expect(readFileSync(log, 'utf8')).toContain('www.shop.example:');
    expect(records.map((record) => record['jade.gate'])).toEqual(Array(5).fill('shop'));
  });
});

it('a load balancer that logs to syslog is read by a pattern', async () => {
  const log = join(folder, 'balancer.log');
  writeFileSync(
    log,
    'Oct 12 12:00:01 edge balancer[4711]: 203.0.113.7:40512 [12/Oct/2026:12:00:01.250] front back/web1 0/0/1/2/3 200 512 - - ---- 1/1/0/0/0 0/0 {www.shop.example|Agent 1} "GET /a?x=1 HTTP/1.1"\n' +
      'Oct 12 12:00:02 edge balancer[4711]: 198.18.0.9:40513 [12/Oct/2026:12:00:02.000] front back/web1 0/0/1/2/3 200 512 - - ---- 1/1/0/0/0 0/0 {www.shop.example|} "GET /b HTTP/1.1"\n',
  );
  const pattern = '{client}:{} [{time}] {} {} {} {status} {bytes} {} {} {} {} {} {{{host}|{agent}} "{request}"';
  const records = await judged(log, '--syslog', '--year', '2026', '--pattern', pattern);
  expect(records).toMatchObject([
    { 'timestamp': '2026-10-12T12:00:01.250Z', 'client.address': '203.0.113.7', 'url.path': '/a', 'jade.rule': 'far' },
    { 'client.address': '198.18.0.9', 'url.path': '/b', 'user_agent.original': null, 'jade.outcome': 'allowed' },
  ]);
});
