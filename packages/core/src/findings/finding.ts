import type { Rulebook } from '../check/rulebook.js';
import type { ReferenceData } from '../decide/view.js';
import type { Edit } from '../edit/edit.js';
import type { Change } from '../language/changes.js';
import type { SourceLocation } from '../language/diagnostic.js';
import type { Statement } from '../language/tree.js';
import type { AttributeValue } from '../request/record.js';
import type { OrderBounds, Undecided } from './order.js';

/** Each name of a finding, as documents and commands have it. */
export const FINDING_IDS = [
  'invalid',
  'unknown-name',
  'never-true',
  'always-true',
  'never-reached',
  'no-effect',
  'partly-covered',
  'below-broad-rule',
  'redirect-loop',
  'covers-everything',
  'lookalike',
  'address-pattern',
  'host-bits',
  'double-slash',
  'encoded-path',
  'costly-condition',
  'tag-never-set',
  'tag-never-read',
  'tag-set-later',
  'country-without-ranges',
  'not-in-without-no-country',
  'country-table-missing',
  'country-table-stale',
  'private-address-by-country',
  'empty-list',
  'unused-list',
  'list-overlap',
  'twin-rules-drifted',
  'missing-need',
  'port-without-application',
  'transport-forgotten',
  'gate-without-fence',
  'fence-without-gate',
  'uncovered-host',
  'untrusted-header',
  'path-needs-inspection',
  'exempt-from-inspection',
  'hidden-evidence',
  'no-category-fallback',
  'expired',
  'expires-soon',
  'schedule-gap',
  'schedule-overlap',
  'limit-key-too-wide',
  'hold-on-machine',
  'open-ended-allow-list',
  'disabled-clone',
  'never-tried',
  'not-published',
] as const;
export type FindingId = (typeof FINDING_IDS)[number];

/** From the most serious on. */
export const FINDING_LEVELS = ['error', 'warning', 'note'] as const;
export type FindingLevel = (typeof FINDING_LEVELS)[number];

/** A request as a line of NDJSON: its time and its attributes. */
export type ExampleRequest = Readonly<Record<string, AttributeValue | null>>;

/** Something that is probably wrong with rules that can judge. */
export interface Finding {
  readonly id: FindingId;
  readonly level: FindingLevel;
  /** What it is about, as people name it: `rule desk/login`, `list couriers`. */
  readonly subject: string;
  /** The gate at which it is so; absent where it is so at all. */
  readonly gate?: string;
  /** Of a rule: `fence/rule`. */
  readonly rule?: string;
  /** Rules that cause it, as `fence/rule`. */
  readonly related?: readonly string[];
  readonly place: SourceLocation;
  /** One sentence. */
  readonly message: string;
  /** A full sentence that gives the fix. */
  readonly hint: string;
  /** What it was concluded from. */
  readonly evidence: readonly string[];
  /** A request that shows it, which was run through the interpreter. */
  readonly example?: ExampleRequest;
  /** Edits of the draft that fix it. */
  readonly fix?: readonly Edit[];
}

/** What findings are made from. */
export interface ReviewInput {
  /** Of all files, in order. */
  readonly statements: readonly Statement[];
  readonly rulebook: Rulebook;
  readonly nowUnixMs: number;
  /** Without it countries and categories are unknown of every request. */
  readonly referenceData?: ReferenceData;
  /** Only findings about this rule, `fence/rule`, as an editor wants them. */
  readonly about?: string;
  /** How much is done before something is left undecided; a review for a person does more than a line in another output. */
  readonly bounds?: OrderBounds;
  /** When the country table was imported. */
  readonly countryTableAtUnixMs?: number;
  /** Of a draft: how it differs from what is published, and whether a replay has judged by it as it is. */
  readonly draft?: { readonly changes: readonly Change[]; readonly isTried: boolean };
}

/** What a review found. */
export interface Review {
  readonly findings: readonly Finding[];
  /** Those that a comment above the rule, or the statement, expects. */
  readonly ignored: readonly Finding[];
  /** What could not be decided within bounds. */
  readonly undecided: readonly Undecided[];
  readonly checked: {
    readonly rules: number;
    readonly gates: number;
    /** Rules that were left out since they have errors. */
    readonly skipped?: number;
  };
}

/** How findings of one kind are made; what all of them share comes from the registry. */
export interface Analysis {
  readonly level: FindingLevel;
  find(input: ReviewInput): readonly Found[];
}

/** A finding of an analysis, which may have another level than most. */
export type Found = Omit<Finding, 'id' | 'level'> & { readonly level?: FindingLevel };
