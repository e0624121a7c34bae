import type {
  CountryShare,
  DatasetKind,
  LineProblem,
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
  LogFormat,
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
  /** The category feeds, in order. */
  readonly categoryFeeds: readonly { readonly name: string; readonly sha256: string }[];
  /** How many corrections of countries and categories applied. */
  readonly numCorrections: number;
  readonly gate: string | null;
  /** The revision that was judged by; null for the draft. */
  readonly revision: number | null;
  readonly people: People;
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
  readonly reason?: string;
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

export const DATASET_OWNERS = ['country', 'category', 'list'] as const;
/** What a dataset is for: the country table, a category feed, or the entries of a large list. */
export type DatasetOwner = (typeof DATASET_OWNERS)[number];

/** What making a dataset the active one would change, found by replaying the latest log with and without it. */
export interface DatasetEffect {
  readonly logId: number;
  readonly logName: string;
  /** The replay with the dataset. */
  readonly replayId: number;
  /** The revision that was judged by; null for the draft. */
  readonly revision: number | null;
  readonly requests: number;
  /** Decisions that differ in outcome, gate, fence, rule or status. */
  readonly changed: number;
  readonly newlyStopped: number;
  readonly newlyAllowed: number;
}

/** Reference data as it was imported once. */
export interface DatasetInfo {
  readonly id: number;
  readonly kind: DatasetOwner;
  /** Of a feed or list what it is known by; of a country table where it came from. */
  readonly name: string;
  readonly sha256: string;
  readonly isActive: boolean;
  /** Checking while the latest log is replayed with it. */
  readonly state: 'checking' | 'settled';
  /** Why it does not become active without a yes. */
  readonly waitsFor: string | null;
  readonly effect: DatasetEffect | null;
  readonly numEntries: number;
  readonly numRejected: number;
  /** The first of them. */
  readonly problems: readonly LineProblem[];
  readonly listKind?: DatasetKind;
  readonly categories?: readonly { readonly name: string; readonly numEntries: number }[];
  readonly renamed?: Readonly<Record<string, string>>;
  readonly builtAt: string | null;
  readonly importedAt: string;
  readonly importedBy: string | null;
}

export const FRESHNESS = ['fresh', 'ageing', 'stale', 'missing', 'failed'] as const;
export type Freshness = (typeof FRESHNESS)[number];

/** How old reference data is, and why that matters. */
export interface FreshnessInfo {
  readonly state: Freshness;
  /** One sentence. */
  readonly reason: string;
}

/** Where a dataset is refreshed from. */
export interface SourceInfo {
  readonly kind: DatasetOwner;
  readonly name: string;
  /** http(s) URLs, or paths below the service's folder for reference data. */
  readonly locations: readonly string[];
  readonly category?: string;
  readonly listKind?: DatasetKind;
  readonly everyMinutes: number;
  readonly checkedAt: string | null;
  readonly succeededAt: string | null;
  readonly failure: string | null;
}

export interface Correction {
  readonly kind: 'country' | 'category';
  /** A range, or a domain or URL. */
  readonly key: string;
  /** A country, or categories joined by commas. */
  readonly value: string;
  readonly reason: string | null;
  readonly changedBy: string | null;
  readonly changedAt: string;
}

/** The active country table, by country. */
export interface Countries {
  readonly table: DatasetInfo | null;
  readonly freshness: FreshnessInfo;
  readonly countries: readonly (CountryShare & {
    readonly name: string;
    /** Requests of the log asked about, by the client's country. */
    readonly requests?: number;
  })[];
  /** Requests of the log from no country, from inside, or from nobody known. */
  readonly elsewhere?: Readonly<Record<string, number>>;
  /** All requests of the log asked about. */
  readonly requests?: number;
}

/** What is known of an address, or of each address of a name. */
export interface CountryLookUp {
  readonly asked: string;
  readonly addresses: readonly AddressLookUp[];
}

export interface AddressLookUp {
  readonly address: string;
  readonly country: string;
  readonly countryName: string;
  /** The row, and the table or correction that says so. */
  readonly evidence: string;
  readonly range?: string;
  readonly isCorrected: boolean;
  /** Lists of the draft that hold the address or its country, with the entry. */
  readonly lists: readonly { readonly list: string; readonly entry: string; readonly through: readonly string[] }[];
  /** Outbound gates whose clients hold the address. */
  readonly gates: readonly string[];
  /** Rules with a comparison that is true of the address or its country. */
  readonly rules: readonly { readonly rule: string; readonly gates: readonly string[]; readonly comparison: string }[];
}

export interface FeedInfo {
  readonly name: string;
  readonly dataset: DatasetInfo;
  readonly freshness: FreshnessInfo;
}

/** The feeds in order, and every category with its entries in each. */
export interface CategoryOverview {
  readonly feeds: readonly FeedInfo[];
  readonly categories: readonly {
    readonly name: string;
    readonly numEntries: number;
    readonly feeds: readonly string[];
  }[];
}

/** What each source says of a domain or URL, the first of them deciding. */
export interface CategoryLookUp {
  readonly asked: string;
  readonly host: string;
  readonly path: string | null;
  /** The registrable domain; null for public suffixes and addresses. */
  readonly site: string | null;
  readonly categories: readonly string[];
  readonly evidence: string;
  readonly answers: readonly {
    readonly categories: readonly string[];
    readonly feed: string | null;
    readonly isCorrected: boolean;
    readonly entry: string;
  }[];
}

/** An application of the catalogue. */
export interface ApplicationInfo {
  readonly name: string;
  readonly title?: string;
  readonly category?: string;
  readonly risk?: 'low' | 'medium' | 'high';
  readonly ports: readonly string[];
  readonly needs: readonly string[];
  readonly over?: string;
  /** Conditions as fence text. */
  readonly signatures: readonly string[];
  readonly isBuiltIn: boolean;
  /** The statement as fence text. */
  readonly text: string;
  readonly usedBy: readonly string[];
}

export interface PassphraseInfo {
  readonly name: string;
  /** Rules of the draft that ask for it. */
  readonly usedBy: readonly string[];
  /** Whether the service has one under this name. */
  readonly isSet: boolean;
  readonly changedBy: string | null;
  readonly changedAt: string | null;
}

export type { Edit, ExpectationResult, Explanation, LookUp, StartingPoint, Survey };
