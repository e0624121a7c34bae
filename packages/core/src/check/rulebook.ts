import type { ApplicationStatement, ExpectStatement, FenceStatement, GateStatement, Rule } from '../language/tree.js';
import type { Schedule } from '../reference/schedule.js';
import type { PathReading } from '../request/path.js';
import type { Lookups } from './lookups.js';
import type { Members, ResolvedList } from './members.js';

/** Fences that have been checked: every name is resolved, and every set of values can be looked up. */
export interface Rulebook {
  /** In the order of definition, which breaks ties between gates. */
  readonly gates: readonly CheckedGate[];
  /** Every fence, also those at no gate, in the order of definition. */
  readonly fences: readonly FenceStatement[];
  readonly lists: ReadonlyMap<string, ResolvedList>;
  /** The IANA time zone of dates, and of hours without one. */
  readonly zone: string;
  /** Of every condition. */
  readonly lookups: Lookups;
  readonly schedules: ReadonlyMap<string, Schedule>;
  /** The defined ones and the built-in ones. */
  readonly applications: readonly ApplicationStatement[];
  /** Texts by name of the page. */
  readonly pages: ReadonlyMap<string, string>;
  readonly expectations: readonly ExpectStatement[];
  /** When each rule with an end stops being live. */
  readonly endsAtUnixMs: ReadonlyMap<Rule, number>;
  /** Whether a request can change the outcome of a later one. */
  readonly isStateful: boolean;
}

export interface CheckedGate {
  readonly statement: GateStatement;
  /** Of an inbound gate. */
  readonly hosts: Members;
  /** Of an outbound gate. */
  readonly clients: Members;
  /** The proxies that are trusted to name the client. */
  readonly trusting: Members;
  readonly pathReading: PathReading;
  /** The stack, in order. */
  readonly fences: readonly FenceStatement[];
}
