import { ChunkRows, type Row } from '../columns/chunk.js';
import { SegmentDictionaries } from '../columns/segment-dictionaries.js';
import { SegmentWriter } from '../columns/segment-writer.js';

/** Rows written to a chunk and opened again; undefined for none. */
export function chunkOf(rows: readonly Row[]): ChunkRows | undefined {
  const writer = new SegmentWriter();
  rows.forEach((row) => writer.push(row));
  const chunk = writer.endChunk();
  if (!chunk) return undefined;
  const dictionaries = new SegmentDictionaries();
  for (const [name, part] of chunk.dictionaries) dictionaries.add(name, part);
  return new ChunkRows(chunk.numRows, chunk.columns, dictionaries);
}
