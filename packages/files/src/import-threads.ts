/** Bytes of a log to chunks of columns, in threads of their own. */
import { MessageChannel, Worker } from 'node:worker_threads';
import {
  LayoutError,
  LogImporter,
  ncsaShapeOf,
  type EncodedChunk,
  type LogFormat,
  type ReaderOptions,
  type ReadLine,
  type RejectedLine,
} from '@jadefence/core';
import type { ImportAnswer, ImportRole } from './import-worker.js';

/** What some bytes came to. */
export interface Imported {
  readonly chunks: readonly EncodedChunk[];
  readonly rejected: readonly RejectedLine[];
}

/** What is said about the log. */
export interface ImportTask {
  readonly format: LogFormat;
  readonly options: ReaderOptions;
  /** Whether each line can be given back as it was written. */
  readonly keepsLines: boolean;
}

/** Pieces that are sent before an answer is waited for: some chunks' worth, so that no thread waits while one is stored. */
const PIECES_AHEAD = 64;

/**
 * @param numThreads with two, one takes the lines of NCSA formats apart and the other builds chunks; the chunks are the same
 * @throws LayoutError where what is said about the log does not fit it
 */
export async function* importInThreads(
  task: ImportTask,
  pieces: AsyncIterable<Uint8Array>,
  numThreads: 1 | 2,
): AsyncGenerator<Imported> {
  const waiting: { resolve: (answer: ImportAnswer) => void; reject: (error: unknown) => void }[] = [];
  const answers: Promise<ImportAnswer>[] = [];
  const workers = startWorkers(task, numThreads);
  for (const worker of workers) worker.on('error', (error) => waiting.splice(0).forEach(({ reject }) => reject(error)));
  workers.at(-1)!.on('message', (answer: ImportAnswer) => waiting.shift()?.resolve(answer));
  const send = (piece: Uint8Array | undefined): void => {
    const answer = new Promise<ImportAnswer>((resolve, reject) => waiting.push({ resolve, reject }));
    // Whoever waits for it hears of a failure; it may come before anybody waits.
    answer.catch(() => undefined);
    answers.push(answer);
    // A copy, since a piece may share its buffer with others.
    const bytes = piece && new Uint8Array(piece);
    workers[0]!.postMessage(bytes, bytes ? [bytes.buffer] : []);
  };
  try {
    for await (const piece of pieces) {
      send(piece);
      if (answers.length > PIECES_AHEAD) yield importedOf(await answers.shift()!);
    }
    send(undefined);
    while (answers.length > 0) yield importedOf(await answers.shift()!);
  } finally {
    await Promise.all(workers.map((worker) => worker.terminate()));
  }
}

/** @returns in the order in which a piece goes through them; the last answers */
function startWorkers(task: ImportTask, numThreads: 1 | 2): Worker[] {
  const start = (role: ImportRole): Worker =>
    new Worker(new URL('./import-worker.js', import.meta.url), {
      workerData: role,
      // It needs none of the options that the process was started with.
      execArgv: [],
      transferList: 'port' in role ? [role.port] : [],
    });
  // Lines of other formats are objects already, which cost more to hand over than to build chunks of.
  if (numThreads === 1 || !ncsaShapeOf(task.format, task.options)) return [start({ step: 'both', task })];
  const { port1, port2 } = new MessageChannel();
  return [start({ step: 'parse', task, port: port1 }), start({ step: 'build', task, port: port2 })];
}

function importedOf(answer: ImportAnswer): Imported {
  if ('failure' in answer) throw new LayoutError(answer.failure.message, answer.failure.hint);
  return answer;
}

/** Lines that were read already, as of several files, to chunks of columns in this thread. */
export async function* importRead(
  { format, options, keepsLines }: ImportTask,
  batches: AsyncIterable<readonly ReadLine[]>,
): AsyncGenerator<Imported> {
  let rejected: RejectedLine[] = [];
  const importer = new LogImporter(format, options, (line) => rejected.push(line), { keepsLines });
  for await (const batch of batches) {
    yield { chunks: importer.pushRead(batch), rejected };
    rejected = [];
  }
  yield { chunks: importer.end(), rejected };
}
