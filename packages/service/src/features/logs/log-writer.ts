import {
  ChunkRows,
  SegmentDictionaries,
  type EncodedChunk,
  type RejectedLine,
  type RejectReason,
  type Survey,
  type SurveyBuilder,
} from '@jadefence/core';
import type { Imported } from '@jadefence/files';
import { inTransaction, type Database } from '../../database/database.js';
import { ChunkColumnModel, LogChunkModel, LogDictionaryModel } from '../../database/models.js';
import { deflateColumns, deflateDictionaries } from './compression.js';

const KEPT_REJECTS = 1000;

/** What a log came to. */
export interface LogCounts {
  readonly requests: number;
  readonly rejected: Partial<Record<RejectReason, number>>;
  readonly rejects: readonly RejectedLine[];
  readonly fromMs: number;
  readonly toMs: number;
  readonly survey: Survey;
}

/** Stores what is imported, and counts it. */
export class LogWriter {
  readonly #rejected: Partial<Record<RejectReason, number>> = {};
  readonly #rejects: RejectedLine[] = [];
  #segment = 0;
  #dictionaries = new SegmentDictionaries();
  #numChunks = 0;
  #requests = 0;
  #fromMs = Infinity;
  #toMs = -Infinity;

  constructor(
    private readonly db: Database,
    private readonly logId: number,
    private readonly survey: SurveyBuilder,
  ) {}

  async take({ chunks, rejected }: Imported): Promise<void> {
    for (const line of rejected) this.#reject(line);
    for (const chunk of chunks) await this.#storeChunk(chunk);
  }

  finish(): LogCounts {
    return {
      requests: this.#requests,
      rejected: this.#rejected,
      rejects: this.#rejects,
      fromMs: this.#fromMs,
      toMs: this.#toMs,
      survey: this.survey.finish(),
    };
  }

  #reject(line: RejectedLine): void {
    this.#rejected[line.reason] = (this.#rejected[line.reason] ?? 0) + 1;
    this.survey.addRejected(line);
    if (this.#rejects.length < KEPT_REJECTS) this.#rejects.push(line);
  }

  #addToSurvey(chunk: EncodedChunk): void {
    if (chunk.beginsSegment) this.#dictionaries = new SegmentDictionaries();
    for (const [name, part] of chunk.dictionaries) this.#dictionaries.add(name, part);
    this.survey.addChunk(new ChunkRows(chunk.numRows, chunk.columns, this.#dictionaries));
  }

  async #storeChunk(chunk: EncodedChunk): Promise<void> {
    this.#addToSurvey(chunk);
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
