import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { jadefence, type Ran } from './jadefence.js';
import { importInto, startTestService, type TestService } from './service.js';

let folder: string;
let service: TestService;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'jadefence-'));
  service = await startTestService();
});
afterAll(async () => {
  await service.stop();
  rmSync(folder, { recursive: true, force: true });
});

const file = (name: string, text: string | Uint8Array): string => {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
};

const FENCES = `gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce "Desk" {
  rule login block when path under /login
  rule burst limit 1 per 10s by client when always
}
`;
/** Four requests; the last is the one too many. */
const REQUESTS = [
  ['2026-10-12T10:00:00Z', '198.18.1.1', '/'],
  ['2026-10-12T10:00:01Z', '198.18.1.2', '/login?next=1'],
  ['2026-10-12T10:00:02Z', '198.18.1.3', '/a b'],
  ['2026-10-12T10:00:03Z', '198.18.1.1', '/late'],
] as const;
const OUTCOMES = ['allowed', 'blocked', 'allowed', 'limited'];

const pairs = REQUESTS.map(([time, client, path]) => `time=${time} client=${client} host=shop.example path="${path}"`);
const har = REQUESTS.map(([time, client, path]) => ({
  startedDateTime: time,
  request: { method: 'GET', url: `https://shop.example${path}`, headers: [{ name: 'X-Client', value: client }] },
}));
/** The same requests as logs of many kinds, with the options that they need. */
const LOGS: readonly [name: string, text: string | Uint8Array, args: readonly string[]][] = [
  ['rows.csv', `time,client,host,path\n${REQUESTS.map(([t, c, p]) => `${t},${c},shop.example,"${p}"\n`).join('')}`, []],
  [
    'rows.tsv',
    `at\tfrom\ttarget\n${REQUESTS.map((row) => `${row.join('\t')}\n`).join('')}`,
    ['--mapping', 'MAPPING', '--host', 'shop.example'],
  ],
  ['pairs.txt', pairs.map((line) => `${line}\n`).join(''), []],
  ['syslog.gz', gzipSync(pairs.map((line) => `<134>1 2026-10-12T11:00:00Z gw-1 fence - - - ${line}\n`).join('')), []],
  [
    'free.log',
    REQUESTS.map(([time, client, path]) => `${client} wants "GET ${path} HTTP/1.1" at ${time}.\n`).join(''),
    ['--pattern', '{client} wants "{request}" at {time}.', '--host', 'shop.example'],
  ],
];

const outcomesOf = ({ stdout }: Ran): unknown[] =>
  stdout
    .trimEnd()
    .split('\n')
    .map((line) => (JSON.parse(line) as Record<string, unknown>)['jade.outcome']);

describe('the same requests in logs of many kinds', () => {
  it.each(LOGS)('are judged the same, by the command and by the service: %s', async (name, text, settings) => {
    const mapping = file('mapping.json', '{"time": "at", "client": "from", "path": "target"}');
    const args = settings.map((word) => (word === 'MAPPING' ? mapping : word));
    const log = file(name, text);
    const judged = await jadefence([
      'judge',
      log,
      '--fences',
      file('site.fence', FENCES),
      '--output',
      'ndjson',
      ...args,
    ]);
    expect([judged.exitCode, outcomesOf(judged)]).toEqual([0, OUTCOMES]);
    const env = { JADEFENCE_URL: service.address, JADEFENCE_TOKEN: service.token };
    const imported = await jadefence(['log', 'import', log, '--output', 'json', ...args], { env });
    expect(imported.exitCode).toBe(0);
    const { id, requests } = JSON.parse(imported.stdout) as { id: number; requests: number };
    expect(requests).toBe(4);
    const survey = await service.client.survey(id);
    expect(survey.clients.count).toBe(3);
  });

  it('are entries of a HAR file, whose client is unknown', async () => {
    const log = file('desk.har', JSON.stringify({ log: { version: '1.2', entries: har } }, undefined, 1));
    const judged = await jadefence(['judge', log, '--fences', file('site.fence', FENCES), '--output', 'ndjson']);
    expect(outcomesOf(judged)).toEqual(['allowed', 'blocked', 'allowed', 'allowed']);
    const shown = await jadefence(['log', 'preview', log, '--lines', '1']);
    expect(shown.stdout).toContain('http.request.header.x-client: ["198.18.1.1"]');
    expect(shown.stderr).toContain('HAR 1.2: of the first 4 entries 4 can be read');
  });
});

