/**
 * The reference evaluator: walks the rules for one request in the order of the language reference, and is written to be
 * obviously right. Everything else that decides (a matcher, a stored decision, an explanation) must agree with it.
 */
import type { MembersOf } from '../check/members.js';
import type { CheckedGate, Rulebook } from '../check/rulebook.js';
import type { FenceStatement, Rule } from '../language/tree.js';
import type { CountryTable } from '../reference/country-table.js';
import { countLabels, formatDomainEntry, type DomainEntry } from '../reference/domain-set.js';
import type { Request } from '../request/request.js';
import type { Truth } from '../request/field.js';
import { ruleId, type Decision, type Would } from './decision.js';
import { type Outcome } from '../language/outcomes.js';
import { evaluate, type Subject } from './evaluate.js';

/** Everything a decision rests on besides the request. */
export interface Judge {
  readonly rulebook: Rulebook;
  /** Without a table every country is unknown. */
  readonly countries?: CountryTable;
  /** The gate that judges every request, whatever its host. */
  readonly gate?: string;
}

/**
 * What earlier requests leave behind for later ones. The actions that remember (limits and holds) are not in the
 * language yet, so a state is still empty; it is passed and returned so that nothing else has to change when they are.
 */
export interface State {
  readonly counters: Readonly<Record<string, never>>;
}
export const EMPTY_STATE: State = { counters: {} };

/** Hears every step of a judgement, in order. */
export interface Observer {
  gate?(gate: CheckedGate, why: GateReason): void;
  rule?(fence: FenceStatement, rule: Rule, verdict: Verdict, subject: Subject): void;
  /** A fence came to its end without a rule ending it. */
  otherwise?(fence: FenceStatement): void;
}
export type GateReason =
  { readonly kind: 'named' } | { readonly kind: 'record' } | { readonly kind: 'host'; readonly entry: string };
export type Verdict = 'matched' | 'not-matched' | 'blind' | 'off';

/** Judges one request. The result depends on nothing but the arguments. */
export function decide(
  judge: Judge,
  request: Request,
  state: State,
  observer: Observer = {},
): { decision: Decision; state: State } {
  const { client, host, path, method } = request;
  const country = judge.countries && client ? judge.countries.find(client).country : undefined;
  const chosen = chooseGate(judge, request);
  if (!chosen)
    return { decision: { outcome: 'uncovered', would: [], tags: [], blind: [], matched: [], client, country }, state };
  observer.gate?.(chosen.gate, chosen.why);
  const walk = new Walk(judge.rulebook.membersOf, chosen.gate, { client, country, host, path, method }, observer);
  return { decision: walk.judge(), state };
}

function chooseGate(
  { rulebook, gate: named }: Judge,
  request: Request,
): { gate: CheckedGate; why: GateReason } | undefined {
  const byName = named ?? request.atGate;
  if (byName != null) {
    const gate = rulebook.gates.find(({ statement }) => statement.name === byName);
    return gate && { gate, why: { kind: named === undefined ? 'record' : 'named' } };
  }
  if (request.host == null) return undefined;
  let best: { gate: CheckedGate; entry: DomainEntry } | undefined;
  for (const gate of rulebook.gates) {
    const found = gate.hosts.find(request.host);
    if (!found) continue;
    const entry = found.entry as DomainEntry;
    if (!best || isCloser(entry, best.entry)) best = { gate, entry };
  }
  return best && { gate: best.gate, why: { kind: 'host', entry: formatDomainEntry(best.entry) } };
}

/** The entry with most labels is closer; among equals the one that names only itself. */
function isCloser(entry: DomainEntry, than: DomainEntry): boolean {
  const difference = countLabels(entry) - countLabels(than);
  return difference > 0 || (difference === 0 && entry.reach === 'only' && than.reach !== 'only');
}

interface Ended {
  readonly outcome: 'allowed' | 'blocked';
  readonly fence?: string;
  readonly rule?: string;
  readonly status?: number;
  /** No later fence is asked. */
  readonly isOutright?: boolean;
}

