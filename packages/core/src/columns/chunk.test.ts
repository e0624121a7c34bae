import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ChunkBuilder, ChunkRows, type Row } from './chunk.js';
import { crc32 } from '../binary/checksum.js';
import { DamagedColumnError, decodeColumn, encodeIntegers, ValueColumnBuilder } from './column.js';

const cell = fc.oneof(
  fc.constant(null),
  fc.constantFrom('a', 'b\n"', '', '1', 'é'),
  fc.constantFrom(0, 1, 1.5),
  fc.boolean(),
  fc.constantFrom(['a'], ['a', 'b'], []),
  fc.constant({ a: [1] }),
);
const row: fc.Arbitrary<Row> = fc.record({
  line: fc.nat(),
  atUnixMs: fc.integer({ min: -1e15, max: 1e15 }),
  attributes: fc.dictionary(
    fc.constantFrom('x', 'y', 'line', 'spill', 'with\0nul', ...Array.from({ length: 80 }, (_, index) => `a${index}`)),
    cell,
    { maxKeys: 40 },
  ),
});

function roundTrip(rows: readonly Row[], asBuffer: boolean): Row[] {
  const builder = new ChunkBuilder();
  rows.forEach((one) => builder.push(one));
  const chunk = builder.encode()!;
  const columns = new Map(
    [...chunk.columns].map(([name, bytes]) => [
      name,
      asBuffer ? Buffer.concat([Buffer.from('x'), bytes]).subarray(1) : bytes,
    ]),
  );
  const stored = new ChunkRows(chunk.numRows, columns);
  return rows.map((_, index) => stored.row(index));
}

describe('a chunk', () => {
  it('gives back every row as it was, whoever owns the bytes', () => {
    fc.assert(
      fc.property(fc.array(row, { minLength: 1, maxLength: 12 }), fc.boolean(), (rows, asBuffer) => {
        expect(roundTrip(rows, asBuffer)).toEqual(rows.map((one) => ({ ...one, attributes: { ...one.attributes } })));
      }),
    );
  });

  it('keeps codes of one, two and four bytes', () => {
    for (const distinct of [250, 300, 70_000]) {
      const rows = Array.from({ length: distinct }, (_, line) => ({
        line,
        atUnixMs: line,
        attributes: { path: `/${line}` },
      }));
      expect(roundTrip(rows, true).at(-1)).toEqual(rows.at(-1));
    }
  });

  it('without rows is nothing', () => expect(new ChunkBuilder().encode()).toBeUndefined());
});

describe('a damaged column', () => {
  const column = new ValueColumnBuilder();
  column.push('a');
  const good = column.encode();
  const changed = (at: number, to: number): Uint8Array => good.map((byte, index) => (index === at ? to : byte));

  it.each([
    [good.subarray(0, 3), 1, 'the bytes do not begin as a column'],
    [changed(0, 0), 1, 'the bytes do not begin as a column'],
    [changed(4, 9), 1, 'the column has version 9, expected 1'],
    [changed(5, 9), 1, 'the column has the unknown type 9'],
    [changed(20, 9), 1, 'the checksum does not fit the bytes'],
    [good, 2, 'the column has 1 rows, expected 2'],
    [encodeIntegers([1, 2]), 3, 'the column has 2 rows, expected 3'],
  ])('is refused by naming what is wrong', (bytes, numRows, message) => {
    expect(() => decodeColumn(bytes, numRows)).toThrow(new DamagedColumnError(message));
  });
});

it('CRC-32 gives the check value of the standard', () =>
  expect(crc32(new TextEncoder().encode('123456789'))).toBe(0xcbf43926));
