import type { Log } from '@jadefence/contract';
import type { Database } from '../../database/database.js';
import { ChunkColumnModel, LogChunkModel, LogModel, LogRejectModel } from '../../database/models.js';
import { ProblemError } from '../../http/problem.js';
import { inflateColumns } from './compression.js';

const SHOWN_REJECTED = 20;

/** Logs that were imported whole. */
export class Logs {
  constructor(private readonly db: Database) {}

  async list(): Promise<Log[]> {
    const logs = await LogModel.query(this.db).where({ state: 'ready' }).orderBy('id', 'desc');
    return Promise.all(logs.map((log) => this.#present(log)));
  }

  async show(id: number): Promise<Log> {
    return this.#present(await this.find(id));
  }

  /** @throws ProblemError when there is no such log */
  async find(id: number, db: Database = this.db): Promise<LogModel> {
    const log = await LogModel.query(db).findOne({ id, state: 'ready' });
    if (!log) throw new ProblemError('not-found', `There is no log ${id}.`, { hint: 'jadefence log import FILE brings one in.' });
    return log;
  }

  async chunks(logId: number): Promise<LogChunkModel[]> {
    return LogChunkModel.query(this.db).where({ logId }).orderBy('chunk');
  }

  /** The columns of a chunk, decompressed. */
  async columns(logId: number, chunk: number): Promise<Map<string, Uint8Array>> {
    const stored = await ChunkColumnModel.query(this.db).where({ logId, chunk });
    return inflateColumns(stored.map(({ columnName, bytes }) => [columnName, bytes]));
  }

  async #present(log: LogModel): Promise<Log> {
    const rejects = await LogRejectModel.query(this.db).where({ logId: log.id }).orderBy('line').limit(SHOWN_REJECTED);
    return {
      id: log.id,
      name: log.name,
      sha256: log.sha256,
      format: log.format,
      host: log.host,
      requests: log.requests,
      rejectedLines: Object.values(log.rejected).reduce((sum, lines) => sum + lines, 0),
      rejectedByReason: log.rejected,
      firstRejected: rejects.map(({ line, reason, start }) => ({ line, reason, start: start.toString('utf8') })),
      fromUnixMs: log.fromMs,
      toUnixMs: log.toMs,
      importedAt: log.importedAt.toISOString(),
    };
  }
}
