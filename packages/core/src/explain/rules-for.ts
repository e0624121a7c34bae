/** Which rules can apply to a client, and what a request still needs for each of them to match. */
import type { CheckedGate } from '../check/rulebook.js';
import { ruleId } from '../decide/decision.js';
import { evaluate } from '../decide/evaluate.js';
import { viewDecided } from '../decide/gate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import type { View } from '../decide/view.js';
import { printCondition } from '../language/condition-text.js';
import { describeRule } from '../language/sentence.js';
import { isStatefulAction, type Condition, type FenceStatement, type Rule } from '../language/tree.js';
import { formatAddress, type Address } from '../request/address.js';
import { normalizeRequest } from '../request/request.js';

/** What is known of the requests. */
export interface KnownClient {
  /** The client as rules see it, whatever proxies are before it. */
  readonly client: Address;
  /** Who is signed in; unknown where absent. */
  readonly user?: string;
  /** Milliseconds since 1970; any time where absent. */
  readonly atUnixMs?: number;
}

export interface ApplicableRule {
  /** As `fence/rule`. */
  readonly rule: string;
  readonly state: Rule['state'];
  readonly isFenceInTrial: boolean;
  readonly sentence: string;
  /** What else a request has to satisfy, as a condition of the language; absent where nothing. */
  readonly needs?: string;
  /** The hours and the end that it has, where no time is given: `during desk-hours`. */
  readonly hours?: string;
  /** It takes every request of the client that gets here, so that rules of its fence below it are not reached. */
  readonly takesAll: boolean;
}

export interface RulesAtGate {
  readonly gate: string;
  /** What the client is known to be there: its country, where there is a table. */
  readonly country?: string | null;
  readonly rules: readonly ApplicableRule[];
}

/** Fields whose value follows from what is known. */
const OF_CLIENT: ReadonlySet<string> = new Set(['client', 'country', 'gate', 'direction']);

/**
 * The rules of each gate that can match some request of a client, in their order.
 * @param gate only this one; all where absent, but outbound gates that the client does not go out through
 */
export function rulesFor(context: EvaluationContext, known: KnownClient, gate?: string): RulesAtGate[] {
  return context.rulebook.gates
    .filter(({ statement, clients }) =>
      gate === undefined
        ? statement.direction === 'inbound' || clients.find(known.client) !== undefined
        : statement.name === gate,
    )
    .map((one) => new ClientAtGate(context, one, known).result());
}

class ClientAtGate {
  readonly #view: View;
  readonly #known: ReadonlySet<string>;
  /** Tags that a request has surely, and perhaps, when it gets to a rule. */
  readonly #sureTags = new Set<string>();
  readonly #possibleTags = new Set<string>();

  constructor(
    private readonly context: EvaluationContext,
    private readonly gate: CheckedGate,
    private readonly known: KnownClient,
  ) {
    const { client, user, atUnixMs = 0 } = known;
    // No header is known, so that the peer is the client; rules that look at the peer are left as they are.
    const attributes = {
      'client.address': formatAddress(client),
      ...(user === undefined ? {} : { 'user.name': [user] }),
    };
    const request = normalizeRequest({ line: 1, atUnixMs, attributes });
    const bare = { ...gate, statement: { ...gate.statement, clientFrom: undefined } };
    const gates = context.rulebook.gates.map((one) => (one === gate ? bare : one));
    this.#view = viewDecided({ ...context, rulebook: { ...context.rulebook, gates } }, request, gate.statement.name);
    this.#known = new Set([...OF_CLIENT, ...(user === undefined ? [] : ['user'])]);
  }

  result(): RulesAtGate {
    const country = this.#view.get('country') as string | null | undefined;
    return {
      gate: this.gate.statement.name,
      ...(country === undefined ? {} : { country }),
      rules: this.#rules(),
    };
  }

