import { formatEntry } from '../check/members.js';
import type { CheckedGate } from '../check/rulebook.js';
import { isStop, type Ruling } from '../decide/decision.js';
import { evaluate, type Subject } from '../decide/evaluate.js';
import { decide, EMPTY_STATE, type GateReason, type Judge, type Verdict } from '../decide/interpreter.js';
import { describeRule } from '../language/sentence.js';
import { printCondition } from '../language/printer.js';
import type { Comparison, Condition, FenceStatement, FieldName, Rule } from '../language/tree.js';
import { describeCountryAnswer, type CountryAnswer } from '../reference/country-table.js';
import { formatAddress } from '../request/address.js';
import type { Request } from '../request/request.js';
import { negate, type Truth } from '../request/field.js';

/** The judgement of one request, step by step, as data. */
export interface Explanation {
  readonly atUnixMs: number;
  readonly request: {
    readonly peer: Shown;
    readonly client: Shown;
    readonly host: Shown;
    readonly path: Shown;
    readonly method: Shown;
  };
  readonly country: { readonly value: Shown; readonly because: string };
  /** Absent where no gate covers the request. */
  readonly gate?: { readonly name: string; readonly because: string };
  readonly fences: readonly FenceStep[];
  readonly decision: Ruling;
  /** Why the outcome came about, in one sentence. */
  readonly conclusion: string;
  /** What the person at the client sees. */
  readonly clientSees: string;
}

/** A value as people read it: the value, `none` or `unknown`. */
export type Shown =
  { readonly kind: 'known'; readonly text: string } | { readonly kind: 'none' } | { readonly kind: 'unknown' };

export interface FenceStep {
  readonly fence: string;
  readonly mode: 'trial' | 'enforce';
  readonly rules: readonly RuleStep[];
  /** Whether the fence came to its end without a rule ending it. */
  readonly reachedEnd: boolean;
}

export interface RuleStep {
  readonly rule: string;
  readonly sentence: string;
  readonly isTrial: boolean;
  readonly verdict: Verdict | 'not-reached';
  /** The comparisons that settled it, in the order of the text. */
  readonly because: readonly ComparisonStep[];
}

/** A comparison with the value it looked at. */
export interface ComparisonStep {
  readonly comparison: string;
  readonly field: FieldName;
  readonly actual: Shown;
  /** The entry that covers the value, and the lists it stands in. */
  readonly through?: string;
}

/** Judges one request with the interpreter and tells every step. */
export function explainRequest(judge: Judge, request: Request): Explanation {
  const seen = new Map<Rule, { verdict: Verdict; subject: Subject }>();
  const ended = new Set<FenceStatement>();
  const context: { gate?: CheckedGate; why?: GateReason } = {};
  const { decision } = decide(judge, request, EMPTY_STATE, {
    gate: (gate, why) => Object.assign(context, { gate, why }),
    rule: (_fence, rule, verdict, subject) => seen.set(rule, { verdict, subject }),
    otherwise: (fence) => ended.add(fence),
  });
  const { client, country, ...ruling } = decision;
  const found = judge.countries && client ? judge.countries.find(client) : undefined;
  return {
    atUnixMs: request.atUnixMs,
    request: {
      peer: showAddress(request.peer),
      client: showAddress(client),
      host: show(request.host),
      path: show(request.path),
      method: show(request.method),
    },
    country: { value: show(country), because: countryReason(judge, client, found) },
    ...(context.gate ? { gate: { name: context.gate.statement.name, because: gateReason(context.why!) } } : {}),
    fences: (context.gate?.fences ?? []).map((fence) => ({
      fence: fence.name,
      mode: fence.mode,
      rules: fence.rules.map((rule) => explainRule(judge, fence, rule, seen.get(rule))),
      reachedEnd: ended.has(fence),
    })),
    decision: ruling,
    conclusion: conclude(ruling),
    clientSees: describeSight(ruling),
  };
}

