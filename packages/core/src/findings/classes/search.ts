/** Requests with a property, found by cutting boxes until it is decided in each. */
import { isNeutral, keepsState, type Action, type Ending } from '../../language/tree.js';
import { CAN_FALSE, CAN_TRUE, classesOf, cut, isDecided, truthsIn, type Box, type Formula } from './boxes.js';
import { candidatesBelow, nextCandidate } from './rule-index.js';
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
  /** At least the rules that can match requests of the box. */
  readonly candidates?: Uint32Array;
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

/** So many requests of a box are tried before it is cut, and so many of those that reach a rule are used. */
const NUM_POINTS = 24;
const NUM_REACHING = 2;
/** For one claim no more are tried. */
const MAX_POINTS = 96;

export class Search {
  #cuts = 0;
  #numPoints = 0;

  constructor(
    readonly model: GateModel,
    private readonly maxCuts: number,
    private readonly budget: Budget,
  ) {}

  /** @throws TooManyCuts when the budget is used up */
  spend(steps: number): void {
    this.budget.steps -= steps;
    if (this.budget.steps < 0) throw new TooManyCuts();
  }

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
    // A box of many axes takes long to copy.
    this.budget.steps -= box.length >> 4;
    if (this.#cuts > this.maxCuts || this.budget.steps < 0) throw new TooManyCuts();
    const halves = cut(formula, box);
    if (!halves) throw new Error('Internal error: a formula is not decided, and nothing is left to cut.');
    const [one, other] = halves;
    return (truthsIn(formula, one) & CAN_TRUE) !== 0 ? [one, other] : [other, one];
  }

  /** Some requests of a box, each of one class of every axis but those of texts that are made as is wished. */
  *#points(box: Box): Generator<Box> {
    const { axes } = this.model;
    const classes = box.map((set, axis) => (axes.all[axis]!.free ? [] : [...classesOf(set)]));
    for (let nth = 0; nth < NUM_POINTS; nth += 1)
      yield box.map((set, axis) => {
        const all = classes[axis]!;
        // Any sequence that has little to do with the order of the classes.
        return all.length === 0 ? set : axes.single(axis, all[(nth * 7919 + nth * axis) % all.length]!);
      });
  }

  /** Requests of a box that reach a rule, of a few that are tried. */
  *pointsReaching(box: Box, to: number): Generator<Box> {
    let numFound = 0;
    for (const point of this.#points(box)) {
      this.#numPoints += 1;
      if (this.#numPoints > MAX_POINTS) return;
      if (!this.isReached(point, to)) continue;
      yield point;
      numFound += 1;
      if (numFound === NUM_REACHING) return;
    }
  }

  /** Whether surely no rule takes the requests of a box before one. */
  isReached(box: Box, to: number): boolean {
    const { model } = this;
    this.spend(1);
    for (const at of candidatesBelow(model.candidates(box, to), to)) {
      if (!isEnding(model.rules[at]!)) continue;
      this.spend(1);
      if (truthsIn(model.matches(at), box) !== CAN_FALSE) return false;
    }
    return this.#passesFences(to);
  }

  /** An earlier rule of the same fence that ends the way of each request of a box there, unless another does before. */
  takerOfAll(box: Box, to: number): ModelRule | undefined {
    const { model } = this;
    this.spend(1);
    for (const at of candidatesBelow(model.candidates(box, to), to)) {
      const item = model.rules[at]!;
      if (item.fenceIndex !== model.rules[to]!.fenceIndex || !isEnding(item)) continue;
      this.spend(1);
      if (truthsIn(model.matches(at), box) === CAN_TRUE) return item;
    }
    return undefined;
  }

  /** Whether requests that no rule takes get to the fence of a rule. */
  #passesFences(to: number): boolean {
    const { fences } = this.model.gate;
    return fences
      .slice(0, this.model.rules[to]!.fenceIndex)
      .every(({ mode, otherwise }) => mode === 'trial' || otherwise.kind === 'continue' || otherwise.kind === 'allow');
  }

  /** Where requests of a box are that reach a rule: some points first, since these suffice mostly. */
  *arrivals(box: Box, to: number): Generator<Way> {
    for (const point of this.pointsReaching(box, to))
      for (const arrival of this.walk(startOf(point), { to })) if (arrival.kind === 'reached') yield arrival.way;
    for (const arrival of this.walk(startOf(box), { to })) if (arrival.kind === 'reached') yield arrival.way;
  }

  /** How the way of the requests of a box goes on, box by box. */
  *walk(way: Way, options: WalkOptions): Generator<Arrival> {
    const { model } = this;
    const { to = -1, without = -1, isWhole = false } = options;
    const { box } = way;
    let { isAllowed, would } = way;
    // With a rule left out that sets tags, conditions that read these are others.
    const doTagsChange = model.rules[without]?.rule.action.kind === 'tag';
    const candidates = doTagsChange ? undefined : (way.candidates ?? model.candidates(box));
    const next = (from: number): number => {
      const at = candidates ? nextCandidate(candidates, from) : from;
      return from <= to && to < at ? to : at;
    };
    for (let fence = way.fence; fence < model.gate.fences.length; fence += 1) {
      const isTrial = model.gate.fences[fence]!.mode === 'trial';
      let isEnded = false;
      const first = Math.max(way.at, model.fenceStarts[fence]!);
      for (let at = next(first); at < model.fenceStarts[fence + 1]!; at = next(at + 1)) {
        if (at === to) {
          yield { kind: 'reached', way: { box, fence, at, isAllowed, would } };
          return;
        }
        const item = model.rules[at]!;
        if (at === without || !(isWhole ? hasOutcome(item) : isEnding(item))) continue;
        const formula = model.matches(at, doTagsChange ? without : -1);
        const truths = truthsIn(formula, box);
        this.budget.steps -= 1;
        if (truths === CAN_FALSE) continue;
        if (!isDecided(truths)) {
          const [taken, passed] = this.cut(formula, box);
          for (const half of options.isTakenFirst ? [taken, passed] : [passed, taken])
            yield* this.walk({ box: half, fence, at, isAllowed, would, candidates }, options);
          return;
        }
        const now = { box, fence, at: at + 1, isAllowed, would };
        if (!isEnding(item)) {
          if (item.effect === 'stateful' || keepsState(item.rule.action)) {
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
  return !isNeutral(action);
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
