import { createReadStream } from 'node:fs';
import { open, stat } from 'node:fs/promises';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';
import { detectFormat, FORMATS_WITHOUT_HOST, LOG_FORMATS, type LogFormat } from '@jadefence/core';
import { InvalidArgumentError } from 'commander';
import { Failure, EXIT } from '../failure.js';
import { say, type Streams } from '../output.js';
import { showProgress } from '../progress.js';

/** Enough for the 200 lines that detection looks at. */
const DETECT_BYTES = 1_048_576;
const PIECE_BYTES = 262_144;

export interface OpenLog {
  readonly format: LogFormat;
  readonly pieces: AsyncIterable<Uint8Array>;
}

export function parseFormat(text: string): LogFormat {
  if (!Object.hasOwn(LOG_FORMATS, text))
    throw new InvalidArgumentError(`Expected one of ${Object.keys(LOG_FORMATS).join(', ')}.`);
  return text as LogFormat;
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
 * Opens a log and finds its format, telling what was found on stderr.
 * @param path a file, or `-` for standard input
 * @param knowsHost whether the host or the gate is given, so that the log needs no column for it
 */
export async function openLog(
  path: string,
  chosen: LogFormat | undefined,
  knowsHost: boolean,
  streams: Streams,
): Promise<OpenLog> {
  if (path !== '-') await assertLogFile(path);
  const iterator = readBytes(path, streams)[Symbol.asyncIterator]();
  const head: Uint8Array[] = [];
  let isWhole = false;
  for (let size = 0; size < DETECT_BYTES && !isWhole;) {
    const { value, done } = await iterator.next();
    isWhole = done === true;
    if (value) {
      head.push(value);
      size += value.length;
    }
  }
  const { format, needsHost } = chosen
    ? { format: chosen, needsHost: FORMATS_WITHOUT_HOST.includes(chosen) }
    : chooseFormat(Buffer.concat(head), isWhole, path, streams);
  if (needsHost && !knowsHost) {
    throw new Failure(
      `The log has no column for the host (${LOG_FORMATS[format]}), so no gate would cover any request.`,
      EXIT.wrongInput,
      'Say which host it is the log of with --host HOST, or which gate judges it with --gate NAME.',
    );
  }
  return { format, pieces: joinPieces(head, isWhole ? undefined : iterator) };
}

const GZIP_MAGIC = [0x1f, 0x8b] as const;

/** The bytes of a log, decompressed where they begin as gzip (RFC 1952) does. A gzip that is cut short gives what came before, and says so. */
async function* readBytes(path: string, streams: Streams): AsyncGenerator<Uint8Array> {
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
    say(
      streams,
      `${path}: the gzip file is damaged or cut short (${(error as Error).message}); the lines before that are read`,
    );
  }
}

function chooseFormat(
  start: Uint8Array,
  isWhole: boolean,
  path: string,
  streams: Streams,
): { format: LogFormat; needsHost: boolean } {
  const { best, summary, needsHost } = detectFormat(start, isWhole);
  if (!best)
    throw new Failure(
      `${path}: ${summary}`,
      EXIT.wrongInput,
      `Formats that can be read: ${Object.entries(LOG_FORMATS)
        .map(([id, name]) => `${id} (${name})`)
        .join(', ')}.`,
    );
  say(streams, `${path}: ${summary}`);
  return { format: best.format, needsHost };
}

async function* joinPieces(
  head: readonly Uint8Array[],
  rest: AsyncIterator<Uint8Array> | undefined,
): AsyncGenerator<Uint8Array> {
  yield* head;
  if (rest) for (let next = await rest.next(); !next.done; next = await rest.next()) yield next.value;
}
