import zlib from 'node:zlib';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { crc32, crc32Anywhere } from '../binary/checksum.js';
import { chunkOf } from '../test/chunk-of.js';
import { ChunkRows, type Row } from './chunk.js';
import { DamagedColumnError, decodeColumn, encodeIntegers } from './column.js';
import { SegmentDictionaries } from './segment-dictionaries.js';
import { DEFAULT_BOUNDS } from '../bounds.js';
import { SegmentWriter } from './segment-writer.js';

const cell = fc.oneof(
  fc.constant(null),
  fc.constantFrom('a', 'b\n"', '', '1', 'é', '\ud800', '\0x'),
  fc.constantFrom(0, 1, 1.5),
  fc.boolean(),
  fc.constantFrom(['a'], ['\ud800'], ['a', 'b'], [], [1], [1, 'a']),
  fc.constant({ a: [1] }),
);
const row: fc.Arbitrary<Row> = fc.record({
  line: fc.nat(),
  atUnixMs: fc.oneof(
    fc.integer({ min: -1e15, max: 1e15 }),
    fc.integer({ min: -1e6, max: 1e6 }).map((seconds) => seconds * 1000),
  ),
  attributes: fc.dictionary(
    fc.constantFrom('x', 'y', 'line', 'spill', 'with\0nul', ...Array.from({ length: 80 }, (_, index) => `a${index}`)),
    cell,
    { maxKeys: 40 },
  ),
});

/** Pages are mostly reached from their own site, of which only the rest is kept. */
const visit = fc.record({
  'http.request.header.host': fc.constantFrom(['a.example'], ['a.example:8'], 'a.example', ['a', 'b'], null, undefined),
  'http.request.header.referer': fc.constantFrom(
    ...[
      'https://a.example/x',
      'http://a.example',
      'https://a.example:8?q',
      'https://a.example.net/',
      'https://a.example/\ud800',
    ].map((url) => [url]),
    ['https://a.example/x', 'y'],
    'https://a.example/x',
    null,
  ),
});

describe('a chunk', () => {
  it('gives back every row as it was', () => {
    const rowOrVisit = fc.oneof(
      row,
      fc.tuple(row, visit).map(([one, attributes]) => ({ ...one, attributes })),
    );
    fc.assert(
      fc.property(fc.array(rowOrVisit, { minLength: 1, maxLength: 12 }), (rows) => {
        const stored = chunkOf(rows)!;
        expect(rows.map((_, index) => stored.row(index))).toEqual(
          rows.map((eachRow) => ({ ...eachRow, attributes: { ...eachRow.attributes } })),
        );
      }),
    );
  });

  it('keeps codes of one, two and three bytes', () => {
    for (const distinct of [250, 300, 65_536]) {
      const rows = Array.from({ length: distinct }, (_, line) => ({
        line,
        atUnixMs: line,
        attributes: { path: `/${line}`, same: 'x' },
      }));
      expect(chunkOf(rows)!.row(distinct - 1)).toEqual(rows.at(-1));
    }
  });

  it('without rows is nothing', () => expect(new SegmentWriter().endChunk()).toBeUndefined());
});

describe('the chunks of a segment', () => {
  it('bring what they add, and are read with what came before them', () => {
    const writer = new SegmentWriter();
    const rowOf = (chunk: number): Row => ({ line: chunk, atUnixMs: 0, attributes: { a: `v${chunk >> 1}` } });
    const chunks = Array.from({ length: DEFAULT_BOUNDS.segmentChunks + 2 }, (_, chunk) => {
      writer.push(rowOf(chunk));
      return writer.endChunk()!;
    });
    expect(chunks.flatMap(({ beginsSegment }, chunk) => (beginsSegment ? [chunk] : []))).toEqual([
      0,
      DEFAULT_BOUNDS.segmentChunks,
    ]);
    expect(chunks.map(({ dictionaries }) => dictionaries.size)).toEqual(chunks.map((_, chunk) => 1 - (chunk % 2)));
    let dictionaries = new SegmentDictionaries();
    chunks.forEach((chunk, number) => {
      if (chunk.beginsSegment) dictionaries = new SegmentDictionaries();
      for (const [name, part] of chunk.dictionaries) dictionaries.add(name, part);
      expect(new ChunkRows(chunk.numRows, chunk.columns, dictionaries).row(0)).toEqual(rowOf(number));
    });
  });
});

/** Two rows as the first release stored them: path /a and none, at 5 and 7. */
const V1 = {
  line: 'SkZDTAEBAAACAAAAURHhnQIC',
  time: 'SkZDTAEBAAACAAAAbD5bvAoE',
  path: 'SkZDTAECAAACAAAAF9VbDgEBAAAABAAAACIvYSICAQ==',
};

describe('version 1', () => {
  const bytesOf = (text: string): Uint8Array => Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
  it('is still read', () => {
    const rows = new ChunkRows(
      2,
      new Map([
        ['line', bytesOf(V1.line)],
        ['time', bytesOf(V1.time)],
        ['path', bytesOf(V1.path)],
      ]),
    );
    expect([rows.row(0), rows.row(1)]).toEqual([
      { line: 1, atUnixMs: 5, attributes: { path: '/a' } },
      { line: 2, atUnixMs: 7, attributes: { path: null } },
    ]);
  });
});

describe('a damaged column', () => {
  const good = encodeIntegers(Float64Array.of(1));
  const changed = (at: number, to: number): Uint8Array => good.map((byte, index) => (index === at ? to : byte));
  const noDictionary = () => new SegmentDictionaries().of('x');

  it.each([
    [good.subarray(0, 3), 1, 'the bytes do not begin as a column'],
    [changed(0, 0), 1, 'the bytes do not begin as a column'],
    [changed(4, 9), 1, 'the column has version 9, expected at most 3'],
    [changed(5, 9), 1, 'the column has the unknown type 9'],
    [changed(17, 9), 1, 'the checksum does not fit the bytes'],
    [good, 2, 'the column has 1 rows, expected 2'],
    [encodeIntegers(Float64Array.of(1, 2)), 3, 'the column has 2 rows, expected 3'],
  ])('is refused by naming what is wrong', (bytes, numRows, message) => {
    expect(() => decodeColumn(bytes, numRows, noDictionary)).toThrow(new DamagedColumnError(message));
  });

  it('is one whose dictionary has lost a part', () => {
    const writer = new SegmentWriter();
    const [first, second] = ['a', 'b'].map((text, line) => {
      writer.push({ line, atUnixMs: 0, attributes: { x: text } });
      return writer.endChunk()!;
    });
    const dictionaries = new SegmentDictionaries();
    dictionaries.add('x', first!.dictionaries.get('x')!);
    expect(() => new ChunkRows(1, second!.columns, dictionaries)).toThrow(
      new DamagedColumnError('column x: a code has no value: 1'),
    );
  });
});

describe.each([
  ['of the platform', crc32],
  ['portable', crc32Anywhere],
])('CRC-32 %s', (_, checksum) => {
  it('gives the check value of the standard', () =>
    expect(checksum(new TextEncoder().encode('123456789'))).toBe(0xcbf43926));

  it('is the same for any length and place in memory', () => {
    const bytes = Uint8Array.from({ length: 64 }, (_, at) => at * 37);
    for (let end = 0; end <= 64; end += 1) {
      const part = bytes.subarray(end % 9, Math.max(end, end % 9));
      expect(checksum(part)).toBe(zlib.crc32(part));
    }
  });
});
