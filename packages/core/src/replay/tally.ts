import { ASPECTS, type Aspect } from '../decide/aspects.js';
import { ruleId, type Ruling } from '../decide/decision.js';
import { type Outcome } from '../language/outcomes.js';
import type { RejectedLine, RejectReason } from '../request/record.js';
import { addThrottleTally, createThrottleTally, type ThrottleTally } from '../match/counters/throttle-meter.js';
import { addTimeline, addToTimeline, createTimeline, type Timeline } from './timeline.js';

/** What a rule did over a log. */
export interface RuleTally {
  /** Requests on which it was reached and matched. */
  hits: number;
  /** Requests whose outcome it decided. */
  decided: number;
  /** In trial: what it would have done, by outcome. */
  would: Partial<Record<Outcome, number>>;
  /** Requests on which its condition could not be known. */
  blind: number;
  firstHitUnixMs?: number;
  lastHitUnixMs?: number;
}

export interface GateTally {
  requests: number;
  stopped: number;
  /** Requests that no fence decided. */
  otherwise: number;
  /** Requests whose address header came from an untrusted peer. */
  ignoredHeaders: number;
}

export type OutcomeCounts = Partial<Record<Outcome, number>>;

/** Requests by one of their values, and by outcome. */
export interface ValueTally {
  /** At most `MAX_VALUES` of them, the first that came up. */
  values: Record<string, OutcomeCounts>;
  numValues: number;
  /** Requests with values beyond those, once for each such value. */
  others: OutcomeCounts;
}

/** What requests are counted by, in addition to what decided them; the hour of the day is that of UTC. */
export type BreakdownName = Aspect | 'hour';
export const BREAKDOWNS: readonly BreakdownName[] = [...ASPECTS, 'hour'];

/** Counts over the decisions of a log. Plain data; tallies of parts of a log add up to the tally of the whole. */
export interface Tally {
  requests: number;
  outcomes: Partial<Record<Outcome, number>>;
  /** By `fence/rule`. */
  rules: Record<string, RuleTally>;
  /**
   * By `fence/rule`: how often its condition was evaluated, because the index could not decide it.
   * A measure of what a rule costs, which the interpreter does not have.
   */
  evaluations: Record<string, number>;
  /** By `fence/rule`: what its throttle did. Absent in tallies of earlier releases. */
  throttles?: Record<string, ThrottleTally>;
  /** By fence: requests that its `otherwise` decided. */
  otherwise: Record<string, number>;
  gates: Record<string, GateTally>;
  /** Hosts of uncovered requests, at most `MAX_UNCOVERED_HOSTS` of them. */
  uncoveredHosts: Record<string, number>;
  rejected: Partial<Record<RejectReason, number>>;
  firstRejected: RejectedLine[];
  fromUnixMs?: number;
  toUnixMs?: number;
  timeline: Timeline;
  /** Absent for what nothing is known of. */
  by: Partial<Record<BreakdownName, ValueTally>>;
}

export const MAX_UNCOVERED_HOSTS = 50_000;
const MAX_FIRST_REJECTED = 1000;
const MAX_VALUES = 50_000;

export function createTally(): Tally {
  return {
    requests: 0,
    outcomes: {},
    rules: emptyRecord(),
    evaluations: emptyRecord(),
    otherwise: emptyRecord(),
    gates: emptyRecord(),
    uncoveredHosts: emptyRecord(),
    rejected: {},
    firstRejected: [],
    timeline: createTimeline(),
    by: {},
  };
}

/** Keys come from rules and logs, where `constructor` is a name like any other. */
function emptyRecord<V>(): Record<string, V> {
  return Object.create(null) as Record<string, V>;
}

/** The value under its own key, wherever the record comes from. */
export function ownValue<V>(record: Readonly<Record<string, V>>, key: string): V | undefined {
  return Object.hasOwn(record, key) ? record[key] : undefined;
}

function increment<K extends string>(counts: Partial<Record<K, number>>, key: K, by = 1): void {
  counts[key] = (counts[key] ?? 0) + by;
}

