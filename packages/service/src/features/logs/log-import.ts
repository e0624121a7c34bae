import { createHash } from 'node:crypto';
import { availableParallelism } from 'node:os';
import type { Log } from '@jadefence/contract';
import type { ImportLogQuery } from '@jadefence/contract/server';
import {
  describeMissingHost,
  detectFormat,
  LogOptionsError,
  LOG_FORMATS,
  parseMapping,
  type Detection,
  type FormatFit,
  type LogFormat,
  type ReaderOptions,
} from '@jadefence/core/logs';
import { REJECT_REASONS } from '@jadefence/core/request';
import {
  decompress,
  importInThreads,
  importMerged,
  TooLargeFileError,
  UnreadableFileError,
  type Imported,
  type ImportTask,
  type LogFile,
} from '@jadefence/files';
import type { Logger } from 'pino';
import { recordChange } from '../../database/audit.js';
import { inTransaction, violatedConstraint, type Database } from '../../database/database.js';
import { LogModel, LogRejectModel } from '../../database/models.js';
import type { Actor } from '../../http/authenticate.js';
import { ProblemError } from '../../http/problem.js';
import type { UploadedFile } from '../../http/upload.js';
import { batches } from '../../database/batches.js';
import type { ShortImportPool } from '../../threads/short-import-pool.js';
import { SurveyThread } from '../../threads/survey-thread.js';
import type { SharedReferenceData } from '../../reference/shared-reference-data.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import type { Admission } from '../../admission.js';
import { Lease, leaseColumns, whereUnleased } from '../../database/lease.js';
import { LogWriter, type LogCounts } from './log-writer.js';
import type { Logs } from './logs.js';

/** Enough for the 200 lines that detection looks at. */
const DETECT_BYTES = 1_048_576;
/** With fewer processors a second thread would only take one from those that store and survey. */
const IMPORT_THREADS = availableParallelism() >= 4 ? 2 : 1;
const SHORT_BYTES = 262_144;

/**
 * Brings logs in: chunk by chunk as the bytes arrive, visible by one switch at the end. Whatever goes wrong before that
 * leaves nothing behind.
 */
export class LogImports {
  constructor(
    private readonly db: Database,
    private readonly logs: Logs,
    private readonly referenceSnapshots: ReferenceSnapshots,
    private readonly admission: Admission,
    private readonly shortImports: ShortImportPool,
    /** Of a file, decompressed. */
    private readonly maxBytes: number,
    private readonly logger: Logger,
  ) {}

  /** Removes what processes that ended left half-way; what a living one imports has a lease. */
  async removeUnfinished(): Promise<number> {
    return this.db('logs').where({ state: 'importing' }).where(whereUnleased).delete();
  }

  /**
   * Files of a log are merged by the time of their lines.
   * @throws ProblemError when the bytes are no log of a known format, do not fit the given options, are here
   *   already, or end too early
   */
  async import(query: ImportLogQuery, files: readonly UploadedFile[], actor: Actor): Promise<Log> {
    return this.admission.run(() => this.#import(query, files, actor));
  }

  async #import(query: ImportLogQuery, files: readonly UploadedFile[], actor: Actor): Promise<Log> {
    return toProblem(async () => {
      const options = optionsOf(query);
      const all = await Promise.all(files.map((file) => openFile(file, options, query.format, this.maxBytes)));
      // An empty file is what a rotation leaves behind; where all are empty, the first is refused below.
      const filled = all.filter((file) => !file.isEmpty);
      const opened = filled.length > 0 ? filled : all.slice(0, 1);
      const fit = requireSingleFormat(opened, query.host !== undefined);
      const { host, ...layout } = { ...options, isInSyslog: fit.isInSyslog };
      const { shared } = await this.referenceSnapshots.loadCurrent();
      const log = await LogModel.query(this.db)
        .insert({
          name: query.name,
          format: fit.format,
          host: host ?? null,
          layout,
          files: opened.length > 1 ? opened.map(({ name }) => name) : [],
          state: 'importing',
          ...leaseColumns(),
        })
        .returning('*');
      const lease = new Lease(this.db, 'logs', log.id, this.logger);
      try {
        const { countryTable, countryCorrections } = shared;
        const referenceData = { countryTable, countryCorrections, feeds: [], categoryCorrections: [] };
        const task = { format: fit.format, options: { host, ...layout }, keepsLines: true };
        const counts = await this.#store(log.id, task, opened, referenceData);
        const incomplete = opened.flatMap(({ incomplete: why }) => why ?? []).join(' ') || null;
        await this.#makeReady(log, { ...counts, sha256: sha256Of(opened), incomplete }, actor);
      } catch (error) {
        // Where this fails, too, the lease runs out and it is removed then.
        await LogModel.query(this.db)
          .deleteById(log.id)
          .catch((failure: unknown) => this.logger.warn({ err: failure, log: log.id }, 'a log stays half-way'));
        throw error;
      } finally {
        lease.end();
      }
      return this.logs.show(log.id);
    });
  }

