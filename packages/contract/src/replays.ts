import type { ReplayInput } from './server.js';
import type { Shape } from './shape.js';
import type { DecidedRecord, Summary } from '@jadefence/core/replay';
import type { Outcome } from '@jadefence/core/language';
import type { Decision, HeldBehaviour } from '@jadefence/core/decide';

/** What is judged by: the draft, or a revision by its number. */
export type ReplayPolicy = 'draft' | number;

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
  /** Given by a user. */
  readonly name: string | null;
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

export type ReplayRequest = Shape<ReplayInput>;

export interface ReplayResult extends Replay {
  /** Where fields are masked for the caller: which and how, `client=shorten`. */
  readonly masked?: string;
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
  /** Rules that delay it, and how long by each; milliseconds. */
  readonly throttled?: Decision['throttled'];
  readonly waitsMs?: Decision['waitsMs'];
  readonly tags: readonly string[];
  readonly blind: readonly string[];
  /** The record with its decision, as NDJSON exports it. */
  readonly record: DecidedRecord;
  /** The raw line of the log, invalid UTF-8 shown as U+FFFD; absent for logs imported before lines were kept. */
  readonly written?: string;
}

/** Requests of the clients of a protected list that a replay stops. */
export interface ProtectedStop {
  readonly replayId: number;
  readonly list: string;
  readonly requests: number;
  /** A filter that finds them. */
  readonly where: string;
  /** The first of them. */
  readonly rows: readonly DecisionRow[];
}

export interface DecisionPage {
  /** Where fields are masked for the caller: which and how, `client=shorten`. */
  readonly masked?: string;
  readonly offset: number;
  /** Rows in all, after the filter by outcome. */
  readonly total: number;
  readonly rows: readonly DecisionRow[];
}
