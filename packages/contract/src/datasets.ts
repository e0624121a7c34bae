import type { DatasetKind, LineProblem } from '@jadefence/core/reference';

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
