import { randomUUID } from 'node:crypto';
import { setTimeout as sleep } from 'node:timers/promises';
import type { ReplayState } from '@jadefence/contract';
import type { Segment } from '@jadefence/core/replay';
import type { Logger } from 'pino';
import { isUnreachable, type Database } from '../../database/database.js';
import { LEASE_MS, takeLease, type Lease } from '../../database/lease.js';
import { ComparisonModel, ReplayModel, type LogChunkModel } from '../../database/models.js';
import type { ChunkPayload } from '../../threads/open-chunks.js';
import type { Judging } from '../../threads/evaluation-pool.js';
import type { JudgeAnswer } from '../../threads/evaluation/judge-task.js';
import type { Logs } from '../logs/logs.js';
import type { EvaluationInputs } from './context-store.js';
import { ReplaySession, wrapLogError } from './replay-session.js';

/** Segments that are judged before what they leave behind is kept: an explanation has to judge at most as many again. */
const STEP_SEGMENTS = 4;
/** Chunks that a thread judges in one go; their dictionaries are read once. */
const MAX_CHUNKS = 8;

/** Runs replays: chunk after chunk through the workers, merged in the order of chunks, so that the result never depends on who was faster. */
export class ReplayRuns {
  constructor(
    private readonly db: Database,
    private readonly logs: Logs,
    private readonly judges: EvaluationInputs,
    private readonly pool: Judging,
    private readonly logger: Logger,
    /** How often a running replay keeps what it has. */
    private readonly checkpointMs: number,
  ) {}

  /**
   * The replays that a process left behind when it ended, oldest first; those of comparisons are run by these.
   * @param states waiting ones are in the queue, unless the process ended before it put them there
   */
  async unfinished(states: readonly ReplayState[]): Promise<number[]> {
    const replays = await ReplayModel.query(this.db)
      .select('id')
      .whereIn('state', [...states])
      .where((query) => query.whereNull('leasedUntil').orWhereRaw('leased_until < now()'))
      .whereNotIn('id', ComparisonModel.query(this.db).select('beforeId').whereIn('state', ['waiting', 'running']))
      .whereNotIn('id', ComparisonModel.query(this.db).select('afterId').whereIn('state', ['waiting', 'running']))
      .orderBy('id');
    return replays.map(({ id }) => id);
  }

  /**
   * Runs replays of one log to their ends and keeps their failures, if any, with them. Those at the same position
   * go through the log together, which is read once. One that was cut off goes on from where it last kept what it had,
   * also after the database was away: then it waits until that is back. What another process runs is left to it.
   */
  async run(...ids: readonly number[]): Promise<void> {
    await retryWhileUnreachable(async () => {
      const leases: Lease[] = [];
      try {
        const claimed: number[] = [];
        for (const id of ids) {
          const lease = await this.#waitForLease(id);
          if (!lease) continue;
          leases.push(lease);
          claimed.push(id);
        }
        await this.#run(claimed);
      } finally {
        for (const lease of leases) await lease.release().catch(() => lease.end());
      }
    }, this.logger);
  }

  /** Whether a living process runs it. */
  async isUnderWay(id: number): Promise<boolean> {
    const row = await this.db('replays').where({ id }).whereRaw('leased_until > now()').first('id');
    return row !== undefined;
  }

