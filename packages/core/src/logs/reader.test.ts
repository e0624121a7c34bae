import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { detectFormat } from './detect.js';
import { LineSplitter, type Line } from './lines/lines.js';
import type { LogFormat, ReadLine } from './lines/line-parser.js';
import { LogReader } from './reader.js';
import { parseEpoch, parseNcsaTime, parseRfc3339 } from '../request/time.js';

const bytesOf = (text: string): Uint8Array => new TextEncoder().encode(text);

function readAll(
  format: LogFormat,
  bytes: Uint8Array,
  options: { host?: string; maxLineBytes?: number } = {},
): ReadLine[] {
  const reader = new LogReader(format, options);
  return [...reader.push(bytes), ...reader.end()];
}
const rejects = (lines: ReadLine[]): unknown[] =>
  lines.flatMap((line) => (line.kind === 'rejected' ? [line.rejected] : []));
const attributesOf = (text: string, format: LogFormat = 'combined-with-host'): unknown => {
  const [line] = readAll(format, bytesOf(text));
  return line?.kind === 'record' ? line.record.attributes : line;
};

function linesOf(bytes: Uint8Array, maxLineBytes?: number): Line[] {
  const splitter = new LineSplitter(maxLineBytes);
  const lines: Line[] = [];
  splitter.split(bytes, (line) => lines.push(line));
  splitter.finish((line) => lines.push(line));
  return lines;
}

describe('lines', () => {
  it('are the same however the bytes are cut into pieces', () => {
    const text = fc.stringMatching(/^[ab\r\né]{0,40}$/);
    fc.assert(
      fc.property(text, fc.array(fc.nat(12), { maxLength: 12 }), (whole, sizes) => {
        const bytes = Buffer.from(whole);
        const splitter = new LineSplitter(8);
        const cut: string[] = [];
        const receive = (line: Line): unknown => cut.push(`${line.number} ${line.isOverlong} ${line.text}`);
        let at = 0;
        for (const size of [...sizes, bytes.length]) {
          splitter.split(bytes.subarray(at, at + size), receive);
          at += size;
        }
        splitter.finish(receive);
        expect(cut).toEqual(linesOf(bytes, 8).map((line) => `${line.number} ${line.isOverlong} ${line.text}`));
      }),
    );
  });

  it('end at LF or CRLF, and the last needs neither', () => {
    expect(linesOf(bytesOf('a\r\n\nb')).map((line) => `${line.number}:${line.text}`)).toEqual(['1:a', '2:', '3:b']);
  });

  it('over the limit are rejected with their first 200 bytes, and those after them are read', () => {
    const good = '{"timestamp":"2026-10-12T10:00:00Z"}';
    const lines = readAll('ndjson', bytesOf(`${'x'.repeat(500_000)}\n${good}\n`), { maxLineBytes: 1000 });
    expect(rejects(lines)).toEqual([{ line: 1, reason: 'overlong', start: 'x'.repeat(200) }]);
    expect(lines.map((line) => line.kind)).toEqual(['rejected', 'record']);
  });

  it('with NUL bytes and invalid UTF-8 are shown and never break the reader', () => {
    const lines = readAll('combined', new Uint8Array([0, 0xff, 0xfe, 0x0a, 0xc3]));
    expect(rejects(lines)).toEqual([
      { line: 1, reason: 'not-the-format', start: '\0\ufffd\ufffd' },
      { line: 2, reason: 'not-the-format', start: '\ufffd' },
    ]);
  });
});

