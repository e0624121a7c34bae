import type { LogRecord } from '@jadefence/core/request';
import { Failure } from '../cli-error.js';
import { QUIET } from '../files/quiet.js';

/** Lines within which standard input is put in order; files are, whatever their order. */
export const REORDER_LINES = 100_000;

/** A log as batches of its records, in the order of lines, and where it pauses that it does. */
export type Batches = AsyncIterable<readonly LogRecord[] | typeof QUIET>;

/** Judges a record and answers the line to print, or undefined where nothing is printed. */
export type JudgeRecord = (record: LogRecord) => string | undefined;

/**
 * Judges a stream whose records are at most `REORDER_LINES` out of order: as many wait before the earliest is judged, and
 * all are judged where the stream pauses.
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
    // Printed entries are dropped now and then, not each time, which would move the rest each time.
    if (firstLine >= REORDER_LINES) {
      lines.splice(0, firstLine);
      firstLine = 0;
    }
    return texts;
  };
  let wasQuiet = false;
  for await (const batch of records) {
    if (batch === QUIET) {
      wasQuiet = true;
      while (waiting.size > 0) judgeEarliest();
      yield ready();
      continue;
    }
    for (const record of batch) {
      if (record.atUnixMs < lastJudged)
        throw new Failure(
          `Line ${record.line} comes too late${wasQuiet ? ', after the input had paused' : `, by more than ${REORDER_LINES} lines`}: its time is ${new Date(record.atUnixMs).toISOString()}, and requests up to ${new Date(lastJudged).toISOString()} are judged.`,
          2,
          'Rules that count or hold need the order of time. Give the log as a file, which is sorted first.',
        );
      lines.push(record.line);
    }
    waiting.push(batch);
    while (waiting.size > REORDER_LINES) judgeEarliest();
    yield ready();
  }
  while (waiting.size > 0) judgeEarliest();
  yield ready();
}

/** Records that wait, outside the heap of objects: their text in one buffer, and the order of their times. */
interface WaitingBatch {
  readonly times: Float64Array;
  readonly lines: Float64Array;
  readonly bytes: Buffer;
  /** Where the text of each record ends in `bytes`. */
  readonly ends: Uint32Array;
  /** The records by time, then line. */
  readonly order: Uint32Array;
  next: number;
}

/**
 * A merge of sorted batches. There are few of them, so the earliest is found by looking at all.
 * Rejected: a heap of records, whose hundred thousand objects keep the garbage collector busy.
 */
class EarliestFirst {
  #batches: WaitingBatch[] = [];
  size = 0;

  push(records: readonly LogRecord[]): void {
    if (records.length === 0) return;
    const texts = records.map(({ attributes }) => JSON.stringify(attributes));
    const bytes = Buffer.from(texts.join(''));
    let end = 0;
    const ends = Uint32Array.from(texts, (text) => (end += Buffer.byteLength(text)));
    const times = Float64Array.from(records, (record) => record.atUnixMs);
    const lines = Float64Array.from(records, (record) => record.line);
    const order = Uint32Array.from(records, (_, index) => index).sort((a, b) => times[a]! - times[b]! || a - b);
    this.#batches.push({ times, lines, bytes, ends, order, next: 0 });
    this.size += records.length;
  }

  /** Takes out the earliest; of equal times the one that came first. */
  pop(): LogRecord {
    let earliest = this.#batches[0]!;
    for (const batch of this.#batches) if (headTime(batch) < headTime(earliest)) earliest = batch;
    const index = earliest.order[earliest.next]!;
    const text = earliest.bytes.toString('utf8', index === 0 ? 0 : earliest.ends[index - 1], earliest.ends[index]);
    const record = {
      line: earliest.lines[index]!,
      atUnixMs: earliest.times[index]!,
      attributes: JSON.parse(text) as LogRecord['attributes'],
    };
    earliest.next += 1;
    this.size -= 1;
    if (earliest.next === earliest.order.length) this.#batches = this.#batches.filter((batch) => batch !== earliest);
    return record;
  }
}

function headTime({ times, order, next }: WaitingBatch): number {
  return times[order[next]!]!;
}
