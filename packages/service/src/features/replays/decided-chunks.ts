import type { ChunkRows } from '@jadefence/core/columns';
import type { Database } from '../../database/database.js';
import { ReplayChunkModel, type ReplayModel } from '../../database/models.js';
import { openChunks } from '../../threads/open-chunks.js';
import type { Logs } from '../logs/logs.js';
import type { DecisionPages } from './decision-pages.js';

/** Some rows of a log, and the codes of their decisions. */
export interface DecidedChunk {
  readonly chunk: number;
  readonly rows: ChunkRows;
  readonly codes: Uint32Array;
}

/** The chunks that a replay judged, in order, with some attributes of their rows. */
export async function* decidedChunks(
  db: Database,
  { logs, pages }: { readonly logs: Logs; readonly pages: DecisionPages },
  replay: ReplayModel,
  attributes: readonly string[],
  signal: AbortSignal | undefined,
): AsyncGenerator<DecidedChunk> {
  for (const chunk of await chunksOf(db, replay)) {
    signal?.throwIfAborted();
    const [loaded, codes] = await Promise.all([
      logs.load(replay.logId, [chunk], attributes),
      pages.codes(replay.id, chunk),
    ]);
    yield { chunk, rows: openChunks(loaded)[0]!, codes };
  }
}

/** The chunks that a replay judged, in order. */
export async function chunksOf(db: Database, replay: ReplayModel): Promise<number[]> {
  const chunks = await ReplayChunkModel.query(db).select('chunk').where({ replayId: replay.id }).orderBy('chunk');
  return chunks.map(({ chunk }) => chunk);
}
