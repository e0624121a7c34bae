import { deflateSync, inflateSync } from 'node:zlib';
import type { Memory, StoredState } from '@jadefence/core';

const PIECE_CHARACTERS = 1_000_000;

/**
 * What earlier requests left behind, as stored: a `StoredState` in JSON, compressed with zlib. Written counter by counter,
 * since there may be millions, which would be many times as large as objects.
 */
export function packMemory(memory: Memory): Uint8Array {
  const pieces: Buffer[] = [];
  let text = '';
  const write = (some: string): void => {
    text += some;
    if (text.length < PIECE_CHARACTERS) return;
    pieces.push(Buffer.from(text));
    text = '';
  };
  const writeAll = (items: Iterable<unknown>): void => {
    let separator = '';
    for (const item of items) {
      write(separator + JSON.stringify(item));
      separator = ',';
    }
  };
  write('{"counters":[');
  writeAll(memory.counters());
  write('],"holds":[');
  writeAll(memory.holds());
  write(']}');
  return deflateSync(Buffer.concat([...pieces, Buffer.from(text)]), { level: 1 });
}

export function unpackState(bytes: Uint8Array): StoredState {
  return JSON.parse(inflateSync(bytes).toString('utf8')) as StoredState;
}
