/** Logs, what replays make of them, and how two replays differ. */
import type { Decision, HeldBehaviour } from '@jadefence/core/decide';
import type { Outcome } from '@jadefence/core/language';
import type { LogFormat, ReaderOptions } from '@jadefence/core/logs';
import type { BreakdownSummary, ComparisonTally, DecidedRecord, Side, Summary } from '@jadefence/core/replay';
import type { RejectReason, RejectedLine } from '@jadefence/core/request';
import type { FenceSources, ReplayPolicy } from './types.js';

/** How a log is to be read, as parameters of an upload. */
export interface LogReadOptions {
  readonly format?: string;
  readonly host?: string;
  readonly pattern?: string;
  /** The text of a mapping. */
  readonly mapping?: string;
  readonly syslog?: boolean;
  readonly zone?: string;
  readonly year?: string;
}

export interface Log {
  readonly id: number;
  readonly name: string;
  readonly sha256: string;
  readonly format: LogFormat;
  /** The host given for the lines that name none. */
  readonly host: string | null;
  /** Further options for reading it. */
  readonly layout: Omit<ReaderOptions, 'host'>;
  /** Names of its files, where it has several. */
  readonly files: readonly string[];
  /** Why it ends too early, where its compressed bytes did. */
  readonly incomplete: string | null;
  /** To be read first: most requests name no host, so that no gate covers them. */
  readonly hostNotice: string | null;
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
  /** The partial result; null before the first requests are judged. */
  readonly partial: PartialResult | null;
  readonly requestsDone: number;
  readonly requests: number;
  /** Why it failed. */
  readonly failure: string | null;
}

export interface Replay extends ReplayProgress {
  readonly id: number;
  readonly logId: number;
  readonly logName: string;
  /** What the result depends on; the same inputs give the same bytes. */
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
  readonly held: HeldBehaviour;
  /** Only requests from this time on, and before that, are judged; all where null. */
  readonly fromUnixMs: number | null;
  readonly toUnixMs: number | null;
  readonly startedAt: string;
}

/** The partial result of a replay. */
export interface PartialResult {
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
  readonly held?: HeldBehaviour;
  readonly fromUnixMs?: number;
  readonly toUnixMs?: number;
}

export interface ReplayRequest extends ReplayOptions {
  /** What is published unless specified, or the draft where nothing is. */
  readonly against?: ReplayPolicy;
  /** Fences to judge by instead, and what their folder is called. */
  readonly fences?: FenceSources;
  readonly folder?: string;
}

export interface ComparisonRequest extends ReplayOptions {
  readonly before: ReplayPolicy;
  readonly after: ReplayPolicy;
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
  /** What is requested, as far as it is known: `GET shop.example/sale`, or `udp/53 at 192.0.2.53`. */
  readonly requested: string;
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
  /** The raw line of the log, invalid UTF-8 shown as U+FFFD; absent for logs imported before lines were kept. */
  readonly written?: string;
}

export interface DecisionPage {
  readonly offset: number;
  /** Rows in all, after the filter by outcome. */
  readonly total: number;
  readonly rows: readonly DecisionRow[];
}
