import { describeConnection } from './describe-target.js';
import type { Lookup } from '../check/lookups.js';
import { formatEntry, type Membership } from '../check/members.js';
import type { CheckedGate } from '../check/rulebook.js';
import type { Ruling } from '../decide/decision.js';
import { evaluate, fieldOf, recogniseApplications, type Subject } from '../decide/evaluate.js';
import type { GateReason } from '../decide/gate.js';
import { decide, type EvaluationContext, type CounterView, type Verdict } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { Seen, View } from '../decide/view.js';
import { printCondition, printField } from '../language/condition-text.js';
import { describeRule } from '../language/sentence.js';
import type { Comparison, Condition, FenceStatement, Rule } from '../language/tree.js';
import { formatUrl } from '../language/value.js';
import { visitComparisons } from '../language/visit.js';
import { formatAddress, type Address } from '../request/address.js';
import { negate, type Field, type Truth } from '../request/field.js';
import { readPath } from '../request/path.js';
import type { Request } from '../request/request.js';
import {
  describeOutcome,
  countryReason,
  describeClient,
  describeCounter,
  describeClientResponse,
  describeVisibility,
  gateReason,
  pageShown,
  type PageShown,
} from './reasons.js';

/** The judgement of one request, step by step, as data. */
export interface Explanation {
  readonly atUnixMs: number;
  /** The request has no time, so hours and dates are unknown. */
  readonly isTimeUnknown: boolean;
  /** What is known of the request, as its gate sees it. */
  readonly request: {
    readonly peer: Shown;
    readonly client: Shown;
    readonly host: Shown;
    readonly path: Shown;
    readonly method: Shown;
    /** The transport, the port and the server, as far as they are known. */
    readonly connection: string;
  };
  /** The chain from the peer to the client, if a header was followed or should have been. */
  readonly clientBecause?: string;
  readonly country: { readonly value: Shown; readonly because: string };
  /** Further fields that the rules of the gate test: each with its value and source. */
  readonly facts: readonly Fact[];
  /** Absent where no gate covers the request. */
  readonly gate?: { readonly name: string; readonly because: string };
  /** What encryption left visible, at outbound gates. */
  readonly visibility?: string;
  readonly fences: readonly FenceStep[];
  readonly decision: Ruling;
  /** Why the outcome came about, in one sentence. */
  readonly conclusion: string;
  /** What the person at the client sees. */
  readonly clientSees: string;
  /** The page with which a request is stopped; absent where none is shown. */
  readonly page?: PageShown;
}

/** A value as people read it: the value, `none` or `unknown`. */
export type Shown =
  { readonly kind: 'known'; readonly text: string } | { readonly kind: 'none' } | { readonly kind: 'unknown' };

export interface Fact {
  /** As it is written in conditions: `category`, `header "x"`. */
  readonly field: string;
  readonly value: Shown;
  readonly because?: string;
}

export interface FenceStep {
  readonly fence: string;
  readonly mode: 'trial' | 'enforce';
  readonly rules: readonly RuleStep[];
  /** Whether the end of the fence was reached. */
  readonly reachedEnd: boolean;
}

export interface RuleStep {
  readonly rule: string;
  readonly sentence: string;
  readonly isTrial: boolean;
  readonly verdict: Verdict | 'not-reached';
  /** The comparisons that settled it, in the order of the text. */
  readonly because: readonly ComparisonStep[];
  /** What a limit counted or a hold did, in one sentence. */
  readonly memory?: string;
}

/** A comparison with the value it looked at. */
export interface ComparisonStep {
  readonly comparison: string;
  /** As it is written in conditions. */
  readonly field: string;
  readonly actual: Shown;
  /** The entry that covers the value, and the lists that contain it. */
  readonly through?: string;
}

/** The observed evaluation of one rule. */
interface RuleObservation {
  readonly verdict: Verdict;
  readonly subject: Subject;
  memory?: CounterView;
}

/**
 * Judges one request with the interpreter and reports every step.
 * @param state what earlier requests left behind; brought up to date
 */
