import { describeHostless } from '../request/hostless.js';
import type { Rulebook } from '../check/rulebook.js';
import { isStop, ruleId } from '../decide/decision.js';
import { OUTCOMES, type Outcome } from '../language/outcomes.js';
import { describeRule } from '../language/sentence.js';
import { printField } from '../language/condition-text.js';
import { specOf, type FieldName } from '../language/fields.js';
import { canDecide, type Comparison, type FenceStatement, type Rule } from '../language/tree.js';
import { countedFields, visitComparisons } from '../language/visit.js';
import { summarizeThrottle, type ThrottleSummary } from './throttle-summary.js';
import { REJECT_REASONS, type RejectedLine, type RejectReason } from '../request/record.js';
import {
  BREAKDOWNS,
  MAX_UNCOVERED_HOSTS,
  NO_HOST,
  ownValue,
  sortValues,
  sumOf,
  type BreakdownName,
  type GateTally,
  type OutcomeCounts,
  type RuleTally,
  type Tally,
  type ValueTally,
} from './tally.js';

/** The result of a log, ready to be shown: everything in its order, also the rules that never matched. */
export interface Summary {
  readonly requests: number;
  readonly fromUnixMs?: number;
  readonly toUnixMs?: number;
  /** Only outcomes that came up; uncovered first. `share` is of all requests, 0 to 1. */
  readonly outcomes: readonly { readonly outcome: Outcome; readonly requests: number; readonly share: number }[];
  /** The ten hosts without a gate that have most requests. */
  readonly uncoveredHosts: readonly { readonly host: string; readonly requests: number }[];
  /** The others of them, where there are more. Beyond 50,000 hosts there may be more than `hosts`. */
  readonly otherUncovered?: { readonly hosts: number; readonly requests: number; readonly isExact: boolean };
  /** What to do first, if most requests name no host, so that no gate covers them. */
  readonly hostNotice?: string;
  readonly gates: readonly (Readonly<GateTally> & { readonly gate: string })[];
  readonly fences: readonly FenceSummary[];
  /** Only of what something is known. */
  readonly breakdowns: readonly BreakdownSummary[];
  readonly numRejected: number;
  readonly rejected: readonly { readonly reason: RejectReason; readonly text: string; readonly lines: number }[];
  /** The first five. */
  readonly firstRejected: readonly RejectedLine[];
}

export interface FenceSummary {
  readonly fence: string;
  readonly title?: string;
  readonly mode: 'trial' | 'enforce';
  /** The gates it is attached to. */
  readonly gates: readonly string[];
  readonly rules: readonly RuleSummary[];
  /** Requests that its `otherwise` decided. */
  readonly otherwise: number;
}

/** Requests with one value, by outcome. */
export interface ValueSummary {
  readonly value: string;
  readonly requests: number;
  readonly stopped: number;
  readonly outcomes: OutcomeCounts;
}

/** Requests by the values that they have under one aspect. */
export interface BreakdownSummary {
  readonly by: BreakdownName;
  /** Those with most requests first; hours in their order. */
  readonly values: readonly ValueSummary[];
  /** How many values came up; at least so many where there are `others` that were not distinguished. */
  readonly numValues: number;
  /** Requests with values that are not listed, once for each such value. */
  readonly others: number;
}

export interface RuleSummary extends Readonly<RuleTally> {
  readonly rule: string;
  readonly title?: string;
  readonly sentence: string;
  readonly state: 'on' | 'trial' | 'off';
  /** Whether its action can stop a request. */
  readonly canStop: boolean;
  /** How often its condition was evaluated: its cost. */
  readonly evaluations: number;
  /** What its throttle did. */
  readonly throttle?: ThrottleSummary;
  /** Where it was blind: the fields that encryption may have hidden, or all that it compares. */
  readonly blindFields?: readonly string[];
}

const SHOWN_HOSTS = 10;
const SHOWN_REJECTED = 5;
/** Of each breakdown. */
const SHOWN_VALUES = 50;

/** @param rulebook the one that the tally was counted with */
export function summarize(tally: Tally, rulebook: Rulebook): Summary {
  const outcomes = (['uncovered', ...OUTCOMES.filter((outcome) => outcome !== 'uncovered')] as Outcome[]).flatMap(
    (outcome) => {
      const requests = tally.outcomes[outcome];
      return requests === undefined ? [] : [{ outcome, requests, share: requests / tally.requests }];
    },
  );
  const rejected = (Object.keys(REJECT_REASONS) as RejectReason[]).flatMap((reason) => {
    const lines = tally.rejected[reason];
    return lines === undefined ? [] : [{ reason, text: REJECT_REASONS[reason], lines }];
  });
  return {
    requests: tally.requests,
    fromUnixMs: tally.fromUnixMs,
    toUnixMs: tally.toUnixMs,
    outcomes,
    ...summarizeUncovered(tally),
    ...hostNotice(tally),
    gates: rulebook.gates.map(({ statement }) => ({
      gate: statement.name,
      ...(ownValue(tally.gates, statement.name) ?? { requests: 0, stopped: 0, otherwise: 0, ignoredHeaders: 0 }),
    })),
    fences: inOrderOfGates(rulebook).map((fence) => summarizeFence(fence, tally, rulebook)),
    // A replay from before this was counted has none.
    breakdowns: summarizeBreakdowns((tally.by as Tally['by'] | undefined) ?? {}),
    numRejected: rejected.reduce((sum, { lines }) => sum + lines, 0),
    rejected,
    firstRejected: tally.firstRejected.slice(0, SHOWN_REJECTED),
  };
}

