/**
 * The order in which a stored log is judged by rules that remember: by time, and by row among equal times, cut into
 * segments of the size of a chunk. A log that is in order has its chunks for segments.
 */
import { CHUNK_ROWS } from '../columns/chunk.js';
import type { RowSequence } from './replay-chunk.js';

/** Rows that are judged together, after those of the segment before. */
export interface Segment {
  /** The chunks it takes rows from, ascending. */
  readonly chunks: readonly number[];
  /** Absent where the segment is one whole chunk in its own order. */
  readonly sequence?: RowSequence;
}

/** @param times the times of the rows of each chunk, in milliseconds */
export function orderByTime(times: readonly Float64Array[]): Segment[] {
  if (isAscending(times)) return times.map((_, chunk) => ({ chunks: [chunk] }));
  const numRows = times.reduce((sum, chunk) => sum + chunk.length, 0);
  const chunkOf = new Uint32Array(numRows);
  const rowOf = new Uint32Array(numRows);
  const all = new Float64Array(numRows);
  let at = 0;
  times.forEach((chunk, number) => {
    all.set(chunk, at);
    for (let row = 0; row < chunk.length; row += 1, at += 1) {
      chunkOf[at] = number;
      rowOf[at] = row;
    }
  });
  const order = Uint32Array.from({ length: numRows }, (_, index) => index).sort((a, b) => all[a]! - all[b]! || a - b);
  const segments: Segment[] = [];
  for (let start = 0; start < numRows; start += CHUNK_ROWS) {
    const rows = order.subarray(start, start + CHUNK_ROWS);
    const chunks = [...new Set(Array.from(rows, (row) => chunkOf[row]!))].sort((a, b) => a - b);
    const indexOf = new Map(chunks.map((chunk, index) => [chunk, index]));
    segments.push({
      chunks,
      sequence: {
        chunkOf: Uint32Array.from(rows, (row) => indexOf.get(chunkOf[row]!)!),
        rowOf: Uint32Array.from(rows, (row) => rowOf[row]!),
      },
    });
  }
  return segments;
}

function isAscending(times: readonly Float64Array[]): boolean {
  let last = Number.NEGATIVE_INFINITY;
  for (const chunk of times) {
    for (const time of chunk) {
      if (time < last) return false;
      last = time;
    }
  }
  return true;
}
