/** Judges a log without a service and a database, by the same engine as there. */
import { ChunkRows, SegmentDictionaries, type EncodedChunk } from '@jadefence/core/columns';
import { viewDecided, type EvaluationContext, type Ruling } from '@jadefence/core/decide';
import type { ReadLine } from '@jadefence/core/logs';
import { DEFAULT_MAX_KEYS, Matcher, CounterStore, Program } from '@jadefence/core/match';
import {
  addBreakdown,
  addDecision,
  addRejected,
  addTally,
  addThrottles,
  Breakdown,
  ChunkReplay,
  createTally,
  type Delays,
  filesOfRows,
  flattenDelays,
  forEachDelayed,
  orderByTime,
  RulingTable,
  toDecidedRecord,
  type DecidedRecord,
  type Tally,
} from '@jadefence/core/replay';
import { normalizeRequest, type LogRecord } from '@jadefence/core/request';
import { importInThreads, importMerged, type Imported } from '@jadefence/files';
import type { OpenLog } from '../files/open-log.js';
import { ChunkStore } from './chunk-store.js';
import { DecidedFiles, type Judged } from './decided-files.js';
import { withQuiet } from '../files/quiet.js';
import { judgeReordered } from './reorder.js';

/** Turns a decided request into the line that is printed. */
export type PrintRecord = (record: DecidedRecord) => string;

export class LogJudge {
  readonly tally: Tally = createTally();
  /** Whether lines of the log were not in the order of time, which the rules need. */
  wasReordered = false;
  readonly #program: Program;
  readonly #breakdown: Breakdown;

  /**
   * @param print absent where only counts are requested
   * @param maxLimitKeys how many counters and holds may be alive at once; beyond it, judging throws TooManyKeysError
   * @param newMemory makes what counts, each time the log is judged from its beginning
   */
  constructor(
    private readonly context: EvaluationContext,
    private readonly print?: PrintRecord,
    maxLimitKeys: number = DEFAULT_MAX_KEYS,
    private readonly newMemory = () => new CounterStore(undefined, maxLimitKeys),
  ) {
    this.#program = new Program(context);
    this.#breakdown = new Breakdown(context);
  }

