import type { GateCounts } from '@jadefence/core/replay';
import type { ChangeSelectorInput, CountMatchesInput, GatePreviewInput, FenceFilesInput } from './server.js';
import type { Shape } from './shape.js';
import type { Change, Diagnostic, ListKind, Part, WeeklyHours } from '@jadefence/core/language';
import type { DescribedChange, EntryReport, ListContents } from '@jadefence/core/edit';
import type { SourceFile } from '@jadefence/core/check';

/** A configuration as text: fence files and the files that lists are kept in. */
export type FenceSources = Shape<FenceFilesInput>;

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
    /** Its clients are never to be stopped. */
    readonly isProtected?: boolean;
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

/** A change of the draft, by the part and name that `DraftChanges` has. */
export type ChangeSelector = Shape<ChangeSelectorInput>;

/** A write of the draft that can be undone or redone. */
export interface DraftStep {
  readonly summary: string;
  readonly at: string;
}

/** The next of the caller's own writes in each direction, if there is one. */
export interface DraftSteps {
  readonly undo: DraftStep | null;
  readonly redo: DraftStep | null;
}

/** The draft after its latest change. */
export interface DraftNews {
  readonly version: number;
  /** Who made the change; null where it is not known. */
  readonly by: string | null;
  readonly numChanges: number;
  /** The first of them in words. */
  readonly summary: string | null;
}

export interface DraftChanges {
  readonly version: number;
  /** Null where nothing is published. */
  readonly against: number | null;
  readonly changes: readonly AuthoredChange[];
}

/** A list of the draft, as people look at it. */
export interface ListInfo extends ListContents {
  /** What uses it. */
  readonly usedBy: readonly string[];
  readonly changedBy: string | null;
  readonly changedAt: string;
}

/** Entries of a list that one write of the draft added. */
export interface EntryOrigin {
  /** Null where the service itself did, or the user is gone. */
  readonly addedBy: string | null;
  readonly addedAt: string;
  /** Each an entry, or `except` and what is left out. */
  readonly lines: readonly string[];
}

/** A rule, counted by what the draft, or a revision that is given, names. */
export type MatchRequest = Shape<CountMatchesInput>;

export type GatePreviewRequest = Shape<GatePreviewInput>;

/** What a gate would see of a log. */
export interface GatePreview extends GateCounts {
  readonly gate: string;
}

/** How many requests of a log a condition is true of. */
export interface MatchCount {
  readonly matching: number;
  readonly requests: number;
  /** Requests of which it cannot be known. */
  readonly unknown: number;
  /** Fields of the rule that are unknown of some requests at its gates: encryption hides them, or the log lacks them. */
  readonly unseen: readonly { readonly field: string; readonly requests: number }[];
}
