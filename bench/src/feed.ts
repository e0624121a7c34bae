import { readCategoryFile } from '@jadefence/files';
import { writeDomains } from './write-domains.js';

const LINES = 5_000_000;
const CATEGORIES = 30;

/** A category feed of five million lines, streamed: time, peak of memory beyond the finished feed, progress. */
export async function benchFeed(): Promise<void> {
  const categories = Array.from({ length: CATEGORIES }, (_, index) => `category-${index}`);
  let numBytes = 0;
  const lines = async function* (): AsyncGenerator<Uint8Array> {
    let index = 0;
    for (const piece of writeDomains(LINES)) {
      const text = piece.toString('latin1').replace(/\n/g, () => `,${categories[index++ % CATEGORIES]}\n`);
      numBytes += text.length;
      yield Buffer.from(text, 'latin1');
    }
  };
  globalThis.gc?.();
  const before = process.memoryUsage().rss;
  let peak = before;
  let reports = 0;
  const startedMs = performance.now();
  const { feed, report } = await readCategoryFile('bench', lines(), {
    onLines: () => {
      reports += 1;
      if (reports % 16 === 0) peak = Math.max(peak, process.memoryUsage().rss);
    },
  });
  peak = Math.max(peak, process.memoryUsage().rss);
  const seconds = (performance.now() - startedMs) / 1000;
  process.stdout.write(
    `feed: ${report.numLines.toLocaleString('en')} lines, ${(numBytes / 1e6).toFixed(0)} MB, made up as they are read, one run\n` +
      `  read in ${seconds.toFixed(1)} s, ${Math.round(report.numLines / seconds).toLocaleString('en')} lines/s; ${report.numEntries.toLocaleString('en')} entries in ${(feed.table.buffer.byteLength / 1e6).toFixed(0)} MB\n` +
      `  resident memory rose by at most ${((peak - before) / 1e6).toFixed(0)} MB; progress was reported ${reports.toLocaleString('en')} times\n`,
  );
}
