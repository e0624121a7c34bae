/** Runs in a worker thread: imports the pieces that it is sent, or does one of the two steps of it. */
import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import {
  ChunkBuilder,
  LayoutError,
  LogImporter,
  LogParser,
  type EncodedChunk,
  type ParsedLines,
} from '@jadefence/core/import';
import type { RejectedLine } from '@jadefence/core';
import type { Imported, ImportTask } from './import-threads.js';

/** What a thread does, and where it hands over what it did where another goes on. */
export type ImportRole =
  | { readonly step: 'both'; readonly task: ImportTask }
  | { readonly step: 'parse' | 'build'; readonly task: ImportTask; readonly port: MessagePort };

/** What does not fit the log. */
interface ImportFailure {
  readonly failure: { readonly message: string; readonly hint?: string };
}
/** What is answered to each piece, and to the end. */
export type ImportAnswer = Imported | ImportFailure;

/** What the first step hands to the second. */
type Step = { readonly lines: ParsedLines; readonly isLast: boolean } | ImportFailure;

const role = workerData as ImportRole;
const port = parentPort!;
let rejected: RejectedLine[] = [];

function orFailure<T>(work: () => T): T | ImportFailure {
  try {
    return work();
  } catch (error) {
    if (!(error instanceof LayoutError)) throw error;
    return { failure: { message: error.message, ...(error.hint === undefined ? {} : { hint: error.hint }) } };
  }
}

function answer(chunks: readonly EncodedChunk[]): Imported {
  const lines = rejected;
  rejected = [];
  return { chunks, rejected: lines };
}

function postAnswer(answered: ImportAnswer): void {
  const all =
    'chunks' in answered
      ? answered.chunks.flatMap(({ columns, dictionaries }) => [...columns.values(), ...dictionaries.values()])
      : [];
  port.postMessage(answered, wholeBuffers(all));
}

/** What can be handed over instead of being copied. */
function wholeBuffers(arrays: readonly (Uint8Array | Int32Array | Float64Array)[]): ArrayBuffer[] {
  const whole = arrays.filter((array) => array.byteLength === array.buffer.byteLength);
  return [...new Set(whole.map((array) => array.buffer as ArrayBuffer))];
}

function importBoth({ format, options, keepsLines }: ImportTask): void {
  let importer: LogImporter | undefined;
  port.on('message', (piece: Uint8Array | undefined) =>
    postAnswer(
      orFailure(() => {
        importer ??= new LogImporter(format, options, (line) => rejected.push(line), { keepsLines });
        return answer(piece ? importer.push(piece) : importer.end());
      }),
    ),
  );
}

function parse({ format, options, keepsLines }: ImportTask, next: MessagePort): void {
  let parser: LogParser | undefined;
  port.on('message', (piece: Uint8Array | undefined) => {
    const step = orFailure(() => {
      parser ??= new LogParser(format, options, keepsLines);
      return { lines: piece ? parser.parse(piece) : parser.end(), isLast: !piece };
    });
    const lines = 'lines' in step ? step.lines.plain : undefined;
    // A copy, since the parser uses its memory again.
    const plain = lines && {
      ...lines,
      source: lines.source.slice(),
      numbers: lines.numbers.slice(),
      timesUnixMs: lines.timesUnixMs.slice(),
      shapes: lines.shapes.slice(),
      refererKinds: lines.refererKinds.slice(),
      cells: lines.cells.slice(),
    };
    const arrays = plain
      ? [plain.source, plain.numbers, plain.timesUnixMs, plain.shapes, plain.refererKinds, plain.cells]
      : [];
    next.postMessage('lines' in step ? { ...step, lines: { ...step.lines, plain } } : step, wholeBuffers(arrays));
  });
}

function build({ format, options }: ImportTask, before: MessagePort): void {
  const builder = new ChunkBuilder(format, options, (line) => rejected.push(line));
  before.on('message', (step: Step) =>
    postAnswer(
      'failure' in step
        ? step
        : orFailure(() => {
            const chunks = builder.add(step.lines);
            return answer(step.isLast ? [...chunks, ...builder.end()] : chunks);
          }),
    ),
  );
}

if (role.step === 'both') importBoth(role.task);
else if (role.step === 'parse') parse(role.task, role.port);
else build(role.task, role.port);
