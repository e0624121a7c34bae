import type { Log, Survey } from '@jadefence/contract';
import type { ListQuery } from '@jadefence/contract/server';
import { ChunkRows, COMMON_COLUMNS, TIME_COLUMN } from '@jadefence/core/columns';
import { filesOfRows, isInTimeOrder, orderByTime, type Segment } from '@jadefence/core/replay';
import { FILE_ATTRIBUTE, invariant } from '@jadefence/core/request';
import pMap from 'p-map';
import { recordChange } from '../../database/audit.js';
import { inTransaction, type Database } from '../../database/database.js';
import {
  ChunkColumnModel,
  LogChunkModel,
  LogDictionaryModel,
  LogModel,
  LogRejectModel,
  ReplayModel,
} from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import { openChunks, type ChunkPayload, type DictionaryParts } from '../../threads/open-chunks.js';
import { inflateColumn } from './compression.js';

const SHOWN_REJECTED = 20;

/** Which chunks of a log are queried, and how. */
export interface ChunkQuery {
  /** That are read; all where absent. */
  readonly attributes?: readonly string[];
  /** That work at the same time. */
  readonly numThreads: number;
  readonly isRequested?: (chunk: number) => boolean;
  /** Ends it when the caller has gone. */
  readonly signal?: AbortSignal;
}

/** Logs that were imported whole. */
export class Logs {
  constructor(private readonly db: Database) {}

