import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { detectFormat } from './detect.js';
import { LogOptionsError, type ReaderOptions } from './lines/reader-options.js';
import { mergeByTime } from './merge.js';
import { parseMapping } from './naming/naming.js';
import type { LogFormat, ReadLine } from './lines/line-parser.js';
import { LogReader } from './reader.js';

const at = Date.UTC(2026, 9, 12, 10, 0, 0);

function read(format: LogFormat, text: string | Uint8Array, options: ReaderOptions = {}): ReadLine[] {
  const reader = new LogReader(format, options);
  return [...reader.push(Buffer.from(text)), ...reader.end()];
}

/** The one request of a log, or why it was rejected. */
function only(format: LogFormat, text: string, options?: ReaderOptions): unknown {
  const lines = read(format, text, options);
  expect(lines).toHaveLength(1);
  const [line] = lines;
  return line?.kind === 'record'
    ? { time: new Date(line.record.atUnixMs).toISOString(), ...line.record.attributes }
    : line?.rejected.reason;
}

const problemOf = (say: () => unknown): string => {
  try {
    say();
  } catch (error) {
    expect(error).toBeInstanceOf(LogOptionsError);
    return `${(error as LogOptionsError).message} ${(error as LogOptionsError).hint}`;
  }
  return 'no problem';
};

describe('a pattern', () => {
  const combined = '{client} - {user} [{time}] "{request}" {status} {bytes} "{referer}" "{agent}"';
  const line = '198.18.1.1 - - [12/Oct/2026:12:00:00 +0200] "GET /a?x=1 HTTP/1.1" 200 - "-" "He \\"x\\" settings"';

  it('assigns the parts of a line', () => {
    expect(only('pattern', line, { pattern: combined, host: 'shop.example' })).toEqual({
      'time': '2026-10-12T10:00:00.000Z',
      'client.address': '198.18.1.1',
      'user.name': null,
      'url.path': '/a',
      'url.query': 'x=1',
      'http.request.method': 'GET',
      'network.protocol.version': '1.1',
      'http.response.status_code': 200,
      'http.response.body.size': 0,
      'http.request.header.referer': null,
      'http.request.header.host': ['shop.example'],
      'user_agent.original': 'He "x" settings',
    });
  });

  it.each<[string, string, Record<string, unknown>]>([
    ['{time} {host}{path} {}', '2026-10-12T10:00:00Z a.example/x?y kept out', { 'url.path': '/x', 'url.query': 'y' }],
    ['{time}|{url}|', '1791799200|https://a.example/x|', { 'url.full': 'https://a.example/x' }],
    ['{{{time}} {url}', '{1791799200} https://a.example/x', { 'url.full': 'https://a.example/x' }],
    ['{http.request.header.x-forwarded-for};{time}', '198.18.7.7, 198.18.1.1;1791799200000', {}],
  ])('%s reads %s', (pattern, text, expected) => {
    if (pattern.includes('}{'))
      expect(problemOf(() => read('pattern', text, { pattern }))).toContain('there is no text between');
    else expect(only('pattern', text, { pattern })).toMatchObject({ time: '2026-10-12T10:00:00.000Z', ...expected });
  });

  it('takes nothing that it does not describe to the end', () => {
    for (const bad of [`${line} more`, line.slice(0, -1), line.replace('[', '('), ''.padEnd(60_000, '"')])
      expect(only('pattern', bad, { pattern: combined, host: 'a.example' })).toBe('not-the-format');
  });

  it.each([
    ['{client', 'In the pattern, "{client" has no end.'],
    ['plain', 'The pattern names no value.'],
    ['{clint} {time}', 'In the pattern, {clint} is no value of a request. Did you mean "client"?'],
    ['{client}{time}', 'there is no text between {client} and {time}'],
  ])('%j is refused', (pattern, problem) =>
    expect(problemOf(() => new LogReader('pattern', { pattern }))).toContain(problem),
  );
});

