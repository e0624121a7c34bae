/**
 * The order in which a stored log is judged by rules that remember: by time, then file, then line, cut into segments of
 * the size of a chunk. A log that is in order has its chunks for segments.
 */
import { engineBounds } from '../bounds.js';
import type { ChunkRows } from '../columns/chunk.js';
import { cellAt } from '../columns/column.js';
import { FILE_ATTRIBUTE } from '../request/record.js';
import type { RowSequence } from './replay-chunk.js';

/** Rows that are judged together, after those of the segment before. */
export interface Segment {
  /** The chunks it takes rows from, ascending. */
  readonly chunks: readonly number[];
  /** Absent where the segment is one whole chunk in its own order. */
  readonly sequence?: RowSequence;
}

/**
 * By row, the position of its file among those of the log.
 * @param names the files of the log, in order
 */
export function filesOfRows(rows: ChunkRows, names: readonly string[]): Uint32Array {
  const positions = new Map(names.map((name, position) => [name, position]));
  const column = rows.column(FILE_ATTRIBUTE);
  const spilled = new Set(column ? [] : rows.spilledRows);
  return Uint32Array.from({ length: rows.numRows }, (_, row) => {
    const cell = column ? cellAt(column, row) : spilled.has(row) ? rows.attributesAt(row)[FILE_ATTRIBUTE] : undefined;
    return (typeof cell === 'string' && positions.get(cell)) || 0;
  });
}

/** Whether the rows of the chunks, one chunk after the other, are in the order of time. */
export function isInTimeOrder(times: readonly Float64Array[]): boolean {
  let last = Number.NEGATIVE_INFINITY;
  for (const chunk of times) {
    for (const time of chunk) {
      if (time < last) return false;
      last = time;
    }
  }
  return true;
}

/**
 * @param times by chunk and row, in milliseconds
 * @param files by chunk and row, the position of its file; absent where the log is one file. Rows of one file must come
 *   in the order of its lines.
 */
export function orderByTime(times: readonly Float64Array[], files?: readonly Uint32Array[]): Segment[] {
  if (isInTimeOrder(times)) return times.map((_, chunk) => ({ chunks: [chunk] }));
  const numRows = times.reduce((sum, chunk) => sum + chunk.length, 0);
  const chunkOf = new Uint32Array(numRows);
  const rowOf = new Uint32Array(numRows);
  const all = new Float64Array(numRows);
  const fileOf = files && new Uint32Array(numRows);
  let at = 0;
  times.forEach((chunk, number) => {
    all.set(chunk, at);
    fileOf?.set(files![number]!, at);
    for (let row = 0; row < chunk.length; row += 1, at += 1) {
      chunkOf[at] = number;
      rowOf[at] = row;
    }
  });
  const order = Uint32Array.from({ length: numRows }, (_, index) => index).sort(
    (a, b) => all[a]! - all[b]! || (fileOf ? fileOf[a]! - fileOf[b]! : 0) || a - b,
  );
  const segments: Segment[] = [];
  const { chunkRows } = engineBounds();
  for (let start = 0; start < numRows; start += chunkRows) {
    const rows = order.subarray(start, start + chunkRows);
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
