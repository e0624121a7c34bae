import type { ChunkRows, EncodedChunk } from '@jadefence/core/columns';
import { LogImporter } from '@jadefence/core/parse-logs';
import { describe, expect, it } from 'vitest';
import { openChunks, openWithCachedDictionaries, type ChunkPayload, type DictionaryParts } from './open-chunks.js';

const NUM_LINES = 66_000;
const pathOf = (line: number): string => `/${line % 3 === 0 ? 'again' : line}`;

/** Two chunks of one segment. */
const [first, second] = importLines();

function importLines(): [EncodedChunk, EncodedChunk] {
  const importer = new LogImporter('combined', { host: 'shop.example' }, () => undefined);
  const lines = Array.from(
    { length: NUM_LINES },
    (_, line) => `198.18.4.7 - - [10/Oct/2026:13:55:36 +0000] "GET ${pathOf(line)} HTTP/1.1" 200 5 "-" "-"\n`,
  );
  return [...importer.push(new TextEncoder().encode(lines.join(''))), ...importer.end()] as [
    EncodedChunk,
    EncodedChunk,
  ];
}

const chunkAt = (chunk: number): ChunkPayload['chunks'][number] => ({ ...[first, second][chunk]!, chunk, segment: 0 });
const partsOf = ({ dictionaries }: EncodedChunk): DictionaryParts['parts'] => [...dictionaries];
const ofFirst = (run: string): ChunkPayload => ({
  run,
  chunks: [chunkAt(0)],
  dictionaries: new Map([[0, { upTo: 0, parts: partsOf(first) }]]),
});
const ofSecond = (run: string): ChunkPayload => ({
  run,
  chunks: [chunkAt(1)],
  dictionaries: new Map([[0, { after: 0, upTo: 1, parts: partsOf(second) }]]),
});
const pathsOf = (rows: ChunkRows): unknown[] =>
  Array.from({ length: rows.numRows }, (_, row) => rows.row(row).attributes['url.path']);

describe('dictionaries that a thread keeps', () => {
  it('make chunks readable that come with nothing but what they add', () => {
    const [, whole] = openChunks({
      chunks: [chunkAt(0), chunkAt(1)],
      dictionaries: new Map([[0, { upTo: 1, parts: [...partsOf(first), ...partsOf(second)] }]]),
    });
    const expected = Array.from({ length: whole!.numRows }, (_, row) => pathOf(first.numRows + row));
    expect(pathsOf(whole!)).toEqual(expected);
    const before = openWithCachedDictionaries(ofFirst('a'))!.at(0);
    expect(pathsOf(openWithCachedDictionaries(ofSecond('a'))!.at(0))).toEqual(expected);
    // Another replay of the run opens the same.
    expect(pathsOf(openWithCachedDictionaries(ofSecond('a'))!.at(0))).toEqual(expected);
    // What was opened before stays as it was.
    expect(pathsOf(before).slice(0, 4)).toEqual([0, 1, 2, 3].map(pathOf));
  });

  it('are requested again where they are not there any more', () => {
    expect(openWithCachedDictionaries(ofSecond('never begun'))).toBeUndefined();
    openWithCachedDictionaries(ofFirst('damaged'));
    const damaged = {
      ...ofSecond('damaged'),
      dictionaries: new Map([[0, { after: 0, upTo: 1, parts: [['url.path', new Uint8Array(20)]] }]]),
    } as ChunkPayload;
    expect(() => openWithCachedDictionaries(damaged)).toThrow(
      'dictionary of column url.path: the bytes do not begin as a column',
    );
    expect(openWithCachedDictionaries(ofSecond('damaged'))).toBeUndefined();
    openWithCachedDictionaries(ofFirst('forgotten'));
    for (const other of ['1', '2', '3', '4']) openWithCachedDictionaries(ofFirst(other));
    expect(openWithCachedDictionaries(ofSecond('forgotten'))).toBeUndefined();
    expect(openWithCachedDictionaries(ofSecond('4'))).toBeDefined();
  });
});