describe('several files', () => {
  const csv = (rows: readonly (typeof REQUESTS)[number][]): string =>
    `time,client,host,path\n${rows.map(([t, c, p]) => `${t},${c},shop.example,"${p}"\n`).join('')}`;

  it('are one log in the order of time, and every request is shown with its file, as it was written', async () => {
    const paths = [
      file('now.csv', csv([REQUESTS[2], REQUESTS[3]])),
      file('before.csv.gz', gzipSync(`${csv([REQUESTS[0], REQUESTS[1]])}broken\n`)),
    ];
    const judged = await jadefence(['judge', ...paths, '--fences', file('site.fence', FENCES), '--output', 'ndjson']);
    // Judged in the order of time, printed file by file.
    expect(outcomesOf(judged)).toEqual([...OUTCOMES.slice(2), ...OUTCOMES.slice(0, 2)]);
    expect(judged.stdout.match(/"jade\.file":"[^"]*"/g)).toEqual(
      ['now.csv', 'now.csv', 'before.csv.gz', 'before.csv.gz'].map((name) => `"jade.file":"${name}"`),
    );
    const env = { JADEFENCE_URL: service.address, JADEFENCE_TOKEN: service.token };
    const imported = await jadefence(['log', 'import', ...paths, '--name', 'both', '--output', 'json'], { env });
    expect(imported.stderr).toBe(
      '1 line rejected: the line does not match the format\n  before.csv.gz, line 4: "broken"\n',
    );
    const { id, files } = JSON.parse(imported.stdout) as { id: number; files: string[] };
    expect(files).toEqual(['now.csv', 'before.csv.gz']);
    await importInto(service.client, { fenceFiles: [{ path: 'site.fence', text: FENCES }], namedFiles: [] });
    const replay = await service.client.startReplay({ logId: id });
    await service.client.followReplay(replay.id, () => undefined);
    const { rows } = await service.client.decisions(replay.id, { offset: 0, limit: 10 });
    expect(rows.map(({ outcome }) => outcome)).toEqual(OUTCOMES);
    expect(rows.map(({ line, record, written }) => [record['jade.file'], line, written])).toEqual([
      ['before.csv.gz', 2, '2026-10-12T10:00:00Z,198.18.1.1,shop.example,"/"'],
      ['before.csv.gz', 3, '2026-10-12T10:00:01Z,198.18.1.2,shop.example,"/login?next=1"'],
      ['now.csv', 2, '2026-10-12T10:00:02Z,198.18.1.3,shop.example,"/a b"'],
      ['now.csv', 3, '2026-10-12T10:00:03Z,198.18.1.1,shop.example,"/late"'],
    ]);
    const shown = await jadefence(['replay', 'decisions', String(replay.id)], { env });
    expect(shown.stdout.match(/^ *\S+:\d+(?= )/gm)).toEqual([
      'before.csv.gz:2',
      'before.csv.gz:3',
      '      now.csv:2',
      '      now.csv:3',
    ]);
  });

  it('come over HTTP as the parts of a form, and errors name the part', async () => {
    const send = async (
      parts: readonly (readonly [name: string, text: string])[],
      query = 'name=form',
    ): Promise<string> => {
      const body = new FormData();
      for (const [name, text] of parts) body.append('file', new Blob([text]), name);
      if (parts.length === 0) body.append('note', 'no file');
      const headers = { authorization: `Bearer ${service.token}` };
      const answer = await fetch(`${service.address}/api/v1/logs?${query}`, { method: 'POST', body, headers });
      const expected = (await answer.json()) as { requests?: number; detail?: string };
      return `${answer.status} ${expected.requests ?? expected.detail}`;
    };
    const [first, second] = [csv([REQUESTS[0], REQUESTS[2]]), csv([REQUESTS[1]])];
    expect([
      await send([]),
      await send([
        ['a.csv', first],
        ['a.csv', second],
      ]),
      await send([
        ['a.csv', first],
        ['b.txt', 'no log at all\n'],
      ]),
      await send([
        ['a.csv', first],
        ['b.csv', 'time,client,host\nsoon,198.18.1.1,shop.example\n'],
      ]),
      // The same two files, the other way round, are the same log.
      await send([
        ['x.csv', second],
        ['y.csv', first],
      ]),
      await send([
        ['y.csv', first],
        ['x.csv', second],
      ]),
      await send([['a.csv', first]], 'name=form&mapping=%5B%5D'),
    ]).toEqual([
      '400 The upload has no file.',
      '400 Two files of the upload are called "a.csv".',
      expect.stringMatching(/^422 b\.txt: None of the formats fits/) as string,
      expect.stringMatching(
        /^422 b\.csv: None of the formats fits: it has a header and rows, but of line 2 the time cannot be read/,
      ) as string,
      '201 3',
      expect.stringMatching(/^409 The same bytes are here already/) as string,
      '422 The mapping is not a JSON object.',
    ]);
  });

  it('must be of one format', async () => {
    const paths = [file('a.csv', csv(REQUESTS)), file('b.txt', `${pairs.join('\n')}\n`)];
    const { exitCode, stderr } = await jadefence(['survey', ...paths]);
    expect(exitCode).toBe(2);
    expect(stderr).toContain('b.txt is text with key=value pairs.\nImport each as a separate log.');
  });
});

