/**
 * Sizes at which the engine grows, evicts or cuts its work. They decide how much memory and time it takes, and never what
 * it answers; tests run it with tiny values, so that small logs cross every one of them.
 */
export interface EngineBounds {
  /** Rows of a chunk, chunks whose columns share dictionaries, and bytes of those beyond which fewer do. */
  readonly chunkRows: number;
  readonly segmentChunks: number;
  readonly dictionaryBytes: number;
  /** Columns of a chunk; attributes beyond them are kept row by row. */
  readonly valueColumns: number;
  /** Rows that a writer has room for at first. */
  readonly writerRows: number;
  /** First sizes of the kernel: rows of a column, entries and bytes of a dictionary, bytes of a value. Powers of two. */
  readonly kernelRows: number;
  readonly kernelEntries: number;
  readonly kernelBytes: number;
  readonly kernelValueBytes: number;
  /** Codes that a column keeps of texts and numbers while it is written. */
  readonly keptCodes: number;
  /** Values of a column whose features are kept from dictionary to dictionary, and columns of which that is done. */
  readonly keptTexts: number;
  readonly keptTables: number;
  /** Classes and their entries in a group, and numbered keys, above which all are cleared and found again. */
  readonly classes: number;
  readonly classEntries: number;
  readonly keys: number;
  /** Numbered texts of a survey or a breakdown, above which all are cleared. */
  readonly texts: number;
  /** First size of the tables of a group (a power of two), and words of its table of truth values. */
  readonly classRoom: number;
  readonly truthWords: number;
  /** First sizes: places of a map of pairs (a power of two, at least 2), candidates, lists of them, entries of a set. */
  readonly pairPlaces: number;
  readonly candidateRoom: number;
  readonly listRoom: number;
  readonly setRoom: number;
  readonly counts: number;
  /** How often a set is cleared by a mark before the marks themselves are. */
  readonly setRounds: number;
  /** Entries above which a set is sorted by the engine's own sort. */
  readonly insertionSort: number;
  /** Entries of lists that are entered into an index; above it the list is requested each value. */
  readonly indexedEntries: number;
  /** First number of counters, keys of a page as a power of two, times of the first ring (a power of two). */
  readonly counters: number;
  readonly pageBits: number;
  readonly ringRoom: number;
  /** Counters below which nothing is swept. */
  readonly sweptKeys: number;
  /** Rows between two reports of progress. */
  readonly progressRows: number;
}

export const DEFAULT_BOUNDS: EngineBounds = {
  chunkRows: 65_536,
  segmentChunks: 16,
  dictionaryBytes: 64 * 1024 * 1024,
  valueColumns: 64,
  writerRows: 256,
  kernelRows: 256,
  kernelEntries: 256,
  kernelBytes: 4096,
  kernelValueBytes: 4096,
  keptCodes: 4096,
  keptTexts: 500_000,
  keptTables: 8,
  classes: 1_000_000,
  classEntries: 32_000_000,
  keys: 2_000_000,
  texts: 2_000_000,
  classRoom: 1024,
  truthWords: 1 << 20,
  pairPlaces: 1024,
  candidateRoom: 4096,
  listRoom: 256,
  setRoom: 64,
  counts: 4096,
  setRounds: 0x7fff_ffff,
  insertionSort: 192,
  indexedEntries: 200_000,
  counters: 1024,
  pageBits: 10,
  ringRoom: 4,
  sweptKeys: 131_072,
  progressRows: 16_384,
};

let current = DEFAULT_BOUNDS;

/** The bounds of what is made now. An object keeps those that it was made with. */
export function engineBounds(): EngineBounds {
  return current;
}

/** Runs work with other bounds. For tests: what it makes must answer as with any others. */
export function withBounds<T>(bounds: Partial<EngineBounds>, work: () => T): T {
  const previous = current;
  current = { ...DEFAULT_BOUNDS, ...bounds };
  try {
    return work();
  } finally {
    current = previous;
  }
}
