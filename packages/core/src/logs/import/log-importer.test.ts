import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ChunkRows, type EncodedChunk } from '../../columns/chunk.js';
import { SegmentDictionaries } from '../../columns/segment-dictionaries.js';
import type { RejectedLine } from '../../request/record.js';
import { ChunkBuilder } from './chunk-builder.js';
import type { ReaderOptions } from '../lines/reader-options.js';
import { LogImporter } from './log-importer.js';
import { mergeByTime } from '../merge.js';
import { MergedParser } from './merged-parser.js';
import type { LogFormat, ReadLine } from '../lines/line-parser.js';
import { LogReader } from '../reader.js';
import { restoreLine } from './line-encoding.js';

const word = (...values: string[]) => fc.constantFrom(...values);
/** Lines as servers write them, and such as they write seldom. */
const ncsaLine = (isCombined: boolean, hasHost: boolean): fc.Arbitrary<string> =>
  fc
    .tuple(
      word('shop.example', 'shop.example', '-', 'caf\u00e9.example', 'a"b'),
      word('198.18.4.7', '2001:db8::1', '-', 'junk', ''),
      word('-', '-', '-', 'ident', '198.18.4.9'),
      word('-', '-', 'kari', 'two words', '[x', 'a\\b'),
      word(
        '10/Oct/2026:13:55:36 +0200',
        '10/Oct/2026:13:55:36 +0200',
        '10/Oct/2026:13:55:37 -0330',
        '10/Oct/2026:23:59:60 +0000',
        '31/Feb/2026:00:00:00 +0000',
        '-',
      ),
      word(
        'GET / HTTP/1.1',
        'GET /a/b?q=1&r=%20 HTTP/1.1',
        'POST /a? HTTP/2',
        'GET /a?b?c HTTP/1.0',
        'GET /x#y HTTP/1.1',
        'get /low HTTP/1.1',
        'GET /a b HTTP/1.1',
        'GET https://o.example/ HTTP/1.1',
        'CONNECT o.example:443 HTTP/1.1',
        'GET /\u00e9 HTTP/1.1',
        'GET /\\x22 HTTP/1.1',
        'GET /a',
        '-',
        'GET /a HTTP/1.x',
        'GET /a HTTP/10',
      ),
      word('200', '404', '-', '007'),
      word('0', '5120', '-', '0012'),
      word(
        '-',
        '',
        'https://a.example/',
        'x \\" y',
        'https://shop.example/a\\"b\\\\',
        'https://shop.example\\"',
        'https://shop.example/a',
        'http://shop.example',
        'https://shop.example.net/',
        'https://-/',
      ),
      word(
        '-',
        '',
        'Heron/1 (x; y)',
        'caf\u00e9',
        'a\\\\b',
        '\\"',
        '\\\\\\"\\"odd\\\\',
        '\\q',
        '\\x22a\\xff',
        'L\\xc3\\xb8v \\"b\\"',
        '\\xe6\\x9c\\xaa\\xf0\\x9f\\x98\\x80',
        '\\xC3\\xB8',
        '\\xed\\xa0\\x80',
        '\\xe0\\x80\\xaf',
        '\\xc3',
        '\\xc3\\xb8\\x41',
        '\\xf4\\x90\\x80\\x80',
        'open\\',
        '\u0001t\u0002',
      ),
      word('', '', '', ' ', '\r', '\t', ' trailing'),
    )
    .map(([host, client, identity, user, time, request, status, bytes, referer, agent, tail]) =>
      [
        `${hasHost ? `${host} ` : ''}${client} ${identity} ${user} [${time}] "${request}" ${status} ${bytes}`,
        isCombined ? ` "${referer}" "${agent}"` : '',
        tail,
      ].join(''),
    );

interface Imported {
  readonly rows: readonly ReturnType<ChunkRows['row']>[];
  readonly lines: readonly string[];
  readonly rejected: readonly RejectedLine[];
}

/** Some bytes in pieces with the given ends. */
function cutAt(bytes: Uint8Array, cuts: readonly number[]): Uint8Array[] {
  const ends = [...cuts.map((cut) => Math.min(cut, bytes.length)).sort((a, b) => a - b), bytes.length];
  return ends.map((end, index) => bytes.subarray(index === 0 ? 0 : ends[index - 1], end));
}

function importAll(format: LogFormat, pieces: readonly Uint8Array[], options: ReaderOptions): Imported {
  const rejected: RejectedLine[] = [];
  const importer = new LogImporter(format, options, (line) => rejected.push(line));
  return decoded([...pieces.flatMap((piece) => importer.push(piece)), ...importer.end()], rejected);
}

