import { PassThrough } from 'node:stream';
import { formatDiagnostic, parseFences } from '@jadefence/core/language';
import { describe, expect, it } from 'vitest';
import { LineWriter, printRecord, writeRows, type Output, type Streams } from './output.js';
import { showProgress } from './progress.js';
import { describeDiagnostics } from './render/diagnostics.js';
import { guard } from './render/terminal.js';
import { coloursFor, formatCount, formatShare, formatTime, printTable, shorten, widthOf } from './render/text.js';

/** Streams that keep what is written to them. */
function keepingStreams(look: { isTerminal?: boolean; columns?: number; env?: NodeJS.ProcessEnv } = {}): {
  streams: Streams;
  out(): string;
  err(): string;
} {
  const make = (): PassThrough & { isTTY?: boolean; columns?: number } =>
    Object.assign(new PassThrough(), { isTTY: look.isTerminal, columns: look.columns });
  const [stdout, stderr, stdin] = [make(), make(), make()];
  const textOf = (stream: PassThrough): string => String((stream.read() as Buffer | null) ?? '');
  return {
    streams: guard({ stdout, stderr, stdin, env: look.env ?? {} }),
    out: () => textOf(stdout),
    err: () => textOf(stderr),
  };
}

const ITEMS = [
  { id: 1, name: 'a, "b"', requests: 1234 },
  { id: 20, name: '=1+1', requests: 5 },
];
const LAYOUT = {
  columns: {
    number: (item: (typeof ITEMS)[number]) => String(item.id),
    name: (item: (typeof ITEMS)[number]) => item.name,
    requests: (item: (typeof ITEMS)[number]) => formatCount(item.requests),
  },
  figures: ['number', 'requests'],
  empty: 'There is nothing yet.',
};

it('shows control characters of data, and writes its own colours', () => {
  const { streams, out, err } = keepingStreams({ isTerminal: true });
  const hostile = '\u001b]0;title\u0007\u009b31m\r\u007f';
  printRecord(streams, 'table', {}, coloursFor(streams).red(`${hostile}\u001b[31m`));
  expect(out()).toBe('\u001b[31m\\x1b]0;title\\x07\\x9b31m\\x0d\\x7f\\x1b[31m\u001b[39m\n');
  streams.stderr.write(`a\tb\n${hostile[0]}`);
  expect(err()).toBe('a\tb\n\\x1b');
  const piped = keepingStreams();
  writeRows(piped.streams, 'csv', [{ id: 1, name: '\u001b', requests: 1 }], LAYOUT);
  expect(piped.out()).toContain('\u001b');
});

it('of many diagnostics the first are printed, and the number of others', () => {
  const [one] = parseFences('frob', 'a.fence').diagnostics;
  expect(describeDiagnostics([one!])).toEqual([formatDiagnostic(one!)]);
  const many = describeDiagnostics(Array.from({ length: 1234 }, () => one!));
  expect(many).toHaveLength(101);
  expect(many.at(-1)).toBe('... and 1,134 more.');
});

describe('rows', () => {
  it.each<[Output, string]>([
    ['table', 'number  name    requests\n     1  a, "b"     1,234\n    20  =1+1           5\n'],
    ['csv', 'number,name,requests\n1,"a, ""b""","1,234"\n20,\'=1+1,5\n'],
    ['ndjson', '{"id":1,"name":"a, \\"b\\"","requests":1234}\n{"id":20,"name":"=1+1","requests":5}\n'],
    ['json', `${JSON.stringify(ITEMS, null, 2)}\n`],
  ])('as %s', (output, expected) => {
    const { streams, out } = keepingStreams();
    writeRows(streams, output, ITEMS, LAYOUT);
    expect(out()).toBe(expected);
  });

  it('without rows print a note on stderr for people, and are empty for scripts', () => {
    for (const [output, expected] of [
      ['table', ''],
      ['csv', 'number,name,requests\n'],
      ['ndjson', ''],
      ['json', '[]\n'],
    ] as const) {
      const { streams, out, err } = keepingStreams();
      writeRows(streams, output, [], LAYOUT);
      expect([out(), err()]).toEqual([expected, output === 'table' ? 'There is nothing yet.\n' : '']);
    }
  });
});

