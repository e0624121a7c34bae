import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DEFAULT_BOUNDS } from '../bounds.js';
import { orderByTime } from './time-order.js';

describe('the order of a stored log', () => {
  it('that is in order is that of its chunks', () => {
    const times = [Float64Array.of(1, 2, 2), Float64Array.of(2, 5)];
    expect(orderByTime(times)).toEqual([{ chunks: [0] }, { chunks: [1] }]);
    expect(orderByTime([])).toEqual([]);
  });

  it('that is out of order has every row once, by time and by row among equal times', () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(fc.nat(20), { minLength: 1, maxLength: 8 }), { minLength: 1, maxLength: 5 }),
        (chunks) => {
          const segments = orderByTime(chunks.map((times) => Float64Array.from(times)));
          const rows = segments.flatMap(({ chunks: numbers, sequence }) =>
            sequence
              ? Array.from(sequence.rowOf, (row, index) => ({ chunk: numbers[sequence.chunkOf[index]!]!, row }))
              : chunks[numbers[0]!]!.map((_, row) => ({ chunk: numbers[0]!, row })),
          );
          const expected = chunks
            .flatMap((times, chunk) => times.map((time, row) => ({ chunk, row, time })))
            .sort((a, b) => a.time - b.time || a.chunk - b.chunk || a.row - b.row)
            .map(({ chunk, row }) => ({ chunk, row }));
          expect(rows).toEqual(expected);
        },
      ),
    );
  });

  it('is cut into segments that name only the chunks they take rows from', () => {
    const late = Float64Array.from({ length: DEFAULT_BOUNDS.chunkRows }, (_, row) => row + 10);
    const early = Float64Array.of(0, 1);
    const segments = orderByTime([late, early]);
    expect(segments.map(({ chunks, sequence }) => [chunks, sequence!.rowOf.length])).toEqual([
      [[0, 1], DEFAULT_BOUNDS.chunkRows],
      [[0], 2],
    ]);
  });
});
