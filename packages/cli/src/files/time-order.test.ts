import type { LogRecord } from '@jadefence/core';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { sortExternally } from './external-sort.js';
import { isInTimeOrder, judgeChecked, judgeReordered, judgeSorted, REORDER_LINES, type Batches } from './time-order.js';

const record = (line: number, atUnixMs: number): LogRecord => ({
  line,
  atUnixMs,
  attributes: { 'url.path': `/${line} å` },
});

async function* inBatches(records: readonly LogRecord[], size: number): Batches {
  for (let at = 0; at < records.length; at += size) yield records.slice(at, at + size);
}

async function* each<T>(items: readonly T[]): AsyncGenerator<T> {
  yield* items;
}

async function gather<T>(items: AsyncIterable<T>): Promise<T[]> {
  const all: T[] = [];
  for await (const item of items) all.push(item);
  return all;
}

/** What is judged in which order, and what is printed in which. */
async function run(
  judgeAll: (records: Batches, judge: (one: LogRecord) => string) => AsyncGenerator<readonly string[]>,
  records: readonly LogRecord[],
  size: number,
): Promise<{ judged: number[]; printed: string[] }> {
  const judged: number[] = [];
  const printed = await gather(
    judgeAll(inBatches(records, size), (one) => {
      judged.push(one.line);
      return `${one.line} ${String(one.attributes['url.path'])}`;
    }),
  );
  return { judged, printed: printed.flat() };
}

const times = fc.array(fc.nat(30), { maxLength: 40 });

describe.each([
  ['a file', judgeSorted],
  ['standard input', judgeReordered],
])('%s that is out of order', (_, judgeAll) => {
  it('is judged by time and line, and printed by line', async () => {
    await fc.assert(
      fc.asyncProperty(times, fc.integer({ min: 1, max: 7 }), async (all, size) => {
        const records = all.map((time, index) => record(index + 1, time));
        const { judged, printed } = await run(judgeAll, records, size);
        const byTime = [...records].sort((a, b) => a.atUnixMs - b.atUnixMs || a.line - b.line);
        expect(judged).toEqual(byTime.map(({ line }) => line));
        expect(printed).toEqual(records.map(({ line }) => `${line} /${line} å`));
      }),
      { numRuns: 60 },
    );
  });
});

describe('standard input', () => {
  it('is put in order within as many lines as are said, and refused beyond', async () => {
    const records = Array.from({ length: REORDER_LINES + 10 }, (_, index) => record(index + 1, index + 10));
    const late = record(records.length + 1, 12);
    await expect(run(judgeReordered, [...records, late], 1000)).resolves.toBeDefined();
    await expect(
      run(
        judgeReordered,
        [...records, ...records.map(({ line }) => record(line + records.length, line + 200_000)), late],
        1000,
      ),
    ).rejects.toThrow(/^Line 100011 is more than 100000 lines too late: its time is 1970-01-01T00:00:00.012Z/);
  });
});

describe('a look at the order', () => {
  it('tells whether times never go back', async () => {
    const ordered = [record(1, 5), record(2, 5), record(3, 6)];
    expect(await isInTimeOrder(inBatches(ordered, 2))).toBe(true);
    expect(await isInTimeOrder(inBatches([...ordered, record(4, 5)], 2))).toBe(false);
    expect(await isInTimeOrder(inBatches([], 2))).toBe(true);
  });

  it('while judging ends at the first line that is late', async () => {
    const judged: number[] = [];
    const judge = (one: LogRecord): undefined => void judged.push(one.line);
    expect(await judgeChecked(inBatches([record(1, 5), record(2, 4), record(3, 6)], 2), judge)).toBe(false);
    expect(judged).toEqual([1]);
    expect(await judgeChecked(inBatches([record(1, 5), record(2, 5)], 1), judge)).toBe(true);
  });
});

describe('sorting outside memory', () => {
  it('gives the same as sorting inside, also over several runs', async () => {
    const numbers = Array.from({ length: 250_000 }, (_, index) => ({ key: (index * 7919) % 250_007, index }));
    const sorted = await gather(sortExternally(each(numbers), (a, b) => a.key - b.key));
    expect(sorted.every(({ key }, at) => at === 0 || sorted[at - 1]!.key < key)).toBe(true);
    expect(new Set(sorted.map(({ index }) => index)).size).toBe(numbers.length);
  }, 20_000);
});
