import type { RecordedTally } from '@jadefence/core/replay';
import type { DecisionRow } from './replays.js';

/** A replay compared with the statuses of its log. */
export interface RecordedComparisonResult extends RecordedTally {
  /** The statuses that mean a stop. */
  readonly stops: readonly number[];
}

/** A page of the requests of one group, or of all that differ. */
export interface RecordedPage {
  readonly offset: number;
  readonly total: number;
  readonly rows: readonly (DecisionRow & { readonly recordedStatus?: string })[];
}

export interface RecordedQuery {
  /** Statuses that mean a stop; 429 and 451 where absent. */
  readonly stops?: readonly number[];
}

export interface RecordedRequestsQuery extends RecordedQuery {
  readonly offset: number;
  readonly limit: number;
  /** The place of a group in the result; all that differ where absent. */
  readonly group?: number;
}