it('one answer is its text for people and itself for scripts', () => {
  const { streams, out } = keepingStreams();
  printRecord(streams, 'table', { a: 1 }, 'It is done.');
  printRecord(streams, 'json', { a: 1 }, 'It is done.');
  expect(out()).toBe('It is done.\n{\n  "a": 1\n}\n');
});

describe('many lines', () => {
  it('wait where the reader is slower, and arrive whole and in order', async () => {
    const slow = new PassThrough({ highWaterMark: 1000 });
    const writer = new LineWriter(slow);
    const lines = Array.from({ length: 50_000 }, (_, index) => `line ${index}`);
    let received = '';
    slow.on('data', (piece) => (received += String(piece)));
    for (const line of lines) await writer.write(line);
    await writer.flush();
    await new Promise((resolve) => setImmediate(resolve));
    expect(received).toBe(`${lines.join('\n')}\n`);
  });
});

describe('text for people', () => {
  it.each([
    [0, '0.0%'],
    [0.0004, '<0.1%'],
    [0.001, '0.1%'],
    [0.9149, '91.5%'],
    [1, '100.0%'],
  ])('shows the share %s as %s', (share, text) => expect(formatShare(share)).toBe(text));

  it('shows times in UTC, and none as a dash', () => {
    expect([formatTime(Date.UTC(2026, 9, 12, 1, 2, 3, 999)), formatTime(null), formatTime(undefined)]).toEqual([
      '2026-10-12 01:02:03',
      '-',
      '-',
    ]);
  });

  it('is cut with an ellipsis where it is too long', () =>
    expect([shorten('abcdef', 6), shorten('abcdefg', 6)]).toEqual(['abcdef', 'abcde…']));

  it('wraps the last column of a table where a width is given', () => {
    expect(printTable(['a', 'b'], [['1', 'one two three four']], [], 10)).toBe('a  b\n1  one two\n   three four');
  });

  it('has colours on a terminal only, and not where they are refused', () => {
    const painted = (look: Parameters<typeof keepingStreams>[0]): boolean =>
      coloursFor(keepingStreams(look).streams).red('x') !== 'x';
    expect([painted({ isTerminal: true }), painted({}), painted({ isTerminal: true, env: { NO_COLOR: '1' } })]).toEqual(
      [true, false, false],
    );
  });

  it('is as wide as the terminal', () => {
    expect([
      widthOf(keepingStreams({ isTerminal: true, columns: 77 }).streams),
      widthOf(keepingStreams({ columns: 77 }).streams),
    ]).toEqual([77, 110]);
  });
});

describe('progress', () => {
  async function* slowly(): AsyncGenerator<Uint8Array> {
    for (let index = 0; index < 3; index += 1) {
      await new Promise((resolve) => setTimeout(resolve, 300));
      yield new Uint8Array(2_000_000);
    }
  }
  const passThrough = async (isTerminal: boolean): Promise<{ numBytes: number; err: string }> => {
    const { streams, err } = keepingStreams({ isTerminal });
    let numBytes = 0;
    for await (const piece of showProgress(slowly(), 8_000_000, streams)) numBytes += piece.length;
    return { numBytes, err: err() };
  };

  it('is shown on a terminal and wiped at the end; the bytes pass either way', async () => {
    const onTerminal = await passThrough(true);
    expect(onTerminal.numBytes).toBe(6_000_000);
    expect(onTerminal.err).toMatch(/2 MB, 25% .*4 MB, 50% .*6 MB, 75% .*\u001b\[K$/s);
    expect(await passThrough(false)).toEqual({ numBytes: 6_000_000, err: '' });
  });
});
