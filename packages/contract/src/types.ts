import type {
  Edit,
  ExpectationResult,
  LookUp,
  StartingPoint,
  Change,
  Decision,
  DecidedRecord,
  DescribedChange,
  Diagnostic,
  EntryReport,
  Explanation,
  ListContents,
  ListKind,
  BreakdownSummary,
  ComparisonTally,
  LogFormat,
  ReaderOptions,
  Side,
  Outcome,
  Part,
  People,
  RejectedLine,
  RejectReason,
  SourceFile,
  StatementKind,
  WeeklyHours,
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
  /** The draft or a revision; the published revision unless said, or the draft where none is published. */
  readonly against?: Against;
  /** Several of these can be said. */
  readonly headers?: readonly { readonly name: string; readonly value: string }[];
  readonly user?: string;
  readonly peer?: string;
}

/** What is judged by: the draft, or a revision by its number. */
export type Against = 'draft' | number;

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
    readonly hosts: readonly string[];
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
    /** An IANA zone, where it has one of its own. */
    readonly zone?: string;
    readonly weekly: readonly WeeklyHours[];
    readonly exceptions: readonly string[];
  }[];
  /** What keeps the draft from judging. */
  readonly diagnostics: readonly Diagnostic[];
  readonly changedAt: string | null;
  readonly changedBy: string | null;
}

/** What an edit came to. */
export interface EditResult {
  readonly version: number;
  readonly changes: readonly DescribedChange[];
  /** What became of each entry of edited lists. */
  readonly entries: readonly EntryReport[];
  /** What keeps the draft from judging now. */
  readonly diagnostics: readonly Diagnostic[];
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
export interface OnlyPart {
  readonly part: StatementKind;
  readonly name: string;
}

export interface PublishInput {
  readonly note: string;
  readonly only?: readonly OnlyPart[];
  /** Publishes although expectations are not met; the audit trail keeps it. */
  readonly isForced?: boolean;
}

export interface RevisionDiff {
  readonly from: Against;
  readonly to: Against;
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

export interface AuditPage {
  readonly total: number;
  /** Whether every entry still fits the one before it. */
  readonly isIntact: boolean;
  readonly entries: readonly AuditEntry[];
}

/** How a log is to be read, as an upload says it. */
export interface ReadingQuery {
  readonly format?: string;
  readonly host?: string;
  readonly pattern?: string;
  /** The text of a mapping. */
  readonly mapping?: string;
  readonly syslog?: 'true';
  readonly zone?: string;
  readonly year?: string;
}

export interface Log {
  readonly id: number;
  readonly name: string;
  readonly sha256: string;
  readonly format: LogFormat;
  /** The host given for all lines, where the format has no column for it. */
  readonly host: string | null;
  /** What else was said about how to read it. */
  readonly layout: Omit<ReaderOptions, 'host'>;
  /** Names of its files, where it has several. */
  readonly files: readonly string[];
  /** Why it ends too early, where its compressed bytes did. */
  readonly incomplete: string | null;
  readonly requests: number;
  readonly rejectedLines: number;
  readonly rejectedByReason: Partial<Record<RejectReason, number>>;
  readonly firstRejected: readonly RejectedLine[];
  readonly fromUnixMs: number | null;
  readonly toUnixMs: number | null;
  readonly importedAt: string;
}

export const REPLAY_STATES = ['waiting', 'running', 'done', 'failed', 'cancelled'] as const;
export type ReplayState = (typeof REPLAY_STATES)[number];

export interface ReplayProgress {
  readonly state: ReplayState;
  /** What it came to so far; null before the first requests are judged. */
  readonly soFar: SoFar | null;
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
  /** The category feeds, in order. */
  readonly categoryFeeds: readonly { readonly name: string; readonly sha256: string }[];
  /** How many corrections of countries and categories applied. */
  readonly numCorrections: number;
  readonly gate: string | null;
  /** The revision that was judged by; null for the draft. */
  readonly revision: number | null;
  /** The name of the folder whose fences judged; null for the draft or a revision. */
  readonly folder: string | null;
  readonly people: People;
  /** Only requests from this time on, and before that, are judged; all where null. */
  readonly fromUnixMs: number | null;
  readonly toUnixMs: number | null;
  readonly startedAt: string;
}

/** What a replay came to so far. */
export interface SoFar {
  readonly outcomes: Partial<Record<Outcome, number>>;
  /** By `fence/rule`, those that matched. */
  readonly rules: Readonly<Record<string, { readonly hits: number; readonly decided: number }>>;
}

/** One log judged twice. */
export interface ComparisonInfo {
  readonly id: number;
  readonly logId: number;
  readonly logName: string;
  readonly before: Replay;
  readonly after: Replay;
  readonly state: ComparisonState;
  /** Of both replays together. */
  readonly requestsDone: number;
  readonly requests: number;
  readonly failure: string | null;
  readonly startedAt: string;
}

export type ComparisonState = Exclude<ReplayState, 'cancelled'>;
export type ComparisonProgress = Pick<ComparisonInfo, 'state' | 'requestsDone' | 'requests' | 'failure'>;

/** Which requests of a log are judged, and how. */
interface ReplayOptions {
  readonly logId: number;
  readonly gate?: string;
  readonly people?: People;
  readonly fromUnixMs?: number;
  readonly toUnixMs?: number;
}

export interface StartReplay extends ReplayOptions {
  /** What is published unless said, or the draft where nothing is. */
  readonly against?: Against;
  /** Fences to judge by instead, and what their folder is called. */
  readonly fences?: FenceSources;
  readonly folder?: string;
}

export interface StartComparison extends ReplayOptions {
  readonly before: Against;
  readonly after: Against;
}

export interface ComparisonResult extends ComparisonInfo {
  readonly tally: Omit<ComparisonTally, 'by'>;
  /** The requests that change, by what describes them. */
  readonly breakdowns: readonly BreakdownSummary[];
}

/** A request that changes, or that another rule decides. */
export interface ChangeRow extends Omit<DecisionRow, 'outcome' | 'gate' | 'fence' | 'rule' | 'status' | 'reason'> {
  readonly before: Side;
  readonly after: Side;
}

export interface ChangePage {
  readonly offset: number;
  readonly total: number;
  readonly rows: readonly ChangeRow[];
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
  readonly reason?: string;
  readonly would: Decision['would'];
  readonly tags: readonly string[];
  readonly blind: readonly string[];
  /** The record with its decision, as NDJSON exports it. */
  readonly record: DecidedRecord;
  /** The line as it stood in the log, invalid UTF-8 shown as U+FFFD; absent of logs that came in before lines were kept. */
  readonly written?: string;
}

export interface DecisionPage {
  readonly offset: number;
  /** Rows in all, after the filter by outcome. */
  readonly total: number;
  readonly rows: readonly DecisionRow[];
}

export type { Edit, ExpectationResult, Explanation, LookUp, StartingPoint, Survey };
