import { deflateSync, inflateSync } from 'node:zlib';
import type { StoredState } from '@jadefence/core';

/** What earlier requests left behind, as stored: JSON, compressed with zlib. */
export function packState(state: StoredState): Uint8Array {
  return deflateSync(JSON.stringify(state), { level: 1 });
}

export function unpackState(bytes: Uint8Array): StoredState {
  return JSON.parse(inflateSync(bytes).toString('utf8')) as StoredState;
}
