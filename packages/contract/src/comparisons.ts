import type { ComparisonInput } from './server.js';
import type { Shape } from './shape.js';
import type { BreakdownSummary, ComparisonTally, Side } from '@jadefence/core/replay';
import type { DecisionRow, Replay, ReplayState } from './replays.js';

/** One log judged twice. */
export interface ComparisonInfo {
  readonly id: number;
  readonly logId: number;
  readonly logName: string;
  readonly before: Replay;
  readonly after: Replay;
  readonly state: ComparisonState;
  /** Of both replays together. */
  readonly requestsDone: number;
  readonly requests: number;
  readonly failure: string | null;
  readonly startedAt: string;
}

export type ComparisonState = Exclude<ReplayState, 'cancelled'>;

export type ComparisonProgress = Pick<ComparisonInfo, 'state' | 'requestsDone' | 'requests' | 'failure'>;

export type ComparisonRequest = Shape<ComparisonInput>;

export interface ComparisonResult extends ComparisonInfo {
  readonly tally: Omit<ComparisonTally, 'by'>;
  /** The requests that change, by what describes them. */
  readonly breakdowns: readonly BreakdownSummary[];
}

/** A request that changes, or that another rule decides. */
export interface ChangeRow extends Omit<DecisionRow, 'outcome' | 'gate' | 'fence' | 'rule' | 'status' | 'reason'> {
  readonly before: Side;
  readonly after: Side;
}

export interface ChangePage {
  readonly offset: number;
  readonly total: number;
  readonly rows: readonly ChangeRow[];
}