/** Counts one decision. `host` is the request's, for naming what no gate covers. */
export function addDecision(tally: Tally, ruling: Ruling, atUnixMs: number, host: string | null | undefined): void {
  addRequests(tally, ruling, 1, atUnixMs, atUnixMs);
  addToTimeline(tally.timeline, atUnixMs, ruling.outcome, 1);
  if (ruling.gate === undefined) addUncoveredHosts(tally, [[uncoveredName(host), 1]]);
}

/** Counts requests with the same ruling, but for the timeline and the hosts that no gate covers. */
export function addRequests(
  tally: Tally,
  ruling: Ruling,
  requests: number,
  firstUnixMs: number,
  lastUnixMs: number,
): void {
  tally.requests += requests;
  increment(tally.outcomes, ruling.outcome, requests);
  tally.fromUnixMs = Math.min(tally.fromUnixMs ?? firstUnixMs, firstUnixMs);
  tally.toUnixMs = Math.max(tally.toUnixMs ?? lastUnixMs, lastUnixMs);
  if (ruling.gate === undefined) return;
  const gate = (tally.gates[ruling.gate] ??= { requests: 0, stopped: 0, otherwise: 0, ignoredHeaders: 0 });
  gate.requests += requests;
  if (ruling.outcome !== 'allowed') gate.stopped += requests;
  if (ruling.isHeaderIgnored) gate.ignoredHeaders += requests;
  if (ruling.fence === undefined) gate.otherwise += requests;
  else if (ruling.rule === undefined) increment(tally.otherwise, ruling.fence, requests);
  else ruleTally(tally, ruleId(ruling.fence, ruling.rule)).decided += requests;
  for (const rule of ruling.matched) addHits(ruleTally(tally, rule), requests, firstUnixMs, lastUnixMs);
  for (const rule of ruling.blind) ruleTally(tally, rule).blind += requests;
  for (const { fence, rule, outcome } of ruling.would)
    if (rule !== undefined) increment(ruleTally(tally, ruleId(fence, rule)).would, outcome, requests);
}

/** @param hosts requests that no gate covers, by host, in the order in which the hosts came up */
export function addUncoveredHosts(tally: Tally, hosts: Iterable<readonly [host: string, requests: number]>): void {
  let room = MAX_UNCOVERED_HOSTS - Object.keys(tally.uncoveredHosts).length;
  for (const [host, requests] of hosts) {
    const isKnown = host in tally.uncoveredHosts;
    if (!isKnown && room === 0) continue;
    if (!isKnown) room -= 1;
    increment(tally.uncoveredHosts, host, requests);
  }
}

/** Counts requests with one of the values that they have. */
export function addValue(tally: Tally, name: BreakdownName, value: string, outcome: Outcome, requests: number): void {
  const all = valueTally(tally, name);
  let counts = all.values[value];
  if (counts === undefined && all.numValues < MAX_VALUES) {
    counts = all.values[value] = {};
    all.numValues += 1;
  }
  increment(counts ?? all.others, outcome, requests);
}

/** @param hour of the day, 0 to 23 */
export function addHour(tally: Tally, hour: number, outcome: Outcome, requests: number): void {
  addValue(tally, 'hour', `${String(hour).padStart(2, '0')}:00`, outcome, requests);
}

function valueTally(tally: Tally, name: BreakdownName): ValueTally {
  return (tally.by[name] ??= { values: emptyRecord(), numValues: 0, others: {} });
}

/** Keeps of each breakdown the values with most requests; the rest are counted together. */
export function trimTally(tally: Tally, maxValues: number): void {
  for (const all of Object.values(tally.by)) {
    const sorted = sortValues(all);
    for (const [value, counts] of sorted.slice(maxValues)) {
      delete all.values[value];
      addCounts(all.others, counts);
    }
  }
}

/** Values with their counts, most requests first. */
export function sortValues({ values }: ValueTally): [value: string, counts: OutcomeCounts, requests: number][] {
  return Object.entries(values)
    .map(([value, counts]): [string, OutcomeCounts, number] => [value, counts, sumOf(counts)])
    .sort((a, b) => b[2] - a[2] || (a[0] < b[0] ? -1 : 1));
}