export function explainRequest(context: EvaluationContext, request: Request, state: State = new State()): Explanation {
  const observations = new Map<Rule, RuleObservation>();
  const ended = new Set<FenceStatement>();
  const seen: { gate?: CheckedGate; why?: GateReason; view?: View; visibility?: string } = {};
  const decision = decide(context, request, state, {
    gate: (gate, why, view) => Object.assign(seen, { gate, why, view }),
    inspected: (isInspected, why) => (seen.visibility = describeVisibility(isInspected, why)),
    rule: (_fence, rule, verdict, subject) => observations.set(rule, { verdict, subject }),
    remembered: (_fence, rule, memory) => (observations.get(rule)!.memory = memory),
    otherwise: (fence) => ended.add(fence),
  });
  const { client, country, ...ruling } = decision;
  const countryAnswer = context.countries && client ? context.countries.find(client) : undefined;
  const { gate, view } = seen;
  const clientBecause = view && describeClient(view);
  const page = pageShown(context.rulebook, ruling, view);
  return {
    atUnixMs: request.atUnixMs,
    isTimeUnknown: request.isTimeUnknown,
    request: {
      peer: showSeen(request.peer),
      client: showSeen(client),
      host: showSeen(view ? view.host : request.host),
      path: showSeen(view ? view.path : request.path),
      method: showSeen(view ? view.get('method') : request.method),
      connection: describeConnection(request),
    },
    ...(clientBecause ? { clientBecause } : {}),
    country: { value: showSeen(country), because: countryReason(context, client, countryAnswer) },
    facts: gate && view ? collectFacts(context, gate, view) : [],
    ...(gate ? { gate: { name: gate.statement.name, because: gateReason(seen.why!) } } : {}),
    ...(seen.visibility ? { visibility: seen.visibility } : {}),
    fences: (gate?.fences ?? []).map((fence) => ({
      fence: fence.name,
      mode: fence.mode,
      rules: fence.rules.map((rule) => explainRule(context, fence, rule, observations.get(rule))),
      reachedEnd: ended.has(fence),
    })),
    decision: ruling,
    conclusion: describeOutcome(ruling),
    clientSees: describeClientResponse(context.rulebook, ruling, view),
    ...(page ? { page } : {}),
  };
}

function explainRule(
  context: EvaluationContext,
  fence: FenceStatement,
  rule: Rule,
  step: RuleObservation | undefined,
): RuleStep {
  const base = {
    rule: rule.name,
    sentence: describeRule(rule, context.rulebook.lists),
    isTrial: fence.mode === 'trial' || rule.state === 'trial',
  };
  if (!step) return { ...base, verdict: 'not-reached', because: [] };
  const { verdict, subject, memory } = step;
  if (verdict === 'off' || verdict === 'expired' || verdict === 'out-of-hours')
    return { ...base, verdict, because: [] };
  const truth: Truth = verdict === 'matched' ? 'true' : verdict === 'blind' ? 'unknown' : 'false';
  const decisive = findDecisive(rule.condition, truth, subject, context);
  return {
    ...base,
    verdict,
    because: decisive.map((item) => showDecisive(item, subject, context)),
    ...(memory ? { memory: describeCounter(memory) } : {}),
  };
}

/** A comparison, and whether the condition negates it. */
interface Decisive {
  readonly comparison: Comparison;
  readonly isUnderNot: boolean;
}

/**
 * The comparisons that made the condition come out as it did: every part where all of them were needed, else the first
 * that was enough, and of an unknown condition all that are unknown. Their truth is found by the interpreter's own evaluation.
 */
function findDecisive(
  condition: Condition,
  truth: Truth,
  subject: Subject,
  context: EvaluationContext,
  isUnderNot = false,
): Decisive[] {
  switch (condition.kind) {
    case 'always':
      return [];
    case 'comparison':
      return [{ comparison: condition, isUnderNot }];
    case 'not':
      return findDecisive(condition.part, negate(truth), subject, context, !isUnderNot);
    case 'and':
    case 'or': {
      const same = condition.parts.filter((part) => evaluate(part, subject, context.rulebook) === truth);
      const isOneEnough = truth === (condition.kind === 'and' ? 'false' : 'true');
      return (isOneEnough ? same.slice(0, 1) : same).flatMap((part) =>
        findDecisive(part, truth, subject, context, isUnderNot),
      );
    }
  }
}

