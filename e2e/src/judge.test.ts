import { spawn } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { DEMO_LOG, generateInboundLog, writeInboundLog } from '@jadefence/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { jadefence, type Ran } from './jadefence.js';
import { ROOT } from './root.js';

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'jadefence-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const file = (name: string, text: string | Uint8Array): string => {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
};

const FENCES = `gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce "Desk" {
  rule login block when path under /login and country not in NO
  rule odd trial block 451 when not method = GET
}
`;
const LINES = [
  'shop.example 198.18.1.1 - - [12/Oct/2026:10:00:00 +0000] "GET / HTTP/1.1" 200 5 "-" "-"',
  'shop.example 203.0.113.9 - - [12/Oct/2026:10:00:01 +0000] "POST /login HTTP/1.1" 200 5 "-" "-"',
  'shop.example 198.18.1.1 - - [12/Oct/2026:10:00:02 +0000] "POST /login HTTP/1.1" 200 5 "-" "-"',
  'old.example 198.18.1.1 - - [12/Oct/2026:10:00:03 +0000] "GET / HTTP/1.1" 200 5 "-" "-"',
  'not a line \u0007',
];
const LOG = `${LINES.join('\n')}\n`;

describe('jadefence judge', () => {
  it('decides the same of the same requests in other formats', async () => {
    const outcomes = async (log: string): Promise<unknown[]> => {
      const args = ['judge', '-', '--fences', file('site.fence', FENCES), '--output', 'ndjson'];
      const { stdout, stderr } = await jadefence(args, { input: log });
      expect(stderr).toContain('none would be rejected');
      return stdout
        .trimEnd()
        .split('\n')
        .map((line) => {
          const {
            'jade.outcome': outcome,
            'jade.rule': rule,
            'jade.client': client,
          } = JSON.parse(line) as Record<string, string>;
          return [outcome, rule, client];
        });
    };
    const requests = LINES.slice(0, 4).map((line) => {
      const [, host, client, time, method, path] = /^(\S+) (\S+) - - \[\d+\/Oct\/2026:(\S+) .*?"(\S+) (\S+)/.exec(
        line,
      )!;
      return { host, client, time, method, path };
    });
    const expected = await outcomes(`${LINES.slice(0, 4).join('\n')}\n`);
    const common = requests.map(
      ({ host, client, time, method, path }) =>
        `${host} ${client} - - [12/Oct/2026:${time} +0000] "${method} ${path} HTTP/1.1" 200 5`,
    );
    const w3c = requests.map(
      ({ host, client, time, method, path }) => `${time}\t${client}\t${method}\t${path}\t${host}`,
    );
    const fields = '#Date: 2026-10-12 00:00:00\n#Fields: time c-ip cs-method cs-uri-stem cs-host\n';
    expect(await outcomes(`${common.join('\n')}\n`)).toEqual(expected);
    expect(await outcomes(`${fields}${w3c.join('\n')}\n`)).toEqual(expected);
  });

  it('reports first that most requests name no host, and how to judge them', async () => {
    const line = '{"timestamp":"2026-10-12T10:00:00Z","client.address":"198.18.1.1","url.path":"/"}\n';
    const judge = (...more: string[]): Promise<Ran> =>
      jadefence(['judge', '-', '--fences', file('site.fence', FENCES), ...more], { input: line.repeat(3) });
    expect((await judge()).stdout).toMatch(
      /^3 of 3 requests name no host, so no gate covers them\. .*\nOptions: --host HOST, --gate NAME\.\n\n/,
    );
    expect((await judge('--host', 'shop.example')).stdout).not.toContain('name no host');
  });

  it('shows the result of a log as a table', async () => {
    const ran = await jadefence(
      [
        'judge',
        '-',
        '--fences',
        file('site.fence', FENCES),
        '--country-table',
        file('countries.csv', '198.18.0.0/15,NO\nnonsense,XX\n'),
      ],
      { input: LOG, cwd: folder },
    );
    expect(ran.stderr).toBe(
      `${folder}/countries.csv:2: "nonsense" is no network such as 198.18.0.0/20; the row is left out\nstandard input: Looks like NCSA combined with the host in front: of the first 5 lines 4 can be read and 1 would be rejected.\nThe review of the rules has 1 warning: The rule desk/login stops all countries but some, and with them addresses of no-country and internal. [not-in-without-no-country] See jadefence review.\n`,
    );
    expect(ran.stdout.replaceAll(folder, 'FOLDER')).toBe(`\
standard input judged by FOLDER/site.fence
4 requests from 2026-10-12 10:00:00 to 2026-10-12 10:00:03 UTC

outcome    requests  share
uncovered         1  25.0%
allowed           2  50.0%
blocked           1  25.0%

No gate covers: old.example (1)

fence desk "Desk" at shop
rule   hits  decided  last hit             note          what it does
login     1        1  2026-10-12 10:00:01                Block with 403 when the path is under /login and the
                                                         country is not NO.
odd       1        0  2026-10-12 10:00:02  would stop 1  On trial: block with 451 when the method is not GET.

1 line rejected
  1: the line does not match the format
the first of them
  line 5: not a line \\x07
`);
    expect(ran.exitCode).toBe(0);
  });

  it('prints one CSV row a request', async () => {
    const { stdout } = await jadefence(['judge', '-', '--fences', file('site.fence', FENCES), '--output', 'csv'], {
      input: LOG,
    });
    expect(stdout.split('\n').slice(0, 3)).toEqual([
      'timestamp,client.address,network.peer.address,server.address,url.full,url.path,url.query,http.request.method,http.request.header.host,http.response.status_code,http.response.body.size,user_agent.original,user.name,jade.line,jade.outcome,jade.stopped,jade.gate,jade.fence,jade.rule,jade.status,jade.reason,jade.would,jade.throttle,jade.file,jade.tags,jade.blind,jade.country,jade.client',
      '2026-10-12T10:00:00.000Z,198.18.1.1,,,,/,,GET,shop.example,200,5,,,1,allowed,false,shop,,,,,,,,,,,198.18.1.1',
      '2026-10-12T10:00:01.000Z,203.0.113.9,,,,/login,,POST,shop.example,200,5,,,2,allowed,false,shop,,,,,"{""fence"":""desk"",""rule"":""odd"",""outcome"":""blocked""}",,,,desk/login,,203.0.113.9',
    ]);
  });

  it('gives the same bytes for the same input, whatever the pieces it arrives in', async () => {
    const args = ['judge', '-', '--fences', file('site.fence', FENCES), '--output', 'ndjson'];
    async function* slowly(): AsyncGenerator<string> {
      for (const character of LOG) yield character;
    }
    expect((await jadefence(args, { input: slowly() })).stdout).toBe((await jadefence(args, { input: LOG })).stdout);
  });

  it('counts standard input in any order, and prints its decisions only where they can be put in order on the way', async () => {
    const fences = file(
      'busy.fence',
      'gate shop inbound { hosts shop.example fences desk otherwise allow }\nfence desk enforce { rule often limit 2 per 1h by client exact when always }\n',
    );
    const at = (time: string): string =>
      `shop.example 198.18.1.1 - - [12/Oct/2026:${time} +0000] "GET / HTTP/1.1" 200 5 "-" "-"\n`;
    // The earliest request comes last, after more lines than are kept waiting.
    const input = `${at('12:00:00').repeat(110_000)}${at('09:00:00')}`;
    const counted = await jadefence(['judge', '-', '--fences', fences, '--output', 'json'], { input });
    // Two within the hour of twelve, and the one of nine.
    const outcomes = (JSON.parse(counted.stdout) as { outcomes: { outcome: string; requests: number }[] }).outcomes;
    expect(outcomes.map(({ outcome, requests }) => `${requests} ${outcome}`)).toEqual(['3 allowed', '109998 limited']);
    expect(counted.stderr).toContain(
      'standard input: the lines are not in the order of time, so they were put into it first',
    );
    const printed = await jadefence(['judge', '-', '--fences', fences, '--output', 'ndjson'], { input });
    expect(printed.exitCode).toBe(2);
    expect(printed.stderr).toContain('Line 110001 comes too late, by more than 100000 lines');
  });

  it('finds the events that were planted in the demo log, and blames no one else', async () => {
    const log = join(folder, 'inbound.log');
    await writeInboundLog(DEMO_LOG, log, `${log}.labels`);
    const { stdout } = await jadefence([
      'judge',
      log,
      '--fences',
      'demo/fences',
      '--country-table',
      'demo/data/countries.csv',
      '--output',
      'ndjson',
    ]);
    const decisions = new Map(
      stdout
        .trimEnd()
        .split('\n')
        .map((line) => JSON.parse(line) as Record<string, unknown>)
        .map((item) => [item['jade.line'], item]),
    );
    const labels = readFileSync(`${log}.labels`, 'utf8')
      .trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line) as { line: number; event: string });
    const decidedBy = (event: string): unknown[] => [
      ...new Set(
        labels
          .filter((label) => label.event === event)
          .map(
            ({ line }) =>
              `${decisions.get(line)?.['jade.outcome']} ${decisions.get(line)?.['jade.fence']}/${decisions.get(line)?.['jade.rule']}`,
          ),
      ),
    ];
    expect(
      Object.fromEntries(
        ['tout-network', 'tout-spread', 'scraper', 'partner', 'home-staff', 'unknown-host', 'malformed'].map(
          (event) => [event, decidedBy(event)],
        ),
      ),
    ).toEqual({
      'tout-network': ['blocked house/touts'],
      'tout-spread': ['blocked ticket-desk/login-abroad'],
      'scraper': ['blocked picture-api/scraper'],
      'partner': ['allowed house/trusted'],
      'home-staff': ['blocked studio-door/staff-only'],
      // Those from inside reach the outbound gate of the offices.
      'unknown-host': ['uncovered undefined/undefined', 'allowed undefined/undefined'],
      'malformed': ['undefined undefined/undefined'],
    });
    // One fence in trial would stop only the touts, so it is ready; the other would stop visitors.
    const wouldStop = (fence: string): unknown[] =>
      [...decisions.values()]
        .filter((item) => (item['jade.would'] as { fence: string }[]).some((would) => would.fence === fence))
        .map((item) => item['jade.line']);
    const linesOf = (event: string): number[] =>
      labels.filter((label) => label.event === event).map(({ line }) => line);
    expect(wouldStop('tout-watch')).toEqual(linesOf('tout-spread'));
    expect(wouldStop('originals-watch').length).toBeGreaterThan(linesOf('scraper').length);
    const planted = new Set(labels.map(({ line }) => line));
    const others = [...decisions.values()].filter(
      (item) => item['jade.stopped'] === true && !planted.has(item['jade.line'] as number),
    );
    // Visitors from Japan who sign in are the only others that a rule stops.
    expect([...new Set(others.map((other) => `${other['jade.rule']} ${other['jade.country']}`))]).toEqual([
      'login-abroad JP',
    ]);
  });

  it('judges two million lines in 96 MB of heap, putting them in order on the way', async () => {
    const child = spawn(
      process.execPath,
      [
        '--max-old-space-size=96',
        join(ROOT, 'packages/cli/dist/jadefence.mjs'),
        'judge',
        '-',
        '--fences',
        join(ROOT, 'demo/fences'),
        '--country-table',
        join(ROOT, 'demo/data/countries.csv'),
        '--output',
        'json',
      ],
      { stdio: ['pipe', 'pipe', 'ignore'] },
    );
    let stdout = '';
    child.stdout.on('data', (piece) => (stdout += piece));
    const ended = new Promise<number | null>((resolve) => child.on('close', resolve));
    child.stdin.on('error', () => undefined);
    let batch = '';
    let lines = 0;
    for (const { text } of generateInboundLog({ requests: 1_995_000, seed: 1 })) {
      batch += `${text}\n`;
      lines += 1;
      if (batch.length < 1_000_000) continue;
      if (!child.stdin.write(batch)) await new Promise((resolve) => child.stdin.once('drain', resolve));
      batch = '';
    }
    child.stdin.end(batch);
    expect(await ended).toBe(0);
    const summary = JSON.parse(stdout) as { requests: number; numRejected: number };
    expect(lines).toBeGreaterThan(2_000_000);
    expect(summary.requests + summary.numRejected).toBe(lines);
  }, 300_000);
});

