/** Several files, such as those of a log that is rotated, read as one log in the order of time. */
import type { ReadLine } from './lines/line-parser.js';

/** What is handed over at once. */
const BATCH_LINES = 4096;

/** The lines of one file, in its order. */
class FileLines {
  #lines: readonly ReadLine[] = [];
  #at = 0;
  #batches: AsyncIterator<readonly ReadLine[]>;

  constructor(batches: AsyncIterable<readonly ReadLine[]>) {
    this.#batches = batches[Symbol.asyncIterator]();
  }

  /** Makes the next line ready. @returns false where there is none */
  async fill(): Promise<boolean> {
    while (this.#at === this.#lines.length) {
      const next = await this.#batches.next();
      if (next.done) return false;
      this.#lines = next.value;
      this.#at = 0;
    }
    return true;
  }

  get isReady(): boolean {
    return this.#at < this.#lines.length;
  }

  /** A line without a time keeps its position. */
  get nextUnixMs(): number {
    const line = this.#lines[this.#at]!;
    return line.kind === 'record' ? line.record.atUnixMs : -Infinity;
  }

  take(): ReadLine {
    return this.#lines[this.#at++]!;
  }
}

/**
 * Takes the earliest of the next lines of all files, of equals that of the first file. A file whose lines are out of
 * order stays in its own order.
 */
export async function* mergeByTime(
  files: readonly AsyncIterable<readonly ReadLine[]>[],
): AsyncGenerator<readonly ReadLine[]> {
  let open = files.map((file) => new FileLines(file));
  let batch: ReadLine[] = [];
  for (;;) {
    if (open.some((file) => !file.isReady)) {
      const hasMore = await Promise.all(open.map((file) => file.fill()));
      open = open.filter((_, index) => hasMore[index]);
    }
    if (open.length === 0) break;
    // There are few files, so the earliest is found by looking at all of them.
    batch.push(open.reduce((a, b) => (b.nextUnixMs < a.nextUnixMs ? b : a)).take());
    if (batch.length < BATCH_LINES) continue;
    yield batch;
    batch = [];
  }
  if (batch.length > 0) yield batch;
}