  /** A process that has ended may hold a lease a little longer. @returns undefined where the replay is not to be run */
  async #waitForLease(id: number): Promise<Lease | undefined> {
    for (let waitedMs = 0; waitedMs <= 2 * LEASE_MS; waitedMs += LEASE_POLL_MS) {
      const lease = await takeLease(this.db, 'replays', id, this.logger);
      if (lease) return lease;
      const replay = await ReplayModel.query(this.db).findById(id);
      if (!replay || !UNFINISHED.includes(replay.state)) return undefined;
      await sleep(LEASE_POLL_MS, undefined, { ref: false });
    }
    return undefined;
  }

  async #run(ids: readonly number[]): Promise<void> {
    const replays = await ReplayModel.query(this.db)
      .whereIn('id', [...ids])
      .whereIn('state', ['waiting', 'running']);
    const passes: ReplaySession[] = [];
    for (const replay of replays) {
      try {
        passes.push(
          await ReplaySession.begin(
            { db: this.db, pool: this.pool, checkpointMs: this.checkpointMs, replay },
            this.judges,
          ),
        );
      } catch (error) {
        if (isUnreachable(error)) throw error;
        await this.#fail(replay.id, error as Error);
      }
    }
    const together = new Map<string, ReplaySession[]>();
    for (const pass of passes) {
      const key = `${pass.isStateful} ${pass.numDone}`;
      together.set(key, [...(together.get(key) ?? []), pass]);
    }
    for (const group of together.values()) await this.#runGroup(group);
  }

  async #runGroup(passes: readonly ReplaySession[]): Promise<void> {
    try {
      await (passes[0]!.isStateful ? this.#judgeInOrder(passes) : this.#judgeEach(passes));
    } catch (error) {
      for (const pass of passes) pass.failure ??= error as Error;
    }
    const lost = passes.find(({ failure }) => isUnreachable(failure));
    if (lost) throw lost.failure!;
    for (const pass of passes) {
      if (pass.failure) await this.#fail(pass.replay.id, pass.failure);
      else if (pass.isCancelled) await pass.discard();
      else await pass.finish();
    }
  }

  async #fail(replayId: number, error: Error): Promise<void> {
    this.logger.error({ err: error, replay: replayId }, 'replay failed');
    await ReplayModel.query(this.db).patch({ state: 'failed', failure: error.message }).where({ id: replayId });
  }

  /** Nothing remembers, so all threads judge, each some chunks; answers are merged in the order of chunks. */
  async #judgeEach(passes: readonly ReplaySession[]): Promise<void> {
    const [{ replay, numDone }] = passes as [ReplaySession];
    const all = await this.logs.chunks(replay.logId);
    const chunks = all.slice(numDone);
    const numBefore = all.slice(0, numDone).reduce((sum, { numRows }) => sum + numRows, 0);
    const units = groupChunks(chunks, Math.ceil(chunks.length / (this.pool.size * 2)));
    const done = new Float64Array(units.length);
    const judge = async (index: number): Promise<(JudgeAnswer | undefined)[]> => {
      const numbers = units[index]!.map(({ chunk }) => chunk);
      const loaded = await this.#load(passes, numbers);
      const parts = numbers.map((_, place) => ({ chunks: [place] }));
      return Promise.all(
        passes.map((pass) =>
          pass.judge(
            loaded,
            parts,
            (numRows) => {
              done[index] = numRows;
              pass.reportProgress(numBefore + done.reduce((sum, rows) => sum + rows));
            },
            passes.length === 1,
            () => this.#load(passes, numbers),
          ),
        ),
      );
    };
    for await (const [index, answers] of inOrder(units.length, this.pool.size + 1, judge)) {
      const numbers = units[index]!.map(({ chunk }) => chunk);
      for (const [number, answer] of answers.entries()) if (answer) await passes[number]!.storeChunks(numbers, answer);
      if (!passes.some((pass) => pass.isActive)) return;
    }
  }

  /** The rules remember, so rows are judged in the order of time, and what they leave behind is handed on. */
  async #judgeInOrder(passes: readonly ReplaySession[]): Promise<void> {
    const [{ replay, numDone: first }] = passes as [ReplaySession];
    const chunks = await this.logs.chunks(replay.logId);
    const segments = await this.logs.segments(replay.logId);
    const rowsOf = (chunk: number): number => chunks[chunk]!.numRows;
    const sizeOf = (item: Segment): number => (item.sequence ? item.sequence.rowOf.length : rowsOf(item.chunks[0]!));
    const lastOf = new Map(segments.flatMap((segment, index) => segment.chunks.map((chunk) => [chunk, index])));
    let numRows = segments.slice(0, first).reduce((sum, item) => sum + sizeOf(item), 0);
    const starts: number[] = [];
    for (let start = first; start < segments.length; start += STEP_SEGMENTS) starts.push(start);
    const stepAt = (index: number): readonly Segment[] => segments.slice(starts[index], starts[index]! + STEP_SEGMENTS);
    const chunksOf = (step: readonly Segment[]): number[] =>
      [...new Set(step.flatMap((segment) => segment.chunks))].sort((a, b) => a - b);
    const run = randomUUID();
    // By segment of the chunks that were loaded last, up to which chunk the thread has its dictionaries.
    let known = new Map<number, number>();
    const load = async (index: number): Promise<ChunkPayload> => {
      const numbers = chunksOf(stepAt(index));
      const before = known;
      known = new Map();
      for (const number of numbers) {
        const { segment } = chunks[number]!;
        known.set(segment, Math.max(number, known.get(segment) ?? 0, before.get(segment) ?? 0));
      }
      return { ...(await this.#load(passes, numbers, before)), run };
    };
    const keep = async (index: number, answers: readonly (JudgeAnswer | undefined)[]): Promise<void> => {
      for (const [number, answer] of answers.entries())
        if (answer)
          await passes[number]!.storeSegments(
            stepAt(index),
            starts[index]!,
            rowsOf,
            (chunk) => lastOf.get(chunk)!,
            answer,
          );
    };
    let keeping: Promise<void> = Promise.resolve();
    // While these rows are judged, the next are read, and the decisions of those before are kept.
    try {
      for await (const [index, loaded] of inOrder(starts.length, 2, load)) {
        const step = stepAt(index);
        const numbers = chunksOf(step);
        const parts = step.map(({ chunks: own, sequence }) => ({
          chunks: own.map((chunk) => numbers.indexOf(chunk)),
          sequence,
        }));
        const answers = await Promise.all(
          passes.map((pass) =>
            pass.judge(
              loaded,
              parts,
              (done) => pass.reportProgress(numRows + done),
              passes.length === 1,
              async () => ({ ...(await this.#load(passes, numbers)), run }),
            ),
          ),
        );
        numRows += step.reduce((sum, item) => sum + sizeOf(item), 0);
        await keeping;
        keeping = keep(index, answers);
        // Its consumer handles a failure, which may occur before anybody waits.
        keeping.catch(() => undefined);
        if (!passes.some((pass) => pass.isActive)) break;
      }
    } finally {
      await keeping;
    }
  }

  /** Chunks with what any of the passes reads of them. */
  async #load(
    passes: readonly ReplaySession[],
    chunks: readonly number[],
    known?: ReadonlyMap<number, number>,
  ): Promise<ChunkPayload> {
    const { logId } = passes[0]!.replay;
    const attributes = [...new Set(passes.flatMap((pass) => pass.attributes))];
    return this.logs.load(logId, chunks, attributes, known).catch((error: unknown) => {
      throw wrapLogError(logId, error);
    });
  }
}

const UNFINISHED: readonly ReplayState[] = ['waiting', 'running'];
const LEASE_POLL_MS = 500;
const FIRST_WAIT_MS = 1000;
const LONGEST_WAIT_MS = 30_000;

/** Does work again, after growing waits, as long as it fails because the database cannot be reached. */
async function retryWhileUnreachable(work: () => Promise<void>, logger: Logger): Promise<void> {
  for (let waitMs = FIRST_WAIT_MS; ; waitMs = Math.min(waitMs * 2, LONGEST_WAIT_MS)) {
    try {
      return await work();
    } catch (error) {
      if (!isUnreachable(error)) throw error;
      logger.warn({ err: error, waitMs }, 'a replay waits for the database');
      await sleep(waitMs, undefined, { ref: false });
    }
  }
}

/** Consecutive chunks that share their dictionaries, at most so many together. */
function groupChunks(chunks: readonly LogChunkModel[], most: number): LogChunkModel[][] {
  const groups: LogChunkModel[][] = [];
  for (const chunk of chunks) {
    const last = groups.at(-1);
    const fits = last && last[0]!.segment === chunk.segment && last.length < Math.min(most, MAX_CHUNKS);
    if (fits) last.push(chunk);
    else groups.push([chunk]);
  }
  return groups;
}

/**
 * The results of several tasks, in order, some of them running at once.
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
      // Its consumer handles a failure, which may occur before anybody waits.
      begun.catch(() => undefined);
      underWay.push(begun);
    }
    yield [index, await underWay.shift()!];
  }
}
