import {
  addTally,
  crc32,
  createTally,
  RulingTable,
  trimTally,
  type Ruling,
  type StoredState,
  type Tally,
} from '@jadefence/core';
import type { Logger } from 'pino';
import { inTransaction, type Database } from '../../database/database.js';
import { ReplayChunkModel, ReplayModel, ReplayResultModel, ReplayStateModel } from '../../database/models.js';
import type { ChunksSource } from '../../work/open-chunks.js';
import type { JudgingPool } from '../../work/judging-pool.js';
import type { JudgeAnswer, JudgeSource, JudgeTask } from '../../work/replay-worker.js';
import { batches } from '../draft/snapshots.js';
import type { Logs } from '../logs/logs.js';
import { packCodes, packState } from './codes.js';
import type { Judges } from './judges.js';

/** How often a running replay tells how far it is. */
const PROGRESS_MS = 200;
/** Of each country, client and the like, so many with most requests are kept with the result. */
const KEPT_VALUES = 200;

/** Runs replays: chunk after chunk through the workers, merged in the order of chunks, so that the result never depends on who was faster. */
export class ReplayRuns {
  constructor(
    private readonly db: Database,
    private readonly logs: Logs,
    private readonly judges: Judges,
    private readonly pool: JudgingPool,
    private readonly logger: Logger,
  ) {}

  /** The replays that a process left behind when it ended, oldest first. */
  async unfinished(): Promise<number[]> {
    const replays = await ReplayModel.query(this.db)
      .select('id')
      .whereIn('state', ['waiting', 'running'])
      .orderBy('id');
    return replays.map(({ id }) => id);
  }

  /** Runs a replay to its end and keeps its failure, if any, with it. A replay that died half-way begins anew. */
  async run(replayId: number): Promise<void> {
    const replay = await ReplayModel.query(this.db).findById(replayId);
    if (!replay || replay.state === 'done') return;
    await inTransaction(this.db, async (trx) => {
      await ReplayChunkModel.query(trx).delete().where({ replayId });
      await ReplayResultModel.query(trx).delete().where({ replayId });
      await ReplayStateModel.query(trx).delete().where({ replayId });
      await ReplayModel.query(trx).patch({ state: 'running', requestsDone: 0, failure: null }).where({ id: replayId });
    });
    try {
      const { tally, rulings } = await this.#judgeChunks(replay);
      await this.#finish(replay, tally, rulings);
    } catch (error) {
      this.logger.error({ err: error, replay: replayId }, 'replay failed');
      await ReplayModel.query(this.db)
        .patch({ state: 'failed', failure: (error as Error).message })
        .where({ id: replayId });
    }
  }

