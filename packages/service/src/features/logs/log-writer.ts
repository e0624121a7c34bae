import type { EncodedChunk } from '@jadefence/core/columns';
import type { RejectedLine, RejectReason } from '@jadefence/core/request';
import type { Survey } from '@jadefence/core/survey';
import type { Imported } from '@jadefence/files';
import { inTransaction, type Database } from '../../database/database.js';
import { ChunkColumnModel, LogChunkModel, LogDictionaryModel } from '../../database/models.js';
import { deflateColumns, deflateDictionaries } from './compression.js';

const KEPT_REJECTS = 1000;

/** The result of an import. */
export interface LogCounts {
  readonly requests: number;
  readonly rejected: Partial<Record<RejectReason, number>>;
  readonly rejects: readonly RejectedLine[];
  readonly fromMs: number;
  readonly toMs: number;
  readonly survey: Survey;
}

/** Makes the survey of what is added. */
interface Surveying {
  add(imported: Imported): Promise<void>;
  finish(): Promise<Survey>;
}

/** Stores what is imported, and counts it. */
export class LogWriter {
  readonly #rejected: Partial<Record<RejectReason, number>> = {};
  readonly #rejects: RejectedLine[] = [];
  #segment = 0;
  #numChunks = 0;
  #requests = 0;
  #fromMs = Infinity;
  #toMs = -Infinity;

  constructor(
    private readonly db: Database,
    private readonly logId: number,
    private readonly survey: Surveying,
  ) {}

  async take(imported: Imported): Promise<void> {
    await this.survey.add(imported);
    for (const line of imported.rejected) this.#reject(line);
    for (const chunk of imported.chunks) await this.#storeChunk(chunk);
  }

  async finish(): Promise<LogCounts> {
    return {
      requests: this.#requests,
      rejected: this.#rejected,
      rejects: this.#rejects,
      fromMs: this.#fromMs,
      toMs: this.#toMs,
      survey: await this.survey.finish(),
    };
  }

  #reject(line: RejectedLine): void {
    this.#rejected[line.reason] = (this.#rejected[line.reason] ?? 0) + 1;
    if (this.#rejects.length < KEPT_REJECTS) this.#rejects.push(line);
  }

  async #storeChunk(chunk: EncodedChunk): Promise<void> {
    const [columns, parts] = await Promise.all([
      deflateColumns(chunk.columns),
      deflateDictionaries(chunk.dictionaries),
    ]);
    if (chunk.beginsSegment) this.#segment = this.#numChunks;
    const key = { logId: this.logId, chunk: this.#numChunks };
    await inTransaction(this.db, async (trx) => {
      await LogChunkModel.query(trx).insert({
        ...key,
        rowStart: this.#requests,
        numRows: chunk.numRows,
        fromMs: chunk.fromUnixMs,
        toMs: chunk.toUnixMs,
        segment: this.#segment,
      });
      await ChunkColumnModel.query(trx).insert(columns.map(([columnName, bytes]) => ({ ...key, columnName, bytes })));
      if (parts.length > 0)
        await LogDictionaryModel.query(trx).insert(parts.map(([columnName, bytes]) => ({ ...key, columnName, bytes })));
    });
    this.#numChunks += 1;
    this.#requests += chunk.numRows;
    this.#fromMs = Math.min(this.#fromMs, chunk.fromUnixMs);
    this.#toMs = Math.max(this.#toMs, chunk.toUnixMs);
  }
}
