import { LRUCache } from 'lru-cache';
import { ChunkRows, DamagedColumnError, SegmentDictionaries } from '@jadefence/core/columns';

/** Chunks of a log as they are sent to a thread, with the dictionaries of their segments as far as they need them. */
export interface ChunkPayload {
  readonly chunks: readonly {
    readonly chunk: number;
    readonly numRows: number;
    /** The chunk that its segment begins with. */
    readonly segment: number;
    /** The bytes of each column, decompressed. */
    readonly columns: ReadonlyMap<string, Uint8Array>;
  }[];
  /** By segment. */
  readonly dictionaries: ReadonlyMap<number, DictionaryParts>;
  /** Under this name the thread keeps the dictionaries, so that the next chunks need only what they add. */
  readonly run?: string;
}

/** What chunks added to the dictionaries of their segment. */
export interface DictionaryParts {
  /** Up to which chunk the thread has them from the chunks before; absent where it needs all. */
  readonly after?: number;
  readonly upTo: number;
  /** In the order of the chunks, decompressed. */
  readonly parts: readonly (readonly [column: string, bytes: Uint8Array])[];
}

interface CachedDictionary {
  readonly dictionaries: SegmentDictionaries;
  upTo: number;
}

/** The dictionaries of the chunks that were opened last, by run and segment. */
const MAX_RUNS = 4;
const kept = new LRUCache<string, ReadonlyMap<number, CachedDictionary>>({ max: MAX_RUNS });

/** Chunks that are opened when they are requested: many columns of many chunks take much memory. */
export class OpenChunks {
  readonly #opened: (ChunkRows | undefined)[] = [];

  constructor(
    private readonly chunks: ChunkPayload['chunks'],
    private readonly dictionaries: ReadonlyMap<number, CachedDictionary>,
  ) {}

  /** @throws DamagedColumnError naming the chunk and the column */
  at(index: number): ChunkRows {
    return (this.#opened[index] ??= this.#open(index));
  }

  /** It is not used any more. */
  close(index: number): void {
    this.#opened[index] = undefined;
  }

  #open(index: number): ChunkRows {
    const { chunk, numRows, columns, segment } = this.chunks[index]!;
    try {
      return new ChunkRows(numRows, columns, this.dictionaries.get(segment)?.dictionaries);
    } catch (error) {
      throw new DamagedColumnError(`chunk ${chunk}, ${(error as Error).message}`);
    }
  }
}

/**
 * @returns undefined where dictionaries are missing that were kept once: then all of them are needed
 * @throws DamagedColumnError naming the column
 */
export function openWithCachedDictionaries({ chunks, dictionaries, run }: ChunkPayload): OpenChunks | undefined {
  const before = run === undefined ? undefined : kept.get(run);
  // Whatever fails here leaves none behind.
  if (run !== undefined) kept.delete(run);
  const opened = new Map<number, CachedDictionary>();
  for (const [segment, { after, upTo, parts }] of dictionaries) {
    const known = before?.get(segment);
    // Another replay of the run may have opened the same chunks.
    if (known?.upTo === upTo) opened.set(segment, known);
    else if (after !== undefined && known?.upTo !== after) return undefined;
    else {
      const all = after === undefined || !known ? new SegmentDictionaries() : known.dictionaries;
      for (const [column, part] of parts) all.add(column, part);
      opened.set(segment, { dictionaries: all, upTo });
    }
  }
  if (run !== undefined) kept.set(run, opened);
  return new OpenChunks(chunks, opened);
}

/** Releases all dictionaries that are kept; who needs them is requested all again. */
export function clearDictionaries(): void {
  kept.clear();
}

/** All of some chunks that come with all their dictionaries. @throws DamagedColumnError naming the chunk and the column */
export function openChunks(source: Omit<ChunkPayload, 'run'>): ChunkRows[] {
  const opened = openWithCachedDictionaries({ ...source, run: undefined })!;
  return source.chunks.map((_, index) => opened.at(index));
}