  /** The latest first. */
  async list({ offset, limit }: ListQuery): Promise<Log[]> {
    const logs = await LogModel.query(this.db)
      .where({ state: 'ready' })
      .orderBy('id', 'desc')
      .offset(offset)
      .limit(limit);
    return Promise.all(logs.map((log) => this.#present(log)));
  }

  async show(id: number): Promise<Log> {
    return this.#present(await this.find(id));
  }

  /** @throws ProblemError when there is no such log */
  async find(id: number, db: Database = this.db): Promise<LogModel> {
    const log = await LogModel.query(db).findOne({ id, state: 'ready' });
    if (!log)
      throw new ProblemError('not-found', `There is no log ${id}.`, {
        hint: 'jadefence log import FILE brings one in.',
      });
    return log;
  }

  /** @throws ProblemError when there is no such log, or it came in before there were surveys */
  async survey(id: number): Promise<Survey> {
    const { survey } = await this.find(id);
    if (!survey)
      throw new ProblemError('not-found', `Log ${id} was imported before logs were surveyed.`, {
        hint: 'Import it again to have its survey.',
      });
    return survey;
  }

  /**
   * Deletes a log with everything that was read from it.
   * @throws ProblemError naming the replays that depend on it, unless `isForced`, which deletes them too
   */
  async delete(id: number, isForced: boolean, actor: Actor): Promise<void> {
    await inTransaction(this.db, async (trx) => {
      const log = await this.find(id, trx);
      const replays = (await ReplayModel.query(trx).select('id').where({ logId: id }).orderBy('id')).map(
        (replay) => replay.id,
      );
      if (replays.length > 0 && !isForced) {
        throw new ProblemError(
          'log-in-use',
          `Log ${id} "${log.name}" has ${replays.length === 1 ? 'replay' : 'replays'} ${replays.join(', ')}, which would be deleted with it.`,
          { hint: 'Delete it with --force if that is what you want.' },
        );
      }
      await LogModel.query(trx).deleteById(id);
      await recordChange(trx, {
        userId: actor.userId,
        what: 'log.delete',
        detail: { log: id, name: log.name, replays },
      });
    });
  }

  async chunks(logId: number): Promise<LogChunkModel[]> {
    return LogChunkModel.query(this.db).where({ logId }).orderBy('chunk');
  }

  /**
   * Queries chunks, several at once that share their dictionaries; no more are in memory than the threads need.
   * @returns the answers in the order of the chunks
   */
  async mapChunks<T>(
    logId: number,
    { attributes, numThreads, isRequested = () => true, signal }: ChunkQuery,
    query: (chunks: ChunkPayload) => Promise<readonly T[]>,
  ): Promise<T[]> {
    const bySegment = new Map<number, number[]>();
    for (const { chunk, segment } of await this.chunks(logId))
      if (isRequested(chunk)) bySegment.set(segment, [...(bySegment.get(segment) ?? []), chunk]);
    const groups = [...bySegment.values()].flatMap((chunks) => {
      const size = Math.ceil(chunks.length / numThreads);
      return Array.from({ length: Math.ceil(chunks.length / size) }, (_, nth) =>
        chunks.slice(nth * size, (nth + 1) * size),
      );
    });
    const answers = await pMap(groups, async (group) => query(await this.load(logId, group, attributes)), {
      concurrency: numThreads,
      ...(signal ? { signal } : {}),
    });
    return answers.flat();
  }

  /**
   * Chunks with the dictionaries that they need, decompressed.
   * @param attributes only their columns, and those that every chunk has; all where absent
   * @param known by segment, up to which chunk its dictionaries are not needed any more
   * @throws DamagedColumnError naming the chunk and the column
   */
  async load(
    logId: number,
    numbers: readonly number[],
    attributes?: readonly string[],
    known: ReadonlyMap<number, number> = new Map(),
  ): Promise<ChunkPayload> {
    const chunks = await LogChunkModel.query(this.db)
      .where({ logId })
      .whereIn('chunk', [...numbers]);
    const wanted = attributes && [...attributes, ...COMMON_COLUMNS];
    const dictionaries = new Map<number, DictionaryParts>();
    for (const segment of new Set(chunks.map((chunk) => chunk.segment))) {
      const after = known.get(segment);
      const chunksOfSegment = chunks.filter((chunk) => chunk.segment === segment).map(({ chunk }) => chunk);
      const upTo = Math.max(...chunksOfSegment, after ?? segment);
      const stored = LogDictionaryModel.query(this.db)
        .where({ logId })
        .whereBetween('chunk', [after === undefined ? segment : after + 1, upTo])
        .orderBy('chunk');
      if (wanted) stored.whereIn('columnName', wanted);
      const parts = await Promise.all(
        (await stored).map(async ({ chunk, columnName, bytes }): Promise<[string, Uint8Array]> => {
          return [columnName, await inflateColumn(chunk, columnName, bytes)];
        }),
      );
      dictionaries.set(segment, { after, upTo, parts });
    }
    return {
      dictionaries,
      chunks: await Promise.all(
        numbers.map(async (number) => {
          const chunk = chunks.find((logChunk) => logChunk.chunk === number);
          invariant(chunk, `log ${logId} has no chunk ${number}`);
          const stored = ChunkColumnModel.query(this.db).where({ logId, chunk: number });
          if (wanted) stored.whereIn('columnName', wanted);
          const columns = await Promise.all(
            (await stored).map(async ({ columnName, bytes }): Promise<[string, Uint8Array]> => {
              return [columnName, await inflateColumn(number, columnName, bytes)];
            }),
          );
          return { chunk: number, numRows: chunk.numRows, segment: chunk.segment, columns: new Map(columns) };
        }),
      ),
    };
  }

  /** The order in which rules that remember judge the log. */
  async segments(logId: number): Promise<Segment[]> {
    const times: Float64Array[] = [];
    const chunks = await this.chunks(logId);
    for (const { chunk, numRows } of chunks) {
      const { bytes } = await ChunkColumnModel.query(this.db).findById([logId, chunk, TIME_COLUMN]).throwIfNotFound();
      const column = await inflateColumn(chunk, TIME_COLUMN, bytes);
      times.push(new ChunkRows(numRows, new Map([[TIME_COLUMN, column]])).timesUnixMs());
    }
    const { files } = await this.find(logId);
    if (files.length < 2 || isInTimeOrder(times)) return orderByTime(times);
    const filesOf: Uint32Array[] = [];
    for (const { chunk } of chunks) {
      const opened = openChunks(await this.load(logId, [chunk], [FILE_ATTRIBUTE]));
      filesOf.push(filesOfRows(opened[0]!, files));
    }
    return orderByTime(times, filesOf);
  }

  async #present(log: LogModel): Promise<Log> {
    const rejects = await LogRejectModel.query(this.db)
      .where({ logId: log.id })
      .orderBy(['file', 'line'])
      .limit(SHOWN_REJECTED);
    return {
      id: log.id,
      name: log.name,
      sha256: log.sha256,
      format: log.format,
      host: log.host,
      layout: log.layout,
      files: log.files,
      incomplete: log.incomplete,
      hostNotice: log.survey?.hostNotice ?? null,
      requests: log.requests,
      rejectedLines: Object.values(log.rejected).reduce((sum, lines) => sum + lines, 0),
      rejectedByReason: log.rejected,
      firstRejected: rejects.map(({ file, line, reason, start }) => ({
        ...(file === '' ? {} : { file }),
        line,
        reason,
        start: start.toString('utf8'),
      })),
      fromUnixMs: log.fromMs,
      toUnixMs: log.toMs,
      importedAt: log.importedAt.toISOString(),
    };
  }
}