function hostNotice({ uncoveredHosts, requests }: Tally): Pick<Summary, 'hostNotice'> {
  const notice = describeHostless(uncoveredHosts[NO_HOST] ?? 0, requests);
  return notice === undefined ? {} : { hostNotice: notice };
}

function summarizeUncovered(tally: Tally): Pick<Summary, 'uncoveredHosts' | 'otherUncovered'> {
  const all = Object.entries(tally.uncoveredHosts)
    .map(([host, requests]) => ({ host, requests }))
    .sort((a, b) => b.requests - a.requests || (a.host < b.host ? -1 : 1));
  const uncoveredHosts = all.slice(0, SHOWN_HOSTS);
  const requests = (tally.outcomes.uncovered ?? 0) - uncoveredHosts.reduce((sum, item) => sum + item.requests, 0);
  if (requests === 0) return { uncoveredHosts };
  const isExact = all.length < MAX_UNCOVERED_HOSTS;
  return { uncoveredHosts, otherUncovered: { hosts: all.length - uncoveredHosts.length, requests, isExact } };
}

export function summarizeBreakdowns(by: Tally['by']): BreakdownSummary[] {
  return BREAKDOWNS.flatMap((name) => {
    const all = by[name];
    return all ? [summarizeValues(name, all)] : [];
  });
}

function summarizeValues(by: BreakdownName, all: ValueTally): BreakdownSummary {
  const sorted = sortValues(all);
  const isHours = by === 'hour';
  const listed = isHours ? sorted.sort(([a], [b]) => (a < b ? -1 : 1)) : sorted.slice(0, SHOWN_VALUES);
  return {
    by,
    values: listed.map(([value, outcomes, requests]) => ({
      value,
      requests,
      stopped: (Object.entries(outcomes) as [Outcome, number][]).reduce(
        (sum, [outcome, some]) => sum + (isStop(outcome) ? some : 0),
        0,
      ),
      outcomes,
    })),
    numValues: all.numValues,
    others: (isHours ? [] : sorted.slice(SHOWN_VALUES)).reduce((sum, [, , some]) => sum + some, sumOf(all.others)),
  };
}

/** Fences as requests meet them, gate by gate; those at no gate last. */
function inOrderOfGates(rulebook: Rulebook): FenceStatement[] {
  return [...new Set([...rulebook.gates.flatMap((gate) => gate.fences), ...rulebook.fences])];
}

function summarizeFence(fence: FenceStatement, tally: Tally, rulebook: Rulebook): FenceSummary {
  return {
    fence: fence.name,
    ...(fence.title === undefined ? {} : { title: fence.title }),
    mode: fence.mode,
    gates: rulebook.gates.filter((gate) => gate.fences.includes(fence)).map((gate) => gate.statement.name),
    rules: fence.rules.map((rule) => summarizeRule(fence, rule, tally, rulebook)),
    otherwise: ownValue(tally.otherwise, fence.name) ?? 0,
  };
}

function summarizeRule(fence: FenceStatement, rule: Rule, tally: Tally, { lists }: Rulebook): RuleSummary {
  const id = ruleId(fence.name, rule.name);
  const throttle = ownValue(tally.throttles ?? {}, id);
  const counts = ownValue(tally.rules, id) ?? { hits: 0, decided: 0, would: {}, blind: 0 };
  return {
    rule: rule.name,
    ...(rule.title === undefined ? {} : { title: rule.title }),
    sentence: describeRule(rule, lists),
    state: rule.state,
    canStop: rule.action.kind !== 'allow' && canDecide(rule.action),
    ...counts,
    ...(throttle ? { throttle: summarizeThrottle(throttle) } : {}),
    ...(counts.blind > 0 ? { blindFields: hideableFields(rule) } : {}),
    evaluations: ownValue((tally.evaluations as Tally['evaluations'] | undefined) ?? {}, id) ?? 0,
  };
}

/** The fields that a rule reads and encryption may hide; all where there is none. */
function hideableFields({ condition, action }: Rule): string[] {
  const fields = new Map<string, boolean>();
  const add = ({ field, parameter }: Pick<Comparison, 'field' | 'parameter'>): unknown =>
    fields.set(printField(field, parameter), field === 'url' || specOf(field as FieldName).isEncrypted === true);
  visitComparisons(condition, add);
  countedFields(action).forEach(add);
  // It is known of nearly every request, so that the others are what is missing.
  if (fields.size > 1) fields.delete('client');
  const hideable = [...fields].filter(([, isHideable]) => isHideable);
  return (hideable.length > 0 ? hideable : [...fields]).map(([field]) => field);
}

/** How many requests something in trial would have stopped. */
export function countWouldStop(rule: Pick<RuleTally, 'would'>): number {
  return (Object.entries(rule.would) as [Outcome, number][]).reduce(
    (sum, [outcome, requests]) => sum + (isStop(outcome) ? requests : 0),
    0,
  );
}