describe('an NCSA combined line', () => {
  const line = (request: string, agent = '-'): string =>
    `shop.example 198.18.1.1 - - [12/Oct/2026:12:00:00 +0200] "${request}" 200 5 "-" "${agent}"`;

  it('becomes attributes, with "-" as none and no bytes as zero', () => {
    expect(
      attributesOf(
        'shop.example 198.18.1.1 - bob smith [12/Oct/2026:12:00:00 +0200] "GET /a?x=1 HTTP/1.1" 200 - "https://a.example/" "Agent"',
      ),
    ).toEqual({
      'client.address': '198.18.1.1',
      'network.protocol.version': '1.1',
      'url.path': '/a',
      'url.query': 'x=1',
      'http.request.method': 'GET',
      'http.request.header.host': ['shop.example'],
      'http.request.header.referer': ['https://a.example/'],
      'http.response.status_code': 200,
      'http.response.body.size': 0,
      'user_agent.original': 'Agent',
      'user.name': 'bob smith',
    });
  });

  it.each([
    ['\\"quoted\\" \\\\', '"quoted" \\'],
    ['caf\\xc3\\xa9\\t', 'café\t'],
    ['\\xff', '\ufffd'],
    ['\\q', '\\q'],
  ])('has its escapes undone: %s', (agent, expected) =>
    expect(attributesOf(line('GET / HTTP/1.1', agent))).toMatchObject({ 'user_agent.original': expected }),
  );

  it('whose request is no HTTP keeps its other fields', () => {
    expect(attributesOf(line('\\x16\\x03\\x01'))).toMatchObject({
      'client.address': '198.18.1.1',
      'http.request.method': null,
      'url.path': null,
    });
  });

  it('takes the host of a CONNECT from its authority', () => {
    expect(attributesOf(line('CONNECT other.example:443 HTTP/1.1'))).toMatchObject({
      'http.request.header.host': ['other.example:443'],
      'url.path': '',
    });
  });

  it('without a host column gets the given host', () => {
    const [read] = readAll(
      'combined',
      bytesOf('198.18.1.1 - - [12/Oct/2026:12:00:00 +0200] "GET / HTTP/1.1" 200 5 "-" "-"'),
      { host: 'given.example' },
    );
    expect(read).toMatchObject({
      kind: 'record',
      record: { attributes: { 'http.request.header.host': ['given.example'] } },
    });
  });

  it.each([
    ['', 'no-time'],
    ['12/Okt/2026:12:00:00 +0200', 'bad-time'],
    ['30/Feb/2026:12:00:00 +0200', 'bad-time'],
    ['12/Oct/2026:24:00:00 +0200', 'bad-time'],
  ])('with the time "%s" is rejected', (time, reason) => {
    expect(
      rejects(readAll('combined', bytesOf(`198.18.1.1 - - [${time}] "GET / HTTP/1.1" 200 5 "-" "-"`))),
    ).toMatchObject([{ line: 1, reason }]);
  });
});

describe('an NDJSON line', () => {
  it('may be flat or nested, and knows null, empty and missing apart', () => {
    expect(
      attributesOf(
        '{"timestamp":1791799200,"url":{"path":"","query":""},"http":{"request":{"method":null,"header":{"X-A":["1"]}}},"user":{"name":[]},"extra":{"a":1}}',
        'ndjson',
      ),
    ).toEqual({
      'url.path': '',
      'url.query': null,
      'http.request.method': null,
      'http.request.header.x-a': ['1'],
      'user.name': null,
      'extra': { a: 1 },
    });
  });

  it.each([
    ['not json', 'not-json'],
    ['[1]', 'not-an-object'],
    ['{}', 'no-time'],
    ['{"timestamp":"yesterday"}', 'bad-time'],
    ['{"timestamp":12}', 'bad-time'],
  ])('that is %s is rejected as %s', (text, reason) =>
    expect(rejects(readAll('ndjson', bytesOf(text)))).toMatchObject([{ reason }]),
  );
});

describe('an NDJSON line made to do harm', () => {
  const nested = (levels: number, open: string, close: string): string =>
    `{"timestamp":1791799200,"url":${open.repeat(levels)}1${close.repeat(levels)}}`;

  it.each([
    ['arrays', nested(30_000, '[', ']')],
    ['objects', nested(9000, '{"a":', '}')],
  ])('with %s inside each other is rejected, not a crash', (_, text) => {
    expect(rejects(readAll('ndjson', bytesOf(text)))).toMatchObject([{ reason: 'too-deep' }]);
  });

  it('with names of the language’s own objects is a record like any other', () => {
    const text =
      '{"timestamp":1791799200,"__proto__":{"url.path":"/x"},"constructor":1,"url":{"__proto__":{"full":"x"}}}';
    const [line] = readAll('ndjson', bytesOf(text));
    const record = line?.kind === 'record' ? line.record : undefined;
    expect(record?.attributes['url.path']).toBeUndefined();
    expect(Object.keys(record!.attributes).sort()).toEqual(['__proto__', 'constructor', 'url.__proto__.full']);
  });
});

