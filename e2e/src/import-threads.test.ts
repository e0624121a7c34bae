import type { EncodedChunk } from '@jadefence/core/columns';
import type { LogFormat } from '@jadefence/core/logs';
import { LogImporter } from '@jadefence/core/parse-logs';
import type { RejectedLine } from '@jadefence/core/request';
import { ChunkBuilder } from '@jadefence/core/build-chunks';
import { MergedParser } from '@jadefence/core/parse-logs';
import type * as Files from '@jadefence/files';
import { describe, expect, it } from 'vitest';

/** What was built, since threads run that. */
const { importInThreads, importMerged } = (await import(
  new URL('../../packages/files/dist/index.js', import.meta.url).href
)) as typeof Files;

const ncsa = (line: number): string =>
  line % 1000 === 999
    ? `junk ${line}`
    : `shop.example 198.18.${line % 250}.7 - - [10/Oct/2026:13:55:${line % 60 < 10 ? '0' : ''}${line % 60} +0000] "GET /${'x'.repeat(line % 90)}/${line} HTTP/1.1" 200 ${line} "https://shop.example/${line % 7}" "${line % 50 === 0 ? 'odd \\"agent\\"' : line % 70 === 0 ? 'bl\\xc3\\xa5' : 'Heron/1'}"`;
const ndjson = (line: number): string =>
  line % 1000 === 999
    ? '{'
    : `{"timestamp":"2026-10-10T13:55:36Z","client.address":"198.18.0.7","url.path":"/${line}"}`;

async function* inPieces(bytes: Uint8Array, size: number): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < bytes.length; at += size) yield bytes.subarray(at, at + size);
}

const shown = (chunks: readonly EncodedChunk[]): unknown =>
  chunks.map(({ columns, dictionaries, ...chunk }) => ({
    ...chunk,
    bytes: [...columns, ...dictionaries].map(([name, bytes]) => [name, Buffer.from(bytes).toString('base64')]),
  }));

describe('a log that is imported in threads', () => {
  it.each<[LogFormat, (line: number) => string]>([
    ['combined-with-host', ncsa],
    ['ndjson', ndjson],
  ])(
    'has the same result bytes as in one, however it comes in: %s',
    async (format, lineAt) => {
      const text = Array.from({ length: 70_000 }, (_, line) => lineAt(line)).join('\n');
      const bytes = new TextEncoder().encode(text);
      const rejected: RejectedLine[] = [];
      const importer = new LogImporter(format, {}, (line) => rejected.push(line));
      const expected = shown([...importer.push(bytes), ...importer.end()]);
      expect(rejected).toHaveLength(70);
      for (const [numThreads, size] of [
        [1, 65_536],
        [2, 65_536],
        [2, 3_000_001],
      ] as const) {
        const chunks: EncodedChunk[] = [];
        const lines: RejectedLine[] = [];
        const task = { format, options: {}, keepsLines: true };
        for await (const imported of importInThreads(task, { pieces: inPieces(bytes, size) }, numThreads)) {
          chunks.push(...imported.chunks);
          lines.push(...imported.rejected);
        }
        expect(shown(chunks)).toEqual(expected);
        expect(lines).toEqual(rejected);
      }
    },
    60_000,
  );

  it.each<[LogFormat, (line: number) => string]>([
    ['combined-with-host', ncsa],
    ['ndjson', ndjson],
  ])('has the same result bytes as in one where it has several files: %s', async (format, lineAt) => {
    const files = [0, 1, 2].map((file) => {
      const lines = Array.from({ length: 30_000 }, (_, line) => lineAt(line * 3 + file));
      return new TextEncoder().encode(lines.join('\n'));
    });
    const names = files.map((_, file) => `${file}.log`);
    const rejected: RejectedLine[] = [];
    const parser = new MergedParser(format, {}, names, true);
    const builder = new ChunkBuilder(format, {}, (line) => rejected.push(line));
    const left = files.map((bytes) => [bytes]);
    const expected: EncodedChunk[] = [];
    for (let file = parser.wanted; file !== undefined; file = parser.wanted)
      expected.push(...builder.add(parser.push(left[file]!.shift())));
    expected.push(...builder.end());
    expect(rejected).toHaveLength(90);
    const chunks: EncodedChunk[] = [];
    const lines: RejectedLine[] = [];
    const task = { format, options: {}, keepsLines: true };
    const sizes = [65_536, 9_000, 3_000_001];
    const given = files.map((bytes, file) => ({ name: names[file]!, pieces: inPieces(bytes, sizes[file]!) }));
    for await (const imported of importMerged(task, given)) {
      chunks.push(...imported.chunks);
      lines.push(...imported.rejected);
    }
    expect(shown(chunks)).toEqual(shown(expected));
    expect(lines).toEqual(rejected);
  });

  it('ends if the options do not fit, or nothing comes', async () => {
    const task = (format: LogFormat) => ({ format, options: {}, keepsLines: true });
    const all = async (format: LogFormat, text: string): Promise<unknown[]> => {
      const imported: unknown[] = [];
      const pieces = inPieces(new TextEncoder().encode(text), 9);
      for await (const item of importInThreads(task(format), { pieces }, 2)) imported.push(item);
      return imported;
    };
    await expect(all('pattern', 'x\n')).rejects.toThrow('The format is that of a pattern, and none is given.');
    expect(await all('combined', '')).toEqual([{ chunks: [], rejected: [] }]);
    const files = ['a', 'b'].map((name) => ({ name, pieces: inPieces(new TextEncoder().encode('x\n'), 1) }));
    await expect(importMerged(task('pattern'), files).next()).rejects.toThrow('a pattern, and none is given');
  });
});
