/**
 * What happened to a request, event by event, as a node in a tree: requests with the same events share
 * a node, so that each ruling is built once.
 */
import { type HeldReason, type Ruling, type Throttled, type Would } from '../../decide/decision.js';
import type { Outcome } from '../../language/outcomes.js';
import type { Ending, PersonAction, Rule } from '../../language/tree.js';
import { ABSENT, PairMap } from '../../arrays/pair-map.js';
import type { Stage, StageFence, StageRule } from './stage.js';

/** The result of a rule; an event is eight times the number of the rule plus this. */
export const MATCHED = 0;
/** Matched though its condition is unknown. */
export const MATCHED_UNKNOWN = 1;
export const BLIND = 2;
/** Matched, but nothing could be counted, since a key is unknown. */
export const MATCHED_BLIND_KEY = 3;
/** Added to the first two where the rule ended something, or would have; of a throttle, where it delays the request. */
export const ENDED = 4;
const KINDS = 8;

interface TraceNode {
  readonly parent: number;
  readonly event: number;
  /** Tags that rules have set up to here. */
  readonly tags: TagsSet;
}

export interface TagsSet {
  readonly byActing: ReadonlySet<string>;
  /** Those of acting rules included. */
  readonly byAll: ReadonlySet<string>;
}

const NO_TAGS: ReadonlySet<string> = new Set();

/** The tree of one stage. */
export class Trace {
  readonly #next = new PairMap();
  readonly #nodes: TraceNode[] = [{ parent: -1, event: 0, tags: { byActing: NO_TAGS, byAll: NO_TAGS } }];
  /** By twice the node, and one more where an address header was ignored. */
  readonly #rulings: Ruling[] = [];

  constructor(private readonly stage: Stage) {}

  /** The node after an event. `node` 0 is the root. */
  step(node: number, event: number): number {
    const known = this.#next.get(node, event);
    if (known !== ABSENT) return known;
    const next = this.#nodes.push({ parent: node, event, tags: this.#tagsAfter(node, event) }) - 1;
    this.#next.add(node, event, next);
    return next;
  }

  #tagsAfter(node: number, event: number): TagsSet {
    const before = this.tagsAt(node);
    const { rule, isInTrial } = this.stage.rules[Math.floor(event / KINDS)]!;
    if (rule.action.kind !== 'tag' || event % KINDS === BLIND) return before;
    const { tags } = rule.action;
    return {
      byActing: isInTrial ? before.byActing : new Set([...before.byActing, ...tags]),
      byAll: new Set([...before.byAll, ...tags]),
    };
  }

  tagsAt(node: number): TagsSet {
    return this.#nodes[node]!.tags;
  }

  get numNodes(): number {
    return this.#nodes.length;
  }

  /** The ruling of a request to which nothing more happens. */
  rulingAt(node: number, isHeaderIgnored: boolean): Ruling {
    return (this.#rulings[node * 2 + (isHeaderIgnored ? 1 : 0)] ??= this.#buildRuling(node, isHeaderIgnored));
  }

  #buildRuling(node: number, isHeaderIgnored: boolean): Ruling {
    const events: number[] = [];
    for (let at = node; at > 0; at = this.#nodes[at]!.parent) events.push(this.#nodes[at]!.event);
    return new RulingBuilder(this.stage, isHeaderIgnored).build(events.reverse());
  }
}

export function ruleEvent(rule: number, kind: number): number {
  return rule * KINDS + kind;
}

interface RuleEnding {
  readonly outcome: Exclude<Outcome, 'uncovered'>;
  readonly status?: number;
  readonly reason?: HeldReason;
}

/** Puts a ruling together from its events. */
class RulingBuilder {
  readonly #matched: string[] = [];
  readonly #blind: string[] = [];
  readonly #tags = new Set<string>();
  readonly #would: Would[] = [];
  readonly #throttled: Throttled[] = [];
  #fenceIndex = 0;
  #allowed: { ended: RuleEnding; fence: string; rule?: string } | undefined;
  #final: { ended: RuleEnding; fence?: string; rule?: string } | undefined;

  constructor(
    private readonly stage: Stage,
    private readonly isHeaderIgnored: boolean,
  ) {}

