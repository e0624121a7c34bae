/** The frozen log in stored columns, as the service keeps them. */
import { promisify } from 'node:util';
import { constants, deflate, deflateSync, inflateSync, type ZlibOptions } from 'node:zlib';
import { ChunkBuilder, type ParsedLines } from '@jadefence/core/build-chunks';
import { ChunkRows, SegmentDictionaries, type EncodedChunk } from '@jadefence/core/columns';
import type { LogFormat } from '@jadefence/core/logs';
import { LogParser } from '@jadefence/core/parse-logs';
import type { RejectedLine } from '@jadefence/core/request';
import type * as Files from '@jadefence/files';
import { Stages } from '../measure.js';

/** A chunk as it lies in the database. */
export interface StoredChunk {
  readonly numRows: number;
  readonly beginsSegment: boolean;
  readonly columns: readonly (readonly [name: string, bytes: Uint8Array])[];
  readonly dictionaries: readonly (readonly [name: string, bytes: Uint8Array])[];
}

const PIECE_BYTES = 262_144;
const BUILT_FILES = new URL('../../../packages/files/dist/index.js', import.meta.url).href;
const deflateBytes = promisify<Uint8Array, ZlibOptions, Buffer>(deflate);

/** Imports lines of NCSA combined with the host in front, compression included, on one thread. */
export function importCombined(log: Uint8Array, stages = new Stages()): StoredChunk[] {
  return importLog(log, 'combined-with-host', stages, ({ line, reason }) => {
    throw new Error(`line ${line} of the generated log was rejected: ${reason}`);
  });
}

/** The same of a log in any format. */
export function importLog(
  log: Uint8Array,
  format: LogFormat,
  stages = new Stages(),
  onRejected: (line: RejectedLine) => void = () => undefined,
): StoredChunk[] {
  const stored: StoredChunk[] = [];
  const parser = new LogParser(format, {}, true);
  const builder = new ChunkBuilder(format, {}, onRejected);
  const take = (parse: () => ParsedLines): void => {
    const lines = stages.time('taking lines apart', parse);
    keep(stages.time('dictionaries and columns', () => builder.add(lines)));
  };
  const keep = (chunks: readonly EncodedChunk[]): void =>
    stages.time('compressing', () => {
      for (const { numRows, beginsSegment, columns, dictionaries } of chunks)
        stored.push({
          numRows,
          beginsSegment,
          columns: [...columns].map(([name, bytes]) => [name, deflateSync(bytes, { strategy: constants.Z_RLE })]),
          dictionaries: [...dictionaries].map(([name, bytes]) => [name, deflateSync(bytes)]),
        });
    });
  for (let at = 0; at < log.length; at += PIECE_BYTES) take(() => parser.parse(log.subarray(at, at + PIECE_BYTES)));
  take(() => parser.end());
  keep(builder.end());
  return stored;
}

/**
 * The same with a thread that takes lines apart and one that builds chunks, and the compression in those of Node, as the
 * service does it. Runs what was built, since threads do.
 */
export async function importInTwoThreads(log: Uint8Array): Promise<StoredChunk[]> {
  const { importInThreads } = (await import(BUILT_FILES)) as typeof Files;
  const stored: Promise<StoredChunk>[] = [];
  const task: Files.ImportTask = { format: 'combined-with-host', options: {}, keepsLines: true };
  for await (const { chunks } of importInThreads(task, { pieces: piecesOf(log) }, 2))
    stored.push(...chunks.map(compress));
  return Promise.all(stored);
}

async function compress({ numRows, beginsSegment, columns, dictionaries }: EncodedChunk): Promise<StoredChunk> {
  const all = (parts: ReadonlyMap<string, Uint8Array>, options: ZlibOptions): Promise<[string, Buffer][]> =>
    Promise.all([...parts].map(async ([name, bytes]) => [name, await deflateBytes(bytes, options)]));
  return {
    numRows,
    beginsSegment,
    columns: await all(columns, { strategy: constants.Z_RLE }),
    dictionaries: await all(dictionaries, {}),
  };
}

async function* piecesOf(log: Uint8Array): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < log.length; at += PIECE_BYTES) yield log.subarray(at, at + PIECE_BYTES);
}

export function storedBytes(chunks: readonly StoredChunk[]): number {
  return chunks
    .flatMap(({ columns, dictionaries }) => [...columns, ...dictionaries])
    .reduce((sum, [, bytes]) => sum + bytes.length, 0);
}

/** Reads chunks, one after the other, with only the columns that are wanted. */
export function* readChunks(chunks: readonly StoredChunk[], wanted: ReadonlySet<string>): Generator<ChunkRows> {
  let dictionaries = new SegmentDictionaries();
  for (const chunk of chunks) {
    if (chunk.beginsSegment) dictionaries = new SegmentDictionaries();
    for (const [name, bytes] of chunk.dictionaries) if (wanted.has(name)) dictionaries.add(name, inflateSync(bytes));
    const columns = chunk.columns.filter(([name]) => wanted.has(name));
    yield new ChunkRows(
      chunk.numRows,
      new Map(columns.map(([name, bytes]) => [name, inflateSync(bytes)])),
      dictionaries,
    );
  }
}
