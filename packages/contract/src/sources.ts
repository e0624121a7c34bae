import type { DatasetKind } from '@jadefence/core/reference';
import type { DatasetOwner } from './datasets.js';

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
