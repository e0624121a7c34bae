import { createReadStream, createWriteStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { LineWriter } from '../output.js';

/** Items that are sorted in memory at once. */
const RUN_ITEMS = 100_000;

type Compare<T> = (a: T, b: T) => number;

/**
 * Sorts more items than fit into memory: sorted runs go to temporary files, which are then merged. Items must survive
 * JSON, and `compare` must never answer 0, so that the order is one and the same.
 */
export async function* sortExternally<T>(items: AsyncIterable<T>, compare: Compare<T>): AsyncGenerator<T> {
  const folder = await mkdtemp(join(tmpdir(), 'jadefence-sort-'));
  try {
    const runs: string[] = [];
    let run: T[] = [];
    const flush = async (): Promise<void> => {
      const path = join(folder, `run-${runs.length}.ndjson`);
      await writeRun(path, run.sort(compare));
      runs.push(path);
      run = [];
    };
    for await (const item of items) {
      run.push(item);
      if (run.length >= RUN_ITEMS) await flush();
    }
    if (runs.length === 0) {
      yield* run.sort(compare);
      return;
    }
    if (run.length > 0) await flush();
    yield* mergeRuns(runs, compare);
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

async function writeRun(path: string, items: readonly unknown[]): Promise<void> {
  const stream = createWriteStream(path);
  const writer = new LineWriter(stream);
  for (const item of items) await writer.write(JSON.stringify(item));
  await writer.flush();
  await new Promise<void>((resolve, reject) => {
    stream.on('error', reject);
    stream.end(resolve);
  });
}

async function* readRun<T>(path: string): AsyncGenerator<T> {
  for await (const line of createInterface({ input: createReadStream(path), crlfDelay: Infinity }))
    yield JSON.parse(line) as T;
}

/** There are few runs, so the least is found by looking at all of them. */
async function* mergeRuns<T>(paths: readonly string[], compare: Compare<T>): AsyncGenerator<T> {
  const runs = paths.map((path) => readRun<T>(path));
  const heads = await Promise.all(runs.map((run) => run.next()));
  for (;;) {
    let least = -1;
    heads.forEach((head, index) => {
      if (!head.done && (least < 0 || compare(head.value, heads[least]!.value as T) < 0)) least = index;
    });
    if (least < 0) return;
    yield heads[least]!.value as T;
    heads[least] = await runs[least]!.next();
  }
}
