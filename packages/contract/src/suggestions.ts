import type { Edit } from '@jadefence/core/edit';
import type { Suggestion, Suggestions } from '@jadefence/core/traffic';

export interface SuggestRequest {
  /** A filter that finds the requests to be stopped. */
  readonly stop: string;
  /** One that finds those to be spared; all others where absent. */
  readonly spare?: string;
}

/** A rule that could be written, with the edits that put it into the draft, on trial. */
export interface RuleSuggestion extends Suggestion {
  readonly text: string;
  /** Absent where the draft has none of the fences of the gate. */
  readonly fence?: string;
  readonly edits?: readonly Edit[];
}

export interface RuleSuggestions extends Omit<Suggestions, 'rules'> {
  readonly rules: readonly RuleSuggestion[];
}
