/** Requests with a property, found by cutting boxes until it is decided in each. */
import type { Action, Ending } from '../../language/tree.js';
import { CAN_FALSE, CAN_TRUE, cut, isDecided, truthsIn, type Box, type Formula } from './boxes.js';
import type { GateModel, ModelRule, Start } from './gate-model.js';

/** More cuts were needed than are allowed for one claim, or more steps than for all. */
export class TooManyCuts extends Error {}

/** How many steps a review may still take: formulas looked at in a box, and texts tried. */
export interface Budget {
  steps: number;
}

/** Where requests of a box are on their way, and what has happened to them. */
export interface Way {
  readonly box: Box;
  readonly fence: number;
  /** The rule that is next. */
  readonly at: number;
  /** Some fence has let them through. */
  readonly isAllowed: boolean;
  /** What fences and rules in trial would have done. */
  readonly would: readonly string[];
}

/** How the way of all requests of a box goes on. */
export type Arrival =
  | { readonly kind: 'reached'; readonly way: Way }
  /** @param outcome what comes of them, with status, target and what would have been */
  | { readonly kind: 'ended'; readonly way: Way; readonly outcome: string; readonly by?: number }
  /** What comes of them depends on earlier requests. */
  | { readonly kind: 'stateful'; readonly way: Way };

export interface WalkOptions {
  /** The walk ends in front of this rule. */
  readonly to?: number;
  /** A rule that is left out. */
  readonly without?: number;
  /** What would have been, and what earlier requests may do, counts. */
  readonly isWhole?: boolean;
  /** Requests that some rule takes are walked first. */
  readonly isTakenFirst?: boolean;
}

export function startOf(box: Box): Way {
  return { box, fence: 0, at: 0, isAllowed: false, would: [] };
}

export class Search {
  #cuts = 0;

  constructor(
    readonly model: GateModel,
    private readonly maxCuts: number,
    private readonly budget: Budget,
  ) {}

  /** Boxes in which all formulas are true. */
  *solve(box: Box, formulas: readonly Formula[], from = 0): Generator<Box> {
    for (let at = from; at < formulas.length; at += 1) {
      const truths = truthsIn(formulas[at]!, box);
      if ((truths & CAN_TRUE) === 0) return;
      if (truths === CAN_TRUE) continue;
      for (const half of this.cut(formulas[at]!, box)) yield* this.solve(half, formulas, at);
      return;
    }
    yield box;
  }

  *solveAll(starts: readonly Start[], formulas: readonly Formula[]): Generator<{ box: Box; start: Start }> {
    for (const start of starts)
      for (const box of this.solve(start.box, [...start.must, ...formulas])) yield { box, start };
  }

  /** The halves of a box in which a formula is not decided, that in which it can be true first. */
  cut(formula: Formula, box: Box): readonly [Box, Box] {
    this.#cuts += 1;
    if (this.#cuts > this.maxCuts || this.budget.steps < 0) throw new TooManyCuts();
    const halves = cut(formula, box);
    if (!halves) throw new Error('Internal error: a formula is not decided, and nothing is left to cut.');
    const [one, other] = halves;
    return (truthsIn(formula, one) & CAN_TRUE) !== 0 ? [one, other] : [other, one];
  }

  /** How the way of the requests of a box goes on, box by box. */
  *walk(way: Way, options: WalkOptions): Generator<Arrival> {
    const { model } = this;
    const { to = -1, without = -1, isWhole = false } = options;
    const { box } = way;
    let { isAllowed, would } = way;
    for (let fence = way.fence; fence < model.gate.fences.length; fence += 1) {
      const isTrial = model.gate.fences[fence]!.mode === 'trial';
      let isEnded = false;
      for (let at = Math.max(way.at, model.fenceStarts[fence]!); at < model.fenceStarts[fence + 1]!; at += 1) {
        if (at === to) {
          yield { kind: 'reached', way: { box, fence, at, isAllowed, would } };
          return;
        }
        const item = model.rules[at]!;
        if (at === without || !(isWhole ? hasOutcome(item) : isEnding(item))) continue;
        const formula = model.matches(at, without);
        const truths = truthsIn(formula, box);
        this.budget.steps -= 1;
        if (truths === CAN_FALSE) continue;
        if (!isDecided(truths)) {
          const [taken, passed] = this.cut(formula, box);
          for (const half of options.isTakenFirst ? [taken, passed] : [passed, taken])
            yield* this.walk({ box: half, fence, at, isAllowed, would }, options);
          return;
        }
        const now = { box, fence, at: at + 1, isAllowed, would };
        if (!isEnding(item)) {
          if (item.effect === 'stateful' || isStateful(item)) {
            yield { kind: 'stateful', way: now };
            return;
          }
          would = [...would, `${item.id} ${outcomeOf(item.rule.action)}`];
          continue;
        }
        if (item.effect === 'ends-all') {
          yield { kind: 'ended', way: now, outcome: JSON.stringify([outcomeOf(item.rule.action), would]), by: at };
          return;
        }
        if (isTrial) would = [...would, `${item.id} ${outcomeOf(item.rule.action)}`];
        else isAllowed = true;
        if (model.rules[to]?.fenceIndex === fence) {
          yield { kind: 'ended', way: now, outcome: '', by: at };
          return;
        }
        isEnded = true;
        break;
      }
      if (isEnded) continue;
      const { name, otherwise } = model.gate.fences[fence]!;
      if (otherwise.kind === 'continue') continue;
      if (isTrial) would = [...would, `${name} ${outcomeOf(otherwise)}`];
      else if (otherwise.kind === 'allow') isAllowed = true;
      else {
        const now = { box, fence: fence + 1, at: model.rules.length, isAllowed, would };
        yield { kind: 'ended', way: now, outcome: JSON.stringify([outcomeOf(otherwise), would]) };
        return;
      }
    }
    const last = isAllowed ? 'allowed' : outcomeOf(model.gate.statement.otherwise);
    yield {
      kind: 'ended',
      way: { box, fence: model.gate.fences.length, at: model.rules.length, isAllowed, would },
      outcome: JSON.stringify([last, would]),
    };
  }
}

function isEnding({ effect }: ModelRule): boolean {
  return effect === 'ends-fence' || effect === 'ends-all';
}

function hasOutcome({ rule: { action } }: ModelRule): boolean {
  return action.kind !== 'tag' && action.kind !== 'observe';
}

function isStateful({ rule: { action } }: ModelRule): boolean {
  return (
    action.kind === 'limit' || action.kind === 'warn' || action.kind === 'passphrase' || action.kind === 'challenge'
  );
}

/** What a client sees of an ending. */
function outcomeOf(action: Action | Ending): string {
  switch (action.kind) {
    case 'block':
      return `blocked ${action.status} ${action.page?.name ?? ''}`;
    case 'redirect':
      return `redirected ${action.status} ${action.url}`;
    default:
      return action.kind === 'allow' ? 'allowed' : action.kind;
  }
}
