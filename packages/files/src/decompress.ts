import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';

const GZIP_MAGIC = [0x1f, 0x8b] as const;

/** A file whose bytes are damaged, cut short, or of an unsupported form. The message describes the problem. */
export class UnreadableFileError extends Error {}

/** A file that holds more than is allowed. */
export class TooLargeFileError extends UnreadableFileError {}

/** More than this no file may have, decompressed, unless a caller allows less or more. */
export const MAX_DECOMPRESSED_BYTES = 10 * 1024 ** 3;

/**
 * The bytes of a file, decompressed where they begin as gzip (RFC 1952) does.
 * @param maxBytes of what comes out, since a small file can hold very much
 * @throws UnreadableFileError when the compressed bytes are damaged or cut short, or there are too many; what the source
 *   throws is passed on
 */
export async function* decompress(
  pieces: AsyncIterable<Uint8Array>,
  maxBytes: number = MAX_DECOMPRESSED_BYTES,
): AsyncGenerator<Uint8Array> {
  let numBytes = 0;
  for await (const piece of decompressAll(pieces)) {
    numBytes += piece.length;
    if (numBytes > maxBytes)
      throw new TooLargeFileError(`The file holds more than the ${maxBytes.toLocaleString('en')} bytes allowed.`);
    yield piece;
  }
}

async function* decompressAll(pieces: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const source = pieces[Symbol.asyncIterator]();
  const first = await source.next();
  if (first.done) return;
  let failure: unknown;
  const rest = async function* (): AsyncGenerator<Uint8Array> {
    try {
      yield first.value;
      for (let next = await source.next(); !next.done; next = await source.next()) yield next.value;
    } catch (error) {
      failure = error;
      throw error;
    }
  };
  if (first.value[0] !== GZIP_MAGIC[0] || first.value[1] !== GZIP_MAGIC[1]) return yield* rest();
  const gunzip = createGunzip();
  // What fails on either side comes out where the decompressed bytes are read.
  pipeline(Readable.from(rest()), gunzip).catch(() => undefined);
  try {
    yield* gunzip as AsyncIterable<Uint8Array>;
  } catch (error) {
    if (failure !== undefined) throw failure;
    throw new UnreadableFileError(`The gzip file is damaged or cut short (${(error as Error).message}).`);
  }
}
