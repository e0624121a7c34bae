import { promisify } from 'node:util';
import { deflate, inflate } from 'node:zlib';
import { crc32 } from '@jadefence/core/binary';

const deflateBytes = promisify(deflate);
const inflateBytes = promisify(inflate);

/** The codes of a chunk as stored: four bytes each, little-endian, compressed with zlib. */
export async function packCodes(codes: Uint32Array): Promise<Buffer> {
  return deflateBytes(new Uint8Array(codes.buffer, codes.byteOffset, codes.byteLength));
}

/** @throws Error when the bytes are not those that were stored */
export async function unpackCodes(bytes: Buffer, checksum: number): Promise<Uint32Array> {
  if (crc32(bytes) !== checksum) throw new Error('The decisions of a chunk are damaged: the checksum does not fit.');
  const inflated = await inflateBytes(bytes);
  return new Uint32Array(inflated.buffer.slice(inflated.byteOffset, inflated.byteOffset + inflated.byteLength));
}
