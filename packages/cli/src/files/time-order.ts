import type { LogRecord } from '@jadefence/core';
import { Failure } from '../failure.js';
import { sortExternally } from './external-sort.js';

/** Lines within which standard input is put in order; a file is sorted whatever its order. */
export const REORDER_LINES = 100_000;

/** A log as batches of its records, in the order of lines. */
export type Batches = AsyncIterable<readonly LogRecord[]>;

/** Judges a record and answers the line to print, or undefined where nothing is printed. */
export type JudgeRecord = (record: LogRecord) => string | undefined;

function compareTimes(a: LogRecord, b: LogRecord): number {
  return a.atUnixMs - b.atUnixMs || a.line - b.line;
}

/** Whether the records come in the order of their time. */
export async function isInTimeOrder(records: Batches): Promise<boolean> {
  let last = Number.NEGATIVE_INFINITY;
  for await (const batch of records) {
    for (const { atUnixMs } of batch) {
      if (atUnixMs < last) return false;
      last = atUnixMs;
    }
  }
  return true;
}

/** Judges as long as the records come in the order of their time. @returns whether all did */
export async function judgeChecked(records: Batches, judge: JudgeRecord): Promise<boolean> {
  let last = Number.NEGATIVE_INFINITY;
  for await (const batch of records) {
    for (const record of batch) {
      if (record.atUnixMs < last) return false;
      last = record.atUnixMs;
      judge(record);
    }
  }
  return true;
}

/** Judges a whole log in the order of time, through temporary files, and answers what to print in the order of lines. */
export async function* judgeSorted(records: Batches, judge: JudgeRecord): AsyncGenerator<readonly string[]> {
  const judged = async function* (): AsyncGenerator<{ line: number; text: string }> {
    for await (const record of sortExternally(singly(records), compareTimes)) {
      const text = judge(record);
      if (text !== undefined) yield { line: record.line, text };
    }
  };
  for await (const { text } of sortExternally(judged(), (a, b) => a.line - b.line)) yield [text];
}

async function* singly(records: Batches): AsyncGenerator<LogRecord> {
  for await (const batch of records) yield* batch;
}

/**
 * Judges a stream whose records are at most `REORDER_LINES` out of order: as many wait before the earliest is judged.
 * @throws Failure where a record comes later than that
 */
export async function* judgeReordered(records: Batches, judge: JudgeRecord): AsyncGenerator<readonly string[]> {
  const waiting = new EarliestFirst();
  /** Lines in the order they came, and what is to be printed for those that are judged. */
  const lines: number[] = [];
  const printed = new Map<number, string | undefined>();
  let firstLine = 0;
  let lastJudged = Number.NEGATIVE_INFINITY;
  const judgeEarliest = (): void => {
    const record = waiting.pop();
    lastJudged = record.atUnixMs;
    printed.set(record.line, judge(record));
  };
  const ready = (): string[] => {
    const texts: string[] = [];
    while (firstLine < lines.length && printed.has(lines[firstLine]!)) {
      const text = printed.get(lines[firstLine]!);
      printed.delete(lines[firstLine]!);
      firstLine += 1;
      if (text !== undefined) texts.push(text);
    }
    // What is printed is forgotten now and then, not each time, which would move the rest each time.
    if (firstLine >= REORDER_LINES) {
      lines.splice(0, firstLine);
      firstLine = 0;
    }
    return texts;
  };
  for await (const batch of records) {
    for (const record of batch) {
      if (record.atUnixMs < lastJudged)
        throw new Failure(
          `Line ${record.line} is more than ${REORDER_LINES} lines too late: its time is ${new Date(record.atUnixMs).toISOString()}, and requests up to ${new Date(lastJudged).toISOString()} are judged.`,
          2,
          'Rules that count or hold need the order of time. Give the log as a file, which is sorted first.',
        );
      waiting.push(record);
      lines.push(record.line);
      if (waiting.size > REORDER_LINES) judgeEarliest();
    }
    yield ready();
  }
  while (waiting.size > 0) judgeEarliest();
  yield ready();
}

/** A binary heap by time, then line. */
class EarliestFirst {
  readonly #heap: LogRecord[] = [];

  get size(): number {
    return this.#heap.length;
  }

  push(record: LogRecord): void {
    const heap = this.#heap;
    let at = heap.push(record) - 1;
    while (at > 0) {
      const parent = (at - 1) >> 1;
      if (compareTimes(heap[parent]!, record) <= 0) break;
      heap[at] = heap[parent]!;
      at = parent;
    }
    heap[at] = record;
  }

  pop(): LogRecord {
    const heap = this.#heap;
    const first = heap[0]!;
    const last = heap.pop()!;
    if (heap.length === 0) return first;
    let at = 0;
    for (;;) {
      let child = 2 * at + 1;
      if (child + 1 < heap.length && compareTimes(heap[child + 1]!, heap[child]!) < 0) child += 1;
      if (child >= heap.length || compareTimes(heap[child]!, last) >= 0) break;
      heap[at] = heap[child]!;
      at = child;
    }
    heap[at] = last;
    return first;
  }
}