export function sumOf(counts: OutcomeCounts): number {
  return Object.values(counts).reduce((sum, requests) => sum + requests, 0);
}

export const NO_HOST = '(no host)';

/** How the host of an uncovered request is named. */
export function uncoveredName(host: string | null | undefined): string {
  return host ?? NO_HOST;
}

function ruleTally(tally: Tally, rule: string): RuleTally {
  return (tally.rules[rule] ??= { hits: 0, decided: 0, would: {}, blind: 0 });
}

function addHits(rule: RuleTally, hits: number, firstUnixMs: number, lastUnixMs: number): void {
  rule.hits += hits;
  rule.firstHitUnixMs = Math.min(rule.firstHitUnixMs ?? firstUnixMs, firstUnixMs);
  rule.lastHitUnixMs = Math.max(rule.lastHitUnixMs ?? lastUnixMs, lastUnixMs);
}

export function addRejected(tally: Tally, rejected: RejectedLine): void {
  increment(tally.rejected, rejected.reason);
  if (tally.firstRejected.length < MAX_FIRST_REJECTED) tally.firstRejected.push(rejected);
}

/** Adds what throttles did, by `fence/rule`. */
export function addThrottles(into: Tally, throttles: Readonly<Record<string, ThrottleTally>> = {}): void {
  for (const [rule, part] of Object.entries(throttles))
    addThrottleTally(((into.throttles ??= {})[rule] ??= createThrottleTally()), part);
}

/** Adds the counts of a later part of a log to those of the parts before it. */
export function addTally(into: Tally, part: Tally): void {
  into.requests += part.requests;
  addCounts(into.outcomes, part.outcomes);
  addCounts(into.otherwise, part.otherwise);
  addCounts(into.evaluations, part.evaluations);
  addCounts(into.rejected, part.rejected);
  addUncoveredHosts(into, Object.entries(part.uncoveredHosts));
  for (const [name, gate] of Object.entries(part.gates))
    addCounts((into.gates[name] ??= { requests: 0, stopped: 0, otherwise: 0, ignoredHeaders: 0 }), gate);
  for (const [name, rule] of Object.entries(part.rules)) {
    const sum = ruleTally(into, name);
    sum.hits += rule.hits;
    sum.decided += rule.decided;
    sum.blind += rule.blind;
    addCounts(sum.would, rule.would);
    if (rule.firstHitUnixMs !== undefined)
      sum.firstHitUnixMs = Math.min(sum.firstHitUnixMs ?? rule.firstHitUnixMs, rule.firstHitUnixMs);
    if (rule.lastHitUnixMs !== undefined)
      sum.lastHitUnixMs = Math.max(sum.lastHitUnixMs ?? rule.lastHitUnixMs, rule.lastHitUnixMs);
  }
  if (part.fromUnixMs !== undefined) into.fromUnixMs = Math.min(into.fromUnixMs ?? part.fromUnixMs, part.fromUnixMs);
  if (part.toUnixMs !== undefined) into.toUnixMs = Math.max(into.toUnixMs ?? part.toUnixMs, part.toUnixMs);
  for (const rejected of part.firstRejected.slice(0, MAX_FIRST_REJECTED - into.firstRejected.length))
    into.firstRejected.push(rejected);
  addThrottles(into, part.throttles);
  addTimeline(into.timeline, part.timeline);
  addBreakdown(into, part.by);
}

/** Adds what was counted by what describes the requests. */
export function addBreakdown(into: Tally, by: Tally['by']): void {
  for (const [name, all] of Object.entries(by) as [BreakdownName, ValueTally][]) {
    for (const [value, counts] of Object.entries(all.values))
      for (const [outcome, requests] of Object.entries(counts) as [Outcome, number][])
        addValue(into, name, value, outcome, requests);
    addCounts(valueTally(into, name).others, all.others);
  }
}

function addCounts<K extends string>(into: Partial<Record<K, number>>, part: Partial<Record<K, number>>): void {
  for (const key of Object.keys(part) as K[]) increment(into, key, part[key]);
}
