import type { DecisionPage, DecisionRow } from '@jadefence/contract';
import { ChunkRows, explainRequest, formatAddress, invariant, normalizeRequest, Replay, toDecidedRecord, type Explanation, type Judge, type LogRecord, type Outcome, type Ruling } from '@jadefence/core';
import type { Database } from '../../database/database.js';
import { LogChunkModel, ReplayChunkModel, ReplayResultModel, type ReplayModel } from '../../database/models.js';
import { ProblemError } from '../../http/problem.js';
import type { Logs } from '../logs/logs.js';
import { unpackCodes } from './codes.js';
import type { Judges } from './judges.js';

/**
 * Pages of the decision table. A chunk knows how many rows each code has, so a page is found by adding up counts, and
 * only the chunks it lies in are read.
 */
export class DecisionPages {
  constructor(
    private readonly db: Database,
    private readonly logs: Logs,
    private readonly judges: Judges,
  ) {}

  async page(replay: ReplayModel, { offset, limit, outcome }: { offset: number; limit: number; outcome?: Outcome }): Promise<DecisionPage> {
    const rulings = await this.#rulings(replay.id);
    const isWanted = rulings.map((ruling) => outcome === undefined || ruling.outcome === outcome);
    const chunks = await ReplayChunkModel.query(this.db).select('chunk', 'codeCounts').where({ replayId: replay.id }).orderBy('chunk');
    const judge = await this.judges.judge(replay);
    const rows: DecisionRow[] = [];
    let total = 0;
    for (const { chunk, codeCounts } of chunks) {
      const numWanted = Object.entries(codeCounts).reduce((sum, [code, count]) => sum + (isWanted[Number(code)] ? count : 0), 0);
      const skip = Math.max(0, offset - total);
      if (skip < numWanted && rows.length < limit) rows.push(...(await this.#readRows(replay, judge, chunk, rulings, isWanted, skip, limit - rows.length)));
      total += numWanted;
    }
    return { offset, total, rows };
  }

  /** @throws ProblemError when there is no such row */
  async explain(replay: ReplayModel, row: number): Promise<Explanation> {
    const chunk = await LogChunkModel.query(this.db).where({ logId: replay.logId }).where('rowStart', '<=', row).orderBy('rowStart', 'desc').first();
    if (!chunk || row >= chunk.rowStart + chunk.numRows) throw new ProblemError('not-found', `Replay ${replay.id} has no row ${row}; it has ${replay.requests}.`);
    const judge = await this.judges.judge(replay);
    const record = (await this.#chunkRows(replay, chunk)).row(row - chunk.rowStart) as LogRecord;
    const explanation = explainRequest(judge, normalizeRequest(record));
    const stored = (await this.#rulings(replay.id))[(await this.#codes(replay.id, chunk.chunk))[row - chunk.rowStart]!]!;
    invariant(JSON.stringify(stored.matched) === JSON.stringify(explanation.decision.matched) && stored.outcome === explanation.decision.outcome, `the explanation of row ${row} of replay ${replay.id} differs from its decision`);
    return explanation;
  }

  async #readRows(replay: ReplayModel, judge: Judge, chunkNumber: number, rulings: readonly Ruling[], isWanted: readonly boolean[], skip: number, limit: number): Promise<DecisionRow[]> {
    const chunk = await LogChunkModel.query(this.db).findById([replay.logId, chunkNumber]);
    invariant(chunk, `replay ${replay.id} has a chunk ${chunkNumber} that its log has not`);
    const codes = await this.#codes(replay.id, chunkNumber);
    const found: number[] = [];
    for (let row = 0, seen = 0; row < codes.length && found.length < limit; row += 1) if (isWanted[codes[row]!] && seen++ >= skip) found.push(row);
    const records = await this.#chunkRows(replay, chunk);
    return found.map((row) => presentRow(chunk.rowStart + row, records.row(row) as LogRecord, rulings[codes[row]!]!, judge));
  }

  async #chunkRows(replay: ReplayModel, { chunk, numRows }: LogChunkModel): Promise<ChunkRows> {
    return new ChunkRows(numRows, await this.logs.columns(replay.logId, chunk));
  }

  async #codes(replayId: number, chunk: number): Promise<Uint32Array> {
    const stored = await ReplayChunkModel.query(this.db).findById([replayId, chunk]);
    invariant(stored, `replay ${replayId} lacks chunk ${chunk}`);
    return unpackCodes(stored.codes, stored.checksum);
  }

  async #rulings(replayId: number): Promise<Ruling[]> {
    const results = await ReplayResultModel.query(this.db).where({ replayId }).orderBy('code');
    return results.map(({ ruling }) => ruling);
  }
}

function presentRow(row: number, record: LogRecord, ruling: Ruling, judge: Judge): DecisionRow {
  const { request, decision } = new Replay(judge).next(record);
  const { matched: _, ...shown } = ruling;
  return {
    row,
    atUnixMs: record.atUnixMs,
    line: record.line,
    client: decision.client ? formatAddress(decision.client) : null,
    country: decision.country ?? null,
    method: request.method ?? null,
    host: request.host ?? null,
    path: request.path ?? null,
    ...shown,
    record: toDecidedRecord(record, { ...ruling, client: decision.client, country: decision.country }),
  };
}
