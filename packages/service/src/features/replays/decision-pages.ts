import type { DecisionPage, DecisionRow } from '@jadefence/contract';
import { checkFilter } from '@jadefence/core/check';
import type { ChunkRows } from '@jadefence/core/columns';
import { viewDecided, type Decision, type EvaluationContext, type Ruling } from '@jadefence/core/decide';
import { describeTarget, type Explanation } from '@jadefence/core/explain';
import type { Outcome } from '@jadefence/core/language';
import { restoreLine } from '@jadefence/core/logs';

import { NOT_JUDGED, openDelays, toDecidedRecord, type Delays, type Segment } from '@jadefence/core/replay';
import { formatAddress, invariant, normalizeRequest, type Attributes, type LogRecord } from '@jadefence/core/request';
import type { KeyedMasker } from '@jadefence/files';
import type { Database } from '../../database/database.js';
import {
  LogChunkModel,
  ReplayChunkModel,
  ReplayResultModel,
  ReplayStateModel,
  type ReplayModel,
} from '../../database/models.js';
import { ProblemError } from '../../http/problem.js';
import { Recent } from '../../recent-cache.js';
import type { Logs } from '../logs/logs.js';
import { maskExplanation } from '../masking/mask-answer.js';
import { openChunks } from '../../threads/open-chunks.js';
import type { Judging } from '../../threads/evaluation-pool.js';
import type { ExplainTask } from '../../threads/evaluation/explain-task.js';
import { unpackCodes, unpackWaits } from './codes.js';
import type { ContextStore } from './context-store.js';

/** How many filters keep their matching rows, four bytes each. */
const KEPT_FILTERS = 8;
/** Chunks that stay open, up to some ten megabytes each. */
const KEPT_CHUNKS = 24;
/** Chunks whose codes are kept, four bytes a row. */
const KEPT_CODES = 32;
/** Replays whose rulings and counts are kept; once done they never change. */
const KEPT_REPLAYS = 8;

interface PageQuery {
  readonly offset: number;
  readonly limit: number;
  readonly outcome?: Outcome;
  /** A condition of the language, over requests and decisions. */
  readonly where?: string;
}

/**
 * Pages of the decision table. A chunk knows how many rows each code has, so a page is found by adding up counts, and
 * only the chunks it lies in are read.
 */
export class DecisionPages {
  readonly #matches = new Recent<ReadonlyMap<number, Uint32Array>>(KEPT_FILTERS);
  readonly #chunks = new Recent<{ readonly rowStart: number; readonly rows: ChunkRows }>(KEPT_CHUNKS);
  readonly #codes = new Recent<Uint32Array>(KEPT_CODES);
  readonly #delays = new Recent<Delays>(KEPT_CODES);
  readonly #rulings = new Recent<Ruling[]>(KEPT_REPLAYS);
  readonly #counts = new Recent<Pick<ReplayChunkModel, 'chunk' | 'codeCounts'>[]>(KEPT_REPLAYS);

  constructor(
    private readonly db: Database,
    private readonly logs: Logs,
    private readonly judges: ContextStore,
    private readonly pool: Judging,
  ) {}

