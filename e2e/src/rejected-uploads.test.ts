/** Logs and reference data that the service cannot take: each is refused with the reason, and nothing of it stays. */
import { once } from 'node:events';
import { readdirSync, writeFileSync } from 'node:fs';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { logLine } from './fixture.js';
import { jadefence } from './jadefence.js';
import { startTestService, type TestService } from './service.js';

const MAX_UPLOAD_BYTES = 2_000_000;
const GOOD = `${logLine('198.18.4.1', '/', 1)}\n`;

let service: TestService;
beforeAll(async () => {
  service = await startTestService({ JADEFENCE_MAX_UPLOAD_BYTES: `${MAX_UPLOAD_BYTES}` });
  for (const [name, bytes] of Object.entries({
    'good.log': GOOD,
    'junk.log': 'hello\nthere\n',
    'empty.log': '',
    'time.log': GOOD.replace('Oct', 'Okt'),
    'nohost.log': GOOD.replace('shop.example ', ''),
    'rows.ndjson': '{"timestamp":"2026-10-12T10:00:00Z","client.address":"198.18.0.1","url.path":"/"}\n',
    'cut.log.gz': gzipSync(GOOD.repeat(300)).subarray(0, 60),
    'long.log': GOOD.repeat(30_000),
    'words.csv': 'no rows at all\n',
    'feed.csv': 'shop.example\n',
    'table.mmdb': Buffer.concat([Buffer.from('x'.repeat(99)), Buffer.from('\u00ab\u00cd\u00efMaxMind.com', 'latin1')]),
    'table.csv.gz': gzipSync('198.18.0.0/17,NO\n'.repeat(99)).subarray(0, 40),
  }))
    writeFileSync(join(service.folder, name), bytes);
});
afterAll(() => service.stop());

async function run(...args: string[]): Promise<string> {
  const { stdout, stderr, exitCode } = await jadefence(args, {
    env: { JADEFENCE_URL: service.address, JADEFENCE_TOKEN: service.token },
    cwd: service.folder,
  });
  return `${stdout}${stderr.replace(/^Formats that can be read: .*\n/m, 'FORMATS\n')}exit ${exitCode}\n`;
}

const expected = (...lines: string[]): string => `${lines.join('\n')}\nexit 2\n`;

/** Rows of tables that only imports write. */
async function numRowsOf(...tables: string[]): Promise<number[]> {
  const database = new pg.Client({ connectionString: service.databaseUrl });
  await database.connect();
  const counts: number[] = [];
  for (const table of tables)
    counts.push(Number((await database.query<{ n: string }>(`select count(*) n from ${table}`)).rows[0]!.n));
  await database.end();
  return counts;
}

describe('a log that is refused', () => {
  it.each<[string, string[], string[]]>([
    ['fits no format', ['junk.log'], ['None of the formats fits: it begins: hello', 'FORMATS']],
    ['has nothing in it', ['empty.log'], ['The log is empty.']],
    [
      'has no line that is a request',
      ['time.log', '--format', 'combined-with-host'],
      ['No line of the log could be read as a request.', 'line 1: the time cannot be read'],
    ],
    [
      'is not of the given format',
      ['good.log', '--format', 'w3c'],
      ['No line of the log could be read as a request.', 'line 1: the line does not match the format'],
    ],
    [
      'names no host',
      ['nohost.log'],
      [
        'The log names no host (NCSA combined), so no gate would cover any request.',
        'Add --host HOST with the host of the log.',
      ],
    ],
    [
      'has files of two formats',
      ['good.log', 'rows.ndjson'],
      [
        'The files are not of one format: good.log is NCSA combined with the host in front, rows.ndjson is NDJSON.',
        'Upload each as a separate log.',
      ],
    ],
    [
      'has one file that fits none',
      ['good.log', 'junk.log'],
      ['junk.log: None of the formats fits: it begins: hello', 'FORMATS'],
    ],
    [
      'is cut short before its format can be detected',
      ['cut.log.gz'],
      [expect.stringMatching(/^None of the formats fits: it begins: shop.example.* cut short/) as string, 'FORMATS'],
    ],
    [
      'is given an invalid time zone',
      ['good.log', '--zone', 'Mars/Crater'],
      ['There is no time zone "Mars/Crater".', 'Write it as Area/City such as Europe/Oslo, or UTC.'],
    ],
    [
      'is larger than an upload may be',
      ['long.log'],
      [`The upload is larger than ${MAX_UPLOAD_BYTES} bytes.`, 'Split it, or raise JADEFENCE_MAX_UPLOAD_BYTES.'],
    ],
  ])('since it %s', async (_, args, lines) => {
    const numRows = () => numRowsOf('logs', 'log_chunks', 'log_dictionaries', 'log_rejects');
    const before = await numRows();
    expect((await run('log', 'import', ...args)).split('\n')).toEqual([...lines, 'exit 2', '']);
    expect(await numRows()).toEqual(before);
  });

  it('since its form is none, or has too many files', async () => {
    const send = async (body: FormData | string, type?: string): Promise<string> => {
      const headers = { authorization: `Bearer ${service.token}`, ...(type ? { 'content-type': type } : {}) };
      const answer = await fetch(`${service.address}/api/v1/logs?name=form`, { method: 'POST', body, headers });
      return `${answer.status} ${((await answer.json()) as { detail: string }).detail}`;
    };
    const many = new FormData();
    for (let index = 0; index < 101; index += 1) many.append('file', new Blob([GOOD]), `${index}.log`);
    const large = new FormData();
    large.append('file', new Blob(['x'.repeat(MAX_UPLOAD_BYTES + 1)]), 'large.log');
    expect([
      await send('--x\r\nnothing', 'multipart/form-data; boundary=x'),
      await send('--x', 'multipart/form-data'),
      await send(many),
      await send(large),
    ]).toEqual([
      expect.stringMatching(/^400 The form cannot be read: /),
      expect.stringMatching(/^400 The form cannot be read: /),
      '413 The upload has more than 100 files.',
      `413 The upload is larger than ${MAX_UPLOAD_BYTES} bytes.`,
    ]);
    expect(readdirSync(tmpdir()).filter((name) => name.startsWith('jadefence-upload-'))).toEqual([]);
  });

  it('because the client disconnected half-way', async () => {
    const { hostname, port } = new URL(service.address);
    const [numLogs, numChunks] = (await numRowsOf('logs', 'log_chunks')) as [number, number];
    const socket = connect(Number(port), hostname);
    await once(socket, 'connect');
    const head = `POST /api/v1/logs?name=cut HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer ${service.token}\r\nContent-Length: 1900000\r\n\r\n`;
    // More than detection looks at.
    socket.write(`${head}${GOOD.repeat(16_000)}`);
    await expect.poll(async () => (await numRowsOf('logs'))[0], { timeout: 8000 }).toBe(numLogs + 1);
    socket.destroy();
    await expect.poll(() => numRowsOf('logs', 'log_chunks'), { timeout: 8000 }).toEqual([numLogs, numChunks]);
    // The same bytes are no less welcome afterwards.
    expect(await run('log', 'import', 'good.log')).toContain('Log ');
    expect(await run('log', 'import', 'good.log')).toMatch(
      /^The same bytes are here already as log \d+ "good\.log"\.\nexit 2\n$/,
    );
  });
});