describe('CSV', () => {
  it('has its columns named as requests are, with cells quoted, over several lines, and in any order', () => {
    const text =
      '\ufefftime,Client,host,path,agent,note\r\n"2026-10-12 10:00:00",198.18.1.1,a.example,/x?q,"a ""b"", c\r\nd",5" disk\r\n';
    expect(only('csv', text)).toEqual({
      'time': '2026-10-12T10:00:00.000Z',
      'client.address': '198.18.1.1',
      'http.request.header.host': ['a.example'],
      'url.path': '/x',
      'url.query': 'q',
      'user_agent.original': 'a "b", c\r\nd',
      'extra.note': '5" disk',
    });
  });

  it('has columns of any name with a mapping, also a date and a time apart, in a zone', () => {
    const mapping = parseMapping('{"time": ["day", "clock"], "client": "who", "url": "requested", "status": "code"}');
    const text = 'day;clock;who;requested;code;status\n2026-10-12;12:00:00,5;198.18.1.1;https://a.example/;404;fine\n';
    expect(only('csv', text, { mapping, zone: 'Europe/Oslo' })).toEqual({
      'time': '2026-10-12T10:00:00.500Z',
      'client.address': '198.18.1.1',
      'url.full': 'https://a.example/',
      'http.response.status_code': 404,
      'extra.status': 'fine',
    });
  });

  it('passes over a header that is repeated, and rejects lines that do not have its columns', () => {
    const lines = read(
      'csv',
      'time,client\n1791799200,198.18.1.1\ntime,client\n1,2,3\n"a"b,2\n1791799200,x\n,x\nsoon,x\n',
    );
    expect(lines.map((line) => (line.kind === 'record' ? line.record.line : line.rejected.reason))).toEqual([
      2,
      'not-the-format',
      'not-the-format',
      6,
      'no-time',
      'bad-time',
    ]);
  });

  it('is the same however its bytes are cut, and a quotation mark that never ends costs one line of the longest length', () => {
    const bytes = Buffer.from(`time,agent\n1791799200,"a\n""b"\n1791799200,"${'open\n'.repeat(40)}1791799200,x\n`);
    const whole = read('csv', bytes, { maxLineBytes: 100 });
    expect(whole.map((line) => (line.kind === 'record' ? line.record.line : line.rejected.reason)).slice(0, 2)).toEqual(
      [2, 'overlong'],
    );
    expect(whole.at(-1)).toMatchObject({ kind: 'record' });
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 9 }), { maxLength: 30 }), (sizes) => {
        const reader = new LogReader('csv', { maxLineBytes: 100 });
        let from = 0;
        const lines = [...sizes, bytes.length].flatMap((size) => reader.push(bytes.subarray(from, (from += size))));
        expect([...lines, ...reader.end()]).toEqual(whole);
      }),
    );
  });

  it.each<[string, ReaderOptions, string]>([
    [
      'when,client\n',
      {},
      'None of the columns is known to be the time. The columns are: when, client. Assign them with a mapping.',
    ],
    [
      'time,client\n',
      { mapping: { host: 'vhost' } },
      'The mapping speaks of columns that the log does not have: vhost. The columns are: time, client.',
    ],
    ['time,client\n', { zone: 'Oslo' }, 'There is no time zone "Oslo". Write it as Area/City'],
  ])('%j does not fit %j', (text, options, problem) =>
    expect(problemOf(() => read('csv', text, options))).toContain(problem),
  );

  it('with tabs has no quotation marks', () => {
    expect(only('tsv', 'time\tagent\n1791799200\t"a\n')).toMatchObject({ 'user_agent.original': '"a' });
  });
});

describe('a mapping', () => {
  it.each([
    ['{', 'The mapping is not JSON'],
    ['[]', 'The mapping is not a JSON object.'],
    ['{"clint": "a"}', 'In the mapping, "clint" is no value of a request. Did you mean "client"?'],
    ['{"client": 5}', 'In the mapping, "client" is not given by a name'],
  ])('%s is refused', (text, problem) => expect(problemOf(() => parseMapping(text))).toContain(problem));

  it('reads NDJSON of other names, flat or nested, and leaves attributes what they are', () => {
    const mapping = parseMapping('{"time": "@t", "client": "src.ip", "user": "who", "port": "dst.port"}');
    const line =
      '{"@t": 1791799200, "src": {"ip": "198.18.1.1"}, "who": "", "dst.port": "8443", "url.path": "/", "x": {"y": 1}}';
    expect(only('ndjson', line, { mapping, host: 'a.example' })).toEqual({
      'time': '2026-10-12T10:00:00.000Z',
      'client.address': '198.18.1.1',
      'user.name': null,
      'server.port': 8443,
      'url.path': '/',
      'extra.x.y': 1,
      'http.request.header.host': ['a.example'],
    });
  });

  it('cannot be used with formats whose values have no names', () =>
    expect(problemOf(() => new LogReader('combined', { mapping: {} }))).toContain(
      '--mapping cannot be used with NCSA combined.',
    ));
});