  /**
   * @param masker of a caller who may not see some values, so that the filter does not see them either
   * @throws ProblemError when the filter has errors
   */
  async page(
    replay: ReplayModel,
    { offset, limit, outcome, where }: PageQuery,
    masker?: KeyedMasker,
  ): Promise<DecisionPage> {
    const rulings = await this.rulings(replay.id);
    const context = await this.judges.judge(replay);
    const isWanted = rulings.map((ruling) => outcome === undefined || ruling.outcome === outcome);
    const chunks = await this.#counts.get(String(replay.id), async () =>
      ReplayChunkModel.query(this.db).select('chunk', 'codeCounts').where({ replayId: replay.id }).orderBy('chunk'),
    );
    const matches =
      where === undefined
        ? undefined
        : await this.#filtered(
            replay,
            context,
            where,
            chunks.map(({ chunk }) => chunk),
            rulings,
            masker,
          );
    const rows: DecisionRow[] = [];
    let total = 0;
    for (const { chunk, codeCounts } of chunks) {
      const isIn = (row: number, codes: Uint32Array): boolean => isWanted[codes[row]!] === true;
      const matching = matches?.get(chunk);
      const codes = matching && outcome !== undefined ? await this.codes(replay.id, chunk) : undefined;
      const wantedRows = matching && (codes ? matching.filter((row) => isIn(row, codes)) : matching);
      const numWanted = wantedRows
        ? wantedRows.length
        : Object.entries(codeCounts).reduce((sum, [code, count]) => sum + (isWanted[Number(code)] ? count : 0), 0);
      const skip = Math.max(0, offset - total);
      if (skip < numWanted && rows.length < limit) {
        const item = wantedRows
          ? wantedRows.subarray(skip, skip + limit - rows.length)
          : await this.#findRows(replay, chunk, isIn, skip, limit - rows.length);
        for (const row of await this.readRows(replay, context, chunk, rulings, item)) rows.push(row);
      }
      total += numWanted;
    }
    return { offset, total, rows };
  }

  /** By chunk, the rows that a filter finds. @throws ProblemError when the filter has errors */
  async matching(replay: ReplayModel, where: string): Promise<ReadonlyMap<number, Uint32Array>> {
    const [context, rulings] = await Promise.all([this.judges.judge(replay), this.rulings(replay.id)]);
    const chunks = await ReplayChunkModel.query(this.db).select('chunk').where({ replayId: replay.id });
    return this.#filtered(
      replay,
      context,
      where,
      chunks.map(({ chunk }) => chunk),
      rulings,
    );
  }

  /** The matching rows of each chunk. The latest few filters are kept, so that every page after the first is found at once. */
  async #filtered(
    replay: ReplayModel,
    context: EvaluationContext,
    where: string,
    chunks: readonly number[],
    rulings: readonly Ruling[],
    masker?: KeyedMasker,
  ): Promise<ReadonlyMap<number, Uint32Array>> {
    const { diagnostics } = checkFilter(where, context.rulebook);
    if (diagnostics.length > 0) {
      const errors = diagnostics.map(({ place, message, hint }) => ({
        place: `${place.line}:${place.column}`,
        message: `${message}${hint ? ` ${hint}` : ''}`,
      }));
      throw new ProblemError('bad-filter', errors.map(({ message }) => message).join(' '), { errors });
    }
    const key = JSON.stringify([replay.id, where, masker?.masks]);
    return this.#matches.get(key, () => this.#find(replay, where, chunks, rulings, masker));
  }

  async #find(
    replay: ReplayModel,
    where: string,
    chunks: readonly number[],
    rulings: readonly Ruling[],
    masker: KeyedMasker | undefined,
  ): Promise<ReadonlyMap<number, Uint32Array>> {
    const task = {
      ...(await this.judges.source(replay)),
      replayId: replay.id,
      where,
      rulings,
      ...(masker ? { masking: { masks: masker.masks, key: masker.key } } : {}),
    };
    const attributes = await this.pool.filterAttributes(task);
    const wanted = new Set(chunks);
    const item = await this.logs.mapChunks(
      replay.logId,
      { attributes, numThreads: this.pool.size, isRequested: (chunk) => wanted.has(chunk) },
      async (loaded) => {
        const codes: Uint32Array[] = [];
        for (const { chunk } of loaded.chunks) codes.push(await this.codes(replay.id, chunk));
        const rows = await this.pool.filter({ ...task, ...loaded, codes });
        return loaded.chunks.map(({ chunk }, index) => [chunk, rows[index]!] as const);
      },
    );
    return new Map(item);
  }

  /**
   * @param masker of a caller who may not see some values
   * @throws ProblemError when there is no such row
   */
  async explain(replay: ReplayModel, row: number, masker?: KeyedMasker): Promise<Explanation> {
    const chunk = await LogChunkModel.query(this.db)
      .where({ logId: replay.logId })
      .where('rowStart', '<=', row)
      .orderBy('rowStart', 'desc')
      .first();
    if (!chunk || row >= chunk.rowStart + chunk.numRows)
      throw new ProblemError('not-found', `Replay ${replay.id} has no row ${row}; it has ${replay.requests}.`);
    const code = (await this.codes(replay.id, chunk.chunk))[row - chunk.rowStart]!;
    if (code === NOT_JUDGED)
      throw new ProblemError('not-found', `Row ${row} lies outside the span of replay ${replay.id}.`);
    const explanation = await this.pool.explain(await this.#explainTask(replay, chunk, row - chunk.rowStart));
    const stored = (await this.rulings(replay.id))[code]!;
    invariant(
      JSON.stringify(stored.matched) === JSON.stringify(explanation.decision.matched) &&
        stored.outcome === explanation.decision.outcome,
      `the explanation of row ${row} of replay ${replay.id} differs from its decision`,
    );
    if (!masker) return explanation;
    const rows = Uint32Array.of(row - chunk.rowStart);
    const [shown] = await this.readRows(
      replay,
      await this.judges.judge(replay),
      chunk.chunk,
      await this.rulings(replay.id),
      rows,
    );
    return maskExplanation(explanation, shown!.record as Attributes, masker);
  }

  /** The row, and where the rules remember, what was left behind before it and the rows since then. */
  async #explainTask(
    replay: ReplayModel,
    { chunk }: LogChunkModel,
    row: number,
  ): Promise<Omit<ExplainTask, 'maxLimitKeys'>> {
    const span = { fromUnixMs: replay.fromMs, toUnixMs: replay.toMs };
    const source = { ...(await this.judges.source(replay)), span };
    const { rulebook } = await this.judges.judge(replay);
    if (!rulebook.isStateful)
      return { ...source, ...(await this.logs.load(replay.logId, [chunk])), parts: [{ chunks: [0] }], index: row };
    const segments = await this.logs.segments(replay.logId);
    const { number, index } = placeOf(segments, chunk, row);
    const stored = await ReplayStateModel.query(this.db)
      .where({ replayId: replay.id })
      .where('segment', '<=', number)
      .orderBy('segment', 'desc')
      .first();
    const wanted = segments.slice(stored?.segment ?? 0, number + 1);
    const numbers = [...new Set(wanted.flatMap(({ chunks }) => chunks))].sort((a, b) => a - b);
    return {
      ...source,
      ...(await this.logs.load(replay.logId, numbers)),
      parts: wanted.map(({ chunks, sequence }) => ({
        chunks: chunks.map((eachChunk) => numbers.indexOf(eachChunk)),
        sequence,
      })),
      index,
      state: stored?.bytes,
    };
  }

  /** The rows of a chunk that are wanted, `limit` of them after passing over `skip`. */
  async #findRows(
    replay: ReplayModel,
    chunk: number,
    isIn: (row: number, codes: Uint32Array) => boolean,
    skip: number,
    limit: number,
  ): Promise<Uint32Array> {
    const codes = await this.codes(replay.id, chunk);
    const item: number[] = [];
    for (let row = 0, seen = 0; row < codes.length && item.length < limit; row += 1)
      if (isIn(row, codes) && seen++ >= skip) item.push(row);
    return Uint32Array.from(item);
  }

  /** @param rows of one chunk */
  async readRows(
    replay: ReplayModel,
    context: EvaluationContext,
    chunkNumber: number,
    rulings: readonly Ruling[],
    rows: Uint32Array,
  ): Promise<DecisionRow[]> {
    const codes = await this.codes(replay.id, chunkNumber);
    const { rowStart, rows: records } = await this.#chunks.get(`${replay.logId} ${chunkNumber}`, async () => {
      const chunk = await this.#logChunk(replay, chunkNumber);
      return { rowStart: chunk.rowStart, rows: openChunks(await this.logs.load(replay.logId, [chunkNumber]))[0]! };
    });
    const delays = rulings.some(({ throttled }) => throttled)
      ? await this.delays(replay.id, chunkNumber, rulings)
      : undefined;
    return Array.from(rows, (row) =>
      presentRow(rowStart + row, records, row, { ...rulings[codes[row]!]!, waitsMs: delays?.get(row) }, context),
    );
  }

  async #logChunk(replay: ReplayModel, chunkNumber: number): Promise<LogChunkModel> {
    const chunk = await LogChunkModel.query(this.db).findById([replay.logId, chunkNumber]);
    invariant(chunk, `replay ${replay.id} has a chunk ${chunkNumber} that its log has not`);
    return chunk;
  }

  /** The codes of the rows of a chunk of a replay that is done. */
  codes(replayId: number, chunk: number): Promise<Uint32Array> {
    return this.#codes.get(`${replayId} ${chunk}`, async () => {
      const stored = await ReplayChunkModel.query(this.db).findById([replayId, chunk]);
      invariant(stored, `replay ${replayId} lacks chunk ${chunk}`);
      return unpackCodes(stored.codes, stored.checksum);
    });
  }

  /** Of a chunk of a replay that is done: by row, how long its bytes would have waited. */
  delays(replayId: number, chunk: number, rulings: readonly Ruling[]): Promise<Delays> {
    return this.#delays.get(`${replayId} ${chunk}`, async () => {
      const stored = await ReplayChunkModel.query(this.db).findById([replayId, chunk]);
      invariant(stored, `replay ${replayId} lacks chunk ${chunk}`);
      return openDelays(await this.codes(replayId, chunk), await unpackWaits(stored.waits), rulings);
    });
  }

  /** The rulings of a replay that is done, by their codes. */
  rulings(replayId: number): Promise<Ruling[]> {
    return this.#rulings.get(String(replayId), async () => {
      const results = await ReplayResultModel.query(this.db).where({ replayId }).orderBy('code');
      return results.map(({ ruling }) => ruling);
    });
  }
}

