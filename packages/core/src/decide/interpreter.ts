/**
 * The reference evaluator: walks the rules for one request in the order of the language reference, and is written to be
 * obviously right. Everything else that decides (a matcher, a stored decision, an explanation) must agree with it.
 */
import type { CheckedGate, Rulebook } from '../check/rulebook.js';
import type {
  LimitAction,
  ThrottleAction,
  Ending,
  FenceStatement,
  LimitKey,
  PersonAction,
  Rule,
} from '../language/tree.js';
import type { Outcome } from '../language/outcomes.js';
import { FAMILY_BITS, formatAddress, type Address } from '../request/address.js';
import { and, type Field, type Truth } from '../request/field.js';
import type { Request } from '../request/request.js';
import { ruleId, type Decision, type HeldReason, type Throttled, type Would } from './decision.js';
import { evaluate, type Subject } from './evaluate.js';
import { chooseGate, applyInspection, type GateReason, type InspectionReason } from './gate.js';
import type { Count, State } from './state.js';
import type { View, ReferenceData } from './view.js';

/** Everything a decision depends on besides the request. */
export interface EvaluationContext extends ReferenceData {
  readonly rulebook: Rulebook;
  /** The gate that judges every request, whatever its host. */
  readonly gate?: string;
  /** What happens after a held request: `continue` (the user complies; the default) or `stop`. */
  readonly held?: HeldBehaviour;
}

export const HELD_BEHAVIOURS = ['continue', 'stop'] as const;
export type HeldBehaviour = (typeof HELD_BEHAVIOURS)[number];

/** Receives every step of an evaluation, in order. */
export interface Observer {
  gate?(gate: CheckedGate, why: GateReason, view: View): void;
  /** An inspect rule was evaluated; the last one reported, or else the `otherwise`, decided. */
  inspected?(isInspected: boolean, why: InspectionReason): void;
  rule?(fence: FenceStatement, rule: Rule, verdict: Verdict, subject: Subject): void;
  /** What a limit counted, or a hold did, for a rule that matched. */
  remembered?(fence: FenceStatement, rule: Rule, memory: CounterView): void;
  /** The end of a fence was reached; no rule ended it. */
  otherwise?(fence: FenceStatement): void;
}

export type CounterView =
  | { readonly kind: 'count'; readonly count: Count; readonly max: number; readonly key: readonly KeyValue[] }
  | { readonly kind: 'hold'; readonly passes: boolean }
  | { readonly kind: 'throttle'; readonly bytes: number; readonly waitMs: number; readonly key: readonly KeyValue[] }
  /** The bytes of the request are unknown, so nothing was metered and the rule is blind. */
  | { readonly kind: 'unknown-bytes'; readonly direction: ThrottleAction['direction'] }
  /** A key is unknown, so nothing was counted and the rule is blind. */
  | { readonly kind: 'unknown-key'; readonly key: LimitKey };

type KeyValue = string | number | null | readonly string[];

export type Verdict = 'matched' | 'not-matched' | 'blind' | 'off' | 'expired' | 'out-of-hours';

/**
 * Judges one request. The result depends on nothing but the arguments.
 * @param state what earlier requests left behind; brought up to date in place
 */
export function decide(context: EvaluationContext, request: Request, state: State, observer: Observer = {}): Decision {
  const chosen = chooseGate(context, request);
  if (!chosen) {
    const { client } = request;
    const country = context.countries && client ? context.countries.find(client).country : undefined;
    return { outcome: 'uncovered', would: [], tags: [], blind: [], matched: [], client, country };
  }
  const view = applyInspection(context, chosen, request, observer);
  observer.gate?.(chosen.gate, chosen.why, view);
  return new Evaluation(context, chosen.gate, view, state, observer).judge();
}

interface FenceEnding {
  readonly outcome: Exclude<Outcome, 'uncovered'>;
  readonly fence?: string;
  readonly rule?: string;
  readonly status?: number;
  readonly reason?: HeldReason;
  /** No later fence is evaluated. */
  readonly isOutright?: boolean;
}

/** One request's way through the fences of its gate. */
class Evaluation {
  readonly #would: Would[] = [];
  readonly #tags = new Set<string>();
  readonly #trialTags = new Set<string>();
  readonly #blind: string[] = [];
  readonly #matched: string[] = [];
  readonly #throttled: Throttled[] = [];
  readonly #waitsMs: number[] = [];
  /** What rules see, kept until a tag is set. */
  #seenByActing: Subject | undefined;
  #seenByTrial: Subject | undefined;

  constructor(
    private readonly context: EvaluationContext,
    private readonly gate: CheckedGate,
    private readonly view: View,
    private readonly state: State,
    private readonly observer: Observer,
  ) {}

