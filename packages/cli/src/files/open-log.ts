import { createReadStream } from 'node:fs';
import { open, stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';
import {
  describeMissingHost,
  detectFormat,
  LOG_FORMATS,
  LogReader,
  mergeByTime,
  type Detection,
  type FormatFit,
  type LogFormat,
  type ReaderOptions,
  type ReadLine,
} from '@jadefence/core/logs';
import type { LogFile } from '@jadefence/files';
import { Failure, EXIT } from '../cli-error.js';
import { nameOfPath, logMessage, type Streams } from '../output.js';
import { showProgress } from '../progress.js';
import { orQuiet, QUIET } from './quiet.js';
import { orFail, type LogReadSettings } from './reading.js';

/** Enough for the 200 lines that detection looks at. */
const DETECT_BYTES = 1_048_576;
const PIECE_BYTES = 262_144;
const LINE_FEED = 0x0a;

/** A log that is being read. It can be read once. */
export interface OpenLog {
  readonly format: LogFormat;
  /** The given options, with what was detected. */
  readonly options: ReaderOptions;
  readonly files: readonly LogFile[];
  /** Its lines in batches, those of several files merged by time. */
  lines(): AsyncIterable<readonly ReadLine[]>;
}

/** @throws Failure when there is no such file */
export async function assertLogFile(path: string): Promise<void> {
  const info = await stat(path).catch(() => undefined);
  if (!info) throw new Failure(`There is no log "${path}".`, EXIT.wrongInput, 'Give a file, or - for standard input.');
  if (info.isDirectory()) throw new Failure(`"${path}" is a folder, expected a log file.`);
  const handle = await open(path).catch((error: NodeJS.ErrnoException) => {
    throw new Failure(`The log "${path}" cannot be read (${error.code}).`);
  });
  await handle.close();
}

/**
 * Opens a log and detects its format, reporting it on stderr.
 * @param paths its files, or `-` for standard input
 * @param knowsHost whether the host or the gate is given, so that the log needs no column for it
 * @throws Failure where a file cannot be read, fits no format, or does not fit the given options
 */
export async function openLog(
  paths: readonly string[],
  reading: LogReadSettings,
  knowsHost: boolean,
  streams: Streams,
): Promise<OpenLog> {
  if (paths.length > 1 && paths.includes('-'))
    throw new Failure('Standard input cannot be one of several files.', EXIT.wrongInput, 'Give it alone.');
  const opened = await Promise.all(paths.map((path) => openFile(path, reading, streams)));
  // An empty file is what a rotation leaves behind.
  const files = opened.filter((file) => file !== undefined);
  if (files.length === 0) throw new Failure(`${paths.map(nameOfPath).join(', ')}: The log is empty.`);
  opened.forEach((file, index) => {
    if (!file) logMessage(streams, `${nameOfPath(paths[index]!)}: empty, skipped`);
  });
  const needy = files.find(({ detection }) => detection.needsHost);
  const [first] = files as [OpenedFile];
  if (needy && !knowsHost) {
    throw new Failure(
      describeMissingHost(needy.fit),
      EXIT.wrongInput,
      'Add --host HOST with the host of the log, or --gate NAME with the gate that judges it.',
    );
  }
  for (const { path, fit, detection } of files) {
    if (!reading.format) logMessage(streams, `${nameOfPath(path)}: ${detection.summary}`);
    if (fit.format !== first.fit.format || fit.isInSyslog !== first.fit.isInSyslog)
      throw new Failure(
        `The files are not of one format: ${nameOfPath(first.path)} is ${LOG_FORMATS[first.fit.format]}, ${nameOfPath(path)} is ${LOG_FORMATS[fit.format]}.`,
        EXIT.wrongInput,
        'Import each as a separate log.',
      );
  }
  const { format, isInSyslog } = first.fit;
  const options = { ...reading.options, isInSyslog };
  const nameOf = namesFor(paths);
  const logFiles = files.map(({ path, pieces, isCut }) => ({ name: nameOf(path), pieces, isCut }));
  return {
    format,
    options,
    files: logFiles,
    lines: () =>
      logFiles.length === 1
        ? new LogReader(format, options).readAll(logFiles[0]!.pieces, logFiles[0]!.isCut)
        : mergeByTime(
            logFiles.map(({ name, pieces, isCut }) => new LogReader(format, options, name).readAll(pieces, isCut)),
          ),
  };
}

/** What the files of a log are called: without their folders, where that distinguishes them. */
export function namesFor(paths: readonly string[]): (path: string) => string {
  const isUnique = new Set(paths.map((path) => basename(path))).size === paths.length;
  return isUnique ? basename : (path) => path;
}

interface OpenedFile {
  readonly path: string;
  readonly detection: Detection;
  readonly fit: FormatFit;
  readonly pieces: AsyncIterable<Uint8Array>;
  readonly isCut: () => boolean;
}

/** @returns undefined where the file is empty */
async function openFile(
  path: string,
  { format, options }: LogReadSettings,
  streams: Streams,
): Promise<OpenedFile | undefined> {
  if (path !== '-') await assertLogFile(path);
  let hasEndedEarly = false;
  const iterator = readBytes(path, streams, () => (hasEndedEarly = true))[Symbol.asyncIterator]();
  const head: Uint8Array[] = [];
  let isWhole = false;
  let waiting: Promise<IteratorResult<Uint8Array>> | undefined;
  for (let size = 0; size < DETECT_BYTES && !isWhole;) {
    waiting ??= iterator.next();
    // A followed log pauses: its format is detected from what is there.
    const hasLine = path === '-' && head.some((piece) => piece.includes(LINE_FEED));
    const answer = hasLine ? await orQuiet(waiting) : await waiting;
    if (answer === QUIET) break;
    waiting = undefined;
    isWhole = answer.done === true;
    if (answer.value) {
      head.push(answer.value);
      size += answer.value.length;
    }
  }
  if (isWhole && head.every((piece) => piece.length === 0)) return undefined;
  const detection = orFail(nameOfPath(path), () =>
    detectFormat(Buffer.concat(head), isWhole && !hasEndedEarly, options, format),
  );
  if (!detection.best) throw new Failure(`${nameOfPath(path)}: ${detection.summary}`, EXIT.wrongInput, detection.hint);
  return {
    path,
    detection,
    fit: detection.best,
    pieces: joinPieces(head, isWhole ? undefined : iterator, waiting),
    isCut: () => hasEndedEarly,
  };
}

const GZIP_MAGIC = [0x1f, 0x8b] as const;

/**
 * The bytes of a log, decompressed where they begin as gzip (RFC 1952) does. A gzip that is cut short gives what came
 * before, and reports it.
 */
async function* readBytes(path: string, streams: Streams, onCut: () => void): AsyncGenerator<Uint8Array> {
  const source = path === '-' ? (streams.stdin as Readable) : createReadStream(path, { highWaterMark: PIECE_BYTES });
  const size = path === '-' ? undefined : (await stat(path)).size;
  const iterator = showProgress(source as AsyncIterable<Uint8Array>, size, streams);
  const first = await iterator.next();
  if (first.done) return;
  const whole = async function* (): AsyncGenerator<Uint8Array> {
    yield Buffer.from(first.value);
    for (let next = await iterator.next(); !next.done; next = await iterator.next()) yield Buffer.from(next.value);
  };
  if (first.value[0] !== GZIP_MAGIC[0] || first.value[1] !== GZIP_MAGIC[1]) return yield* whole();
  const gunzip = createGunzip();
  // What fails on either side comes out where the decompressed bytes are read.
  pipeline(Readable.from(whole()), gunzip).catch(() => undefined);
  try {
    yield* gunzip as AsyncIterable<Uint8Array>;
  } catch (error) {
    onCut();
    logMessage(
      streams,
      `${nameOfPath(path)}: the gzip file is damaged or cut short (${(error as Error).message}); only the whole lines before that are read`,
    );
  }
}

async function* joinPieces(
  head: readonly Uint8Array[],
  rest: AsyncIterator<Uint8Array> | undefined,
  waiting: Promise<IteratorResult<Uint8Array>> | undefined,
): AsyncGenerator<Uint8Array> {
  yield* head;
  if (!rest) return;
  for (let next = await (waiting ?? rest.next()); !next.done; next = await rest.next()) yield next.value;
}
