import { createHash } from 'node:crypto';
import type { Log } from '@jadefence/contract';
import {
  ChunkRows,
  detectFormat,
  FORMATS_WITHOUT_HOST,
  LOG_FORMATS,
  LogImporter,
  SegmentDictionaries,
  SurveyBuilder,
  type EncodedChunk,
  type LogFormat,
  type LogRecord,
  type RejectedLine,
  type RejectReason,
  type Survey,
} from '@jadefence/core';
import { recordChange } from '../../database/audit.js';
import { inTransaction, violatedConstraint, type Database } from '../../database/database.js';
import {
  ChunkColumnModel,
  LogChunkModel,
  LogDictionaryModel,
  LogModel,
  LogRejectModel,
} from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import { batches } from '../draft/snapshots.js';
import { deflateColumns, deflateDictionaries } from './compression.js';
import type { Worlds } from '../reference/worlds.js';
import { decompress } from '@jadefence/files';
import type { Logs } from './logs.js';

/** Enough for the 200 lines that detection looks at. */
const DETECT_BYTES = 1_048_576;
const KEPT_REJECTS = 1000;

export interface ImportOptions {
  readonly name: string;
  readonly format?: LogFormat;
  readonly host?: string;
}

/**
 * Brings logs in: chunk by chunk as the bytes arrive, visible by one switch at the end. Whatever goes wrong before that
 * leaves nothing behind.
 */
export class LogImports {
  constructor(
    private readonly db: Database,
    private readonly logs: Logs,
    private readonly worlds: Worlds,
  ) {}

  /** Removes what a crash left half-way. Called before the service takes requests. */
  async removeUnfinished(): Promise<number> {
    return LogModel.query(this.db).delete().where({ state: 'importing' });
  }

  /** @throws ProblemError when the bytes are no log of a known format, are here already, or end too early */
  async import(options: ImportOptions, pieces: AsyncIterable<Uint8Array>, actor: Actor): Promise<Log> {
    const source = decompress(pieces)[Symbol.asyncIterator]();
    const head = await readHead(source);
    const { format, needsHost } = options.format
      ? { format: options.format, needsHost: FORMATS_WITHOUT_HOST.includes(options.format) }
      : chooseFormat(head.bytes, head.isWhole);
    if (needsHost && options.host === undefined) {
      throw new ProblemError(
        'host-needed',
        `The log has no column for the host (${LOG_FORMATS[format]}), so no gate would cover any request.`,
        { hint: 'Say which host it is the log of with --host HOST.' },
      );
    }
    const log = await LogModel.query(this.db)
      .insert({ name: options.name, format, host: options.host ?? null, state: 'importing' })
      .returning('*');
    try {
      const writer = new LogWriter(
        this.db,
        log.id,
        format,
        { host: options.host },
        new SurveyBuilder((await this.worlds.loadCurrent()).world.countries),
      );
      await writer.take(head.bytes);
      if (!head.isWhole)
        for (let next = await source.next(); !next.done; next = await source.next()) await writer.take(next.value);
      const counts = await writer.finish();
      await this.#makeReady(log, counts, actor);
    } catch (error) {
      await LogModel.query(this.db).deleteById(log.id);
      throw error;
    }
    return this.logs.show(log.id);
  }

  async #makeReady(log: LogModel, { rejects, ...counts }: LogCounts, actor: Actor): Promise<void> {
    if (counts.requests === 0)
      throw new ProblemError('nothing-read', 'No line of the log could be read as a request.', {
        errors: rejects.slice(0, 5).map(({ line, reason }) => ({ place: `line ${line}`, message: reason })),
      });
    try {
      await inTransaction(this.db, async (trx) => {
        await LogModel.query(trx)
          .patch({ ...counts, state: 'ready' })
          .where({ id: log.id });
        for (const batch of batches(rejects))
          await LogRejectModel.query(trx).insert(
            batch.map(({ line, reason, start }) => ({ logId: log.id, line, reason, start: Buffer.from(start) })),
          );
        await recordChange(trx, {
          userId: actor.userId,
          what: 'log.import',
          detail: { log: log.id, name: log.name, sha256: counts.sha256, requests: counts.requests },
        });
      });
    } catch (error) {
      if (violatedConstraint(error) !== 'logs_same_bytes') throw error;
      const same = await LogModel.query(this.db).findOne({ sha256: counts.sha256, state: 'ready' });
      throw new ProblemError('same-log', `The same bytes are here already as log ${same?.id} "${same?.name}".`);
    }
  }
}

interface LogCounts {
  readonly sha256: string;
  readonly requests: number;
  readonly rejected: Partial<Record<RejectReason, number>>;
  readonly rejects: readonly RejectedLine[];
  readonly fromMs: number;
  readonly toMs: number;
  readonly survey: Survey;
}

/** Turns bytes into stored chunks and counts. */
class LogWriter {
  readonly #sha256 = createHash('sha256');
  readonly #importer: LogImporter;
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
    format: LogFormat,
    options: { readonly host?: string },
    private readonly survey: SurveyBuilder,
  ) {
    this.#importer = new LogImporter(format, options, (line) => this.#reject(line));
  }

  async take(bytes: Uint8Array): Promise<void> {
    this.#sha256.update(bytes);
    for (const chunk of this.#importer.push(bytes)) await this.#storeChunk(chunk);
  }

  async finish(): Promise<LogCounts> {
    for (const chunk of this.#importer.end()) await this.#storeChunk(chunk);
    return {
      sha256: this.#sha256.digest('hex'),
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
    const rows = new ChunkRows(chunk.numRows, chunk.columns, this.#dictionaries);
    for (let row = 0; row < chunk.numRows; row += 1) this.survey.add(rows.row(row) as LogRecord);
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

async function readHead(source: AsyncIterator<Uint8Array>): Promise<{ bytes: Buffer; isWhole: boolean }> {
  const pieces: Uint8Array[] = [];
  for (let numBytes = 0; numBytes < DETECT_BYTES;) {
    const next = await source.next();
    if (next.done) return { bytes: Buffer.concat(pieces), isWhole: true };
    pieces.push(next.value);
    numBytes += next.value.length;
  }
  return { bytes: Buffer.concat(pieces), isWhole: false };
}

function chooseFormat(start: Uint8Array, isWhole: boolean): { format: LogFormat; needsHost: boolean } {
  const { best, summary, needsHost } = detectFormat(start, isWhole);
  if (!best)
    throw new ProblemError('unknown-format', summary, {
      hint: `Formats that can be read: ${Object.entries(LOG_FORMATS)
        .map(([id, name]) => `${id} (${name})`)
        .join(', ')}.`,
    });
  return { format: best.format, needsHost };
}
