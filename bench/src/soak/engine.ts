/** Imports, replays, compares and filters a log, and hashes each result so that two processes can compare them. */
import { createHash, type Hash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { checkFences, checkFilter } from '@jadefence/core/check';
import { ChunkRows, SegmentDictionaries, type EncodedChunk } from '@jadefence/core/columns';
import type { EvaluationContext, Ruling } from '@jadefence/core/decide';
import { Program } from '@jadefence/core/match';
import { ChunkReplay, DecisionComparison, DecisionFilter } from '@jadefence/core/replay';
import type { RejectedLine } from '@jadefence/core/request';
import { LogImporter } from '@jadefence/core/parse-logs';
import type { RealFormat } from '../replay/real-requests.js';

/** What is to be done, in a form that can be sent to another process. */
export interface SoakTask {
  readonly logPath: string;
  readonly format: RealFormat;
  /** Rules before and after; both judge the log, and are compared. */
  readonly before: string;
  readonly after: string;
  readonly filter: string;
}

/** SHA-256 of the result of each step. */
export type Digest = Readonly<Record<'import' | 'before' | 'after' | 'compared' | 'filtered', string>>;

export interface ImportedLog {
  readonly chunks: readonly ChunkRows[];
  readonly hash: string;
  readonly numRejected: number;
}

/** Takes chunks as they come out of an import. */
export class LogGatherer {
  readonly #hash = createHash('sha256');
  /** A separate hash: with threads, rejected lines arrive with other chunks than without. */
  readonly #rejects = createHash('sha256');
  readonly #chunks: ChunkRows[] = [];
  #dictionaries = new SegmentDictionaries();
  #numRejected = 0;

  add(chunks: readonly EncodedChunk[], rejected: readonly RejectedLine[]): void {
    for (const { line, reason } of rejected) this.#rejects.update(`${line} ${reason}\n`);
    this.#numRejected += rejected.length;
    for (const { beginsSegment, dictionaries, numRows, columns } of chunks) {
      this.#hash.update(`${numRows} ${beginsSegment}`);
      updateAll(this.#hash, dictionaries);
      updateAll(this.#hash, columns);
      if (beginsSegment) this.#dictionaries = new SegmentDictionaries();
      for (const [name, part] of dictionaries) this.#dictionaries.add(name, part);
      this.#chunks.push(new ChunkRows(numRows, columns, this.#dictionaries));
    }
  }

  end(): ImportedLog {
    return {
      chunks: this.#chunks,
      hash: this.#hash.update(this.#rejects.digest()).digest('hex'),
      numRejected: this.#numRejected,
    };
  }
}

function updateAll(hash: Hash, parts: ReadonlyMap<string, Uint8Array>): void {
  for (const [name, bytes] of [...parts].sort(([a], [b]) => (a < b ? -1 : 1))) hash.update(name).update(bytes);
}

/** On one thread. */
export async function importHere(path: string, format: RealFormat): Promise<ImportedLog> {
  const gatherer = new LogGatherer();
  const rejected: RejectedLine[] = [];
  const importer = new LogImporter(format, {}, (line) => rejected.push(line));
  for await (const piece of createReadStream(path, { highWaterMark: 262_144 }))
    gatherer.add(importer.push(piece as Uint8Array), rejected.splice(0));
  gatherer.add(importer.end(), rejected.splice(0));
  return gatherer.end();
}

export function judgeOf(
  text: string,
  referenceData: Pick<EvaluationContext, 'countries' | 'categories'>,
): EvaluationContext {
  const { rulebook, diagnostics } = checkFences([{ path: 'soak.fence', text }], []);
  if (!rulebook) throw new Error(`The rules of the soak cannot judge: ${diagnostics[0]?.message}`);
  return { rulebook, ...referenceData };
}

/** What a replay decided: of each chunk the codes of its rows, and their rulings. */
export interface Decided {
  readonly codes: readonly Uint32Array[];
  readonly rulings: readonly Ruling[];
}

export function replay(program: Program, chunks: readonly ChunkRows[]): Decided {
  const running = new ChunkReplay(program);
  const codes = chunks.map((rows) => running.judge([rows]).codes.slice());
  return { codes, rulings: running.table.rulings };
}

export function hashDecided({ codes, rulings }: Decided): string {
  const hash = createHash('sha256').update(JSON.stringify(rulings));
  for (const codesOfChunk of codes) hash.update(codesOfChunk);
  return hash.digest('hex');
}

export function compare(before: Decided, after: Decided): string {
  const nowhere = (): undefined => undefined;
  const comparison = new DecisionComparison([...before.rulings], [...after.rulings], {
    before: nowhere,
    after: nowhere,
  });
  const hash = createHash('sha256');
  before.codes.forEach((was, chunk) => hash.update(Uint32Array.from(comparison.add(was, after.codes[chunk]!))));
  return hash.update(JSON.stringify(comparison.tally({}))).digest('hex');
}

/** The rows of each chunk that a filter finds. */
export function filterRows(
  context: EvaluationContext,
  text: string,
  decided: Decided,
  chunks: readonly ChunkRows[],
): Uint32Array[] {
  const { filter, diagnostics } = checkFilter(text, context.rulebook);
  if (!filter) throw new Error(`The filter of the soak is wrong: ${diagnostics[0]?.message}`);
  const decisionFilter = new DecisionFilter(filter, context, decided.rulings);
  return chunks.map((rows, chunk) => Uint32Array.from(decisionFilter.select(rows, decided.codes[chunk]!)));
}

export function hashRows(rows: readonly Uint32Array[]): string {
  const hash = createHash('sha256');
  for (const row of rows) hash.update(`${row.length}`).update(row);
  return hash.digest('hex');
}

/** An engine that is compiled once and reused. */
export class SoakEngine {
  readonly #before: Program;
  readonly #after: Program;
  readonly #judges: { readonly before: EvaluationContext; readonly after: EvaluationContext };

  constructor(
    private readonly task: SoakTask,
    referenceData: Pick<EvaluationContext, 'countries' | 'categories'>,
  ) {
    this.#judges = { before: judgeOf(task.before, referenceData), after: judgeOf(task.after, referenceData) };
    this.#before = new Program(this.#judges.before);
    this.#after = new Program(this.#judges.after);
  }

  get judge(): EvaluationContext {
    return this.#judges.before;
  }

  run({ chunks, hash }: ImportedLog): { digest: Digest; before: Decided; filtered: readonly Uint32Array[] } {
    const before = replay(this.#before, chunks);
    const after = replay(this.#after, chunks);
    const filtered = filterRows(this.#judges.before, this.task.filter, before, chunks);
    return {
      digest: {
        import: hash,
        before: hashDecided(before),
        after: hashDecided(after),
        compared: compare(before, after),
        filtered: hashRows(filtered),
      },
      before,
      filtered,
    };
  }
}
