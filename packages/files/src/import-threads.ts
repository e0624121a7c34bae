/** Bytes of a log to chunks of columns, in threads. */
import { MessageChannel, Worker } from 'node:worker_threads';
import type { EncodedChunk } from '@jadefence/core/columns';
import { LogOptionsError, ncsaShapeOf, type LogFormat, type ReaderOptions } from '@jadefence/core/logs';
import type { RejectedLine } from '@jadefence/core/request';
import type { ImportAnswer, ImportPiece, ImportRole } from './import-worker.js';

/** The result of some bytes. */
export interface Imported {
  readonly chunks: readonly EncodedChunk[];
  readonly rejected: readonly RejectedLine[];
}

/** The options given for the log. */
export interface ImportTask {
  readonly format: LogFormat;
  readonly options: ReaderOptions;
  /** Whether each line can be given back as it was written. */
  readonly keepsLines: boolean;
}

/** One of the files of a log. */
export interface LogFile {
  readonly name: string;
  readonly pieces: AsyncIterable<Uint8Array>;
  /** Called after the last piece: whether the file ended too early, so that its last line may be half a line. */
  readonly isCut?: () => boolean;
}

/** What is sent at once, and how much is under way, so that no thread waits while a chunk is stored. */
const PIECE_BYTES = 262_144;
const PIECES_AHEAD = 32;
/** Of each of many files. */
const MIN_AHEAD = 2;
/** A buffer has room for the lines of its piece, too, which mostly take less than the piece. */
const BUFFER_BYTES = 2 * PIECE_BYTES;

/** Threads that are sent pieces, and answer once to each. */
class WorkerChannel {
  readonly #waiting: { resolve: (answer: ImportAnswer) => void; reject: (error: unknown) => void }[] = [];
  readonly #answers: Promise<ImportAnswer>[] = [];

  /** @param workers the first is sent to, the last answers */
  constructor(private readonly workers: readonly Worker[]) {
    for (const worker of workers)
      worker.on('error', (error) => this.#waiting.splice(0).forEach(({ reject }) => reject(error)));
    workers.at(-1)!.on('message', (answer: ImportAnswer) => this.#waiting.shift()?.resolve(answer));
  }

  /** Answers that are still to come. */
  get numAhead(): number {
    return this.#answers.length;
  }

  send(piece: ImportPiece): void {
    const answer = new Promise<ImportAnswer>((resolve, reject) => this.#waiting.push({ resolve, reject }));
    // Its consumer handles a failure, which may occur before anybody waits.
    answer.catch(() => undefined);
    this.#answers.push(answer);
    this.workers[0]!.postMessage(piece, piece.buffer ? [piece.buffer] : []);
  }

  async next(): Promise<ImportAnswer> {
    return this.#answers.shift()!;
  }

  async end(): Promise<void> {
    await Promise.all(this.workers.map((worker) => worker.terminate()));
  }
}

/**
 * @param numThreads with two, one takes the lines of NCSA formats apart and the other builds chunks; the chunks are the same
 * @throws LogOptionsError if the options given for the log do not fit it
 */
export async function* importInThreads(
  task: ImportTask,
  { pieces, isCut = () => false }: Omit<LogFile, 'name'>,
  numThreads: 1 | 2,
): AsyncGenerator<Imported> {
  const buffers: ArrayBuffer[] = [];
  const exchange = new WorkerChannel(startWorkers(task, numThreads));
  const next = async (): Promise<Imported> => {
    const { buffer, ...answer } = await exchange.next();
    if (buffer?.byteLength === BUFFER_BYTES) buffers.push(buffer);
    return importedOf(answer);
  };
  try {
    for await (const piece of inBuffers(pieces, buffers)) {
      exchange.send(piece);
      if (exchange.numAhead > PIECES_AHEAD) yield await next();
    }
    exchange.send({ isCut: isCut() });
    while (exchange.numAhead > 0) yield await next();
  } finally {
    await exchange.end();
  }
}

/**
 * Several files as one log, in the order of time, in a separate thread.
 * @throws LogOptionsError if the options given for the log do not fit a file
 */
export async function* importMerged(task: ImportTask, files: readonly LogFile[]): AsyncGenerator<Imported> {
  const exchange = new WorkerChannel([startWorker({ step: 'merge', task, names: files.map(({ name }) => name) })]);
  const reading = files.map(({ pieces }) => inBuffers(pieces, []));
  const hasEnded = files.map(() => false);
  const sendNext = async (file: number): Promise<void> => {
    if (hasEnded[file]) return;
    const next = await reading[file]!.next();
    hasEnded[file] = next.done === true;
    exchange.send({ ...(next.done ? { isCut: files[file]!.isCut?.() ?? false } : next.value), file });
  };
  try {
    const numAhead = Math.max(MIN_AHEAD, Math.floor(PIECES_AHEAD / files.length));
    for (const file of files.keys()) for (let nth = 0; nth < numAhead; nth += 1) await sendNext(file);
    while (exchange.numAhead > 0) {
      const { file, ...answer } = await exchange.next();
      yield importedOf(answer);
      await sendNext(file!);
    }
  } finally {
    await exchange.end();
    for (const pieces of reading) await pieces.return(undefined);
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
  // Lines of other formats are objects already, which cost more to hand over than to build chunks of.
  if (numThreads === 1 || !ncsaShapeOf(task.format, task.options)) return [startWorker({ step: 'both', task })];
  const { port1, port2 } = new MessageChannel();
  return [startWorker({ step: 'parse', task, port: port1 }), startWorker({ step: 'build', task, port: port2 })];
}

function startWorker(role: ImportRole): Worker {
  return new Worker(new URL('./import-worker.js', import.meta.url), {
    workerData: role,
    // It needs none of the options that the process was started with.
    execArgv: [],
    transferList: 'port' in role ? [role.port] : [],
  });
}

function importedOf(answer: ImportAnswer): Imported {
  if ('failure' in answer) throw new LogOptionsError(answer.failure.message, answer.failure.hint);
  return answer;
}