describe('reference data that is refused', () => {
  const COUNTRY_ROWS =
    'Expected rows such as 198.18.32.0,198.18.47.255,NO or 198.18.32.0/20,NO, statistics of a registry, or MMDB.';
  const RANGES = 'Write an address such as 198.18.3.9, a network such as 198.18.3.0/24, or a range a - b.';

  it.each<[string, string[], string]>([
    [
      'a country table without a row that can be used',
      ['country', 'import', 'words.csv'],
      expected('The file has no usable line; everything is as it was.', COUNTRY_ROWS),
    ],
    [
      'a country table that is no MMDB after all',
      ['country', 'import', 'table.mmdb'],
      expected('The file has no usable line; everything is as it was.', COUNTRY_ROWS),
    ],
    [
      'a country table that is cut short',
      ['country', 'import', 'table.csv.gz'],
      expected('The gzip file is damaged or cut short (unexpected end of file).', COUNTRY_ROWS),
    ],
    [
      'a feed whose rows have no category',
      ['category', 'import', 'feed.csv'],
      expected(
        'The file has no usable line; everything is as it was.',
        'line 1: the category is missing; expected "domain-or-url,category"',
        'Expected lines such as shop.example,shopping, a list with --category, a hosts file, or an archive of such files.',
      ),
    ],
    [
      'a country that is none',
      ['country', 'correct', '198.18.4.0/24', 'Norway'],
      expected('"Norway" is no country.', 'Write a code of ISO 3166-1 such as NO, or no-country, or internal.'),
    ],
    [
      'a range that is none',
      ['country', 'correct', '198.18.4', 'NO'],
      expected('"198.18.4" is no range of addresses.', RANGES),
    ],
    [
      'a range that ends before it begins',
      ['country', 'correct', '198.18.4.9 - 198.18.4.1', 'NO'],
      expected('"198.18.4.9 - 198.18.4.1" is no range of addresses.', RANGES),
    ],
    [
      'a category that is none',
      ['category', 'correct', 'shop.example', 'Big Shops'],
      expected(
        '"Big Shops" is no name of a category.',
        'Write small letters, digits and hyphens, several joined by commas, such as news,sport.',
      ),
    ],
    [
      'a site that is none',
      ['category', 'correct', 'no site', 'shops'],
      expected(
        '"no site" is no domain or URL.',
        'Write a domain such as shop.example, or with a path, such as shop.example/sale.',
      ),
    ],
    [
      'a correction that is not there',
      ['category', 'correct', 'shop.example', '--remove'],
      expected('There is no correction of shop.example.'),
    ],
    ['a dataset that is not there', ['dataset', 'delete', '9', '--yes'], expected('There is no dataset 9.')],
  ])('%s', async (_, args, answer) => expect(await run(...args)).toBe(answer));

  it('leaves nothing behind', async () => expect(await numRowsOf('datasets', 'corrections')).toEqual([0, 0]));
});