  /**
   * Judges files.
   * @param names of the files, where the log has several
   * @returns what to print, in the order of (file, line)
   */
  async *judgeFiles(imported: AsyncIterable<Imported>, names: readonly string[] = []): AsyncGenerator<string> {
    const isStored = this.context.rulebook.isStateful || (this.print && names.length > 1);
    yield* isStored ? this.#judgeInOrder(imported, names) : this.#judgeAsTheyCome(imported);
    addBreakdown(this.tally, this.#breakdown.take());
  }

  /**
   * Judges what comes bit by bit, line by line as it comes, where rules remember with some lines waiting so that they
   * can be put in the order of time, until the input pauses.
   * @returns what to print, together what is certain at once
   */
  async *judgeStream(log: OpenLog): AsyncGenerator<readonly string[]> {
    const matcher = new Matcher(this.#program, this.newMemory());
    const judgeRecord = (record: LogRecord): string | undefined => {
      const request = normalizeRequest(record);
      const ruling = matcher.judge(request);
      addDecision(this.tally, ruling, request.atUnixMs, request.host);
      this.#breakdown.countRequest(request, ruling);
      return this.print && this.#printed(record, ruling, [...matcher.waitsMs]);
    };
    const batches = this.#records(log.lines());
    if (this.context.rulebook.isStateful) yield* judgeReordered(withQuiet(batches), judgeRecord);
    else for await (const batch of batches) yield batch.flatMap((record) => judgeRecord(record) ?? []);
    addThrottles(this.tally, matcher.takeMetered());
    addBreakdown(this.tally, this.#breakdown.take());
  }

  async *#records(batches: AsyncIterable<readonly ReadLine[]>): AsyncGenerator<readonly LogRecord[]> {
    for await (const lines of batches) {
      const records: LogRecord[] = [];
      for (const line of lines) {
        if (line.kind === 'record') records.push(line.record);
        else addRejected(this.tally, line.rejected);
      }
      yield records;
    }
  }

  async *#judgeAsTheyCome(imported: AsyncIterable<Imported>): AsyncGenerator<string> {
    const replay = this.#newReplay();
    const openNext = createOpener();
    for await (const chunk of this.#chunks(imported)) {
      const rows = openNext(chunk);
      const { codes, tally } = replay.judge([rows]);
      addTally(this.tally, tally);
      yield* this.#lines(rows, codes, replay.table.rulings);
    }
  }

  /**
   * Judges files, and keeps what was decided.
   * @returns the decisions, which the caller removes
   */
  async decide(imported: AsyncIterable<Imported>, names: readonly string[] = []): Promise<DecidedFiles> {
    const decided = await this.#decide(imported, names);
    addBreakdown(this.tally, this.#breakdown.take());
    return decided;
  }

  /** Chunks that come in the order of time are judged as they come; once one does not, all are judged again when the last is there. */
  async #decide(imported: AsyncIterable<Imported>, names: readonly string[]): Promise<DecidedFiles> {
    const store = await ChunkStore.create();
    try {
      const judged = (await this.#judgeWhileInOrder(imported, store)) ?? (await this.#judgeStored(store, names));
      return new DecidedFiles(this.context, store, names, judged);
    } catch (error) {
      await store.remove();
      throw error;
    }
  }

  /** Judges rows in the order of time, and prints them in that of the log. */
  async *#judgeInOrder(imported: AsyncIterable<Imported>, names: readonly string[]): AsyncGenerator<string> {
    const decided = await this.#decide(imported, names);
    try {
      if (!this.print) return;
      const { rulings } = decided;
      if (names.length < 2) {
        for await (const { rows, codes, delays } of decided.chunks()) yield* this.#lines(rows, codes, rulings, delays);
        return;
      }
      // Chunks hold the lines of all files by time; those of one file come in their order.
      for (const file of names.keys())
        for await (const { rows, codes, delays } of decided.chunks()) {
          const files = filesOfRows(rows, names);
          if (files.includes(file)) yield* this.#lines(rows, codes, rulings, delays, (row) => files[row] === file);
        }
    } finally {
      await decided.remove();
    }
  }

  /** Stores all chunks, and judges them as they come. @returns undefined where they were not in the order of time */
  async #judgeWhileInOrder(imported: AsyncIterable<Imported>, store: ChunkStore): Promise<Judged | undefined> {
    const replay = this.#newReplay();
    const tally = createTally();
    const codesOf: Uint32Array[] = [];
    const waitsOf: Float64Array[] = [];
    const openNext = createOpener();
    let lastUnixMs: number | undefined = Number.NEGATIVE_INFINITY;
    for await (const chunk of this.#chunks(imported)) {
      await store.add(chunk);
      if (this.context.rulebook.isStateful && lastUnixMs !== undefined)
        lastUnixMs = endInOrder(store.times.at(-1)!, lastUnixMs);
      if (lastUnixMs === undefined) continue;
      const judged = replay.judge([openNext(chunk)]);
      codesOf.push(judged.codes);
      waitsOf.push(Float64Array.from(judged.waitsMs));
      addTally(tally, judged.tally);
    }
    if (lastUnixMs === undefined) {
      // What was counted is counted again.
      this.#breakdown.take();
      return undefined;
    }
    addTally(this.tally, tally);
    return { codesOf, waitsOf, rulings: replay.table.rulings };
  }

