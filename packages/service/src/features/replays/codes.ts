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

const CHECKSUM_BYTES = 4;

/**
 * The waits of a chunk as stored: the checksum of the rest, little-endian, then a JSON array compressed with zlib.
 * @param waitsMs in the order of rows, by each rule that delays them
 * @returns null for none
 */
export async function packWaits(waitsMs: Float64Array): Promise<Buffer | null> {
  if (waitsMs.length === 0) return null;
  const bytes = await deflateBytes(`[${waitsMs.join()}]`);
  const checksum = Buffer.alloc(CHECKSUM_BYTES);
  checksum.writeUInt32LE(crc32(bytes));
  return Buffer.concat([checksum, bytes]);
}

/** @throws Error when the bytes are not those that were stored */
export async function unpackWaits(packed: Buffer | null): Promise<readonly number[]> {
  if (!packed) return [];
  const bytes = packed.subarray(CHECKSUM_BYTES);
  if (crc32(bytes) !== packed.readUInt32LE())
    throw new Error('The waits of a chunk are damaged: the checksum does not fit.');
  return JSON.parse((await inflateBytes(bytes)).toString('utf8')) as number[];
}
