import type { EvaluationContext, Ruling } from '@jadefence/core/decide';
import { headerNames, type DecidedChunk, type DecidedLog, type DecidedSegment } from '@jadefence/core/traffic';
import type { Database } from '../../database/database.js';
import { ChunkColumnModel, ReplayChunkModel, type ReplayModel } from '../../database/models.js';
import { ChunkSequence } from '../logs/chunk-sequence.js';
import type { Logs } from '../logs/logs.js';
import type { ContextStore } from './context-store.js';
import type { DecisionPages } from './decision-pages.js';

interface Parts {
  readonly pages: DecisionPages;
  readonly judges: ContextStore;
  readonly logs: Logs;
}

/** The requests of a log as a replay, which is done, decided them. */
export class StoredDecisions implements DecidedLog {
  private constructor(
    private readonly db: Database,
    private readonly parts: Parts,
    private readonly replay: ReplayModel,
    readonly context: EvaluationContext,
    readonly rulings: readonly Ruling[],
    private readonly signal: AbortSignal | undefined,
  ) {}

  static async of(db: Database, parts: Parts, replay: ReplayModel, signal?: AbortSignal): Promise<StoredDecisions> {
    const [context, rulings] = await Promise.all([parts.judges.judge(replay), parts.pages.rulings(replay.id)]);
    return new StoredDecisions(db, parts, replay, context, rulings, signal);
  }

  async headers(): Promise<readonly string[]> {
    const columns = await ChunkColumnModel.query(this.db).distinct('columnName').where({ logId: this.replay.logId });
    return headerNames(columns.map(({ columnName }) => columnName));
  }

  async *chunks(attributes: readonly string[]): AsyncGenerator<DecidedChunk> {
    const open = this.#opener(attributes);
    for (const chunk of await chunksOf(this.db, this.replay)) yield* await open([chunk]);
  }

  async *segments(attributes: readonly string[]): AsyncGenerator<DecidedSegment> {
    const open = this.#opener(attributes);
    for (const { chunks, sequence } of await this.parts.logs.segments(this.replay.logId))
      yield { chunks: await open(chunks), ...(sequence ? { sequence } : {}) };
  }

  #opener(attributes: readonly string[]): (chunks: readonly number[]) => Promise<DecidedChunk[]> {
    const { replay, signal } = this;
    const { logs, pages } = this.parts;
    const sequence = new ChunkSequence(logs, replay.logId, attributes);
    return async (chunks) => {
      signal?.throwIfAborted();
      const [opened, codes] = await Promise.all([
        sequence.open(chunks),
        Promise.all(chunks.map((chunk) => pages.codes(replay.id, chunk))),
      ]);
      return opened.map((rows, index) => ({ chunk: chunks[index]!, rows, codes: codes[index]! }));
    };
  }
}

/** The chunks that a replay judged, in order. */
export async function chunksOf(db: Database, replay: ReplayModel): Promise<number[]> {
  const chunks = await ReplayChunkModel.query(db).select('chunk').where({ replayId: replay.id }).orderBy('chunk');
  return chunks.map(({ chunk }) => chunk);
}
