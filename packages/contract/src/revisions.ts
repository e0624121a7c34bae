import type { PartSelectorInput, PublishInput } from './server.js';
import type { Shape } from './shape.js';
import type { DescribedChange } from '@jadefence/core/edit';
import type { MeaningChanges, Placement } from '@jadefence/core/findings';
import type { ReplayPolicy } from './replays.js';

export interface Revision {
  readonly number: number;
  readonly note: string;
  readonly snapshot: string;
  /** The revision whose state this one publishes again. */
  readonly restoredFrom: number | null;
  /** Published although expectations were not met. */
  readonly isForced: boolean;
  readonly publishedBy: string | null;
  readonly publishedAt: string;
  /** The latest revision is the one that is published. */
  readonly isPublished: boolean;
}

/** A statement that is published alone: `fence house`. */
export type PartSelector = Shape<PartSelectorInput>;

export type PublishRequest = Shape<PublishInput>;

/** Where a rule would have to be, and which requests would then change their outcome. */
export interface RulePlacement extends Placement {
  /** Absent where it is not to be moved. */
  readonly changes?: MeaningChanges;
}

export interface RevisionDiff {
  readonly from: ReplayPolicy;
  readonly to: ReplayPolicy;
  readonly changes: readonly DescribedChange[];
  /** The same in the unified format. */
  readonly text: string;
}