function decoded(chunks: readonly EncodedChunk[], rejected: readonly RejectedLine[]): Imported {
  const dictionaries = new SegmentDictionaries();
  const opened = chunks.map((chunk) => {
    for (const [name, part] of chunk.dictionaries) dictionaries.add(name, part);
    return new ChunkRows(chunk.numRows, chunk.columns, dictionaries);
  });
  const rows = opened.flatMap((chunk) => Array.from({ length: chunk.numRows }, (_, row) => chunk.row(row)));
  const written = opened.flatMap((chunk) => Array.from({ length: chunk.numRows }, (_, row) => chunk.writtenAt(row)!));
  return {
    rows,
    rejected,
    lines: rows.map((row, index) => Buffer.from(restoreLine(written[index]!, row)).toString('latin1')),
  };
}

/** Whichever file is wanted gives its next piece, then its end. */
function mergeAll(format: LogFormat, files: readonly Uint8Array[][], options: ReaderOptions): Imported {
  const rejected: RejectedLine[] = [];
  const names = files.map((_, index) => `file ${index}`);
  const parser = new MergedParser(format, options, names, true);
  const builder = new ChunkBuilder(format, options, (line) => rejected.push(line));
  const left = files.map((pieces) => [...pieces]);
  const chunks: EncodedChunk[] = [];
  for (let file = parser.wanted; file !== undefined; file = parser.wanted)
    chunks.push(...builder.add(parser.push(left[file]!.shift())));
  return decoded([...chunks, ...builder.end()], rejected);
}

async function* inOrder(pieces: readonly Uint8Array[]): AsyncGenerator<Uint8Array> {
  yield* pieces;
}

function usualNcsaLine(format: LogFormat, path: number, zone: string): string {
  const line = `198.18.4.7 - - [10/Oct/2026:13:55:36 ${zone}] "GET /${path} HTTP/1.1" 200 5120`;
  return format === 'common' ? line : `shop.example ${line} "https://shop.example/${path}" "Heron/${path}"`;
}

const ndjsonLine = fc
  .tuple(fc.nat(9), word('/a', '/b"', '/\u00e9'), word('', '', ' junk'))
  .map(
    ([second, path, tail]) => `{"timestamp":"2026-10-12T10:00:0${second}Z","url.path":${JSON.stringify(path)}}${tail}`,
  );

describe('a log that is imported', () => {
  it.each<[LogFormat, boolean, boolean, string?]>([
    ['combined-with-host', true, true],
    ['combined', true, false, 'given.example'],
    ['combined', true, false],
    ['common-with-host', false, true],
    ['common', false, false, 'given.example'],
  ])('has the requests that its reader reads, each as it was written: %s', (format, isCombined, hasHost, host) => {
    let numRows = 0;
    fc.assert(
      fc.property(
        fc.array(ncsaLine(isCombined, hasHost), { minLength: 1, maxLength: 8 }),
        fc.array(fc.nat(200), { maxLength: 4 }),
        word('\n', '\r\n', '\n\n'),
        fc.boolean(),
        fc.constantFrom(undefined, 40, 130),
        (lines, cuts, ending, isOpen, maxLineBytes) => {
          const options = { host, maxLineBytes };
          const text = lines.map((line) => line + ending).join('');
          const bytes = Buffer.from(isOpen ? text.slice(0, -ending.length) : text);
          const reader = new LogReader(format, options);
          const expected = [...reader.push(bytes), ...reader.end()];
          const { rows, rejected, lines: written } = importAll(format, cutAt(bytes, cuts), options);
          const records = expected.flatMap((line) => (line.kind === 'record' ? [line.record] : []));
          expect(rows).toEqual(records.map((record) => ({ ...record, attributes: { ...record.attributes } })));
          expect(rejected).toEqual(expected.flatMap((line) => (line.kind === 'rejected' ? [line.rejected] : [])));
          const given = bytes
            .toString('latin1')
            .split('\n')
            .map((line) => line.replace(/\r$/, ''));
          expect(written).toEqual(records.map(({ line }) => given[line - 1]));
          numRows += rows.length;
        },
      ),
      { numRuns: 400 },
    );
    expect(numRows).toBeGreaterThan(300);
  });

  it.each<[LogFormat, fc.Arbitrary<string>]>([
    ['combined-with-host', ncsaLine(true, true)],
    ['common', ncsaLine(false, false)],
    ['ndjson', ndjsonLine],
  ])('of several files has them in the order of time, each line as it was written: %s', async (format, line) => {
    // As it comes, or one that is well-formed but for its path and its zone, so that some follow each other.
    const usual = fc
      .tuple(fc.nat(3), word('+0200', '+0000', '-0330'))
      .map(([path, zone]) => usualNcsaLine(format, path, zone));
    const anyLine =
      format === 'ndjson' ? line : fc.oneof({ weight: 4, arbitrary: usual }, { weight: 1, arbitrary: line });
    const timed = fc.tuple(anyLine, fc.nat(9)).map(([text, second]) => text.replace(':36 ', `:3${second} `));
    const file = fc.record({
      lines: fc.array(timed, { maxLength: 12 }),
      cuts: fc.array(fc.nat(900), { maxLength: 4 }),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(file, { minLength: 1, maxLength: 4 }), async (files) => {
        const options = format === 'common' ? { host: 'given.example' } : {};
        const pieces = files.map(({ lines, cuts }) => cutAt(Buffer.from(lines.join('\n')), cuts));
        const merged = mergeByTime(
          pieces.map((piece, index) => new LogReader(format, options, `file ${index}`).readAll(inOrder(piece))),
        );
        const expected: ReadLine[] = [];
        for await (const batch of merged) expected.push(...batch);
        const { rows, rejected, lines } = mergeAll(format, pieces, options);
        const records = expected.filter((readLine) => readLine.kind === 'record');
        expect(rows).toEqual(records.map(({ record }) => ({ ...record, attributes: { ...record.attributes } })));
        const given = new Map(
          pieces.map((piece, index) => [
            `file ${index}`,
            Buffer.concat(piece)
              .toString('latin1')
              .split('\n')
              .map((text) => text.replace(/\r$/, '')),
          ]),
        );
        expect(lines).toEqual(
          records.map(({ record: { line, attributes } }) => given.get(attributes['jade.file'] as string)![line - 1]),
        );
        expect(rejected).toEqual(
          expected.flatMap((readLine) => (readLine.kind === 'rejected' ? [readLine.rejected] : [])),
        );
      }),
      { numRuns: 300 },
    );
  });

  it('keeps lines of other formats as they were', () => {
    const line = '{"timestamp":"2026-10-12T10:00:00Z",  "url.path":"/\\u00e9\u00e9"}';
    const { lines, rows } = importAll('ndjson', [Buffer.from(`${line}\n\n`)], {});
    expect(lines).toEqual([Buffer.from(line).toString('latin1')]);
    expect(rows[0]!.attributes).toEqual({ 'url.path': '/\u00e9\u00e9' });
  });
});