  judge(): Decision {
    const { outcome, fence, rule, status, reason } = this.#walkFences();
    return {
      outcome,
      gate: this.gate.statement.name,
      fence,
      rule,
      status,
      ...(reason === undefined ? {} : { reason }),
      would: this.#would,
      tags: [...this.#tags],
      blind: this.#blind,
      matched: this.#matched,
      ...(this.#throttled.length > 0 ? { throttled: this.#throttled, waitsMs: this.#waitsMs } : {}),
      ...(this.view.resolved.isHeaderIgnored ? { isHeaderIgnored: true } : {}),
      client: this.view.client,
      country: this.view.get('country') as Field<string>,
    };
  }

  #walkFences(): FenceEnding {
    let allowed: FenceEnding | undefined;
    for (const fence of this.gate.fences) {
      const ended = this.#walkFence(fence);
      if (!ended) continue;
      if (fence.mode === 'trial') {
        this.#would.push(wouldOf(fence.name, ended.rule, ended.outcome));
        continue;
      }
      if (ended.outcome !== 'allowed' || ended.isOutright) return ended;
      allowed = ended;
    }
    return allowed ?? endingOf(this.gate.statement.otherwise);
  }

  /** @returns what ended the fence, or undefined where it continues to the next. */
  #walkFence(fence: FenceStatement): FenceEnding | undefined {
    for (const rule of fence.rules) {
      if (!this.#matches(fence, rule)) continue;
      const ended = this.#act(fence, rule);
      if (!ended) continue;
      if (rule.state === 'trial') {
        this.#would.push(wouldOf(fence.name, rule.name, ended.outcome));
        continue;
      }
      return { ...ended, fence: fence.name, rule: rule.name };
    }
    this.observer.otherwise?.(fence);
    if (fence.otherwise.kind === 'continue') return undefined;
    return { ...endingOf(fence.otherwise), fence: fence.name };
  }

  /** Whether a live rule matches; one whose condition, or whose hours, cannot be known is blind. */
  #matches(fence: FenceStatement, rule: Rule): boolean {
    const subject = this.#subjectFor(fence, rule);
    const live = this.#liveness(rule);
    if (typeof live === 'object') {
      this.observer.rule?.(fence, rule, live.skipped, subject);
      return false;
    }
    const truth = and(live, evaluate(rule.condition, subject, this.context.rulebook));
    const isMatch = truth === 'true' || (truth === 'unknown' && rule.matchesUnknown);
    if (isMatch) this.#matched.push(ruleId(fence.name, rule.name));
    if (truth === 'unknown') this.#blind.push(ruleId(fence.name, rule.name));
    this.observer.rule?.(fence, rule, verdictOf(truth), subject);
    return isMatch;
  }

