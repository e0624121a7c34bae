/** Runs in a worker thread: imports the pieces that it is sent, and answers each with what became of it. */
import { parentPort, workerData } from 'node:worker_threads';
import { LayoutError, LogImporter, type EncodedChunk, type RejectedLine } from '@jadefence/core';
import type { ImportAnswer, ImportTask } from './import-thread.js';

const { format, options } = workerData as ImportTask;
const port = parentPort!;
let rejected: RejectedLine[] = [];
let importer: LogImporter | undefined;

function answer(piece: Uint8Array | undefined): ImportAnswer {
  try {
    importer ??= new LogImporter(format, options, (line) => rejected.push(line), { keepsLines: false });
    const chunks = piece ? importer.push(piece) : importer.end();
    const lines = rejected;
    rejected = [];
    return { chunks, rejected: lines };
  } catch (error) {
    if (!(error instanceof LayoutError)) throw error;
    return { failure: { message: error.message, ...(error.hint === undefined ? {} : { hint: error.hint }) } };
  }
}

/** What can be handed over instead of being copied. */
function buffersOf(chunks: readonly EncodedChunk[]): ArrayBuffer[] {
  const all = chunks.flatMap(({ columns, dictionaries }) => [...columns.values(), ...dictionaries.values()]);
  const whole = all.filter((bytes) => bytes.byteLength === bytes.buffer.byteLength);
  return [...new Set(whole.map((bytes) => bytes.buffer as ArrayBuffer))];
}

port.on('message', (piece: Uint8Array | undefined) => {
  const answered = answer(piece);
  port.postMessage(answered, 'chunks' in answered ? buffersOf(answered.chunks) : []);
});
