import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createGunzip } from 'node:zlib';
import { ProblemError } from '../../http/problem.js';

const GZIP_MAGIC = [0x1f, 0x8b] as const;

/**
 * The bytes of a log, decompressed where they begin as gzip (RFC 1952) does.
 * @throws ProblemError when the compressed bytes are damaged or cut short
 */
export async function* decompress(pieces: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const source = pieces[Symbol.asyncIterator]();
  const first = await source.next();
  if (first.done) return;
  const rest = async function* (): AsyncGenerator<Uint8Array> {
    yield first.value;
    for (let next = await source.next(); !next.done; next = await source.next()) yield next.value;
  };
  if (first.value[0] !== GZIP_MAGIC[0] || first.value[1] !== GZIP_MAGIC[1]) return yield* rest();
  const gunzip = createGunzip();
  // What fails on either side comes out where the decompressed bytes are read.
  pipeline(Readable.from(rest()), gunzip).catch(() => undefined);
  try {
    yield* gunzip as AsyncIterable<Uint8Array>;
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    throw new ProblemError(
      'upload-cut',
      `The gzip file is damaged or cut short (${(error as Error).message}); nothing of it is kept.`,
    );
  }
}
