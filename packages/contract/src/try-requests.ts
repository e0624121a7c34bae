import type { TryRequestInput } from './server.js';
import type { Shape } from './shape.js';
import type { Explanation, WhyNot } from '@jadefence/core/explain';

/** A synthetic request. */
export type TryRequest = Shape<TryRequestInput>;

/** The explanation of a synthetic request, and the rules that judged it. */
export interface Tried extends Explanation {
  /** The revision that judged; null for the draft. */
  readonly revision: number | null;
  /** Whether the draft differs from that revision, so that the outcome may differ. */
  readonly draftDiffers: boolean;
  /** The page with which the client is stopped, as HTML with its values; absent where none is shown. */
  readonly pageHtml?: string;
  /** What would have to be different so that the rule that was named decides. */
  readonly whyNot?: WhyNot;
}
