import { randomUUID } from 'node:crypto';
import { deserialize, serialize } from 'node:v8';
import { promisify } from 'node:util';
import { deflate, inflate } from 'node:zlib';
import type { PartialResult } from '@jadefence/contract';
import { crc32 } from '@jadefence/core/binary';
import type { Ruling } from '@jadefence/core/decide';
import {
  addBreakdown,
  addTally,
  createTally,
  type Delays,
  flattenDelays,
  forEachDelayed,
  type JudgedRows,
  NOT_JUDGED,
  RulingTable,
  trimTally,
  type Segment,
  type Tally,
} from '@jadefence/core/replay';
import { inTransaction, type Database } from '../../database/database.js';
import {
  ReplayCheckpointModel,
  ReplayChunkModel,
  ReplayModel,
  ReplayResultModel,
  ReplayStateModel,
} from '../../database/models.js';
import type { Judging } from '../../threads/evaluation-pool.js';
import type { ChunkPayload } from '../../threads/open-chunks.js';
import type { JudgeAnswer, JudgePart, CarriedState } from '../../threads/evaluation/judge-task.js';
import type { EvaluationInput } from '../../threads/prepare-context.js';
import { batches } from '../../database/batches.js';
import { packCodes, packWaits } from './codes.js';
import type { EvaluationInputs } from './context-store.js';

/** How often a running replay reports how far it is. */
const PROGRESS_MS = 200;
/** Of each country, client and the like, so many with most requests are kept with the result. */
const KEPT_VALUES = 200;

const deflateBytes = promisify(deflate);
const inflateBytes = promisify(inflate);

/** What a replay that was cut off goes on from. */
interface Checkpoint {
  /** Chunks that are judged, or segments where the rules remember. */
  readonly numDone: number;
  readonly tally: Tally;
  readonly rulings: readonly Ruling[];
  /** Codes of chunks of which rows are still to come. */
  readonly codesOf: ReadonlyMap<number, Uint32Array>;
  /** Absent in those of earlier releases. */
  readonly delaysOf?: ReadonlyMap<number, Delays>;
}

/** What a replay runs with. */
interface SessionParts {
  readonly db: Database;
  readonly pool: Judging;
  /** Between two checkpoints. */
  readonly checkpointMs: number;
  readonly replay: ReplayModel;
}
/** What a replay that was cut off left behind; of a new one, nothing. */
interface Resumed {
  readonly checkpoint: Checkpoint | undefined;
  readonly state: Uint8Array | undefined;
}

/** One replay on its way through its log. */
export class ReplaySession {
  readonly replay: ReplayModel;
  readonly #tally: Tally = createTally();
  readonly #table = new RulingTable();
  readonly #codesOf: Map<number, Uint32Array>;
  readonly #delaysOf: Map<number, Delays>;
  readonly #progress: ProgressWriter;
  /** Distinguishes this run from an earlier one. */
  readonly #run = randomUUID();
  #checkpointAtMs = Date.now();
  #state: Uint8Array | undefined;
  /** Whether the thread has judged rows of this run, and so should know what they left behind. */
  #isThreadWarm = false;
  /** Why it cannot go on. */
  failure: Error | undefined;
  /** It was cancelled. */
  isCancelled = false;