  build(events: readonly number[]): Ruling {
    for (const event of events) {
      const rule = this.stage.rules[Math.floor(event / KINDS)]!;
      this.#passFencesBefore(rule.fence);
      this.#apply(rule, event % KINDS);
    }
    this.#passFencesBefore(undefined);
    const { gate } = this.stage;
    const { ended, fence, rule } = this.#final ??
      this.#allowed ?? { ended: endingOf(gate.statement.otherwise), fence: undefined, rule: undefined };
    return {
      outcome: ended.outcome,
      gate: gate.statement.name,
      fence,
      rule,
      status: ended.status,
      ...(ended.reason === undefined ? {} : { reason: ended.reason }),
      would: this.#would,
      tags: [...this.#tags],
      blind: this.#blind,
      matched: this.#matched,
      ...(this.#throttled.length > 0 ? { throttled: this.#throttled } : {}),
      ...(this.isHeaderIgnored ? { isHeaderIgnored: true } : {}),
    };
  }

  /** The fences that no rule ended take their `otherwise`. */
  #passFencesBefore(fence: StageFence | undefined): void {
    const { fences } = this.stage;
    for (
      ;
      !this.#final && this.#fenceIndex < fences.length && fences[this.#fenceIndex] !== fence;
      this.#fenceIndex += 1
    ) {
      const { statement } = fences[this.#fenceIndex]!;
      if (statement.otherwise.kind !== 'continue')
        this.#endFence(fences[this.#fenceIndex]!, endingOf(statement.otherwise), undefined);
    }
  }

  #apply({ id, rule, fence, isInTrial }: StageRule, kind: number): void {
    if (kind !== BLIND) this.#matched.push(id);
    if ((kind & 3) !== MATCHED && !this.#blind.includes(id)) this.#blind.push(id);
    if (kind !== BLIND && rule.action.kind === 'tag' && !isInTrial)
      rule.action.tags.forEach((tag) => this.#tags.add(tag));
    if ((kind & ENDED) === 0) return;
    if (rule.action.kind === 'throttle') {
      const trial = isInTrial ? { isTrial: true as const } : {};
      this.#throttled.push({ fence: fence.statement.name, rule: rule.name, ...trial });
      return;
    }
    const ended = endedBy(rule);
    if (rule.state === 'trial') {
      this.#would.push({ fence: fence.statement.name, rule: rule.name, outcome: ended.outcome });
      return;
    }
    this.#endFence(fence, ended, rule);
    this.#fenceIndex += 1;
  }

  #endFence({ statement, isTrial }: StageFence, ended: RuleEnding, rule: Rule | undefined): void {
    const by = rule === undefined ? {} : { rule: rule.name };
    if (isTrial) {
      this.#would.push({ fence: statement.name, ...by, outcome: ended.outcome });
      return;
    }
    const end = { ended, fence: statement.name, ...by };
    if (ended.outcome === 'allowed' && !(rule?.action.kind === 'allow' && rule.action.isOutright)) this.#allowed = end;
    else this.#final = end;
  }
}

function endingOf(ending: Ending): RuleEnding {
  if (ending.kind === 'allow') return { outcome: 'allowed' };
  return { outcome: ending.kind === 'block' ? 'blocked' : 'redirected', status: ending.status };
}

const HELD: Record<PersonAction['kind'], RuleEnding> = {
  warn: { outcome: 'held', status: 403, reason: 'warning' },
  passphrase: { outcome: 'held', status: 401, reason: 'passphrase' },
  challenge: { outcome: 'held', status: 403, reason: 'challenge' },
};

/** The ending that a terminal rule causes. */
function endedBy({ action }: Rule): RuleEnding {
  switch (action.kind) {
    case 'allow':
    case 'block':
    case 'redirect':
      return endingOf(action);
    case 'limit':
      return { outcome: 'limited', status: action.then.status };
    case 'warn':
    case 'passphrase':
    case 'challenge':
      return HELD[action.kind];
    case 'throttle':
    case 'tag':
    case 'observe':
      throw new Error(`Internal error: ${action.kind} ends no fence.`);
  }
}
