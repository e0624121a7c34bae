import type { SourceFile } from '@jadefence/core/check';
import type { Edit, ListLookup, StartingPoint, DescribedChange, EntryReport, ListContents } from '@jadefence/core/edit';
import type { ExpectationResult } from '@jadefence/core/expectations';
import type { Explanation } from '@jadefence/core/explain';
import type { Change, Diagnostic, ListKind, Part, StatementKind, WeeklyHours } from '@jadefence/core/language';
import type { Survey } from '@jadefence/core/survey';

export const ROLES = ['viewer', 'editor', 'administrator'] as const;
/** What a user may do: look, change rules and logs, or also manage users and tokens. A token's scope is one of these, too. */
export type Role = (typeof ROLES)[number];

export interface Health {
  readonly status: 'ok';
  readonly version: string;
}

export interface Session {
  readonly name: string;
  readonly role: Role;
}

export interface CreatedToken {
  /** Shown once; the service keeps only a hash. */
  readonly token: string;
  readonly name: string;
  readonly scope: Role;
  readonly expiresAt: string | null;
}

/** A configuration as text: fence files and the files that lists are kept in. */
export interface FenceSources {
  readonly fenceFiles: readonly SourceFile[];
  readonly namedFiles: readonly SourceFile[];
}

/** The draft as text: its parts in order, and the files that lists and pages are kept in. */
export interface DraftSources {
  /** What a write has to show that it has seen. */
  readonly version: number;
  readonly parts: readonly Part[];
  readonly namedFiles: readonly SourceFile[];
}

/** What an import would change, without changing it. */
export interface ImportPreview {
  /** The version of the draft that it is compared with. */
  readonly version: number;
  readonly changes: readonly Change[];
  /** What would keep the draft from judging. */
  readonly diagnostics: readonly Diagnostic[];
  /** Tags that no rule sets: the draft can judge with them, and cannot be published. */
  readonly warnings: readonly Diagnostic[];
}

export interface AccessToken {
  readonly id: number;
  readonly user: string;
  readonly name: string;
  readonly scope: Role;
  readonly createdAt: string;
  readonly expiresAt: string | null;
  /** To the minute; null before the first use. */
  readonly lastUsedAt: string | null;
}

/** A synthetic request. */
export interface TryRequest {
  readonly client: string;
  readonly url: string;
  readonly method?: string;
  /** RFC 3339; now unless specified. */
  readonly at?: string;
  /** The draft or a revision; the published revision unless specified, or the draft where none is published. */
  readonly against?: ReplayPolicy;
  /** Repeatable. */
  readonly headers?: readonly { readonly name: string; readonly value: string }[];
  readonly user?: string;
  readonly peer?: string;
}

/** What is judged by: the draft, or a revision by its number. */
export type ReplayPolicy = 'draft' | number;

export interface DraftRule {
  readonly name: string;
  readonly title?: string;
  readonly state: 'on' | 'trial' | 'off';
  readonly sentence: string;
  /** The rule as fence text. */
  readonly text: string;
}

export interface DraftFence {
  readonly name: string;
  readonly title?: string;
  readonly mode: 'trial' | 'enforce';
  readonly gates: readonly string[];
  readonly rules: readonly DraftRule[];
  readonly otherwise: string;
}

/** The working copy, as people read it. */
export interface Draft {
  /** Identifies the state of the draft; equal texts have equal snapshots. */
  readonly snapshot: string;
  /** What a write has to show that it has seen. */
  readonly version: number;
  /** The revision that is published, if any. */
  readonly published: number | null;
  readonly gates: readonly {
    readonly name: string;
    readonly direction: 'inbound' | 'outbound';
    /** Of an inbound gate. */
    readonly hosts: readonly string[];
    /** Of an outbound gate. */
    readonly clients: readonly string[];
    readonly fences: readonly string[];
    readonly otherwise: string;
  }[];
  readonly fences: readonly DraftFence[];
  readonly lists: readonly {
    readonly name: string;
    readonly kind: ListKind;
    readonly title?: string;
    readonly numEntries?: number;
  }[];
  readonly schedules: readonly {
    readonly name: string;
    readonly sentence: string;
    /** An IANA zone, if it has one. */
    readonly zone?: string;
    readonly weekly: readonly WeeklyHours[];
    readonly exceptions: readonly string[];
  }[];
  /** What keeps the draft from judging. */
  readonly diagnostics: readonly Diagnostic[];
  /** Tags that no rule sets: the draft can judge with them, and cannot be published. */
  readonly warnings: readonly Diagnostic[];
  readonly changedAt: string | null;
  readonly changedBy: string | null;
}

/** The result of an edit. */
export interface EditResult {
  readonly version: number;
  readonly changes: readonly DescribedChange[];
  /** What became of each entry of edited lists. */
  readonly entries: readonly EntryReport[];
  /** What keeps the draft from judging now. */
  readonly diagnostics: readonly Diagnostic[];
  /** Tags that no rule sets: the draft can judge with them, and cannot be published. */
  readonly warnings: readonly Diagnostic[];
}

/** A change of the draft against what is published, and who made it. */
export interface AuthoredChange extends DescribedChange {
  /** Absent for what was removed. */
  readonly changedBy?: string | null;
  readonly changedAt?: string;
}

export interface DraftChanges {
  readonly version: number;
  /** Null where nothing is published. */
  readonly against: number | null;
  readonly changes: readonly AuthoredChange[];
}

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
export interface PartSelector {
  readonly part: StatementKind;
  readonly name: string;
}

export interface PublishRequest {
  readonly note: string;
  readonly only?: readonly PartSelector[];
  /** Publishes although expectations are not met; the audit trail keeps it. */
  readonly isForced?: boolean;
}

export interface RevisionDiff {
  readonly from: ReplayPolicy;
  readonly to: ReplayPolicy;
  readonly changes: readonly DescribedChange[];
  /** The same in the unified format. */
  readonly text: string;
}

/** A list of the draft, as people look at it. */
export interface ListInfo extends ListContents {
  /** What uses it. */
  readonly usedBy: readonly string[];
  readonly changedBy: string | null;
  readonly changedAt: string;
}

/** How many requests of a log a condition is true of. */
export interface MatchCount {
  readonly matching: number;
  readonly requests: number;
  /** Requests of which it cannot be known. */
  readonly unknown: number;
}

export interface AuditEntry {
  readonly id: number;
  readonly at: string;
  readonly user: string | null;
  readonly what: string;
  readonly detail: Readonly<Record<string, unknown>>;
}

/** What a check of the whole audit trail found. */
export interface AuditCheck {
  readonly isIntact: boolean;
  readonly numEntries: number;
  readonly problem?: string;
}

export interface AuditPage {
  readonly total: number;
  /** Whether every entry still fits the one before it. */
  readonly isIntact: boolean;
  /** The first entry that does not fit, and in which way. */
  readonly problem?: string;
  readonly entries: readonly AuditEntry[];
}

export type { Edit, ExpectationResult, Explanation, ListLookup, StartingPoint, Survey };

/** The explanation of a synthetic request, and the rules that judged it. */
export interface Tried extends Explanation {
  /** The revision that judged; null for the draft. */
  readonly revision: number | null;
  /** Whether the draft differs from that revision, so that the outcome may differ. */
  readonly draftDiffers: boolean;
}
