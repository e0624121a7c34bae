import { ChunkRows, DamagedColumnError, SegmentDictionaries } from '@jadefence/core';

/** Chunks of a log as they are sent to a thread, with the dictionaries of their segments as far as they need them. */
export interface ChunksSource {
  readonly chunks: readonly {
    readonly chunk: number;
    readonly numRows: number;
    /** The chunk that its segment begins with. */
    readonly segment: number;
    /** The bytes of each column, decompressed. */
    readonly columns: ReadonlyMap<string, Uint8Array>;
  }[];
  /** By segment, what its chunks added to the dictionaries of columns, in order, decompressed. */
  readonly dictionaries: ReadonlyMap<number, readonly (readonly [column: string, bytes: Uint8Array])[]>;
}

/** @throws DamagedColumnError naming the chunk and the column */
export function openChunks({ chunks, dictionaries }: ChunksSource): ChunkRows[] {
  const opened = new Map(
    [...dictionaries].map(([segment, parts]) => {
      const all = new SegmentDictionaries();
      for (const [column, part] of parts) all.add(column, part);
      return [segment, all];
    }),
  );
  return chunks.map(({ chunk, numRows, columns, segment }) => {
    try {
      return new ChunkRows(numRows, columns, opened.get(segment));
    } catch (error) {
      throw new DamagedColumnError(`chunk ${chunk}, ${(error as Error).message}`);
    }
  });
}
