/** The frozen log in stored columns, as the service keeps them. */
import { constants, deflateSync, inflateSync } from 'node:zlib';
import { ChunkRows, LogImporter, SegmentDictionaries, type EncodedChunk } from '@jadefence/core';

/** A chunk as it lies in the database. */
export interface StoredChunk {
  readonly numRows: number;
  readonly beginsSegment: boolean;
  readonly columns: readonly (readonly [name: string, bytes: Uint8Array])[];
  readonly dictionaries: readonly (readonly [name: string, bytes: Uint8Array])[];
}

const PIECE_BYTES = 262_144;

/** Imports lines of NCSA combined with the host in front, compression included, on one thread. */
export function importCombined(log: Uint8Array): StoredChunk[] {
  const stored: StoredChunk[] = [];
  const importer = new LogImporter('combined-with-host', {}, ({ line, reason }) => {
    throw new Error(`line ${line} of the generated log was rejected: ${reason}`);
  });
  const keep = (chunks: readonly EncodedChunk[]): void => {
    for (const { numRows, beginsSegment, columns, dictionaries } of chunks)
      stored.push({
        numRows,
        beginsSegment,
        columns: [...columns].map(([name, bytes]) => [name, deflateSync(bytes, { strategy: constants.Z_RLE })]),
        dictionaries: [...dictionaries].map(([name, bytes]) => [name, deflateSync(bytes)]),
      });
  };
  for (let at = 0; at < log.length; at += PIECE_BYTES) keep(importer.push(log.subarray(at, at + PIECE_BYTES)));
  keep(importer.end());
  return stored;
}

export function storedBytes(chunks: readonly StoredChunk[]): number {
  return chunks
    .flatMap(({ columns, dictionaries }) => [...columns, ...dictionaries])
    .reduce((sum, [, bytes]) => sum + bytes.length, 0);
}

/** Reads chunks, one after the other, with only the columns that are wanted. */
export function* readChunks(chunks: readonly StoredChunk[], wanted: ReadonlySet<string>): Generator<ChunkRows> {
  let dictionaries = new SegmentDictionaries();
  for (const chunk of chunks) {
    if (chunk.beginsSegment) dictionaries = new SegmentDictionaries();
    for (const [name, bytes] of chunk.dictionaries) if (wanted.has(name)) dictionaries.add(name, inflateSync(bytes));
    const columns = chunk.columns.filter(([name]) => wanted.has(name));
    yield new ChunkRows(
      chunk.numRows,
      new Map(columns.map(([name, bytes]) => [name, inflateSync(bytes)])),
      dictionaries,
    );
  }
}