function explainRule(
  judge: Judge,
  fence: FenceStatement,
  rule: Rule,
  step: { verdict: Verdict; subject: Subject } | undefined,
): RuleStep {
  const base = {
    rule: rule.name,
    sentence: describeRule(rule, judge.rulebook.lists),
    isTrial: fence.mode === 'trial' || rule.state === 'trial',
  };
  if (!step) return { ...base, verdict: 'not-reached', because: [] };
  if (step.verdict === 'off') return { ...base, verdict: 'off', because: [] };
  const truth: Truth = step.verdict === 'matched' ? 'true' : step.verdict === 'blind' ? 'unknown' : 'false';
  const decisive = findDecisive(rule.condition, truth, step.subject, judge);
  return { ...base, verdict: step.verdict, because: decisive.map((one) => showDecisive(one, step.subject, judge)) };
}

/** A comparison, and whether the condition asks for its opposite. */
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
  judge: Judge,
  isUnderNot = false,
): Decisive[] {
  switch (condition.kind) {
    case 'always':
      return [];
    case 'comparison':
      return [{ comparison: condition, isUnderNot }];
    case 'not':
      return findDecisive(condition.part, negate(truth), subject, judge, !isUnderNot);
    case 'and':
    case 'or': {
      const same = condition.parts.filter((part) => evaluate(part, subject, judge.rulebook.membersOf) === truth);
      const isOneEnough = truth === (condition.kind === 'and' ? 'false' : 'true');
      return (isOneEnough ? same.slice(0, 1) : same).flatMap((part) =>
        findDecisive(part, truth, subject, judge, isUnderNot),
      );
    }
  }
}

function showDecisive({ comparison, isUnderNot }: Decisive, subject: Subject, judge: Judge): ComparisonStep {
  const field = comparison.field as FieldName;
  const actual = showField(field, subject);
  const through = describeMembership(comparison, subject, judge, actual);
  return {
    comparison: `${isUnderNot ? 'not ' : ''}${printCondition(comparison)}`,
    field,
    actual,
    ...(through ? { through } : {}),
  };
}

function showField(field: FieldName, subject: Subject): Shown {
  if (field === 'client') return showAddress(subject.client);
  return show(field === 'tag' ? subject.tag && subject.tag.join(', ') : subject[field]);
}

/** Which entry of which list covers the value, where that says more than the value itself. */
function describeMembership(comparison: Comparison, subject: Subject, judge: Judge, actual: Shown): string | undefined {
  const field = comparison.field as FieldName;
  const value = field === 'tag' ? undefined : subject[field];
  const found = value == null ? undefined : judge.rulebook.membersOf.get(comparison)?.find(value);
  if (!found) return undefined;
  const entry = formatEntry(found.entry);
  if (found.through.length > 0) return `${found.through.join(' > ')} holds it as ${entry}`;
  return actual.kind === 'known' && entry !== actual.text ? `covered by ${entry}` : undefined;
}

function show(value: string | null | undefined): Shown {
  if (value === undefined) return { kind: 'unknown' };
  return value === null ? { kind: 'none' } : { kind: 'known', text: value };
}

function showAddress(address: Request['client']): Shown {
  return show(address && formatAddress(address));
}

function countryReason(judge: Judge, client: Request['client'], found: CountryAnswer | undefined): string {
  if (!judge.countries) return 'no country table is loaded';
  if (!client) return 'the client has no known address';
  return found ? describeCountryAnswer(found) : '';
}

function gateReason(why: GateReason): string {
  if (why.kind === 'named') return 'it was named as the judge of every request';
  if (why.kind === 'record') return 'the record names it';
  return `its hosts cover the request with ${why.entry}`;
}

function conclude({ outcome, gate, fence, rule }: Ruling): string {
  if (outcome === 'uncovered') return 'No gate covers this host, so no rule was asked.';
  if (fence === undefined)
    return `No fence decided, so gate ${gate} ${outcome === 'allowed' ? 'allows' : 'blocks'} it (otherwise).`;
  if (rule === undefined) return `No rule of fence ${fence} ended it, and its otherwise ${outcome} it.`;
  return `Rule ${fence}/${rule} ${outcome} it.`;
}

function describeSight({ outcome, status }: Ruling): string {
  if (isStop(outcome)) return `Status ${status} instead of what was asked for.`;
  return outcome === 'allowed' ? 'What was asked for.' : 'Nothing changes: these rules do not stand before this host.';
}