function showDecisive(
  { comparison, isUnderNot }: Decisive,
  subject: Subject,
  context: EvaluationContext,
): ComparisonStep {
  const actual = showField(comparison, subject, context);
  const through = describeMembership(comparison, subject, context, actual);
  return {
    comparison: `${isUnderNot ? 'not ' : ''}${printCondition(comparison)}`,
    field: printField(comparison.field, comparison.parameter),
    actual,
    ...(through ? { through } : {}),
  };
}

function showField(comparison: Comparison, subject: Subject, context: EvaluationContext): Shown {
  if (comparison.field === 'application') return showApplications(subject, context);
  if (comparison.field === 'url') return showUrl(subject.view);
  return showSeen(fieldOf(comparison, subject));
}

function showUrl({ host, path }: View): Shown {
  if (host === null || path === null) return { kind: 'none' };
  return host === undefined || path === undefined
    ? { kind: 'unknown' }
    : { kind: 'known', text: formatUrl({ host, path }) };
}

function showApplications(subject: Subject, context: EvaluationContext): Shown {
  const { certain, undecided } = recogniseApplications(subject, context.rulebook);
  if (certain.length > 0) return { kind: 'known', text: certain.join(', ') };
  return undecided.length > 0 ? { kind: 'unknown' } : { kind: 'none' };
}

/** Which entry of which list covers the value, if that adds to the value itself. */
function describeMembership(
  comparison: Comparison,
  subject: Subject,
  context: EvaluationContext,
  actual: Shown,
): string | undefined {
  const lookup = context.rulebook.lookups.get(comparison);
  const membership = lookup && findMembership(lookup, comparison, subject);
  if (!membership) return undefined;
  const entry = formatEntry(membership.entry);
  if (membership.through.length > 0) return `${membership.through.join(' > ')} holds it as ${entry}`;
  return actual.kind === 'known' && entry !== actual.text ? `covered by ${entry}` : undefined;
}

function findMembership(lookup: Lookup, comparison: Comparison, { view, tag }: Subject): Membership | undefined {
  if (lookup.kind === 'urls')
    return lookup.urls.find({ ...pickUrl(view), readPath: (path) => readPath(path, view.gate.pathReading) });
  if (lookup.kind !== 'members' || comparison.field === 'application') return undefined;
  const value = fieldOf(comparison, { view, tag });
  const all = Array.isArray(value) ? (value as readonly string[]) : value == null ? [] : [value as Address | string];
  return all.map((item) => lookup.members.find(item)).find((membership) => membership !== undefined);
}

function pickUrl({ host, path }: View): { host: View['host']; path: View['path'] } {
  return { host, path };
}

/** The fields that the rules of a gate test and that the explanation does not show already. */
function collectFacts(context: EvaluationContext, gate: CheckedGate, view: View): Fact[] {
  const shown = new Set(['client', 'peer', 'country', 'host', 'path', 'method', 'tag']);
  const facts: Fact[] = [];
  const subject: Subject = { view, tag: null };
  for (const rule of gate.fences.flatMap((fence) => fence.rules)) {
    visitComparisons(rule.condition, (comparison) => {
      const field = printField(comparison.field, comparison.parameter);
      if (shown.has(field)) return;
      shown.add(field);
      const because = comparison.field === 'category' ? categoryReason(view) : undefined;
      facts.push({ field, value: showField(comparison, subject, context), ...(because ? { because } : {}) });
    });
  }
  return facts;
}

function categoryReason({ categoryAnswer }: View): string {
  if (!categoryAnswer) return 'no category feed is loaded, or the host is not known';
  const { feed, entry } = categoryAnswer;
  return feed === undefined ? 'no feed knows it' : `from ${feed}, entry ${entry}`;
}

function showSeen(value: Field<Seen>): Shown {
  if (value === undefined) return { kind: 'unknown' };
  if (value === null) return { kind: 'none' };
  return { kind: 'known', text: textOfSeen(value) };
}

const SHOWN_BYTES = 16;

function textOfSeen(value: Seen): string {
  if (typeof value === 'string' || typeof value === 'number') return String(value);
  if (value instanceof Uint8Array) {
    const digits = Array.from(value.subarray(0, SHOWN_BYTES), (byte) => byte.toString(16).padStart(2, '0'));
    return `${digits.join(' ')}${value.length > SHOWN_BYTES ? ' ...' : ''}`;
  }
  return Array.isArray(value) ? (value as readonly string[]).join(', ') : formatAddress(value as Address);
}
