/** Runs in a worker thread: imports the pieces that it is sent, or does one of the two steps of it. */
import { parentPort, workerData, type MessagePort } from 'node:worker_threads';
import { ChunkBuilder, LogOptionsError, type ParsedLines } from '@jadefence/core/build-chunks';
import type { EncodedChunk } from '@jadefence/core/columns';
import type { LogImporter, LogParser } from '@jadefence/core/parse-logs';
import type { RejectedLine } from '@jadefence/core/request';
import type { Imported, ImportTask } from './import-threads.js';
import { packLines } from './pack-lines.js';

/** What a thread does, and where it hands over what it did where another goes on. */
export type ImportRole =
  | { readonly step: 'both'; readonly task: ImportTask }
  | { readonly step: 'merge'; readonly task: ImportTask; readonly names: readonly string[] }
  | { readonly step: 'parse' | 'build'; readonly task: ImportTask; readonly port: MessagePort };

/** What does not fit the log. */
interface ImportFailure {
  readonly failure: { readonly message: string; readonly hint?: string };
}
/** What is answered to each piece, and to the end. */
export type ImportAnswer = (Imported | ImportFailure) & Carried;

/** Bytes of a log, at the beginning of a buffer; none for the end. */
export interface ImportPiece extends Carried {
  readonly numBytes?: number;
  /** At the end: the log ended too early. */
  readonly isCut?: boolean;
}

interface Carried {
  /** Is passed from thread to thread and back, so that no memory is allocated. */
  readonly buffer?: ArrayBuffer;
  /** The number of the file, where the log has several. */
  readonly file?: number;
}

/** What the first step hands to the second. */
type Step = ({ readonly lines: ParsedLines; readonly isLast: boolean } | ImportFailure) & Carried;

const role = workerData as ImportRole;
const port = parentPort!;
let rejected: RejectedLine[] = [];

function orFailure<T>(work: () => T): T | ImportFailure {
  try {
    return work();
  } catch (error) {
    if (!(error instanceof LogOptionsError)) throw error;
    return { failure: { message: error.message, ...(error.hint === undefined ? {} : { hint: error.hint }) } };
  }
}

function answer(chunks: readonly EncodedChunk[]): Imported {
  const lines = rejected;
  rejected = [];
  return { chunks, rejected: lines };
}

function postAnswer(answered: Imported | ImportFailure, { buffer, file }: Carried): void {
  const all =
    'chunks' in answered
      ? answered.chunks.flatMap(({ columns, dictionaries }) => [...columns.values(), ...dictionaries.values()])
      : [];
  const whole = all.filter((array) => array.byteLength === array.buffer.byteLength);
  const buffers = new Set(whole.map((array) => array.buffer as ArrayBuffer));
  port.postMessage({ ...answered, buffer, file } satisfies ImportAnswer, [...buffers, ...(buffer ? [buffer] : [])]);
}

async function importBoth({ format, options, keepsLines }: ImportTask): Promise<void> {
  const { LogImporter } = await import('@jadefence/core/parse-logs');
  let importer: LogImporter | undefined;
  port.on('message', ({ buffer, numBytes, isCut }: ImportPiece) =>
    postAnswer(
      orFailure(() => {
        importer ??= new LogImporter(format, options, (line) => rejected.push(line), { keepsLines });
        return answer(buffer ? importer.push(new Uint8Array(buffer, 0, numBytes)) : importer.end(isCut));
      }),
      { buffer },
    ),
  );
}

/** Pieces wait until their file is wanted; each is answered then. */
async function merge({ format, options, keepsLines }: ImportTask, names: readonly string[]): Promise<void> {
  const { MergedParser } = await import('@jadefence/core/parse-logs');
  const waiting = names.map(() => [] as { readonly piece?: Uint8Array; readonly isCut?: boolean }[]);
  const builder = new ChunkBuilder(format, options, (line) => rejected.push(line));
  const parser = orFailure(() => new MergedParser(format, options, names, keepsLines));
  port.on('message', ({ buffer, numBytes, file, isCut }: ImportPiece & { readonly file: number }) => {
    if ('failure' in parser) return postAnswer(parser, { file });
    waiting[file]!.push(buffer ? { piece: new Uint8Array(buffer, 0, numBytes) } : { isCut });
    for (let wanted = parser.wanted; wanted !== undefined && waiting[wanted]!.length > 0; wanted = parser.wanted) {
      const next = waiting[wanted]!.shift()!;
      const answered = orFailure(() => {
        const chunks = builder.add(parser.push(next.piece, next.isCut));
        return answer(parser.wanted === undefined ? [...chunks, ...builder.end()] : chunks);
      });
      postAnswer(answered, { file: wanted });
    }
  });
}

async function parse({ format, options, keepsLines }: ImportTask, next: MessagePort): Promise<void> {
  const { LogParser } = await import('@jadefence/core/parse-logs');
  let parser: LogParser | undefined;
  port.on('message', ({ buffer, numBytes, isCut }: ImportPiece) => {
    const step = orFailure(() => {
      parser ??= new LogParser(format, options, keepsLines);
      return buffer ? parser.parse(new Uint8Array(buffer, 0, numBytes)) : parser.end(isCut);
    });
    if ('failure' in step) return next.postMessage(step);
    // Parts of the piece, which is written over next.
    const others = step.others.map(({ numBefore, line }) => ({
      numBefore,
      line: line.kind === 'record' && line.bytes ? { ...line, bytes: line.bytes.slice() } : line,
    }));
    const plain = step.plain && packLines(step.plain, buffer);
    const carried = plain ? plain.source.buffer : buffer;
    next.postMessage(
      { lines: { plain, others }, isLast: !buffer, buffer: carried } satisfies Step,
      carried ? [carried] : [],
    );
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
      step,
    ),
  );
}

// What only builds starts without the readers of all formats.
if (role.step === 'both') await importBoth(role.task);
else if (role.step === 'merge') await merge(role.task, role.names);
else if (role.step === 'parse') await parse(role.task, role.port);
else build(role.task, role.port);