/** The segment that a row is judged in, and its place there. */
function placeOf(segments: readonly Segment[], chunk: number, row: number): { number: number; index: number } {
  for (const [number, { chunks, sequence }] of segments.entries()) {
    const at = chunks.indexOf(chunk);
    if (at < 0) continue;
    const index = sequence
      ? sequence.rowOf.findIndex((value, position) => value === row && sequence.chunkOf[position] === at)
      : row;
    if (index >= 0) return { number, index };
  }
  throw new Error(`Internal error: no segment has row ${row} of chunk ${chunk}.`);
}

const decoder = new TextDecoder('utf-8', { ignoreBOM: true });

/** @param rowInLog counts from 0 over the whole log */
function presentRow(
  rowInLog: number,
  rows: ChunkRows,
  row: number,
  ruling: Ruling & Pick<Decision, 'waitsMs'>,
  context: EvaluationContext,
): DecisionRow {
  const record = rows.row(row) as LogRecord;
  const written = rows.writtenAt(row);
  const request = normalizeRequest(record);
  const view = viewDecided(context, request, ruling.gate);
  const country = view.get('country') as string | undefined;
  const { matched: _matched, isHeaderIgnored: _isHeaderIgnored, ...shown } = ruling;
  return {
    row: rowInLog,
    atUnixMs: record.atUnixMs,
    line: record.line,
    client: view.client ? formatAddress(view.client) : null,
    country: country ?? null,
    method: request.method ?? null,
    host: request.host ?? null,
    path: request.path ?? null,
    requested: describeTarget(request),
    ...shown,
    record: toDecidedRecord(record, { ...ruling, client: view.client, country }),
    ...(written ? { written: decoder.decode(restoreLine(written, record)) } : {}),
  };
}
