import type { ExpectationCoverage } from '@jadefence/core/expectations';
import type { UsedRule } from '@jadefence/core/traffic';

/** What rules did in replays of a period, and which expectations they decide. */
export interface RuleUse {
  /** The latest replay of each log, in the order of the logs' time. */
  readonly replays: readonly ReplayOfUse[];
  /** Every rule of the draft that is not off, in order. */
  readonly rules: readonly UsedRule[];
  readonly repeats: ExpectationCoverage['repeats'];
}

export interface ReplayOfUse {
  readonly id: number;
  readonly logName: string;
  readonly requests: number;
  readonly fromUnixMs: number | null;
  readonly toUnixMs: number | null;
}

export interface RuleUseQuery {
  /** Replays that were started in the last so many days; 30 unless given. */
  readonly days?: number;
}