  #rules(): ApplicableRule[] {
    const found: ApplicableRule[] = [];
    for (const fence of this.gate.fences)
      for (const rule of fence.rules) {
        const item = this.#applicable(fence, rule);
        if (!item) continue;
        found.push(item);
        if (!item.takesAll) continue;
        const { action } = rule;
        // What is only allowed goes on to the next fence.
        if (fence.mode === 'enforce' && (action.kind !== 'allow' || action.isOutright)) return found;
        break;
      }
    return found;
  }

  #applicable(fence: FenceStatement, rule: Rule): ApplicableRule | undefined {
    if (rule.state === 'off' || this.#isOver(rule)) return undefined;
    const left = this.#simplify(rule.condition);
    if (left === 'false') return undefined;
    const isSure = left === 'true' && (rule.hours === undefined || this.known.atUnixMs !== undefined);
    // What rules in trial set is seen by others in trial.
    const isActing = rule.state === 'on' && fence.mode === 'enforce';
    if (rule.action.kind === 'tag')
      for (const tag of rule.action.tags) (isSure && isActing ? this.#sureTags : this.#possibleTags).add(tag);
    const { action, state } = rule;
    const doesEnd = action.kind === 'allow' || action.kind === 'block' || action.kind === 'redirect';
    const hours = this.known.atUnixMs === undefined ? hoursOf(rule) : undefined;
    return {
      rule: ruleId(fence.name, rule.name),
      state,
      isFenceInTrial: fence.mode === 'trial',
      sentence: describeRule(rule, this.context.rulebook.lists),
      ...(left === 'true' ? {} : { needs: printCondition(left) }),
      ...(hours === undefined ? {} : { hours }),
      takesAll: isSure && rule.until === undefined && doesEnd && state === 'on' && !isStatefulAction(action),
    };
  }

  /** Not in its hours, or past its end. */
  #isOver(rule: Rule): boolean {
    const { atUnixMs } = this.known;
    if (atUnixMs === undefined) return false;
    const { endsAtUnixMs, schedules } = this.context.rulebook;
    if (rule.until && atUnixMs >= endsAtUnixMs.get(rule)!) return true;
    return (
      rule.hours !== undefined && schedules.get(rule.hours.schedule.name)!.contains(atUnixMs) === rule.hours.isOutside
    );
  }

  /** The condition without what is decided already. */
  #simplify(condition: Condition): Condition | 'true' | 'false' {
    switch (condition.kind) {
      case 'always':
        return 'true';
      case 'comparison':
        return this.#decided(condition) ?? condition;
      case 'not': {
        const part = this.#simplify(condition.part);
        if (part === 'true') return 'false';
        return part === 'false' ? 'true' : { kind: 'not', part };
      }
      case 'and':
      case 'or': {
        const [all, none] = condition.kind === 'and' ? (['true', 'false'] as const) : (['false', 'true'] as const);
        const parts: Condition[] = [];
        for (const part of condition.parts) {
          const left = this.#simplify(part);
          if (left === none) return none;
          if (left !== all) parts.push(left as Condition);
        }
        if (parts.length === 0) return all;
        return parts.length === 1 ? parts[0]! : { kind: condition.kind, parts };
      }
    }
  }

  /** Whether a comparison is the same of all requests of the client; undefined where it is not, or is unknown. */
  #decided(comparison: Extract<Condition, { kind: 'comparison' }>): 'true' | 'false' | undefined {
    const { rulebook } = this.context;
    const truthWith = (tags: readonly string[]) =>
      evaluate(comparison, { view: this.#view, tag: tags.length > 0 ? tags : null }, rulebook);
    if (comparison.field === 'tag') {
      const least = truthWith([...this.#sureTags]);
      const most = truthWith([...this.#sureTags, ...this.#possibleTags]);
      return least === most && least !== 'unknown' ? least : undefined;
    }
    if (!this.#known.has(comparison.field)) return undefined;
    const truth = truthWith([]);
    return truth === 'unknown' ? undefined : truth;
  }
}

function hoursOf({ hours, until }: Rule): string | undefined {
  const parts = [
    ...(hours ? [`${hours.isOutside ? 'outside' : 'during'} ${hours.schedule.name}`] : []),
    ...(until ? [`until ${until.kind === 'date' ? until.date : new Date(until.atUnixMs).toISOString()}`] : []),
  ];
  return parts.length === 0 ? undefined : parts.join(' ');
}
