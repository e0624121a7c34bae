import { isUnderPath, readPath, type PathReading } from '../request/path.js';
import { HostTableBuilder } from './host-table-builder.js';
import { MAX_VALUE, type HostRow, type HostTable } from './host-table.js';

export const UNCATEGORISED = 'uncategorised';

/** One line of a feed, or a correction: a host and all below it, optionally with a path and all below it. */
export interface CategoryEntry {
  readonly host: string;
  readonly path?: string;
  readonly category: string;
}

/** The entries of one source: a table whose values are places in `categories`. */
export interface CategoryFeed {
  readonly name: string;
  readonly categories: readonly string[];
  readonly table: HostTable;
}

/** The answer for a request: the categories of the most specific entries of the first source that knows it. */
export interface CategoryAnswer {
  readonly categories: readonly string[];
  /** The feed that decided; absent for a correction, or if none did. */
  readonly feed?: string;
  readonly isCorrected: boolean;
  /** The entry as it is written. */
  readonly entry?: string;
}

export interface Categories {
  /** Every category that a feed or a correction knows. */
  readonly names: ReadonlySet<string>;
  /** Whether some entry is for a path, so that a host alone is not enough. */
  readonly hasPaths: boolean;
  /**
   * @param path as the gate reads it; null where only the host is known
   * @param reading how the gate reads paths, so that those of entries are read alike
   */
  find(host: string | null, path: string | null, reading?: PathReading): CategoryAnswer;
  /** Every entry, in no order that means anything; entries of equal values have the same category, or are of other sources. */
  entries(): Iterable<HostRow>;
  /** The separate answers of the corrections and of each feed, in order; only those that know the request. */
  findAll(host: string, path: string | null, reading?: PathReading): CategoryAnswer[];
}

const UNKNOWN_TO_ALL: CategoryAnswer = { categories: [UNCATEGORISED], isCorrected: false };

/**
 * @param feeds in order: the first that has an entry covering the request answers
 * @param corrections beat every feed
 */
export function createCategories(
  feeds: readonly CategoryFeed[],
  corrections: readonly CategoryEntry[] = [],
): Categories {
  const sources = [...(corrections.length > 0 ? [createCategoryFeed('', corrections)] : []), ...feeds];
  const findIn = (source: CategoryFeed, host: string, path: string | null, reading: PathReading = {}) =>
    lookupFeed(source, host, path, reading, corrections.length > 0 && source === sources[0]);
  return {
    names: new Set(sources.flatMap(({ categories }) => categories)),
    hasPaths: sources.some(({ table }) => table.hasPaths),
    find(host, path, reading) {
      if (host === null) return UNKNOWN_TO_ALL;
      for (const source of sources) {
        const answer = findIn(source, host, path, reading);
        if (answer) return answer;
      }
      return UNKNOWN_TO_ALL;
    },
    *entries() {
      for (const { table } of sources) yield* table.rows();
    },
    findAll: (host, path, reading) => sources.flatMap((source) => findIn(source, host, path, reading) ?? []),
  };
}

/** Of the most specific host that is known, the entries with the longest path that covers the request. */
function lookupFeed(
  { name, categories, table }: CategoryFeed,
  host: string,
  path: string | null,
  reading: PathReading,
  isCorrected: boolean,
): CategoryAnswer | undefined {
  const covering = table.find(
    host,
    (row) => row.path === '' || (path !== null && isUnderPath(path, readPath(row.path, reading))),
  );
  if (covering.length === 0) return undefined;
  // All are prefixes of one path by whole segments, so the longest has most of them; a final slash adds none.
  const lengths = covering.map((row) => readPath(row.path, reading).replace(/\/$/, '').length);
  const longest = Math.max(...lengths);
  const best = covering.filter((_, index) => lengths[index] === longest);
  return {
    categories: [...new Set(best.map((row) => categories[row.value]!))],
    ...(isCorrected ? {} : { feed: name }),
    isCorrected,
    entry: formatHostRow(best[0]!),
  };
}

export function formatHostRow({ host, path }: HostRow): string {
  return `${host}${path}`;
}

/** Gathers entries into a feed, giving each category a number as it is first seen. */
export class CategoryFeedBuilder {
  readonly #table = new HostTableBuilder();
  readonly #numbers = new Map<string, number>();

  get numEntries(): number {
    return this.#table.numEntries;
  }

  /** @returns false where the entry cannot be kept: a path over 65,535 characters, or a category beyond the 65,536th */
  add({ host, path = '', category }: CategoryEntry): boolean {
    const value = this.valueOf(category);
    return value !== undefined && this.#table.add({ host, path, value });
  }

  /** The number of a category; the first that is requested it gives it one. @returns undefined beyond the 65,536th */
  valueOf(category: string): number | undefined {
    let value = this.#numbers.get(category);
    if (value === undefined && this.#numbers.size > MAX_VALUE) return undefined;
    if (value === undefined) this.#numbers.set(category, (value = this.#numbers.size));
    return value;
  }

  /** The same for a host in normal form as bytes. @param value as `valueOf` gave it */
  addPlain(bytes: Uint8Array, start: number, end: number, numLabels: number, value: number): void {
    this.#table.addPlain(bytes, start, end, numLabels, value);
  }

  build(name: string): CategoryFeed {
    return { name, categories: [...this.#numbers.keys()], table: this.#table.build() };
  }
}

export function createCategoryFeed(name: string, entries: readonly CategoryEntry[]): CategoryFeed {
  const builder = new CategoryFeedBuilder();
  for (const entry of entries) builder.add(entry);
  return builder.build(name);
}