  async #judgeChunks(replay: ReplayModel): Promise<{ tally: Tally; rulings: readonly Ruling[] }> {
    const source = await this.judges.source(replay);
    const { rulebook } = await this.judges.judge(replay);
    const merged: Merged = { tally: createTally(), table: new RulingTable() };
    const progress = new ProgressWriter(this.db, replay.id);
    if (rulebook.isStateful) await this.#judgeInOrder(replay, source, merged, progress);
    else await this.#judgeEach(replay, source, merged, progress);
    await progress.end();
    return { tally: merged.tally, rulings: merged.table.rulings };
  }

  /** Nothing remembers, so all threads judge, each a chunk; answers are merged in the order of chunks. */
  async #judgeEach(replay: ReplayModel, source: JudgeSource, merged: Merged, progress: ProgressWriter): Promise<void> {
    const attributes = await this.pool.attributesRead(source);
    const chunks = await this.logs.chunks(replay.logId);
    const done = new Float64Array(chunks.length);
    const judge = async (index: number): Promise<JudgeAnswer> => {
      const loaded = await this.#load(replay.logId, [chunks[index]!.chunk], attributes);
      return this.#judge({ ...source, ...loaded }, replay.logId, (numRows) => {
        done[index] = numRows;
        progress.write(done.reduce((sum, rows) => sum + rows));
      });
    };
    for await (const [index, answer] of inOrder(chunks.length, this.pool.size + 1, judge)) {
      done[index] = chunks[index]!.numRows;
      await this.#storeChunk(replay.id, chunks[index]!.chunk, merge(merged, answer));
    }
  }

  /** The rules remember, so rows are judged in the order of time, and what they leave behind is handed on. */
  async #judgeInOrder(
    replay: ReplayModel,
    source: JudgeSource,
    merged: Merged,
    progress: ProgressWriter,
  ): Promise<void> {
    const chunks = await this.logs.chunks(replay.logId);
    const segments = await this.logs.segments(replay.logId);
    const attributes = await this.pool.attributesRead(source);
    const codesOf = new Map<number, Uint32Array>();
    /** Rows of each chunk that are still to come. */
    const missing = chunks.map(({ numRows }) => numRows);
    let state: StoredState | undefined;
    let numDone = 0;
    const load = (index: number): Promise<ChunksSource> =>
      this.#load(replay.logId, segments[index]!.chunks, attributes);
    // The next rows are read while these are judged.
    for await (const [segment, loaded] of inOrder(segments.length, 2, load)) {
      const { chunks: numbers, sequence } = segments[segment]!;
      const before = state;
      const [answer] = await Promise.all([
        this.#judge({ ...source, state: before, sequence, ...loaded }, replay.logId, (done) =>
          progress.write(numDone + done),
        ),
        before && this.#storeState(replay.id, segment, before),
      ]);
      state = answer.state;
      const codes = merge(merged, answer);
      numDone += codes.length;
      codes.forEach((code, index) => {
        const chunk = numbers[sequence ? sequence.chunkOf[index]! : 0]!;
        let chunkCodes = codesOf.get(chunk);
        if (!chunkCodes) codesOf.set(chunk, (chunkCodes = new Uint32Array(chunks[chunk]!.numRows)));
        chunkCodes[sequence ? sequence.rowOf[index]! : index] = code;
        missing[chunk]! -= 1;
      });
      for (const chunk of numbers) {
        if (missing[chunk] !== 0) continue;
        await this.#storeChunk(replay.id, chunk, codesOf.get(chunk)!);
        codesOf.delete(chunk);
      }
    }
  }

  async #load(logId: number, chunks: readonly number[], attributes: readonly string[]): Promise<ChunksSource> {
    return orSay(logId, this.logs.load(logId, chunks, attributes));
  }

  async #judge(input: JudgeInput, logId: number, onProgress: (numRowsDone: number) => void): Promise<JudgeAnswer> {
    return orSay(logId, this.pool.judge(input, onProgress));
  }

  async #storeState(replayId: number, segment: number, state: StoredState): Promise<void> {
    await ReplayStateModel.query(this.db).insert({ replayId, segment, bytes: await packState(state) });
  }

  async #storeChunk(replayId: number, chunk: number, codes: Uint32Array): Promise<void> {
    const codeCounts: Record<string, number> = {};
    for (const code of codes) codeCounts[code] = (codeCounts[code] ?? 0) + 1;
    const bytes = await packCodes(codes);
    await ReplayChunkModel.query(this.db).insert({ replayId, chunk, codes: bytes, checksum: crc32(bytes), codeCounts });
  }

  async #finish(replay: ReplayModel, tally: Tally, rulings: readonly Ruling[]): Promise<void> {
    trimTally(tally, KEPT_VALUES);
    await inTransaction(this.db, async (trx) => {
      const rows = rulings.map((ruling, code) => ({ replayId: replay.id, code, outcome: ruling.outcome, ruling }));
      for (const batch of batches(rows)) await ReplayResultModel.query(trx).insert(batch);
      await ReplayModel.query(trx)
        .patch({ state: 'done', requestsDone: replay.requests, tally })
        .where({ id: replay.id });
    });
  }
}

type JudgeInput = Omit<JudgeTask, 'progress' | 'maxLimitKeys'>;

/** Says of which log something failed. */
async function orSay<T>(logId: number, work: Promise<T>): Promise<T> {
  try {
    return await work;
  } catch (error) {
    throw new Error(`Log ${logId} cannot be judged: ${(error as Error).message.replace(/\.$/, '')}.`, { cause: error });
  }
}

/**
 * What each of some pieces of work comes to, in their order, some of them under way at once.
 * @param numAtOnce the one that is handed out included
 */
async function* inOrder<T>(
  count: number,
  numAtOnce: number,
  start: (index: number) => Promise<T>,
): AsyncGenerator<readonly [index: number, result: T]> {
  const underWay: Promise<T>[] = [];
  let next = 0;
  for (let index = 0; index < count; index += 1) {
    while (next < Math.min(count, index + numAtOnce)) {
      const begun = start(next++);
      // Whoever waits for it hears of a failure; it may come before anybody waits.
      begun.catch(() => undefined);
      underWay.push(begun);
    }
    yield [index, await underWay.shift()!];
  }
}

/** What the parts of a replay add up to. */
interface Merged {
  readonly tally: Tally;
  readonly table: RulingTable;
}

/** Adds an answer and translates its codes. */
function merge({ tally, table }: Merged, answer: JudgeAnswer): Uint32Array {
  addTally(tally, answer.tally);
  const codeOf = answer.rulings.map((ruling) => table.codeFor(ruling));
  return answer.codes.map((code) => codeOf[code]!);
}

/** Writes how far a replay is, a few times a second and one write at a time. */
class ProgressWriter {
  #lastWriteMs = 0;
  #underWay: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly db: Database,
    private readonly replayId: number,
  ) {}

  write(requestsDone: number): void {
    if (Date.now() - this.#lastWriteMs < PROGRESS_MS) return;
    this.#lastWriteMs = Date.now();
    const patch = (): Promise<unknown> =>
      ReplayModel.query(this.db).patch({ requestsDone }).where({ id: this.replayId }).execute();
    // A progress that could not be written is no reason to fail; the end of the replay is written on its own.
    this.#underWay = this.#underWay.then(patch).catch(() => undefined);
  }

  async end(): Promise<void> {
    await this.#underWay;
  }
}
