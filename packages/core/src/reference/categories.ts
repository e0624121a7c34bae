import { isAddressHost } from '../request/host.js';
import { isUnderPath } from '../request/path.js';

export const UNCATEGORISED = 'uncategorised';

/** One line of a feed: a host and all below it, with a path and all below it where one is said. */
export interface CategoryEntry {
  readonly host: string;
  readonly path?: string;
  readonly category: string;
}

/** The entries of one source. */
export interface CategoryFeed {
  readonly name: string;
  readonly entries: readonly CategoryEntry[];
}

/** What the feeds say of a request: the categories of the most specific entries of the first feed that knows it. */
export interface CategoryAnswer {
  readonly categories: readonly string[];
  readonly feed?: string;
  /** The entry as it is written. */
  readonly entry?: string;
}

export interface Categories {
  /** Every category that a feed knows. */
  readonly names: ReadonlySet<string>;
  /** @param path null where only the host may be asked */
  find(host: string | null, path: string | null): CategoryAnswer;
}

const UNKNOWN_TO_ALL: CategoryAnswer = { categories: [UNCATEGORISED] };

/** @param feeds in order: the first that has an entry covering the request answers */
export function createCategories(feeds: readonly CategoryFeed[]): Categories {
  const indexed = feeds.map(({ name, entries }) => {
    const byHost = new Map<string, CategoryEntry[]>();
    for (const entry of entries) {
      const others = byHost.get(entry.host);
      if (others) others.push(entry);
      else byHost.set(entry.host, [entry]);
    }
    return { name, byHost };
  });
  return {
    names: new Set(feeds.flatMap((feed) => feed.entries.map((entry) => entry.category))),
    find(host, path) {
      if (host === null) return UNKNOWN_TO_ALL;
      for (const { name, byHost } of indexed) {
        for (const suffix of suffixesOf(host)) {
          const best = mostSpecific(byHost.get(suffix) ?? [], path);
          if (best.length > 0)
            return {
              categories: [...new Set(best.map((entry) => entry.category))],
              feed: name,
              entry: `${best[0]!.host}${best[0]!.path ?? ''}`,
            };
        }
      }
      return UNKNOWN_TO_ALL;
    },
  };
}

/** The host, then what is above it, most labels first; an address only as a whole. */
function suffixesOf(host: string): string[] {
  const labels = isAddressHost(host) ? [host] : host.split('.');
  return labels.map((_, index) => labels.slice(index).join('.'));
}

/** Of the entries of one host, those with the longest path that covers the request. */
function mostSpecific(entries: readonly CategoryEntry[], path: string | null): CategoryEntry[] {
  const covering = entries.filter(
    (entry) => entry.path === undefined || (path !== null && isUnderPath(path, entry.path)),
  );
  const longest = Math.max(...covering.map((entry) => entry.path?.length ?? 0));
  return covering.filter((entry) => (entry.path?.length ?? 0) === longest);
}
