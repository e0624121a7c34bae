import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { KINDS, type Cell } from './column.js';
import { DEFAULT_BOUNDS } from '../bounds.js';
import { SegmentWriter } from './segment-writer.js';

const HEADER_BYTES = 16;

/** A column as it is stored, written down the slow way: what its dictionary has so far, and the payloads of a chunk. */
class NaiveColumn {
  readonly #numbers = new Map<string, number>();

  /** @returns the payloads of the codes and of what the dictionary has more */
  endChunk(cells: readonly Cell[]): { codes: Buffer; part: Buffer | undefined } {
    const added: Buffer[] = [];
    const codes = cells.map((cell) => {
      if (cell === undefined) return 0;
      if (cell === null) return 1;
      const entry = entryOf(cell);
      const key = entry.toString('latin1');
      if (!this.#numbers.has(key)) {
        this.#numbers.set(key, this.#numbers.size);
        added.push(entry);
      }
      return this.#numbers.get(key)! + 2;
    });
    const part = added.length === 0 ? undefined : Buffer.concat([...added.map(({ length }) => leb(length)), ...added]);
    return { codes: planesOf(codes), part };
  }
}

function entryOf(cell: NonNullable<Cell>): Buffer {
  const kinded = (kind: number, text: string): Buffer => Buffer.concat([Buffer.of(kind), Buffer.from(text)]);
  if (typeof cell === 'string') return kinded(KINDS.text, cell);
  const isList = Array.isArray(cell) && cell.length === 1 && typeof cell[0] === 'string';
  return isList ? kinded(KINDS.list, cell[0] as string) : kinded(KINDS.json, JSON.stringify(cell));
}

function planesOf(codes: readonly number[]): Buffer {
  if (codes.every((code) => code === codes[0])) {
    const item = Buffer.alloc(5);
    item.writeUInt32LE(codes[0]!, 1);
    return item;
  }
  const numPlanes = Math.max(...codes) < 0x100 ? 1 : Math.max(...codes) < 0x10000 ? 2 : 3;
  const planes = Array.from({ length: numPlanes }, (_, plane) =>
    Buffer.from(codes.map((code) => code >>> (plane * 8))),
  );
  return Buffer.concat([Buffer.of(numPlanes), ...planes]);
}

function leb(value: number): Buffer {
  return value < 0x80 ? Buffer.of(value) : Buffer.concat([Buffer.of((value & 0x7f) | 0x80), leb(value >>> 7)]);
}

/** Few values that come up again, and many that do not, of all lengths around words of eight and sixteen bytes. */
const cell: fc.Arbitrary<Cell> = fc.oneof(
  { weight: 1, arbitrary: fc.constantFrom(undefined, null, '', 'a', ['a'], ['a', 'b'], 7, true, 'caf\u00e9') },
  { weight: 3, arbitrary: fc.nat(5000).map((number) => `${'x'.repeat(number % 40)}${number}`) },
);

describe('chunks that are written', () => {
  it('are byte for byte what is written down the slow way, segment after segment', () => {
    fc.assert(
      fc.property(
        fc.array(fc.array(fc.tuple(cell, cell), { minLength: 1, maxLength: 40 }), { minLength: 1, maxLength: 40 }),
        fc.nat(400),
        (chunks, numMore) => {
          const writer = new SegmentWriter();
          let naive = new Map(['one', 'two'].map((name) => [name, new NaiveColumn()]));
          for (const [index, given] of chunks.entries()) {
            if (index % DEFAULT_BOUNDS.segmentChunks === 0)
              naive = new Map(['one', 'two'].map((name) => [name, new NaiveColumn()]));
            // So many values that tables and arrays grow.
            const more = Array.from({ length: numMore }, (_, row): [Cell, Cell] => [`${index} ${row}`, row % 3]);
            const rows = [...given, ...more];
            for (const [line, [one, two]] of rows.entries())
              writer.push({ line, atUnixMs: 0, attributes: { one, two } });
            const { columns, dictionaries } = writer.endChunk()!;
            for (const [place, name] of ['one', 'two'].entries()) {
              const cells = rows.map((row) => row[place]);
              const payload = (bytes: Uint8Array | undefined): string | undefined =>
                bytes && Buffer.from(bytes.subarray(HEADER_BYTES)).toString('hex');
              const isThere = cells.some((eachCell) => eachCell !== undefined);
              const expected = isThere ? naive.get(name)!.endChunk(cells) : undefined;
              expect(payload(columns.get(name))).toBe(expected?.codes.toString('hex'));
              expect(payload(dictionaries.get(name))).toBe(expected?.part?.toString('hex'));
            }
          }
        },
      ),
      { numRuns: 60 },
    );
  });
});
