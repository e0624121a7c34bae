/** Bytes of a log to chunks of columns in a thread of its own, while the chunks before are judged in this one. */
import { Worker } from 'node:worker_threads';
import { LayoutError, type EncodedChunk, type LogFormat, type ReaderOptions, type RejectedLine } from '@jadefence/core';

/** What some bytes came to. */
export interface Imported {
  readonly chunks: readonly EncodedChunk[];
  readonly rejected: readonly RejectedLine[];
}

/** What the thread is told about the log. */
export interface ImportTask {
  readonly format: LogFormat;
  readonly options: ReaderOptions;
}

/** What the thread answers to each piece, and to the end. */
export type ImportAnswer = Imported | { readonly failure: { readonly message: string; readonly hint?: string } };

/** Pieces that are sent before an answer is waited for: as many as come while reference data is loaded. */
const PIECES_AHEAD = 256;

/** @throws LayoutError where what is said about the log does not fit it */
export async function* importInThread(task: ImportTask, pieces: AsyncIterable<Uint8Array>): AsyncGenerator<Imported> {
  const worker = new Worker(new URL('./import-worker.mjs', import.meta.url), { workerData: task });
  const waiting: { resolve: (answer: ImportAnswer) => void; reject: (error: unknown) => void }[] = [];
  const answers: Promise<ImportAnswer>[] = [];
  worker.on('message', (answer: ImportAnswer) => waiting.shift()?.resolve(answer));
  worker.on('error', (error) => waiting.splice(0).forEach(({ reject }) => reject(error)));
  const send = (piece: Uint8Array | undefined): void => {
    const answer = new Promise<ImportAnswer>((resolve, reject) => waiting.push({ resolve, reject }));
    // Whoever waits for it hears of a failure; it may come before anybody waits.
    answer.catch(() => undefined);
    answers.push(answer);
    // A copy, since a piece may share its buffer with others.
    const bytes = piece && new Uint8Array(piece);
    worker.postMessage(bytes, bytes ? [bytes.buffer] : []);
  };
  try {
    for await (const piece of pieces) {
      send(piece);
      if (answers.length > PIECES_AHEAD) yield importedOf(await answers.shift()!);
    }
    send(undefined);
    while (answers.length > 0) yield importedOf(await answers.shift()!);
  } finally {
    await worker.terminate();
  }
}

function importedOf(answer: ImportAnswer): Imported {
  if ('failure' in answer) throw new LayoutError(answer.failure.message, answer.failure.hint);
  return answer;
}
