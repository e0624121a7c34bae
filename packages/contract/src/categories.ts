import type { FreshnessInfo } from './sources.js';
import type { DatasetInfo } from './datasets.js';

export interface FeedInfo {
  readonly name: string;
  readonly dataset: DatasetInfo;
  readonly freshness: FreshnessInfo;
}

/** The feeds in order, and every category with its entries in each. */
export interface CategoryOverview {
  readonly feeds: readonly FeedInfo[];
  readonly categories: readonly {
    readonly name: string;
    readonly numEntries: number;
    readonly feeds: readonly string[];
  }[];
}

/** The answer of each source for a domain or URL; the first one decides. */
export interface CategoryLookup {
  readonly requested: string;
  readonly host: string;
  readonly path: string | null;
  /** The registrable domain; null for public suffixes and addresses. */
  readonly site: string | null;
  readonly categories: readonly string[];
  readonly evidence: string;
  readonly answers: readonly {
    readonly categories: readonly string[];
    readonly feed: string | null;
    readonly isCorrected: boolean;
    readonly entry: string;
  }[];
}
