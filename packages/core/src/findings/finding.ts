import type { Rulebook } from '../check/rulebook.js';
import type { Edit } from '../edit/edit.js';
import type { SourceLocation } from '../language/diagnostic.js';
import type { Statement } from '../language/tree.js';
import type { SyntheticRequest } from '../request/synthetic-request.js';

/** Each name of a finding, as documents and commands have it. */
export const FINDING_IDS = [
  'gate-without-fence',
  'fence-without-gate',
  'empty-list',
  'unused-list',
  'expired',
  'expires-soon',
] as const;
export type FindingId = (typeof FINDING_IDS)[number];

/** From the most serious on. */
export const FINDING_LEVELS = ['error', 'warning', 'note'] as const;
export type FindingLevel = (typeof FINDING_LEVELS)[number];

/** Something that is probably wrong with rules that can judge. */
export interface Finding {
  readonly id: FindingId;
  readonly level: FindingLevel;
  /** What it is about, as people name it: `rule desk/login`, `list couriers`. */
  readonly subject: string;
  readonly place: SourceLocation;
  /** One sentence. */
  readonly message: string;
  /** A full sentence that gives the fix. */
  readonly hint: string;
  /** What it was concluded from. */
  readonly evidence: readonly string[];
  /** A request that shows it. */
  readonly example?: SyntheticRequest;
  /** Edits of the draft that fix it. */
  readonly fix?: readonly Edit[];
}

/** What findings are made from. */
export interface ReviewInput {
  /** Of all files, in order. */
  readonly statements: readonly Statement[];
  readonly rulebook: Rulebook;
  readonly nowUnixMs: number;
}

/** How findings of one kind are made; what all of them share comes from the registry. */
export interface Analysis {
  readonly level: FindingLevel;
  find(input: ReviewInput): readonly Omit<Finding, 'id' | 'level'>[];
}