/** One request's way through the fences of its gate. */
class Walk {
  readonly #would: Would[] = [];
  readonly #tags = new Set<string>();
  readonly #trialTags = new Set<string>();
  readonly #blind: string[] = [];
  readonly #matched: string[] = [];
  /** What rules see, kept until a tag is set. */
  #seenByActing: Subject | undefined;
  #seenByTrial: Subject | undefined;

  constructor(
    private readonly membersOf: MembersOf,
    private readonly gate: CheckedGate,
    private readonly facts: Omit<Subject, 'tag'>,
    private readonly observer: Observer,
  ) {}

  judge(): Decision {
    const { outcome, fence, rule, status } = this.#walkFences();
    return {
      outcome,
      gate: this.gate.statement.name,
      fence,
      rule,
      status,
      would: this.#would,
      tags: [...this.#tags],
      blind: this.#blind,
      matched: this.#matched,
      client: this.facts.client,
      country: this.facts.country,
    };
  }

  #walkFences(): Ended {
    let allowed: Ended | undefined;
    for (const fence of this.gate.fences) {
      const ended = this.#walkFence(fence);
      if (!ended) continue;
      if (fence.mode === 'trial') {
        this.#would.push(wouldOf(fence.name, ended.rule, ended.outcome));
        continue;
      }
      if (ended.outcome === 'blocked' || ended.isOutright) return ended;
      allowed = ended;
    }
    return allowed ?? endingOf(this.gate.statement.otherwise);
  }

  /** @returns what ended the fence, or undefined where it continues to the next. */
  #walkFence(fence: FenceStatement): Ended | undefined {
    for (const rule of fence.rules) {
      if (rule.state === 'off') {
        this.observer.rule?.(fence, rule, 'off', this.#subjectFor(fence, rule));
        continue;
      }
      if (!this.#matches(fence, rule)) continue;
      const { action } = rule;
      if (action.kind === 'observe') continue;
      if (action.kind === 'tag') {
        const tags = isInTrial(fence, rule) ? this.#trialTags : this.#tags;
        action.tags.forEach((tag) => tags.add(tag));
        this.#seenByActing = this.#seenByTrial = undefined;
        continue;
      }
      const outcome = action.kind === 'allow' ? 'allowed' : 'blocked';
      if (rule.state === 'trial') {
        this.#would.push(wouldOf(fence.name, rule.name, outcome));
        continue;
      }
      const status = action.kind === 'block' ? action.status : undefined;
      return {
        outcome,
        fence: fence.name,
        rule: rule.name,
        status,
        isOutright: action.kind === 'allow' && action.isOutright,
      };
    }
    this.observer.otherwise?.(fence);
    if (fence.otherwise.kind === 'continue') return undefined;
    return { ...endingOf(fence.otherwise), fence: fence.name };
  }

  /** Whether a live rule's condition is true; a rule whose condition is unknown is blind. */
  #matches(fence: FenceStatement, rule: Rule): boolean {
    const subject = this.#subjectFor(fence, rule);
    const truth = evaluate(rule.condition, subject, this.membersOf);
    if (truth === 'true') this.#matched.push(ruleId(fence.name, rule.name));
    if (truth === 'unknown') this.#blind.push(ruleId(fence.name, rule.name));
    this.observer.rule?.(fence, rule, verdictOf(truth), subject);
    return truth === 'true';
  }

  /** Tags set in trial are seen only by rules in trial; tags set by acting rules by all. */
  #subjectFor(fence: FenceStatement, rule: Rule): Subject {
    if (isInTrial(fence, rule)) return (this.#seenByTrial ??= this.#withTags([...this.#tags, ...this.#trialTags]));
    return (this.#seenByActing ??= this.#withTags([...this.#tags]));
  }

  #withTags(tags: readonly string[]): Subject {
    const { client, country, host, path, method } = this.facts;
    return { client, country, host, path, method, tag: tags.length > 0 ? tags : null };
  }
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

function endingOf(ending: { kind: 'allow' } | { kind: 'block'; status: number }): Ended {
  return ending.kind === 'allow' ? { outcome: 'allowed' } : { outcome: 'blocked', status: ending.status };
}