describe('user errors are reported in a line, and exit with 2', () => {
  const good = (): string => file('good.fence', FENCES);
  const combined = '198.18.1.1 - - [12/Oct/2026:10:00:00 +0000] "GET / HTTP/1.1" 200 5 "-" "-"\n';
  it.each([
    [
      'no such log',
      () => ['judge', 'nowhere.log', '--fences', good()],
      '',
      'There is no log "nowhere.log".\nGive a file, or - for standard input.\n',
    ],
    [
      'no such fences',
      () => ['judge', '-', '--fences', 'nowhere'],
      LOG,
      'There is no file or folder "nowhere".\nGive a .fence file or a folder of them.\n',
    ],
    [
      'a folder without fences',
      () => ['judge', '-', '--fences', 'demo/data'],
      LOG,
      'The folder "demo/data" holds no .fence file.\n',
    ],
    [
      'an unknown gate',
      () => ['judge', '-', '--fences', good(), '--gate', 'shp'],
      LOG,
      'No gate is named "shp".\nDid you mean "shop"?\n',
    ],
    [
      'no host',
      () => ['judge', '-', '--fences', good(), '--format', 'combined'],
      combined,
      'The log names no host (NCSA combined), so no gate would cover any request.\nAdd --host HOST with the host of the log, or --gate NAME with the gate that judges it.\n',
    ],
    [
      'another kind of file',
      () => ['judge', '-', '--fences', good()],
      '#Fields: date time\n',
      'standard input: None of the formats fits: it begins as a W3C extended log, but its lines do not have the columns of the line "#Fields:" before them.\nFormats that can be read: combined (NCSA combined), combined-with-host (NCSA combined with the host in front), common (NCSA common), common-with-host (NCSA common with the host in front), w3c (W3C extended), ndjson (NDJSON), csv (CSV with a header), tsv (TSV with a header), har (HAR 1.2), key-value (text with key=value pairs), pattern (lines of a pattern).\n',
    ],
    ['an empty log', () => ['judge', '-', '--fences', good()], '', 'standard input: The log is empty.\n'],
    [
      'a table without rows',
      () => ['judge', '-', '--fences', good(), '--country-table', file('bad.csv', 'x,y\n')],
      LOG,
      `FOLDER/bad.csv has`,
    ],
    [
      'a wrong option',
      () => ['judge', '-', '--fences', good(), '--outptu', 'json'],
      LOG,
      "error: unknown option '--outptu'\n(Did you mean --output?)\n",
    ],
    [
      'a wrong output',
      () => ['judge', '-', '--fences', good(), '--output', 'xml'],
      LOG,
      "error: option '--output <output>' argument 'xml' is invalid. Expected one of table, json, ndjson, csv.\n",
    ],
    ['a wrong command', () => ['jugde'], '', "error: unknown command 'jugde'\n(Did you mean judge?)\n"],
    [
      'fences with errors',
      () => [
        'judge',
        '-',
        '--fences',
        file(
          'bad.fence',
          'gate g inbound { hosts staf otherwise allow }\nlist staff domains { a.example }\nfence f enforce { rule r blok when always }\n',
        ),
      ],
      LOG,
      'bad.fence:1:24: No list is named "staf". Did you mean "staff"? [unknown-name]\nbad.fence:3:26: Found "blok", expected an action: allow, block, redirect, warn, passphrase, challenge, limit, throttle, tag, observe. Did you mean "block"? [unexpected]\n2 errors in the fences.\n',
    ],
  ])('%s', async (name, args, input, expected) => {
    const { exitCode, stderr, stdout } = await jadefence(args(), { input });
    if (name === 'a table without rows') expect(stderr).toContain('has no usable row.\nExpected rows such as');
    else expect(stderr).toBe(expected);
    expect([exitCode, stdout]).toEqual([2, '']);
  });
});