describe('what does not fit is reported', () => {
  it.each<[string, readonly string[], string]>([
    [
      'no column that is the time',
      ['judge', 'LOG'],
      'None of the columns is known to be the time.\nThe columns are: when, client, host. Assign them with a mapping',
    ],
    [
      'a pattern with a name that nothing has',
      ['log', 'preview', 'LOG', '--pattern', '{clint} {time}'],
      'In the pattern, {clint} is no value of a request.\nDid you mean "client"?',
    ],
    [
      'a mapping that is not there',
      ['survey', 'LOG', '--mapping', '/nonexistent.json'],
      'The mapping "/nonexistent.json" cannot be read (ENOENT).',
    ],
    [
      'a mapping and a format that has no names',
      ['log', 'preview', 'LOG', '--format', 'common', '--mapping', 'MAPPING'],
      '--mapping cannot be used with NCSA common.',
    ],
    ['a zone that is none', ['log', 'preview', 'LOG', '--zone', 'Mars/Base'], 'There is no time zone "Mars/Base".'],
  ])('%s', async (_, args, expected) => {
    const log = file('flows.csv', 'when,client,host\n2026-10-12,198.18.1.1,shop.example\n');
    const mapping = file('mapping.json', '{"client": "client"}');
    const fences = args[0] === 'judge' ? ['--fences', file('site.fence', FENCES)] : [];
    const named = args.map((word) => ({ LOG: log, MAPPING: mapping })[word] ?? word);
    const { exitCode, stdout, stderr } = await jadefence([...named, ...fences]);
    expect([exitCode, stdout]).toEqual([2, '']);
    expect(stderr).toContain(expected);
  });

  it('by the service, too, which keeps nothing of it', async () => {
    const send = (query: Parameters<typeof service.client.importLog>[0], text: string) =>
      service.client.importLog(query, new TextEncoder().encode(text)).then(
        () => 'taken',
        (error: Error) => error.message,
      );
    expect([
      await send({ name: 'x', mapping: '{"' }, 'a,b,c\n1,2,3\n'),
      await send({ name: 'x', mapping: '{"time": "b"}' }, 'a;c;d\n1;2;3\n'),
      await send({ name: 'x', year: '26' }, 'a\n'),
    ]).toEqual([
      expect.stringMatching(/^The mapping is not JSON/),
      'The mapping speaks of columns that the log does not have: b.',
      'year must be a year of four digits',
    ]);
  });

  it('but a gzip that is cut short keeps what came before, and is marked', async () => {
    const rows = Array.from(
      { length: 3000 },
      (_, at) => `${1791799200 + at},198.18.${at % 250}.${at % 199},shop.example\n`,
    );
    const whole = gzipSync(`time,client,host\n${rows.join('')}`);
    const log = await service.client.importLog({ name: 'cut' }, whole.subarray(0, whole.length - 2000));
    expect(log.incomplete).toMatch(/^The gzip file is damaged or cut short/);
    expect(log.requests).toBeGreaterThan(500);
    expect(log.requests).toBeLessThan(3000);
  });
});
