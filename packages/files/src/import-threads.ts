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
import type { ImportAnswer, ImportPiece, ImportRole } from './import-worker.js';

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

/** What is sent at once, and how much is under way, so that no thread waits while a chunk is stored. */
const PIECE_BYTES = 262_144;
const PIECES_AHEAD = 32;
/** A buffer has room for the lines of its piece, too, which mostly take less than the piece. */
const BUFFER_BYTES = 2 * PIECE_BYTES;

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
  const buffers: ArrayBuffer[] = [];
  const workers = startWorkers(task, numThreads);
  for (const worker of workers) worker.on('error', (error) => waiting.splice(0).forEach(({ reject }) => reject(error)));
  workers.at(-1)!.on('message', (answer: ImportAnswer) => waiting.shift()?.resolve(answer));
  const send = (piece: ImportPiece): void => {
    const answer = new Promise<ImportAnswer>((resolve, reject) => waiting.push({ resolve, reject }));
    // Whoever waits for it hears of a failure; it may come before anybody waits.
    answer.catch(() => undefined);
    answers.push(answer);
    workers[0]!.postMessage(piece, piece.buffer ? [piece.buffer] : []);
  };
  const next = async (): Promise<Imported> => {
    const { buffer, ...answer } = await answers.shift()!;
    if (buffer?.byteLength === BUFFER_BYTES) buffers.push(buffer);
    return importedOf(answer);
  };
  try {
    for await (const piece of inBuffers(pieces, buffers)) {
      send(piece);
      if (answers.length > PIECES_AHEAD) yield await next();
    }
    send({});
    while (answers.length > 0) yield await next();
  } finally {
    await Promise.all(workers.map((worker) => worker.terminate()));
  }
}

/** The same bytes in buffers that can be handed over. @param free buffers that came back */
async function* inBuffers(pieces: AsyncIterable<Uint8Array>, free: ArrayBuffer[]): AsyncGenerator<ImportPiece> {
  let buffer: ArrayBuffer | undefined;
  let numBytes = 0;
  for await (const piece of pieces)
    for (let at = 0; at < piece.length;) {
      buffer ??= free.pop() ?? new ArrayBuffer(BUFFER_BYTES);
      const part = piece.subarray(at, at + PIECE_BYTES - numBytes);
      new Uint8Array(buffer).set(part, numBytes);
      at += part.length;
      numBytes += part.length;
      if (numBytes < PIECE_BYTES) continue;
      yield { buffer, numBytes };
      [buffer, numBytes] = [undefined, 0];
    }
  if (buffer) yield { buffer, numBytes };
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