describe('a time', () => {
  const iso = (ms: number | undefined): string | undefined =>
    ms === undefined ? undefined : new Date(ms).toISOString();
  it.each([
    ['12/Oct/2026:00:30:00 +0200', '2026-10-11T22:30:00.000Z'],
    ['31/Dec/2026:23:59:60 +0000', '2027-01-01T00:00:00.000Z'],
  ])('of NCSA: %s', (text, expected) => expect(iso(parseNcsaTime(text))).toBe(expected));
  it.each([
    ['2026-10-12T10:00:00.123999Z', '2026-10-12T10:00:00.123Z'],
    ['2026-10-12t10:00:00-05:30', '2026-10-12T15:30:00.000Z'],
    ['2026-13-12T10:00:00Z', undefined],
    ['2026-10-12T10:00:00', undefined],
  ])('of RFC 3339: %s', (text, expected) => expect(iso(parseRfc3339(text))).toBe(expected));
  it.each([1791799200, 1791799200.5, 1791799200123, 1791799200123456, 1791799200123456700])(
    'since the epoch in any of four units: %s',
    (value) => expect(iso(parseEpoch(String(value)))?.slice(0, 19)).toBe('2026-10-12T10:00:00'),
  );
});

describe('detection', () => {
  const combined = '198.18.1.1 - - [12/Oct/2026:12:00:00 +0200] "GET / HTTP/1.1" 200 5 "-" "-"\n';
  it.each([
    [
      `shop.example ${combined}broken\n`,
      'Looks like NCSA combined with the host in front: of the first 2 lines 1 can be read and 1 would be rejected.',
    ],
    [combined, 'Looks like NCSA combined: its one line can be read.'],
    ['{"timestamp":1791799200}\n', 'Looks like NDJSON: its one line can be read.'],
    ['', 'The log is empty.'],
    [
      '#Fields: date time\nx\n',
      'None of the formats fits: it begins as a W3C extended log, but its lines do not have the columns of the line "#Fields:" before them.',
    ],
    [
      '#Version: 1.0\n#Fields: date time c-ip cs-host\n2026-10-12 10:00:00 198.18.4.7 shop.example\n',
      'Looks like W3C extended: its one line can be read.',
    ],
    [
      '198.18.1.1 - - [12/Oct/2026:12:00:00 +0200] "GET / HTTP/1.1" 200 5\n',
      'Looks like NCSA common: its one line can be read.',
    ],
    [
      '198.18.1.1 - - [12/Oct/2026:12:00:00 +0200] "GET / HTTP/1.1" 200 5 "x"\n',
      'None of the formats fits: it is NCSA common with further columns (1 without a name).',
    ],
    [
      '{"a":1}\n',
      'None of the formats fits: it is JSON, but neither HAR nor one record with a timestamp on each line; a mapping translates other names. It begins: {"a":1}',
    ],
  ])('reports what it found: %j', (text, summary) => expect(detectFormat(bytesOf(text), true).summary).toBe(summary));

  it('requires the host if the format has no column for it', () => {
    expect([
      detectFormat(bytesOf(combined), true).needsHost,
      detectFormat(bytesOf(`shop.example ${combined}`), true).needsHost,
      detectFormat(bytesOf('#Fields: date time c-ip\n2026-10-12 10:00:00 198.18.4.7\n'), true).needsHost,
      detectFormat(bytesOf('#Fields: date time cs(Host)\n2026-10-12 10:00:00 shop.example\n'), true).needsHost,
    ]).toEqual([true, false, true, false]);
  });
});
