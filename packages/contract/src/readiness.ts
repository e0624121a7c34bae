import type { Readiness } from '@jadefence/core/traffic';

/** What enforcing a fence that is in trial would stop, over replays. */
export interface FenceReadiness extends Readiness {
  /** Those that were added up, the latest first. */
  readonly replays: readonly TrialReplay[];
  /** How many replays are left out since the fence, or what it names, was another then. */
  readonly numEarlier: number;
}

export interface TrialReplay {
  readonly id: number;
  readonly name: string | null;
  readonly logId: number;
  readonly logName: string;
  /** At the gates of the fence. */
  readonly requests: number;
  readonly newlyStopped: number;
}

export interface ReadinessQuery {
  /** Numbers of replays; the latest of each log by the fence as the draft has it where absent. */
  readonly replays?: readonly number[];
}
