import type {
  Change,
  Decision,
  DecidedRecord,
  Diagnostic,
  Explanation,
  LogFormat,
  Outcome,
  Part,
  RejectedLine,
  RejectReason,
  SourceFile,
  Summary,
  Survey,
} from '@jadefence/core';

export const ROLES = ['viewer', 'editor', 'administrator'] as const;
/** What a user may do: look, change rules and logs, or also manage users and tokens. A token's scope is one of these, too. */
export type Role = (typeof ROLES)[number];

export interface Health {
  readonly status: 'ok';
  readonly version: string;
}

export interface SignedIn {
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

/** The draft as text: its parts in order, and the files that lists are kept in. */
export interface DraftSources {
  readonly parts: readonly Part[];
  readonly namedFiles: readonly SourceFile[];
}

/** What an import would change, without changing it. */
export interface ImportPreview {
  readonly changes: readonly Change[];
  /** What would keep the draft from judging. */
  readonly diagnostics: readonly Diagnostic[];
}

export interface Token {
  readonly id: number;
  readonly user: string;
  readonly name: string;
  readonly scope: Role;
  readonly createdAt: string;
  readonly expiresAt: string | null;
}

/** A request that somebody makes up. */
export interface TryInput {
  readonly client: string;
  readonly url: string;
  readonly method?: string;
  /** RFC 3339; now unless said. */
  readonly at?: string;
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
  readonly gates: readonly {
    readonly name: string;
    readonly direction: 'inbound' | 'outbound';
    readonly hosts: readonly string[];
    readonly fences: readonly string[];
    readonly otherwise: string;
  }[];
  readonly fences: readonly DraftFence[];
  readonly lists: readonly {
    readonly name: string;
    readonly kind: string;
    readonly title?: string;
    readonly numEntries?: number;
  }[];
  /** What keeps the draft from judging. */
  readonly diagnostics: readonly Diagnostic[];
  readonly changedAt: string | null;
  readonly changedBy: string | null;
}

export interface Log {
  readonly id: number;
  readonly name: string;
  readonly sha256: string;
  readonly format: LogFormat;
  /** The host given for all lines, where the format has no column for it. */
  readonly host: string | null;
  readonly requests: number;
  readonly rejectedLines: number;
  readonly rejectedByReason: Partial<Record<RejectReason, number>>;
  readonly firstRejected: readonly RejectedLine[];
  readonly fromUnixMs: number | null;
  readonly toUnixMs: number | null;
  readonly importedAt: string;
}

export const REPLAY_STATES = ['waiting', 'running', 'done', 'failed'] as const;
export type ReplayState = (typeof REPLAY_STATES)[number];

export interface ReplayProgress {
  readonly state: ReplayState;
  readonly requestsDone: number;
  readonly requests: number;
  /** Why it failed. */
  readonly failure: string | null;
}

export interface Replay extends ReplayProgress {
  readonly id: number;
  readonly logId: number;
  readonly logName: string;
  /** What the result rests on; the same inputs give the same bytes. */
  readonly snapshot: string;
  readonly logSha256: string;
  readonly countryTable: { readonly name: string; readonly sha256: string } | null;
  readonly gate: string | null;
  readonly startedAt: string;
}

export interface ReplayResult extends Replay {
  readonly summary: Summary;
  /** Outcome counts by equal steps of time, at most 96 of them. */
  readonly timeline: {
    readonly stepMs: number;
    readonly steps: readonly { readonly fromUnixMs: number; readonly outcomes: Partial<Record<Outcome, number>> }[];
  };
}

/** One row of the decision table. `row` counts from 0 in the order of the log. */
export interface DecisionRow {
  readonly row: number;
  readonly atUnixMs: number;
  readonly line: number;
  readonly client: string | null;
  readonly country: string | null;
  readonly method: string | null;
  readonly host: string | null;
  readonly path: string | null;
  readonly outcome: Outcome;
  readonly gate?: string;
  readonly fence?: string;
  readonly rule?: string;
  readonly status?: number;
  readonly would: Decision['would'];
  readonly tags: readonly string[];
  readonly blind: readonly string[];
  /** The record with its decision, as NDJSON exports it. */
  readonly record: DecidedRecord;
}

export interface DecisionPage {
  readonly offset: number;
  /** Rows in all, after the filter by outcome. */
  readonly total: number;
  readonly rows: readonly DecisionRow[];
}

export interface CountryTableInfo {
  readonly id: number;
  readonly name: string;
  readonly sha256: string;
  readonly numRanges: number;
  readonly problems: readonly { readonly line: number; readonly message: string }[];
  readonly importedAt: string;
}

export type { Explanation, Survey };