  private constructor(
    private readonly parts: SessionParts,
    /** What it judges by. */
    private readonly source: EvaluationInput & { readonly isStateful: boolean },
    readonly attributes: readonly string[],
    { checkpoint, state }: Resumed,
  ) {
    this.replay = parts.replay;
    this.#progress = new ProgressWriter(parts.db, this.replay.id);
    this.#codesOf = new Map(checkpoint?.codesOf);
    this.#delaysOf = new Map(checkpoint?.delaysOf);
    this.#state = state;
    this.numDone = this.#numJudged = checkpoint?.numDone ?? 0;
    if (checkpoint) addTally(this.#tally, checkpoint.tally);
    for (const ruling of checkpoint?.rulings ?? []) this.#table.codeFor(ruling);
  }

  /** Chunks whose decisions are kept, or segments where the rules remember. */
  numDone: number;
  /** Those that are judged, of which the latest may still be kept. */
  #numJudged: number;

  /** Begins a replay, or goes on from where the one before was cut off. */
  static async begin(parts: SessionParts, judges: EvaluationInputs): Promise<ReplaySession> {
    const { db, pool, replay } = parts;
    const source = await judges.source(replay);
    const checkpoint = await readCheckpoint(db, replay.id);
    if (!checkpoint) await deleteParts(db, replay.id);
    const state = checkpoint && (await ReplayStateModel.query(db).findById([replay.id, checkpoint.numDone]));
    const attributes = await pool.attributesRead(source, source.isStateful);
    await ReplayModel.query(db)
      .patch({ state: 'running', requestsDone: checkpoint?.tally.requests ?? 0, failure: null })
      .where({ id: replay.id })
      .whereNot({ state: 'cancelled' });
    return new ReplaySession(parts, source, attributes, { checkpoint, state: state?.bytes });
  }

  /** Whether its rules count or hold, so that its log is judged in order. */
  get isStateful(): boolean {
    return this.source.isStateful;
  }

  get isActive(): boolean {
    return this.failure === undefined && !this.isCancelled;
  }

  /**
   * Judges the next rows of the log, which may be while the decisions of those before are kept.
   * @param isAlone no other replay judges what was loaded
   * @param loadAll the same with all dictionaries, for a thread that has lost what it was to keep
   * @returns undefined where that failed
   */
  async judge(
    loaded: ChunkPayload,
    judged: readonly JudgePart[],
    onProgress: (numRowsDone: number) => void,
    isAlone: boolean,
    loadAll: () => Promise<ChunkPayload>,
  ): Promise<JudgeAnswer | undefined> {
    if (!this.isActive) return undefined;
    const { id, fromMs, toMs } = this.replay;
    const span = { fromUnixMs: fromMs, toUnixMs: toMs };
    const nameAt = (numDone: number): string => `${id} ${this.#run} ${numDone}`;
    const names = { name: nameAt(this.#numJudged), nextName: nameAt(this.#numJudged + judged.length) };
    const past = (isCached: boolean): { past?: CarriedState } =>
      this.isStateful ? { past: { ...names, isCached, ...(isCached ? {} : { bytes: this.#state }) } } : {};
    try {
      const task = { ...this.source, parts: judged, span };
      const answer =
        (await this.parts.pool.judge({ ...task, ...loaded, ...past(this.#isThreadWarm) }, onProgress, isAlone)) ??
        (await this.parts.pool.judge({ ...task, ...(await loadAll()), ...past(false) }, onProgress, true));
      this.#isThreadWarm = true;
      this.#numJudged += judged.length;
      this.#state = answer?.state;
      return answer;
    } catch (error) {
      this.failure = wrapLogError(this.replay.logId, error);
      return undefined;
    }
  }

  reportProgress(requestsDone: number): void {
    this.#progress.write(requestsDone);
  }

  /** Keeps the decisions of some chunks, each in the order of its rows. */
  async storeChunks(chunks: readonly number[], answer: JudgeAnswer): Promise<void> {
    for (const [index, { codes }] of this.#merge(answer).entries()) await this.#storeChunk(chunks[index]!, codes);
    await this.#endStep(chunks.length);
  }

  /**
   * Keeps the decisions of some segments, and what they leave behind.
   * @param first the number of the first of them
   * @param numRows of each chunk
   * @param lastOf the last segment that has rows of a chunk
   */
  async storeSegments(
    segments: readonly Segment[],
    first: number,
    numRows: (chunk: number) => number,
    lastOf: (chunk: number) => number,
    answer: JudgeAnswer,
  ): Promise<void> {
    for (const [index, judged] of this.#merge(answer).entries()) {
      const { chunks, sequence } = segments[index]!;
      forEachDelayed(judged, this.#table.rulings, (place, waitsMs) => {
        const chunk = chunks[sequence ? sequence.chunkOf[place]! : 0]!;
        let delays = this.#delaysOf.get(chunk);
        if (!delays) this.#delaysOf.set(chunk, (delays = new Map()));
        delays.set(sequence ? sequence.rowOf[place]! : place, waitsMs);
      });
      for (const [place, code] of judged.codes.entries()) {
        const chunk = chunks[sequence ? sequence.chunkOf[place]! : 0]!;
        let all = this.#codesOf.get(chunk);
        if (!all) this.#codesOf.set(chunk, (all = new Uint32Array(numRows(chunk)).fill(NOT_JUDGED)));
        all[sequence ? sequence.rowOf[place]! : place] = code;
      }
      for (const chunk of chunks) {
        if (lastOf(chunk) !== first + index) continue;
        await this.#storeChunk(chunk, this.#codesOf.get(chunk)!);
        this.#codesOf.delete(chunk);
        this.#delaysOf.delete(chunk);
      }
    }
    if (answer.state) await this.#storeState(first + segments.length, answer.state);
    await this.#endStep(segments.length);
  }

  async finish(): Promise<void> {
    await this.#progress.end();
    const tally = this.#tally;
    trimTally(tally, KEPT_VALUES);
    const replayId = this.replay.id;
    await inTransaction(this.parts.db, async (trx) => {
      await ReplayResultModel.query(trx).delete().where({ replayId });
      const rows = this.#table.rulings.map((ruling, code) => ({ replayId, code, outcome: ruling.outcome, ruling }));
      for (const batch of batches(rows)) await ReplayResultModel.query(trx).insert(batch);
      await ReplayCheckpointModel.query(trx).delete().where({ replayId });
      await ReplayModel.query(trx)
        .patch({
          state: 'done',
          requests: tally.requests,
          requestsDone: tally.requests,
          partial: partialResultOf(tally),
          tally,
        })
        .where({ id: replayId })
        .whereNot({ state: 'cancelled' });
    });
  }

  /** Deletes the partial results of a cancelled replay. */
  async discard(): Promise<void> {
    await this.#progress.end();
    await deleteParts(this.parts.db, this.replay.id);
  }

  async #endStep(numDone: number): Promise<void> {
    this.numDone += numDone;
    const { state } = await ReplayModel.query(this.parts.db).findById(this.replay.id).throwIfNotFound();
    this.isCancelled = state === 'cancelled';
    this.#progress.keep(partialResultOf(this.#tally));
    if (Date.now() - this.#checkpointAtMs < this.parts.checkpointMs) return;
    this.#checkpointAtMs = Date.now();
    const checkpoint: Checkpoint = {
      numDone: this.numDone,
      tally: this.#tally,
      rulings: this.#table.rulings,
      codesOf: this.#codesOf,
      delaysOf: this.#delaysOf,
    };
    const bytes = await deflateBytes(serialize(checkpoint));
    await ReplayCheckpointModel.query(this.parts.db)
      .insert({ replayId: this.replay.id, bytes })
      .onConflict('replayId')
      .merge();
  }

  /** Adds an answer and translates its codes. */
  #merge({ parts, rulings, by }: JudgeAnswer): Pick<JudgedRows, 'codes' | 'waitsMs'>[] {
    addBreakdown(this.#tally, by);
    const codeOf = rulings.map((ruling) => this.#table.codeFor(ruling));
    return parts.map(({ codes, tally, waitsMs }) => {
      addTally(this.#tally, tally);
      return { codes: codes.map((code) => (code === NOT_JUDGED ? code : codeOf[code]!)), waitsMs };
    });
  }

  async #storeState(segment: number, state: Uint8Array): Promise<void> {
    await ReplayStateModel.query(this.parts.db)
      .insert({ replayId: this.replay.id, segment, bytes: Buffer.from(state) })
      .onConflict(['replayId', 'segment'])
      .merge();
  }

  async #storeChunk(chunk: number, codes: Uint32Array): Promise<void> {
    const codeCounts: Record<string, number> = {};
    for (const code of codes) codeCounts[code] = (codeCounts[code] ?? 0) + 1;
    const bytes = await packCodes(codes);
    const waits = await packWaits(flattenDelays(this.#delaysOf.get(chunk) ?? new Map()));
    await ReplayChunkModel.query(this.parts.db)
      .insert({ replayId: this.replay.id, chunk, codes: bytes, checksum: crc32(bytes), waits, codeCounts })
      .onConflict(['replayId', 'chunk'])
      .merge();
  }
}

function partialResultOf({ outcomes, rules }: Tally): PartialResult {
  const matched = Object.entries(rules).map(([rule, { hits, decided }]) => [rule, { hits, decided }]);
  return { outcomes: { ...outcomes }, rules: Object.fromEntries(matched) as PartialResult['rules'] };
}

/** Adds which log failed. */
export function wrapLogError(logId: number, error: unknown): Error {
  return new Error(`Log ${logId} cannot be judged: ${(error as Error).message.replace(/\.$/, '')}.`, { cause: error });
}

async function deleteParts(db: Database, replayId: number): Promise<void> {
  await inTransaction(db, async (trx) => {
    await ReplayChunkModel.query(trx).delete().where({ replayId });
    await ReplayResultModel.query(trx).delete().where({ replayId });
    await ReplayStateModel.query(trx).delete().where({ replayId });
    await ReplayCheckpointModel.query(trx).delete().where({ replayId });
  });
}

/** @returns undefined where there is none, or another release wrote it */
async function readCheckpoint(db: Database, replayId: number): Promise<Checkpoint | undefined> {
  const stored = await ReplayCheckpointModel.query(db).findById(replayId);
  if (!stored) return undefined;
  try {
    return deserialize(await inflateBytes(stored.bytes)) as Checkpoint;
  } catch {
    return undefined;
  }
}

/** Writes how far a replay is, a few times a second and one write at a time. */
class ProgressWriter {
  #lastWriteMs = 0;
  #underWay: Promise<unknown> = Promise.resolve();
  #soFar: PartialResult | undefined;

  constructor(
    private readonly db: Database,
    private readonly replayId: number,
  ) {}

  /** What is written with the next progress. */
  keep(partial: PartialResult): void {
    this.#soFar = partial;
  }

  write(requestsDone: number): void {
    if (Date.now() - this.#lastWriteMs < PROGRESS_MS) return;
    this.#lastWriteMs = Date.now();
    const patch = (): Promise<unknown> =>
      ReplayModel.query(this.db)
        .patch({ requestsDone, ...(this.#soFar ? { partial: this.#soFar } : {}) })
        .where({ id: this.replayId })
        .execute();
    // A progress that could not be written is no reason to fail; the end of the replay is written on its own.
    this.#underWay = this.#underWay.then(patch).catch(() => undefined);
  }

  async end(): Promise<void> {
    await this.#underWay;
  }
}