  /** Off, expired and out of hours are skipped; hours and dates of a request without a time are unknown. */
  #liveness(rule: Rule): Truth | { skipped: Verdict } {
    const { state, hours, until } = rule;
    if (state === 'off') return { skipped: 'off' };
    if (!hours && !until) return 'true';
    const { atUnixMs, isTimeUnknown } = this.view.request;
    if (isTimeUnknown) return 'unknown';
    const { endsAtUnixMs, schedules } = this.context.rulebook;
    if (until && atUnixMs >= endsAtUnixMs.get(rule)!) return { skipped: 'expired' };
    if (hours && schedules.get(hours.schedule.name)!.contains(atUnixMs) === hours.isOutside)
      return { skipped: 'out-of-hours' };
    return 'true';
  }

  /** The ending that the action of a matched rule causes, or undefined if the next rule follows. */
  #act(fence: FenceStatement, rule: Rule): FenceEnding | undefined {
    const { action } = rule;
    switch (action.kind) {
      case 'observe':
        return undefined;
      case 'tag': {
        const tags = isInTrial(fence, rule) ? this.#trialTags : this.#tags;
        action.tags.forEach((tag) => tags.add(tag));
        this.#seenByActing = this.#seenByTrial = undefined;
        return undefined;
      }
      case 'allow':
        return { outcome: 'allowed', isOutright: action.isOutright };
      case 'block':
        return { outcome: 'blocked', status: action.status };
      case 'redirect':
        return { outcome: 'redirected', status: action.status };
      case 'limit':
        return this.#limit(fence, rule, action);
      case 'throttle':
        return this.#throttle(fence, rule, action);
      case 'warn':
      case 'passphrase':
      case 'challenge':
        return this.#hold(fence, rule, action);
    }
  }

  /** Counts the request under its key; nothing counts where a key is unknown. */
  #limit(fence: FenceStatement, rule: Rule, action: LimitAction): FenceEnding | undefined {
    const key = this.#keyOf(fence, rule, action);
    if (!key) return undefined;
    const { count: max, windowMs, holdMs } = action;
    const limit = { max, windowMs, holdMs };
    const count = this.state.count(this.#stateKey(fence, rule, action, key), this.view.request.atUnixMs, limit);
    this.observer.remembered?.(fence, rule, { kind: 'count', count, max, key });
    return count.isTripped ? { outcome: 'limited', status: action.then.status } : undefined;
  }

  /** Meters the bytes of the request, which goes on; nothing is metered where they, or a key, are unknown. */
  #throttle(fence: FenceStatement, rule: Rule, action: ThrottleAction): undefined {
    const key = this.#keyOf(fence, rule, action);
    if (!key) return;
    const bytes = this.view.get(action.direction === 'down' ? 'to-client' : 'from-client') as Field<number>;
    if (bytes === undefined) {
      this.#setBlind(fence, rule);
      this.observer.remembered?.(fence, rule, { kind: 'unknown-bytes', direction: action.direction });
      return;
    }
    const { atUnixMs } = this.view.request;
    const waitMs = this.state.throttle(this.#stateKey(fence, rule, action, key), atUnixMs, bytes ?? 0, action);
    this.observer.remembered?.(fence, rule, { kind: 'throttle', bytes: bytes ?? 0, waitMs, key });
    if (waitMs === 0) return;
    this.#throttled.push({
      fence: fence.name,
      rule: rule.name,
      ...(isInTrial(fence, rule) ? { isTrial: true as const } : {}),
    });
    this.#waitsMs.push(waitMs);
  }

  /** @returns undefined where one is unknown, so that the rule is blind */
  #keyOf(fence: FenceStatement, rule: Rule, { keys }: LimitAction | ThrottleAction): KeyValue[] | undefined {
    const values: KeyValue[] = [];
    for (const key of keys) {
      const value = this.#keyValue(key);
      if (value === undefined) return this.#blindKey(fence, rule, key);
      values.push(value);
    }
    return values;
  }

  /** Of one rule at one gate, unless it counts across gates. */
  #stateKey(
    fence: FenceStatement,
    rule: Rule,
    { isAcrossGates }: LimitAction | ThrottleAction,
    key: KeyValue[],
  ): string {
    return JSON.stringify([isAcrossGates ? '' : this.gate.statement.name, ruleId(fence.name, rule.name), ...key]);
  }

  /** Stops the user unless a hold is active, during which the rule is skipped. */
  #hold(fence: FenceStatement, rule: Rule, { kind, holdMs }: PersonAction): FenceEnding | undefined {
    const ended: FenceEnding = { outcome: 'held', ...HELD[kind] };
    if (this.context.held === 'stop') return ended;
    const user = this.view.get('user') as Field<readonly string[]>;
    const who = user ?? cutAddress(this.view.client, 32, 64);
    if (who === undefined) return this.#blindKey(fence, rule, CLIENT_KEY);
    const key = JSON.stringify([
      this.gate.statement.name,
      ruleId(fence.name, rule.name),
      user ? 'user' : 'client',
      who,
    ]);
    const passes = this.state.passesHold(key, this.view.request.atUnixMs, holdMs);
    this.observer.remembered?.(fence, rule, { kind: 'hold', passes });
    return passes ? undefined : ended;
  }

  #blindKey(fence: FenceStatement, rule: Rule, key: LimitKey): undefined {
    this.#setBlind(fence, rule);
    this.observer.remembered?.(fence, rule, { kind: 'unknown-key', key });
  }

  #setBlind(fence: FenceStatement, rule: Rule): void {
    const id = ruleId(fence.name, rule.name);
    if (!this.#blind.includes(id)) this.#blind.push(id);
  }

  #keyValue(key: LimitKey): KeyValue | undefined {
    if (key.kind === 'client') return cutAddress(this.view.client, key.bits4, key.bits6);
    return this.view.get(key.field, key.parameter) as KeyValue | undefined;
  }

  /** Tags set in trial are seen only by rules in trial; tags set by acting rules by all. */
  #subjectFor(fence: FenceStatement, rule: Rule): Subject {
    if (isInTrial(fence, rule)) return (this.#seenByTrial ??= this.#withTags([...this.#tags, ...this.#trialTags]));
    return (this.#seenByActing ??= this.#withTags([...this.#tags]));
  }

  #withTags(tags: readonly string[]): Subject {
    return { view: this.view, tag: tags.length > 0 ? tags : null };
  }
}

const HELD = {
  warn: { reason: 'warning', status: 403 },
  passphrase: { reason: 'passphrase', status: 401 },
  challenge: { reason: 'challenge', status: 403 },
} as const;

const CLIENT_KEY: LimitKey = { kind: 'client', bits4: 32, bits6: 64 };

/** The first bits of an address, as text. */
function cutAddress(address: Field<Address>, bits4: number, bits6: number): Field<string> {
  if (!address) return address;
  const { family, value } = address;
  const dropped = BigInt(FAMILY_BITS[family] - (family === 4 ? bits4 : bits6));
  return formatAddress({ family, value: (value >> dropped) << dropped });
}

function isInTrial(fence: FenceStatement, rule: Rule): boolean {
  return fence.mode === 'trial' || rule.state === 'trial';
}

function verdictOf(truth: Truth): Verdict {
  return truth === 'true' ? 'matched' : truth === 'false' ? 'not-matched' : 'blind';
}

function wouldOf(fence: string, rule: string | undefined, outcome: Outcome): Would {
  return rule === undefined ? { fence, outcome } : { fence, rule, outcome };
}

function endingOf(ending: Ending): FenceEnding {
  if (ending.kind === 'allow') return { outcome: 'allowed' };
  return { outcome: ending.kind === 'block' ? 'blocked' : 'redirected', status: ending.status };
}
