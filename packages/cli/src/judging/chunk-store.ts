import { mkdtemp, open, rm, type FileHandle } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { LRUCache } from 'lru-cache';
import { ChunkRows, SegmentDictionaries, TIME_COLUMN, type EncodedChunk } from '@jadefence/core/columns';

/** Where bytes lie in the file. */
interface RowSpan {
  readonly name: string;
  readonly from: number;
  readonly numBytes: number;
}

interface StoredChunk {
  readonly numRows: number;
  readonly columns: readonly RowSpan[];
  readonly dictionaries: readonly RowSpan[];
  readonly segment: number;
}

/** Segments whose dictionaries are kept open: of a log that is nearly in order, rows of two come together. */
const KEPT_SEGMENTS = 3;

/** Chunks of a log in a temporary file, read in any order. */
export class ChunkStore {
  readonly #chunks: StoredChunk[] = [];
  readonly #times: Float64Array[] = [];
  readonly #open = new LRUCache<number, SegmentDictionaries>({ max: KEPT_SEGMENTS });
  #numBytes = 0;

  private constructor(
    private readonly folder: string,
    private readonly file: FileHandle,
  ) {}

  static async create(): Promise<ChunkStore> {
    const folder = await mkdtemp(join(tmpdir(), 'jadefence-judge-'));
    return new ChunkStore(folder, await open(join(folder, 'chunks'), 'w+'));
  }

  async add({ numRows, columns, dictionaries, beginsSegment }: EncodedChunk): Promise<void> {
    const number = this.#chunks.length;
    this.#times.push(new ChunkRows(numRows, new Map([[TIME_COLUMN, columns.get(TIME_COLUMN)!]])).timesUnixMs());
    this.#chunks.push({
      numRows,
      columns: await this.#write(columns),
      dictionaries: await this.#write(dictionaries),
      segment: beginsSegment ? number : this.#chunks[number - 1]!.segment,
    });
  }

  get columnNames(): string[] {
    return [...new Set(this.#chunks.flatMap(({ columns }) => columns.map(({ name }) => name)))];
  }

  /** Of the rows of each chunk, in milliseconds since the epoch. */
  get times(): readonly Float64Array[] {
    return this.#times;
  }

  /** The rows of a chunk, once all chunks are there. */
  async rows(number: number): Promise<ChunkRows> {
    const { numRows, columns, segment } = this.#chunks[number]!;
    return new ChunkRows(numRows, new Map(await this.#read(columns)), await this.#dictionariesOf(segment));
  }

  async remove(): Promise<void> {
    await this.file.close();
    await rm(this.folder, { recursive: true, force: true });
  }

  async #dictionariesOf(segment: number): Promise<SegmentDictionaries> {
    const known = this.#open.get(segment);
    if (known) return known;
    const dictionaries = new SegmentDictionaries();
    for (const chunk of this.#chunks)
      if (chunk.segment === segment)
        for (const [name, part] of await this.#read(chunk.dictionaries)) dictionaries.add(name, part);
    this.#open.set(segment, dictionaries);
    return dictionaries;
  }

  async #write(parts: ReadonlyMap<string, Uint8Array>): Promise<RowSpan[]> {
    const spans: RowSpan[] = [];
    for (const [name, bytes] of parts) {
      await this.file.write(bytes, 0, bytes.length, this.#numBytes);
      spans.push({ name, from: this.#numBytes, numBytes: bytes.length });
      this.#numBytes += bytes.length;
    }
    return spans;
  }

  async #read(spans: readonly RowSpan[]): Promise<[string, Uint8Array][]> {
    return Promise.all(
      spans.map(async ({ name, from, numBytes }): Promise<[string, Uint8Array]> => {
        const bytes = new Uint8Array(numBytes);
        await this.file.read(bytes, 0, numBytes, from);
        return [name, bytes];
      }),
    );
  }
}