  async #store(
    logId: number,
    task: ImportTask,
    files: readonly ImportFile[],
    referenceData: SharedReferenceData,
  ): Promise<LogCounts> {
    const [first] = files as [ImportFile];
    if (files.length === 1 && first.isShort) {
      const bytes = await first.readWhole();
      const isCut = first.incomplete !== undefined;
      const { imported, survey } = await this.shortImports.import({ task, bytes, isCut, referenceData });
      const writer = new LogWriter(this.db, logId, {
        add: () => Promise.resolve(),
        finish: () => Promise.resolve(survey),
      });
      await writer.take(imported);
      return writer.finish();
    }
    const survey = new SurveyThread(referenceData);
    try {
      const writer = new LogWriter(this.db, logId, survey);
      for await (const imported of importFiles(task, files)) await writer.take(imported);
      return await writer.finish();
    } finally {
      await survey.end();
    }
  }

  async #makeReady(
    log: LogModel,
    { rejects, ...counts }: LogCounts & { sha256: string; incomplete: string | null },
    actor: Actor,
  ): Promise<void> {
    if (counts.requests === 0)
      throw new ProblemError('no-valid-lines', 'No line of the log could be read as a request.', {
        errors: rejects
          .slice(0, 5)
          .map(({ line, reason }) => ({ place: `line ${line}`, message: REJECT_REASONS[reason] })),
      });
    try {
      await inTransaction(this.db, async (trx) => {
        await LogModel.query(trx)
          .patch({ ...counts, state: 'ready' })
          .where({ id: log.id });
        for (const batch of batches(rejects))
          await LogRejectModel.query(trx).insert(
            batch.map(({ file = '', line, reason, start }) => ({
              logId: log.id,
              file,
              line,
              reason,
              start: Buffer.from(start),
            })),
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
      throw new ProblemError('duplicate-log', `The same bytes are here already as log ${same?.id} "${same?.name}".`);
    }
  }
}

/** One file with its head read, whose bytes can be read once. */
class ImportFile {
  readonly #sha256 = createHash('sha256');
  /** Why it ends too early. */
  incomplete: string | undefined;

  constructor(
    readonly name: string,
    readonly detection: Detection,
    private readonly head: Uint8Array,
    private readonly rest: AsyncIterator<Uint8Array> | undefined,
  ) {}

  /** What was compressed and is cut short gives what came before. */
  async *pieces(): AsyncGenerator<Uint8Array> {
    this.#sha256.update(this.head);
    yield this.head;
    try {
      for (let next = await this.rest?.next(); next?.done === false; next = await this.rest!.next()) {
        this.#sha256.update(next.value);
        yield next.value;
      }
    } catch (error) {
      if (!(error instanceof UnreadableFileError) || error instanceof TooLargeFileError) throw error;
      this.incomplete = this.name === '' ? error.message : `${this.name}: ${error.message}`;
    }
  }

  /** All of its bytes, where it is short. */
  async readWhole(): Promise<Uint8Array> {
    const pieces: Uint8Array[] = [];
    for await (const piece of this.pieces()) pieces.push(piece);
    return Buffer.concat(pieces);
  }

  /** Whether starting threads for it would take longer than importing it. */
  get isShort(): boolean {
    return this.rest === undefined && this.head.length < SHORT_BYTES;
  }

  get isEmpty(): boolean {
    return this.head.length === 0 && this.rest === undefined;
  }

  /** Of what was read. */
  get sha256(): string {
    return this.#sha256.copy().digest('hex');
  }
}

function importFiles(task: ImportTask, files: readonly ImportFile[]): AsyncGenerator<Imported> {
  const [first] = files as [ImportFile];
  if (files.length === 1) return importInThreads(task, toLogFile(first), IMPORT_THREADS);
  return importMerged(task, files.map(toLogFile));
}

function toLogFile(file: ImportFile): LogFile {
  return { name: file.name, pieces: file.pieces(), isCut: () => file.incomplete !== undefined };
}

async function openFile(
  { name, pieces }: UploadedFile,
  options: ReaderOptions,
  format: LogFormat | undefined,
  maxBytes: number,
): Promise<ImportFile> {
  const source = decompress(pieces, maxBytes)[Symbol.asyncIterator]();
  const { bytes, isWhole, failure } = await readHead(source);
  const detection = ofFile(name, () => detectFormat(bytes, isWhole && failure === undefined, options, format));
  const file = new ImportFile(name, detection, bytes, isWhole ? undefined : source);
  file.incomplete = failure && (name === '' ? failure : `${name}: ${failure}`);
  return file;
}

/** Names which of several files does not fit. */
function ofFile<T>(name: string, work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (!(error instanceof LogOptionsError) || name === '') throw error;
    throw new LogOptionsError(`${name}: ${error.message}`, error.hint);
  }
}

async function readHead(
  source: AsyncIterator<Uint8Array>,
): Promise<{ bytes: Buffer; isWhole: boolean; failure?: string }> {
  const pieces: Uint8Array[] = [];
  for (let numBytes = 0; numBytes < DETECT_BYTES;) {
    try {
      const next = await source.next();
      if (next.done) return { bytes: Buffer.concat(pieces), isWhole: true };
      pieces.push(next.value);
      numBytes += next.value.length;
    } catch (error) {
      if (!(error instanceof UnreadableFileError) || error instanceof TooLargeFileError || numBytes === 0) throw error;
      return { bytes: Buffer.concat(pieces), isWhole: true, failure: error.message };
    }
  }
  return { bytes: Buffer.concat(pieces), isWhole: false };
}

function optionsOf({ host, pattern, mapping, syslog, zone, year }: ImportLogQuery): ReaderOptions {
  return {
    ...(host === undefined ? {} : { host }),
    ...(pattern === undefined ? {} : { pattern }),
    ...(mapping === undefined ? {} : { mapping: parseMapping(mapping) }),
    ...(syslog ? { isInSyslog: true } : {}),
    ...(zone === undefined ? {} : { zone }),
    ...(year === undefined ? {} : { year: Number(year) }),
  };
}

/** @throws ProblemError where a file has no format, they differ, or the host must be given */
function requireSingleFormat(files: readonly ImportFile[], knowsHost: boolean): FormatFit {
  const fits = files.map(({ name, incomplete, detection: { best, summary, hint, needsHost } }) => {
    if (!best) {
      const text = [name === '' ? summary : `${name}: ${summary}`, ...(incomplete ? [incomplete] : [])].join(' ');
      throw new ProblemError('unknown-format', text, hint === undefined ? {} : { hint });
    }
    if (needsHost && !knowsHost)
      throw new ProblemError('host-required', describeMissingHost(best), {
        hint: 'Add --host HOST with the host of the log.',
      });
    return best;
  });
  const [first] = fits as [FormatFit];
  const other = fits.findIndex(({ format, isInSyslog }) => format !== first.format || isInSyslog !== first.isInSyslog);
  if (other > 0)
    throw new ProblemError(
      'unknown-format',
      `The files are not of one format: ${files[0]!.name} is ${LOG_FORMATS[first.format]}, ${files[other]!.name} is ${LOG_FORMATS[fits[other]!.format]}.`,
      { hint: 'Upload each as a separate log.' },
    );
  return first;
}

/** The same files are the same log, in whichever order they come. */
function sha256Of(files: readonly ImportFile[]): string {
  if (files.length === 1) return files[0]!.sha256;
  const all = files.map(({ sha256 }) => sha256).sort();
  return createHash('sha256').update(all.join('\n')).digest('hex');
}

/** Options that do not fit a log, as a problem. */
async function toProblem<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof LogOptionsError)
      throw new ProblemError('bad-layout', error.message, error.hint === undefined ? {} : { hint: error.hint });
    throw error;
  }
}
