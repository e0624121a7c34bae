import type { LogRecord } from '@jadefence/core/request';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { QUIET, withQuiet } from '../files/quiet.js';
import { judgeReordered, REORDER_LINES, type Batches } from './reorder.js';

const record = (line: number, atUnixMs: number): LogRecord => ({
  line,
  atUnixMs,
  attributes: { 'url.path': `/${line} å` },
});

async function* inBatches(records: readonly LogRecord[], size: number): Batches {
  for (let at = 0; at < records.length; at += size) yield records.slice(at, at + size);
}

async function collect<T>(items: AsyncIterable<T>): Promise<T[]> {
  const all: T[] = [];
  for await (const item of items) all.push(item);
  return all;
}

/** What is judged in which order, and what is printed in which. */
async function run(records: readonly LogRecord[], size: number): Promise<{ judged: number[]; printed: string[] }> {
  const judged: number[] = [];
  const printed = await collect(
    judgeReordered(inBatches(records, size), (logRecord) => {
      judged.push(logRecord.line);
      return `${logRecord.line} ${String(logRecord.attributes['url.path'])}`;
    }),
  );
  return { judged, printed: printed.flat() };
}

const times = fc.array(fc.nat(30), { maxLength: 40 });

it('a stream marks where it pauses, once a pause', async () => {
  const slow = async function* (): AsyncGenerator<number> {
    yield 1;
    await new Promise((resolve) => setTimeout(resolve, 60));
    yield 2;
  };
  expect(await collect(withQuiet(slow(), 5))).toEqual([1, QUIET, 2]);
});

describe('standard input that is out of order', () => {
  it('is judged by time and line, and printed by line', async () => {
    await fc.assert(
      fc.asyncProperty(times, fc.integer({ min: 1, max: 7 }), async (all, size) => {
        const records = all.map((time, index) => record(index + 1, time));
        const { judged, printed } = await run(records, size);
        const byTime = [...records].sort((a, b) => a.atUnixMs - b.atUnixMs || a.line - b.line);
        expect(judged).toEqual(byTime.map(({ line }) => line));
        expect(printed).toEqual(records.map(({ line }) => `${line} /${line} å`));
      }),
      { numRuns: 60 },
    );
  });

  it('is judged whole where it pauses, and refuses what comes too late after that', async () => {
    const printed: string[] = [];
    const source = async function* (last: number): Batches {
      yield [record(1, 20), record(2, 10)];
      // Judged and printed before anything else comes.
      yield QUIET;
      expect(printed).toEqual(['2 judged 1st', '1 judged 2nd']);
      yield [record(3, last)];
    };
    const follow = async (last: number): Promise<void> => {
      let number = 0;
      printed.length = 0;
      const judge = (logRecord: LogRecord): string =>
        `${logRecord.line} judged ${(number += 1) === 1 ? '1st' : `${number}nd`}`;
      for await (const lines of judgeReordered(source(last), judge)) printed.push(...[...lines].reverse());
    };
    await follow(20);
    expect(printed).toHaveLength(3);
    await expect(follow(19)).rejects.toThrow(/^Line 3 comes too late, after the input had paused: its time is/);
  });

  it('is sorted within the given number of lines, and refused beyond', async () => {
    const records = Array.from({ length: REORDER_LINES + 10 }, (_, index) => record(index + 1, index + 10));
    const late = record(records.length + 1, 12);
    await expect(run([...records, late], 1000)).resolves.toBeDefined();
    await expect(
      run([...records, ...records.map(({ line }) => record(line + records.length, line + 200_000)), late], 1000),
    ).rejects.toThrow(/^Line 100011 comes too late, by more than 100000 lines: its time is 1970-01-01T00:00:00.012Z/);
  });
});
