import { LRUCache } from 'lru-cache';
import { ChunkRows, DamagedColumnError, SegmentDictionaries } from '@jadefence/core/columns';
import type { Logs } from './logs.js';

/** Segments whose dictionaries are kept: rows in the order of their time come from two at a time. */
const KEPT_SEGMENTS = 3;

/** Chunks of a log that are opened one after the other: of their dictionaries only what each adds is loaded. */
export class ChunkSequence {
  readonly #known = new LRUCache<number, { readonly dictionaries: SegmentDictionaries; upTo: number }>({
    max: KEPT_SEGMENTS,
  });

  /** @param attributes whose columns are loaded */
  constructor(
    private readonly logs: Pick<Logs, 'load'>,
    private readonly logId: number,
    private readonly attributes: readonly string[],
  ) {}

  /** @throws DamagedColumnError naming the chunk and the column */
  async open(numbers: readonly number[]): Promise<ChunkRows[]> {
    const known = new Map([...this.#known.entries()].map(([segment, { upTo }]) => [segment, upTo]));
    const { chunks, dictionaries } = await this.logs.load(this.logId, numbers, this.attributes, known);
    for (const [segment, { after, upTo, parts }] of dictionaries) {
      const before = after === undefined ? undefined : this.#known.get(segment);
      const all = before?.dictionaries ?? new SegmentDictionaries();
      for (const [column, part] of parts) all.add(column, part);
      this.#known.set(segment, { dictionaries: all, upTo });
    }
    return chunks.map(({ chunk, numRows, segment, columns }) => {
      try {
        return new ChunkRows(numRows, columns, this.#known.get(segment)!.dictionaries);
      } catch (error) {
        throw new DamagedColumnError(`chunk ${chunk}, ${(error as Error).message}`);
      }
    });
  }
}
