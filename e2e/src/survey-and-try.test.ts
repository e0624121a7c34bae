/** A log with no rules, and one request with them. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { LOG, logLine, setUpDesk, type Desk } from './fixture.js';
import { jadefence } from './jadefence.js';

let desk: Desk;
let folder: Desk['folder'];
let run: Desk['run'];
beforeAll(async () => {
  desk = await setUpDesk();
  ({ folder, run } = desk);
});
afterAll(() => desk.clear());

describe('jadefence survey', () => {
  it('reports what a log holds, and gives rules and the next command', async () => {
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

1 line rejected
  1: the line does not match the format
the first of them
  line 13: broken

Suggested rules:
  rule limit-refused-path trial limit 10 per 1m by client when path = /login
      limits each client: /login was answered 401, 403, 404 or 429 most often

Keep these lines as starter.fence and judge the log with them:

# Few addresses send most requests. If they are proxies, log the header that names the client.
gate site inbound {
  hosts =shop.example
  fences starter
  otherwise allow
}

fence starter enforce "To begin from" {
  rule limit-refused-path trial limit 10 per 1m by client when path = /login
}

  jadefence judge day.log --fences starter.fence
`);
  });

  it('reads gzip and standard input, and gives the same answer', async () => {
    const [plain, gzip, piped] = await Promise.all([
      run('survey', 'day.log', '--output', 'json'),
      run('survey', 'day.log.gz', '--output', 'json'),
      jadefence(['survey', '-', '--output', 'json'], { input: LOG }),
    ]);
    expect(gzip.stdout).toBe(plain.stdout);
    expect(piped.stdout).toBe(plain.stdout);
  });

  it('of a truncated gzip reads what came before, and reports it', async () => {
    const whole = gzipSync(
      Array.from({ length: 20_000 }, (_, index) =>
        logLine(`198.18.${index % 200}.${index % 250}`, `/${index}`, index % 60),
      ).join('\n'),
    );
    writeFileSync(join(folder, 'cut.gz'), whole.subarray(0, whole.length / 2));
    const { stdout, stderr, exitCode } = await run('survey', 'cut.gz', '--output', 'json');
    expect(exitCode).toBe(0);
    expect(stderr).toContain(
      'cut.gz: the gzip file is damaged or cut short (unexpected end of file); only the whole lines before that are read',
    );
    expect((JSON.parse(stdout) as { requests: number }).requests).toBeGreaterThan(5000);
  });

  it('is not shaken by one line of 100 MB', async () => {
    async function* huge(): AsyncGenerator<string> {
      yield LOG;
      for (let index = 0; index < 100; index += 1) yield 'x'.repeat(1_000_000);
      yield `\n${LOG}`;
    }
    const { stdout, exitCode } = await jadefence(['survey', '-', '--output', 'json'], {
      input: huge(),
      nodeOptions: '--max-old-space-size=64',
    });
    expect(exitCode).toBe(0);
    expect(JSON.parse(stdout)).toMatchObject({
      requests: 24,
      rejected: [
        { reason: 'not-the-format', lines: 2 },
        { reason: 'overlong', lines: 1 },
      ],
    });
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
      tested client in team; the client is 203.0.113.9
  login: matched
      Block with 403 when the path is under /login and the request is not tagged staff.
      tested path under /login; the path is /login/x
      tested not tag = staff; the tag is (none)
outcome  blocked. Rule desk/login blocked it.
client sees: Status 403 instead of what was requested.
`;

  it('explains the same with fence files and with the draft of the service', async () => {
    expect((await run(...args, '--fences', 'site.fence')).stdout).toBe(EXPLANATION);
    await run('fence', 'import', 'site.fence', '--yes');
    expect((await run(...args)).stdout).toBe(`${EXPLANATION}\nJudged by the draft.\n`);
    expect(JSON.parse((await run(...args, '--output', 'json')).stdout)).toEqual({
      ...(JSON.parse((await run(...args, '--fences', 'site.fence', '--output', 'json')).stdout) as object),
      revision: null,
      draftDiffers: false,
    });
  });

  it.each([
    [
      ['--client', 'anonymous', '--url', 'https:///x', '--method', 'G T'],
      'Found "anonymous", expected an address such as 198.18.4.7 or 2001:db8::7.\nFound "https:///x", expected a URL such as https://shop.example/login.\nFound "G T", expected a method such as GET.\n',
    ],
    [
      ['--client', '198.18.4.1', '--url', 'shop.example', '--gate', 'shp'],
      'No gate is named "shp".\nDid you mean "shop"?\n',
    ],
    [
      ['--client', '198.18.4.1', '--url', 'shop.example', '--at', 'noon'],
      "error: option '--at <time>' argument 'noon' is invalid. Expected a time such as 2026-10-12T10:00:00Z.\n",
    ],
  ])('reports what is wrong with %j', async (options, expected) => {
    expect(await run('try', ...options, '--fences', 'site.fence')).toMatchObject({
      exitCode: 2,
      stdout: '',
      stderr: expected,
    });
  });
});
