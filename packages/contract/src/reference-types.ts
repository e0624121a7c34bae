/** What travels of reference data: datasets, where they come from, corrections, lookups. */
import type { CountryShare, DatasetKind, LineProblem } from '@jadefence/core/reference';

export const DATASET_OWNERS = ['country', 'category', 'list'] as const;
/** What a dataset is for: the country table, a category feed, or the entries of a large list. */
export type DatasetOwner = (typeof DATASET_OWNERS)[number];

/** What making a dataset the active one would change, found by replaying the latest log with and without it. */
export interface DatasetEffect {
  readonly logId: number;
  readonly logName: string;
  /** The replay with the dataset. */
  readonly replayId: number;
  /** The revision that was judged by; null for the draft. */
  readonly revision: number | null;
  readonly requests: number;
  /** Decisions that differ in outcome, gate, fence, rule or status. */
  readonly changed: number;
  readonly newlyStopped: number;
  readonly newlyAllowed: number;
}

/** Reference data as it was imported once. */
export interface DatasetInfo {
  readonly id: number;
  readonly kind: DatasetOwner;
  /** Of a feed or list what it is known by; of a country table where it came from. */
  readonly name: string;
  readonly sha256: string;
  readonly isActive: boolean;
  /** Checking while the latest log is replayed with it. */
  readonly state: 'checking' | 'settled';
  /** Why it does not become active without a yes. */
  readonly waitsFor: string | null;
  readonly effect: DatasetEffect | null;
  readonly numEntries: number;
  readonly numRejected: number;
  /** The first of them. */
  readonly problems: readonly LineProblem[];
  readonly listKind?: DatasetKind;
  readonly categories?: readonly { readonly name: string; readonly numEntries: number }[];
  readonly renamed?: Readonly<Record<string, string>>;
  /** Of a hosts file: names of the machine itself, such as localhost, which are left out. */
  readonly numOwnNames?: number;
  readonly builtAt: string | null;
  readonly importedAt: string;
  readonly importedBy: string | null;
}

export const FRESHNESS = ['fresh', 'ageing', 'stale', 'missing', 'failed'] as const;
export type Freshness = (typeof FRESHNESS)[number];

/** How old reference data is, and why that matters. */
export interface FreshnessInfo {
  readonly state: Freshness;
  /** One sentence. */
  readonly reason: string;
}

/** Where a dataset is refreshed from. */
export interface SourceInfo {
  readonly kind: DatasetOwner;
  readonly name: string;
  /** http(s) URLs, or paths below the service's folder for reference data. */
  readonly locations: readonly string[];
  readonly category?: string;
  readonly listKind?: DatasetKind;
  readonly everyMinutes: number;
  readonly checkedAt: string | null;
  readonly succeededAt: string | null;
  readonly failure: string | null;
}

export interface Correction {
  readonly kind: 'country' | 'category';
  /** A range, or a domain or URL. */
  readonly key: string;
  /** A country, or categories joined by commas. */
  readonly value: string;
  readonly reason: string | null;
  readonly changedBy: string | null;
  readonly changedAt: string;
}

/** A correction that was put, and what it took the place of. */
export interface PutCorrection extends Correction {
  /** The earlier correction of the same range or site. */
  readonly replaced: { readonly value: string; readonly reason: string | null } | null;
  /** Categories that nothing had before. */
  readonly newCategories?: readonly string[];
}

/** The active country table, by country. */
export interface Countries {
  readonly table: DatasetInfo | null;
  readonly freshness: FreshnessInfo;
  readonly countries: readonly (CountryShare & {
    readonly name: string;
    /** Requests of the given log, by the client's country. */
    readonly requests?: number;
  })[];
  /** Requests of the log from no country, from private addresses, or from unknown clients. */
  readonly elsewhere?: Readonly<Record<string, number>>;
  /** All requests of the given log. */
  readonly requests?: number;
}

/** What is known of an address, or of each address of a name. */
export interface CountryLookup {
  readonly requested: string;
  /** The errors of the draft, where it has some: which lists and rules see the addresses is then not known. */
  readonly unavailable?: readonly string[];
  readonly addresses: readonly AddressLookup[];
}

export interface AddressLookup {
  readonly address: string;
  readonly country: string;
  readonly countryName: string;
  /** The row, and the table or correction that decided. */
  readonly evidence: string;
  readonly range?: string;
  readonly isCorrected: boolean;
  /** Lists of the draft that hold the address or its country, with the entry. */
  readonly lists: readonly { readonly list: string; readonly entry: string; readonly through: readonly string[] }[];
  /** Outbound gates whose clients hold the address. */
  readonly gates: readonly string[];
  /** Rules with a comparison that is true of the address or its country. */
  readonly rules: readonly { readonly rule: string; readonly gates: readonly string[]; readonly comparison: string }[];
}

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

/** An application of the catalogue. */
export interface ApplicationInfo {
  readonly name: string;
  readonly title?: string;
  readonly category?: string;
  readonly risk?: 'low' | 'medium' | 'high';
  readonly ports: readonly string[];
  readonly needs: readonly string[];
  readonly over?: string;
  /** Conditions as fence text. */
  readonly signatures: readonly string[];
  readonly isBuiltIn: boolean;
  /** The statement as fence text. */
  readonly text: string;
  readonly usedBy: readonly string[];
}

export interface PassphraseInfo {
  readonly name: string;
  /** Rules of the draft that require it. */
  readonly usedBy: readonly string[];
  /** Whether the service has one under this name. */
  readonly isSet: boolean;
  readonly changedBy: string | null;
  readonly changedAt: string | null;
}
