import { Readable } from 'node:stream';
import { extract } from 'tar-stream';
import { UnreadableFileError } from './decompress.js';

const TAR_MAGIC_AT = 257;
const TAR_MAGIC = 'ustar';
const TAR_BLOCK_BYTES = 512;

/** A file; without a path where it is not one of an archive. */
export interface ArchivedFile {
  readonly path?: string;
  readonly pieces: AsyncIterable<Uint8Array>;
}

/** The files of a tar archive (POSIX.1-1988), or the one file that the bytes are. Each is to be read before the next. */
export async function* filesOf(pieces: AsyncIterable<Uint8Array>): AsyncGenerator<ArchivedFile> {
  const source = pieces[Symbol.asyncIterator]();
  const head: Uint8Array[] = [];
  let numBytes = 0;
  while (numBytes < TAR_BLOCK_BYTES) {
    const next = await source.next();
    if (next.done) break;
    head.push(next.value);
    numBytes += next.value.length;
  }
  const start = Buffer.concat(head);
  const whole = async function* (): AsyncGenerator<Uint8Array> {
    if (start.length > 0) yield start;
    for (let next = await source.next(); !next.done; next = await source.next()) yield next.value;
  };
  if (start.subarray(TAR_MAGIC_AT, TAR_MAGIC_AT + TAR_MAGIC.length).toString('latin1') !== TAR_MAGIC)
    return yield { pieces: whole() };
  const archive = extract();
  const bytes = Readable.from(whole());
  bytes.on('error', (error) => archive.destroy(error));
  bytes.pipe(archive);
  let numFiles = 0;
  try {
    for await (const entry of archive) {
      if (entry.header.type === 'file') {
        numFiles += 1;
        yield { path: entry.header.name, pieces: readEntry(entry as AsyncIterable<Uint8Array>) };
      }
      entry.resume();
    }
  } catch (error) {
    throw asUnreadable(error);
  }
  if (numFiles === 0) throw new UnreadableFileError('The archive holds no file.');
}

async function* readEntry(pieces: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  try {
    yield* pieces;
  } catch (error) {
    throw asUnreadable(error);
  }
}

function asUnreadable(error: unknown): UnreadableFileError {
  if (error instanceof UnreadableFileError) return error;
  return new UnreadableFileError(`The archive is damaged or cut short (${(error as Error).message}).`);
}