describe('a log of another format', () => {
  const pairs = 'time=1791799200 client=198.18.1.1 note="a \\"b\\""';
  it.each<[LogFormat, string, ReaderOptions]>([
    [
      'csv',
      '\ufefftime,client,note\r\n1791799200,198.18.1.1,"two\r\nlines ""so"" x"\r\nbroken\r\n1791799201,-,\r\n',
      {},
    ],
    ['csv', 'day;clock\n2026-10-12;10:00:00\n', { mapping: { time: ['day', 'clock'] }, zone: 'Europe/Oslo' }],
    ['tsv', 'time\tclient\n1791799200\t"x\n', {}],
    ['key-value', `${pairs}\nnothing\n${pairs}`, {}],
    [
      'key-value',
      `<13>1 2026-10-12T10:00:00Z gw fw - - - ${pairs}\nOct 12 10:00:00 gw: ${pairs}\n`,
      { isInSyslog: true },
    ],
    [
      'pattern',
      '198.18.1.1 1791799200 /\n198.18.1.2 soon /\n',
      { pattern: '{client} {time} {path}', host: 'a.example' },
    ],
    ['ndjson', '{"t":1791799200,"c":{"ip":"198.18.1.1"}}\n{}\n', { mapping: { time: 't', client: 'c.ip' } }],
    ['w3c', '#Fields: date time c-ip cs(Host)\n2026-10-12 10:00:00 198.18.4.7 "a ""b"""\n', {}],
    [
      'har',
      '{"log": {"entries": [ {"startedDateTime": "2026-10-12T10:00:00Z", "request": {"url": "https://a.example/\u00e9", "headers": []}},\n {"x": 1}] }}',
      {},
    ],
  ])('such as %s has what its reader reads, and each line as it was: %j', (format, text, options) => {
    const bytes = Buffer.from(text);
    const reader = new LogReader(format, options);
    const expected = [...reader.push(bytes), ...reader.end()];
    const records = expected.flatMap((line) => (line.kind === 'record' ? [line.record] : []));
    for (const size of [1, 7, bytes.length]) {
      const pieces = Array.from({ length: Math.ceil(bytes.length / size) }, (_, at) =>
        bytes.subarray(at * size, (at + 1) * size),
      );
      const { rows, rejected, lines } = importAll(format, pieces, options);
      expect(rows.map((row) => ({ ...row, attributes: { ...row.attributes } }))).toEqual(
        records.map((record) => ({ ...record, attributes: { ...record.attributes } })),
      );
      expect(rejected).toEqual(expected.flatMap((line) => (line.kind === 'rejected' ? [line.rejected] : [])));
      // The lines of a HAR file are its entries, wherever they are.
      const whole = bytes.toString('latin1');
      for (const [index, line] of lines.entries())
        expect(format === 'har' ? whole.includes(line) : linesFrom(whole, rows[index]!.line).startsWith(line)).toBe(
          true,
        );
    }
  });

  const linesFrom = (text: string, line: number): string =>
    text
      .split('\n')
      .slice(line - 1)
      .join('\n');
});