  async #judgeStored(store: ChunkStore, names: readonly string[]): Promise<Judged> {
    const replay = this.#newReplay();
    const codesOf = store.times.map((times) => new Uint32Array(times.length));
    const delaysOf = store.times.map((): Delays => new Map());
    const files: Uint32Array[] = [];
    if (names.length > 1)
      for (const chunk of store.times.keys()) files.push(filesOfRows(await store.rows(chunk), names));
    for (const { chunks, sequence } of orderByTime(store.times, names.length > 1 ? files : undefined)) {
      const rows: ChunkRows[] = [];
      for (const chunk of chunks) rows.push(await store.rows(chunk));
      const judged = replay.judge(rows, sequence);
      const { codes, tally } = judged;
      addTally(this.tally, tally);
      forEachDelayed(judged, replay.table.rulings, (index, waitsMs) =>
        delaysOf[chunks[sequence ? sequence.chunkOf[index]! : 0]!]!.set(
          sequence ? sequence.rowOf[index]! : index,
          waitsMs,
        ),
      );
      this.wasReordered ||= sequence !== undefined;
      if (!sequence) codesOf[chunks[0]!]!.set(codes);
      else
        for (const [index, code] of codes.entries())
          codesOf[chunks[sequence.chunkOf[index]!]!]![sequence.rowOf[index]!] = code;
    }
    return { codesOf, waitsOf: delaysOf.map(flattenDelays), rulings: replay.table.rulings };
  }

  #newReplay(): ChunkReplay {
    return new ChunkReplay(this.#program, this.newMemory(), new RulingTable(), this.#breakdown);
  }

  async *#chunks(imported: AsyncIterable<Imported>): AsyncGenerator<EncodedChunk> {
    for await (const { chunks, rejected } of imported) {
      for (const line of rejected) addRejected(this.tally, line);
      yield* chunks;
    }
  }

  *#lines(
    rows: ChunkRows,
    codes: Uint32Array,
    rulings: readonly Ruling[],
    delays?: Delays,
    isShown: (row: number) => boolean = () => true,
  ): Generator<string> {
    if (!this.print) return;
    for (let row = 0; row < rows.numRows; row += 1)
      if (isShown(row)) yield this.#printed(rows.row(row) as LogRecord, rulings[codes[row]!]!, delays?.get(row));
  }

  #printed(record: LogRecord, ruling: Ruling, waitsMs: readonly number[] | undefined): string {
    const view = viewDecided(this.context, normalizeRequest(record), ruling.gate);
    const country = view.get('country') as string | null | undefined;
    return this.print!(toDecidedRecord(record, { ...ruling, client: view.client, country, waitsMs }));
  }
}

/** Opens chunks as they come, one after the other, each with the dictionaries of those before it in its segment. */
function createOpener(): (chunk: EncodedChunk) => ChunkRows {
  let dictionaries = new SegmentDictionaries();
  return (chunk) => {
    if (chunk.beginsSegment) dictionaries = new SegmentDictionaries();
    for (const [name, part] of chunk.dictionaries) dictionaries.add(name, part);
    return new ChunkRows(chunk.numRows, chunk.columns, dictionaries);
  };
}

/** The last of some times that follow `before`; undefined where one is below the one before it. */
function endInOrder(times: Float64Array, before: number): number | undefined {
  let last = before;
  for (const time of times) {
    if (time < last) return undefined;
    last = time;
  }
  return last;
}

/** Begins to import a log at once, in a separate thread, some way ahead of the consumer. */
export function startImport({ format, options, files }: OpenLog): AsyncGenerator<Imported> {
  const task = { format, options, keepsLines: false };
  return ahead(files.length === 1 ? importInThreads(task, files[0]!, 1) : importMerged(task, files));
}

/** Starts a generator before its first use; ending it also ends an unused one. */
function ahead<T>(generator: AsyncGenerator<T>): AsyncGenerator<T> {
  let first: Promise<IteratorResult<T>> | undefined = generator.next();
  // The consumer handles a failure, which may occur before the first use.
  first.catch(() => undefined);
  const next = (): Promise<IteratorResult<T>> => {
    const answer = first ?? generator.next();
    first = undefined;
    return answer;
  };
  return {
    next,
    return: (value) => generator.return(value as T),
    throw: (error) => generator.throw(error),
    [Symbol.asyncIterator]() {
      return this;
    },
  } as AsyncGenerator<T>;
}