describe('lines of syslog', () => {
  const ncsa = 'a.example 198.18.1.1 - - [12/Oct/2026:12:00:00 +0200] "GET / HTTP/1.1" 200 5 "-" "-"';
  it.each([
    `<134>1 2026-10-12T10:00:05Z web-1 httpd 311 - - ${ncsa}`,
    `<134>1 2026-10-12T10:00:05.5+02:00 web-1 httpd 311 ID47 [x@1 a="]\\"" b="c"][y@1] \ufeff${ncsa}`,
    `<134>Oct 12 10:00:05 web-1 httpd[311]: ${ncsa}`,
    `Oct  2 10:00:05 web-1 ${ncsa}`,
    `2026-10-12T10:00:05+02:00 web-1 httpd: ${ncsa}`,
  ])('carry lines of any format, with their own times: %s', (line) => {
    expect(detectFormat(Buffer.from(`${line}\n`), true).best).toMatchObject({
      format: 'combined-with-host',
      isInSyslog: true,
    });
    expect(only('combined-with-host', line, { isInSyslog: true })).toMatchObject({
      'time': '2026-10-12T10:00:00.000Z',
      'client.address': '198.18.1.1',
    });
  });

  it('does not read the exponent of a number of NDJSON as a number', () => {
    const line = (number: string): string => `{"timestamp":1790000002122000000,"x.long":${number}}\n`;
    for (const number of ['179001e30900001122000000', '1e-30900001122000000', '1E+30900001122000000'])
      expect(read('ndjson', line(number), {})).toHaveLength(1);
  });

  it('is gone through once, however long a word is that is no key', () => {
    const startedMs = performance.now();
    expect(read('key-value', `${'word'.repeat(15_000)} client=198.18.4.7\n`, {})).toHaveLength(1);
    expect(performance.now() - startedMs).toBeLessThan(1000);
  });

  it('give their time to what has none', () => {
    const pairs = 'flow client=198.18.1.1 host="a.example" path=/x%20y user=- port=443 note=" "';
    expect(only('key-value', `<13>1 2026-10-12T10:00:00Z gw fw - - - ${pairs}`, { isInSyslog: true })).toEqual({
      'time': '2026-10-12T10:00:00.000Z',
      'client.address': '198.18.1.1',
      'http.request.header.host': ['a.example'],
      'url.path': '/x%20y',
      'url.query': null,
      'user.name': null,
      'server.port': 443,
      'extra.note': ' ',
    });
  });

  it('without a year get the given one, and the next after its end', () => {
    const text = ['Dec 31 23:59:59', 'Jan  1 00:00:01', 'Dec 31 23:59:58', 'Feb 30 00:00:00']
      .map((time) => `${time} gw fw: client=198.18.1.1\n`)
      .join('');
    const times = (year?: number): unknown[] =>
      read('key-value', text, { isInSyslog: true, ...(year === undefined ? {} : { year }) }).map((line) =>
        line.kind === 'record' ? new Date(line.record.atUnixMs).toISOString().slice(0, 10) : line.rejected.reason,
      );
    expect(times(2026)).toEqual(['2026-12-31', '2027-01-01', '2026-12-31', 'bad-time']);
    expect(times()).toEqual(['no-year', 'no-year', 'no-year', 'no-year']);
  });

  it('that are none are rejected', () => expect(only('combined', ncsa, { isInSyslog: true })).toBe('not-syslog'));
});

