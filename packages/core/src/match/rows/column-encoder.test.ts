import fc from 'fast-check';
import { expect, it } from 'vitest';
import { DEFAULT_BOUNDS } from '../../bounds.js';
import { ChunkRows } from '../../columns/chunk.js';
import type { Cell } from '../../columns/column.js';
import { SegmentDictionaries } from '../../columns/segment-dictionaries.js';
import { SegmentWriter } from '../../columns/segment-writer.js';
import { ColumnEncoder } from './column-encoder.js';
import { feature, type Feature } from '../features/features.js';

type Attributes = Readonly<Record<string, Cell>>;

/** Chunks of one segment. */
function segmentOf(chunks: readonly (readonly Attributes[])[], hasWhole: boolean): ChunkRows[] {
  const writer = new SegmentWriter();
  const encoded = chunks.map((rows) => {
    rows.forEach((attributes, line) => writer.push({ line, atUnixMs: line, attributes }));
    return writer.endChunk()!;
  });
  const dictionaries = new SegmentDictionaries();
  const add = ({ dictionaries: parts }: (typeof encoded)[number]): void => {
    for (const [name, part] of parts) dictionaries.add(name, part);
  };
  // Known whole before the first chunk is read, as where they are kept, or known as far as they are needed.
  if (hasWhole) encoded.forEach(add);
  return encoded.map((chunk) => {
    if (!hasWhole) add(chunk);
    return new ChunkRows(chunk.numRows, chunk.columns, dictionaries);
  });
}

const cell = fc.constantFrom<Cell[]>(undefined, null, 'x', 'y', 'z', ['x'], 7, ...Array.from('abcdefghijkl'));
const row = fc.record({ a: cell, b: fc.constantFrom<Cell[]>(undefined, 'p', 'q') }) as fc.Arbitrary<Attributes>;
/** So many that there is no column for others. */
const CROWD = Object.fromEntries(
  Array.from({ length: DEFAULT_BOUNDS.valueColumns }, (_, index) => [`x.${index}`, 'x']),
);
const withCrowd = fc.tuple(row, fc.boolean()).map(([one, isSpilled]) => (isSpilled ? { ...CROWD, ...one } : one));

it('a chunk at any place of its segment gives the results of its rows one by one', () => {
  const seen = { fromTheMiddle: 0, spilled: 0 };
  fc.assert(
    fc.property(
      fc.array(fc.array(fc.oneof({ weight: 9, arbitrary: row }, withCrowd), { minLength: 1, maxLength: 6 }), {
        minLength: 1,
        maxLength: 6,
      }),
      fc.array(fc.nat(), { maxLength: 8 }),
      fc.boolean(),
      fc.constantFrom(['a'], ['?a', 'b'], ['a', 'b'], ['b']),
      (parts, drawn, hasWhole, inputs) => {
        const features = [1, 2].map((factor): Feature<number> =>
          feature(`x${factor}`, inputs, ({ attributes }) => numberOf(attributes as Attributes, inputs) * factor),
        );
        const encoder = new ColumnEncoder(inputs, features);
        const order = hasWhole ? drawn.map((nth) => nth % parts.length) : parts.keys();
        const chunks = segmentOf(parts, hasWhole);
        for (const index of order) {
          const rows = chunks[index]!;
          if (hasWhole && (rows.column('a')?.dictionary.numValues ?? 0) > rows.numRows) seen.fromTheMiddle += 1;
          seen.spilled += rows.spilledRows.length;
          const shown = encoder
            .read(rows)
            .map(({ keys, numbers }) => Array.from(keys.subarray(0, rows.numRows), (key) => numbers[key]));
          const expected = parts[index]!.map((attributes) => numberOf(attributes, inputs));
          expect(shown).toEqual([expected, expected.map((number) => number * 2)]);
        }
      },
    ),
  );
  expect(seen.fromTheMiddle).toBeGreaterThan(10);
  expect(seen.spilled).toBeGreaterThan(10);
});

/** A number for what a feature may look at: of an input with `?` in front only whether it is there. */
function numberOf(attributes: Attributes, inputs: readonly string[]): number {
  const seen = inputs.map((name) =>
    name.startsWith('?') ? attributes[name.slice(1)] !== undefined : attributes[name],
  );
  const text = JSON.stringify(seen.map((value) => (value === undefined ? ['unknown'] : { one: value })));
  return [...text].reduce((sum, character) => (sum * 33 + character.charCodeAt(0)) % 65_521, 7);
}
