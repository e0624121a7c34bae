import { constants, deflate, inflate } from 'node:zlib';
import { promisify } from 'node:util';
import { DamagedColumnError } from '@jadefence/core/columns';

const deflateBytes = promisify<Uint8Array, object, Buffer>(deflate);
const inflateBytes = promisify(inflate);

/** Codes repeat themselves nowhere but in runs, so a search for more would cost much and find little (zlib, RFC 1950). */
export async function deflateColumns(columns: ReadonlyMap<string, Uint8Array>): Promise<[string, Buffer][]> {
  return deflateAll(columns, { strategy: constants.Z_RLE });
}

/** Parts of dictionaries are text. */
export async function deflateDictionaries(parts: ReadonlyMap<string, Uint8Array>): Promise<[string, Buffer][]> {
  return deflateAll(parts, {});
}

async function deflateAll(all: ReadonlyMap<string, Uint8Array>, options: object): Promise<[string, Buffer][]> {
  return Promise.all(
    [...all].map(async ([name, bytes]): Promise<[string, Buffer]> => [name, await deflateBytes(bytes, options)]),
  );
}

/** @throws DamagedColumnError naming the chunk and the column */
export async function inflateColumn(chunk: number, name: string, bytes: Uint8Array): Promise<Uint8Array> {
  try {
    return await inflateBytes(bytes);
  } catch (error) {
    throw new DamagedColumnError(`chunk ${chunk}, column ${name}: ${(error as Error).message}`);
  }
}