describe('a HAR file', () => {
  const entry = (url: string, more: object = {}): object => ({
    startedDateTime: '2026-10-12T12:00:00.250+02:00',
    request: {
      method: 'POST',
      url,
      httpVersion: 'h2',
      headers: [
        { name: ':authority', value: 'a.example' },
        { name: 'User-Agent', value: 'Heron/1' },
        { name: 'cookie', value: 'a=1' },
        { name: 'Cookie', value: 'b=2' },
      ],
      bodySize: 12,
      ...more,
    },
    response: { status: 200, bodySize: -1, content: { text: 'a "}{" b \\' } },
    serverIPAddress: '[2001:db8::1]',
  });
  const har = (entries: readonly unknown[]): string =>
    `\ufeff${JSON.stringify({ entries: [1], log: { pages: [{ entries: [] }], version: '1.2', entries, x: [{}] } }, undefined, 1)}`;

  it('has its entries read one by one, however it is cut, each with the bytes that it has', () => {
    const bytes = Buffer.from(har([entry('https://a.example/x'), entry('http://b.example/'), { no: 1 }, 7]));
    const whole = read('har', bytes);
    expect(whole.map((line) => (line.kind === 'record' ? line.record.line : line.rejected.reason))).toEqual([
      1,
      2,
      'not-the-format',
    ]);
    expect(whole[0]).toEqual({
      kind: 'record',
      record: {
        line: 1,
        atUnixMs: at + 250,
        attributes: {
          'destination.address': '2001:db8::1',
          'network.protocol.version': '2',
          'url.full': 'https://a.example/x',
          'http.request.method': 'POST',
          'http.request.header.user-agent': ['Heron/1'],
          'http.request.header.cookie': ['a=1', 'b=2'],
          'http.request.body.size': 12,
          'http.response.status_code': 200,
          'user_agent.original': 'Heron/1',
          'jade.all-headers': true,
        },
      },
    });
    for (const size of [1, 7, 100]) {
      const reader = new LogReader('har');
      const lines: ReadLine[] = [];
      for (let from = 0; from < bytes.length; from += size)
        lines.push(...reader.push(bytes.subarray(from, from + size)));
      expect([...lines, ...reader.end()]).toEqual(whole);
    }
  });

  it('that is cut short keeps the entries before that', () => {
    const text = har([entry('https://a.example/x'), entry('https://a.example/y')]);
    expect(read('har', text.slice(0, text.indexOf('/y'))).map((line) => line.kind)).toEqual(['record', 'rejected']);
    expect(detectFormat(Buffer.from(text), true)).toMatchObject({
      needsHost: false,
      summary: 'Looks like HAR 1.2: of the first 2 entries 2 can be read and none would be rejected.',
    });
  });

  it('that is none is rejected', () => {
    expect(only('har', '{"a": 1}')).toBe('not-the-format');
    expect(
      read('har', har([entry('https://a.example/', { x: 'y'.repeat(2000) })]), { maxLineBytes: 1000 }),
    ).toMatchObject([{ rejected: { reason: 'overlong' } }]);
  });
});

describe('detection', () => {
  const detect = (text: string, options?: ReaderOptions, chosen?: LogFormat) =>
    detectFormat(Buffer.from(text), true, options, chosen);

  it.each<[string, ReaderOptions, string, boolean]>([
    ['time,client,host\n1791799200,198.18.1.1,a.example\n', {}, 'csv', false],
    ['time\tclient\tpath\n1791799200\t198.18.1.1\t/\n', {}, 'tsv', true],
    ['time=1791799200 client=198.18.1.1 server=198.18.7.7\n', {}, 'key-value', false],
    ['{"t": 1791799200, "c": "198.18.1.1"}\n', { mapping: { time: 't', client: 'c' } }, 'ndjson', true],
    ['198.18.1.1 1791799200 /\n', { pattern: '{client} {time} {path}' }, 'pattern', true],
  ])('%j with %j', (text, options, format, needsHost) => {
    expect(detect(text, options)).toMatchObject({ best: { format, numRejected: 0 }, needsHost });
  });

  it('reports what is missing', () => {
    expect(problemOf(() => detect('a,b,c,d\n1,2,3,4\n'))).toContain('None of the columns is known to be the time.');
    expect(detect('time,client,host\nsoon,198.18.1.1,a.example\n').summary).toBe(
      'None of the formats fits: it has a header and rows, but of line 2 the time cannot be read. It begins: time,client,host',
    );
    expect(detect('{"a": 1}\n', { mapping: { time: 'b' } }).summary).toContain('it is JSON, but');
    expect(problemOf(() => detect('x', {}, 'pattern'))).toContain('none is given');
    expect(detect('Oct 12 10:00:00 gw fw: client=198.18.1.1\n').summary).toContain(
      'a year where their times have none',
    );
  });
});

describe('several files', () => {
  const file = async function* (name: string, times: readonly number[]): AsyncGenerator<readonly ReadLine[]> {
    const reader = new LogReader('csv', {}, name);
    yield* reader.readAll(
      (async function* () {
        yield Buffer.from(`time,client\n${times.map((time) => `${1791799200 + time},198.18.1.1\n`).join('')}`);
      })(),
    );
  };

  it('are merged by time, each line with the name of its file', async () => {
    const merged: string[] = [];
    for await (const lines of mergeByTime([file('b', [5, 1, 9]), file('a', [2, 5, NaN, 7]), file('c', [])]))
      for (const line of lines)
        merged.push(
          line.kind === 'record'
            ? `${String(line.record.attributes['jade.file'])}:${line.record.line} ${(line.record.atUnixMs / 1000) % 10}`
            : `${line.rejected.file}:${line.rejected.line} ${line.rejected.reason}`,
        );
    expect(merged).toEqual(['a:2 2', 'b:2 5', 'b:3 1', 'a:3 5', 'a:4 bad-time', 'a:5 7', 'b:4 9']);
  });
});
