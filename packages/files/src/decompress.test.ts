import { gzipSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';

import { decompress, UnreadableFileError } from './decompress.js';

async function* inPieces(bytes: Uint8Array, size: number, failure?: Error): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < bytes.length; at += size) yield bytes.subarray(at, at + size);
  if (failure) throw failure;
}

async function read(pieces: AsyncIterable<Uint8Array>): Promise<string> {
  const all: Uint8Array[] = [];
  for await (const piece of decompress(pieces)) all.push(piece);
  return Buffer.concat(all).toString('utf8');
}

const TEXT = Array.from({ length: 5000 }, (_, index) => `line ${index}\n`).join('');

describe('the bytes of an upload', () => {
  it('pass as they are, or decompressed where they are gzip', async () => {
    expect(await read(inPieces(Buffer.from(TEXT), 1000))).toBe(TEXT);
    expect(await read(inPieces(gzipSync(TEXT), 1000))).toBe(TEXT);
    expect(await read(inPieces(new Uint8Array(), 1000))).toBe('');
  });

  it('that are a gzip cut short are a problem, not a short log', async () => {
    const whole = gzipSync(TEXT);
    await expect(read(inPieces(whole.subarray(0, whole.length - 9), 1000))).rejects.toThrow(UnreadableFileError);
    await expect(read(inPieces(whole.subarray(0, whole.length - 9), 1000))).rejects.toThrow('damaged or cut short');
  });

  it('that are damaged in the middle are a problem', async () => {
    const damaged = gzipSync(TEXT).map((byte, index) => (index > 200 && index < 260 ? byte ^ 0xff : byte));
    await expect(read(inPieces(damaged, 1000))).rejects.toThrow('damaged or cut short');
  });

  it('that stop with their own failure fail with that', async () => {
    const failure = new Error('The upload ended after 7 bytes.');
    await expect(read(inPieces(gzipSync(TEXT), 1000, failure))).rejects.toBe(failure);
  });

  it('can be left half-way without harm', async () => {
    for await (const piece of decompress(inPieces(gzipSync(TEXT.repeat(50)), 1000))) {
      expect(piece.length).toBeGreaterThan(0);
      break;
    }
  });
});
