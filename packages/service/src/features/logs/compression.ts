import { promisify } from 'node:util';
import { deflate, inflate } from 'node:zlib';
import { DamagedColumnError } from '@jadefence/core';

const deflateBytes = promisify(deflate);
const inflateBytes = promisify(inflate);

/** Columns are compressed one by one (zlib, RFC 1950), so that a replay reads only those it needs. */
export async function deflateColumns(columns: ReadonlyMap<string, Uint8Array>): Promise<[string, Buffer][]> {
  return Promise.all(
    [...columns].map(async ([name, bytes]): Promise<[string, Buffer]> => [name, await deflateBytes(bytes)]),
  );
}

/** @throws DamagedColumnError naming the column */
export async function inflateColumns(
  columns: readonly (readonly [string, Uint8Array])[],
): Promise<Map<string, Uint8Array>> {
  return new Map(
    await Promise.all(
      columns.map(async ([name, bytes]): Promise<[string, Uint8Array]> => [name, await inflateColumn(name, bytes)]),
    ),
  );
}

async function inflateColumn(name: string, bytes: Uint8Array): Promise<Uint8Array> {
  try {
    return await inflateBytes(bytes);
  } catch (error) {
    throw new DamagedColumnError(`column ${name}: ${(error as Error).message}`);
  }
}
