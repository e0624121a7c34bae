import type { ReplayPolicy } from './replays.js';

/** What advice about a limit is wanted: of a rule, or of keys and a window. */
export interface LimitAdviceRequest {
  readonly rule?: string;
  readonly by?: string;
  readonly within?: string;
  readonly when?: string;
  readonly gate?: string;
  /** The name of a list of addresses. */
  readonly spare?: string;
  /** From 0 to 1. */
  readonly share?: number;
  readonly counts?: readonly number[];
  /** Whose lists and rules; the draft where absent. */
  readonly against?: ReplayPolicy;
}

/** Each of some clients with each of some destinations, at each of some times. */
export interface MatrixQuery {
  readonly clients: readonly string[];
  readonly to: readonly string[];
  readonly at?: readonly string[];
  readonly method?: string;
  readonly against?: ReplayPolicy;
}

/** A client, to see which rules can apply to it. */
export interface RulesForRequest {
  readonly client: string;
  readonly user?: string;
  /** As RFC 3339; any time where absent. */
  readonly at?: string;
  readonly gate?: string;
  readonly against?: ReplayPolicy;
}
