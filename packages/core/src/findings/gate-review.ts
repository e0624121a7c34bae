/** The rules of one gate in their order: which requests reach each, and what comes of them without it. */
import type { CheckedGate, Rulebook } from '../check/rulebook.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { isNeutral, keepsState, type FenceStatement, type Rule } from '../language/tree.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import type { Box, Formula } from './classes/boxes.js';
import { makeExample, needsText } from './classes/example.js';
import { createGateModel, type GateModel, type ModelInput, type ModelRule, type Start } from './classes/gate-model.js';
import { PassingState } from './classes/passing-state.js';
import { Search, startOf, TooManyCuts, type Budget } from './classes/search.js';
import { better, NONE, type Answer, type ConditionAnswers } from './answers.js';
import type { OrderBounds, OrderClaim, OrderScope, Undecided } from './order.js';
import { targetRequest } from './redirects.js';

/** A request that is not shown would show it. */
const EFFECT: Answer = { kind: 'shown', record: { line: 1, atUnixMs: 0, attributes: {} } };
const TOO_MANY = 'it meets too many others';
const GIVEN_UP = 'the rules are too many, and their review took too long';
/** About as long as making a request takes. */
const STEPS_OF_EXAMPLE = 200;
const NO_EXAMPLE = 'no text could be made for its patterns';
const INEXACT =
  'it compares first bytes, many hosts of inspected requests, or a list that is a dataset: not all of them are gone through';

/** Cuts for a claim before all others have had as many. */
const FIRST_CUTS = 48;
/** Parts into which what matches a rule is cut, of each of which one rule is to take all. */
const PAIR_CUTS = 64;

interface RuleAt {
  /** As `fence/rule`. */
  readonly id: string;
  readonly fence: FenceStatement;
  readonly rule: Rule;
}

/** Answers something about a rule, and gives what is to be found out next; or, but for the last time, that it takes too much. */
type Question = (isLast: boolean) => readonly Question[] | 'too much';

/** A report that is being made. */
interface MutableReport {
  readonly claims: OrderClaim[];
  readonly undecided: Undecided[];
}

/** The rules of one gate, for what it sees whole and for what it sees in part. */
export class GateReview {
  readonly #models: readonly GateModel[];
  readonly #context: EvaluationContext;
  #maxCuts: number;

  constructor(
    readonly gate: CheckedGate,
    input: ModelInput,
    private readonly bounds: OrderBounds,
    private readonly budget: Budget,
    /** What looking at pairs of rules may take besides, where that is used up. */
    private readonly pairBudget: Budget,
  ) {
    this.#context = input.context;
    this.#maxCuts = bounds.maxCuts;
    const kinds = gate.statement.direction === 'inbound' ? [false] : [false, true];
    this.#models = kinds.map((isHidden) => createGateModel(gate, isHidden, input));
  }

  noteConditions(answers: ConditionAnswers, { about }: OrderScope): void {
    for (const model of this.#models)
      model.rules.forEach((item, index) => {
        if (about !== undefined && item.id !== about) return;
        const answer = answers.of(item.fence, item.rule);
        const condition = model.conditionOf(index);
        const isTrue: Formula = { kind: 'matches', part: condition, isWithUnknown: false };
        const isFalse: Formula = { kind: 'not', part: { kind: 'matches', part: condition, isWithUnknown: true } };
        if (answer.isTrue.kind !== 'shown')
          answer.isTrue = better(answer.isTrue, this.#anyRequest(model, isTrue, [item]));
        if (answer.isFalse.kind !== 'shown')
          answer.isFalse = better(answer.isFalse, this.#anyRequest(model, isFalse, [item]));
      });
  }

  /** A request, wherever it leads, of which a formula is true. */
  #anyRequest(model: GateModel, formula: Formula, about: readonly ModelRule[]): Answer {
    return this.#search(model, about, function* (search) {
      yield* search.solveAll(model.anyStarts, [formula]);
    });
  }

  /**
   * The first box for which a request can be made that shows what is looked for.
   * @param about the rules on whose comparisons it depends that there is no box
   * @param shows runs a request, where one is to be shown; all that is made must show it, or nothing is concluded
   */
  #search(
    model: GateModel,
    about: readonly ModelRule[],
    find: (search: Search) => Generator<{ box: Box; start: Start }>,
    shows?: (record: LogRecord) => boolean,
  ): Answer {
    if (this.budget.steps < 0) return { kind: 'undecided', reason: GIVEN_UP, isTooMuch: true };
    let numTried = 0;
    try {
      for (const item of find(new Search(model, this.#maxCuts, this.budget))) {
        if (!shows && !needsText(model, item.box)) return EFFECT;
        this.budget.steps -= STEPS_OF_EXAMPLE;
        const record = makeExample(model, item);
        if (record && (!shows || shows(record))) return { kind: 'shown', record };
        numTried += 1;
        if (numTried === this.bounds.maxExamples) break;
      }
    } catch (error) {
      if (!(error instanceof TooManyCuts)) throw error;
      return { kind: 'undecided', reason: this.budget.steps < 0 ? GIVEN_UP : TOO_MANY, isTooMuch: true };
    }
    if (numTried > 0) return { kind: 'undecided', reason: NO_EXAMPLE };
    return about.some(({ node }) => model.isInexact(node)) ? { kind: 'undecided', reason: INEXACT } : NONE;
  }

  /**
   * What takes little comes first, and of that which rules are reached: where the rest of the review is given up, that is
   * known. What boxes do not decide soon, pairs of rules may.
   */
  reviewRules(conditions: ConditionAnswers, report: MutableReport, { isOnlyErrors, about }: OrderScope): void {
    const ids = new Map<string, RuleAt>();
    for (const model of this.#models) for (const { id, fence, rule } of model.rules) ids.set(id, { id, fence, rule });
    const all = [...ids.values()].filter(
      ({ id, fence, rule }) =>
        (about === undefined || id === about) && conditions.of(fence, rule).isTrue.kind !== 'none',
    );
    for (const item of all) this.#reviewTarget(item, report);
    if (isOnlyErrors) return;
    let later: Question[] = [];
    for (const isLast of [false, true]) {
      this.#maxCuts = isLast ? this.bounds.maxCuts : Math.min(FIRST_CUTS, this.bounds.maxCuts);
      const questions = isLast
        ? later
        : all.map(
            (item): Question =>
              (last) =>
                this.#reviewReached(item, report, last),
          );
      later = [];
      for (const question of questions) {
        const next = question(isLast);
        if (next === 'too much') later.push(question);
        else for (const one of next) questions.push(one);
      }
    }
  }

  #reviewTarget({ id, fence, rule }: RuleAt, { claims }: MutableReport): void {
    const loop = rule.action.kind === 'redirect' ? this.#stoppedTarget(id, rule.action.url) : undefined;
    const gate = this.gate.statement.name;
    if (loop) claims.push({ id: 'redirect-loop', gate, fence, rule, related: loop.by, ...exampleOf(loop.record) });
  }

  /** Whether requests reach a rule, and if so what else there is to find out. */
  #reviewReached(item: RuleAt, report: MutableReport, isLast: boolean): ReturnType<Question> {
    const { id, fence, rule } = item;
    const gate = this.gate.statement.name;
    const takers = new Set<string>();
    let reached: Answer = NONE;
    for (const model of this.#models)
      if (reached.kind !== 'shown') reached = better(reached, this.#reached(model, id, takers));
    if (reached.kind === 'shown')
      return [(last) => this.#reviewTaken(item, report, last), (last) => this.#reviewEffect(item, report, last)];
    const alone = reached.kind === 'undecided' && reached.isTooMuch && !isLast ? this.#takersOfAll(id) : undefined;
    if (reached.kind === 'undecided' && !alone) {
      if (reached.isTooMuch && !isLast) return 'too much';
      report.undecided.push({ id: 'never-reached', gate, rule: id, reason: reached.reason });
      return [];
    }
    const taken = this.#firstTaken(id);
    const example = taken?.answer.kind === 'shown' ? exampleOf(taken.answer.record) : {};
    report.claims.push({ id: 'never-reached', gate, fence, rule, related: [...(alone ?? takers)], ...example });
    return [];
  }

  /** Earlier rules of its fence of which one takes all requests of each box of a rule, if there are such. */
  #takersOfAll(id: string): ReadonlySet<string> | undefined {
    const takers = new Set<string>();
    try {
      for (const model of this.#models) {
        const to = model.indexOf(id);
        if (model.isInexact(model.rules[to]!.node)) return undefined;
        const search = new Search(model, PAIR_CUTS, this.pairBudget);
        for (const { box } of search.solveAll(model.starts, [model.matches(to)])) {
          const taker = search.takerOfAll(box, to);
          if (!taker || model.isInexact(taker.node)) return undefined;
          takers.add(taker.id);
        }
      }
    } catch (error) {
      if (!(error instanceof TooManyCuts)) throw error;
      return undefined;
    }
    return takers.size === 0 ? undefined : takers;
  }

  /** Whether an earlier rule takes requests that match a rule. */
  #reviewTaken({ id, fence, rule }: RuleAt, report: MutableReport, isLast: boolean): ReturnType<Question> {
    const gate = this.gate.statement.name;
    const { answer, by } = this.#firstTaken(id) ?? { answer: NONE, by: [] };
    if (answer.kind === 'undecided' && answer.isTooMuch && !isLast) return 'too much';
    if (answer.kind === 'undecided')
      report.undecided.push({ id: 'partly-covered', gate, rule: id, reason: answer.reason });
    if (answer.kind === 'shown')
      report.claims.push({ id: 'partly-covered', gate, fence, rule, related: by, ...exampleOf(answer.record) });
    return [];
  }

  #reviewEffect({ id, fence, rule }: RuleAt, report: MutableReport, isLast: boolean): ReturnType<Question> {
    const gate = this.gate.statement.name;
    const effect = this.#effect(id);
    if (effect.kind === 'undecided' && effect.isTooMuch && !isLast) return 'too much';
    if (effect.kind === 'undecided') report.undecided.push({ id: 'no-effect', gate, rule: id, reason: effect.reason });
    if (effect.kind === 'none') report.claims.push({ id: 'no-effect', gate, fence, rule, related: [] });
    return [];
  }

  /** A request that reaches a rule and matches it. */
  #reached(model: GateModel, id: string, takers: Set<string>): Answer {
    const to = model.indexOf(id);
    const about = [model.rules[to]!];
    const answer = this.#search(
      model,
      about,
      function* (search) {
        for (const { box, start } of search.solveAll(model.starts, [model.matches(to)])) {
          for (const point of search.pointsReaching(box, to)) yield { box: point, start };
          for (const arrival of search.walk(startOf(box), { to })) {
            if (arrival.kind === 'reached') yield { box: arrival.way.box, start };
            else if (arrival.kind === 'ended' && arrival.by !== undefined) {
              const taker = model.rules[arrival.by]!;
              takers.add(taker.id);
              if (!about.includes(taker)) about.push(taker);
            }
          }
        }
      },
      this.bounds.isChecked ? (record) => this.#judge(record).matched.includes(id) : undefined,
    );
    return answer;
  }

  /** A request that satisfies a rule and is taken by an earlier one. */
  #firstTaken(id: string): { answer: Answer; by: string[] } | undefined {
    let unsure: { answer: Answer; by: string[] } | undefined;
    for (const model of this.#models) {
      const to = model.indexOf(id);
      if (!model.hasEndingBefore(to)) continue;
      const by: string[] = [];
      const answer = this.#search(
        model,
        [],
        function* (search) {
          for (const { box, start } of search.solveAll(model.starts, [model.matches(to)])) {
            if (search.isReached(box, to)) continue;
            for (const arrival of search.walk(startOf(box), { to, isTakenFirst: true })) {
              if (arrival.kind !== 'ended') continue;
              by.splice(0, 1, ...(arrival.by === undefined ? [] : [model.rules[arrival.by]!.id]));
              yield { box: arrival.way.box, start };
            }
          }
        },
        (record) => !this.#judge(record).matched.includes(id),
      );
      if (answer.kind === 'shown') return { answer, by };
      if (answer.kind === 'undecided') unsure = { answer, by: [] };
    }
    return unsure;
  }

  /** A request for the target of a redirection, by a client that is sent there, which is stopped itself. */
  #stoppedTarget(id: string, url: string): { record: LogRecord; by: string[] } | undefined {
    let stopped: { record: LogRecord; by: string[] } | undefined;
    // A path alone leads to the same host, whichever that is.
    if (!/^https?:/i.test(url)) return undefined;
    const follow = (record: LogRecord): boolean => {
      const sent = this.#judge(record);
      if (sent.outcome !== 'redirected' || `${sent.fence}/${sent.rule}` !== id) return false;
      const target = targetRequest(record, url);
      const then = this.#judge(target);
      if (then.outcome !== 'blocked' && then.outcome !== 'redirected') return false;
      stopped = { record: target, by: then.rule === undefined ? [] : [`${then.fence}/${then.rule}`] };
      return true;
    };
    for (const model of this.#models) {
      const to = model.indexOf(id);
      this.#search(
        model,
        [],
        function* (search) {
          for (const { box, start } of search.solveAll(model.starts, [model.matches(to)]))
            for (const arrival of search.walk(startOf(box), { to }))
              if (arrival.kind === 'reached') yield { box: arrival.way.box, start };
        },
        follow,
      );
      if (stopped) return stopped;
    }
    return undefined;
  }

  /** A request of which something else comes without the rule. */
  #effect(id: string): Answer {
    let effect: Answer = NONE;
    for (const model of this.#models) {
      const at = model.indexOf(id);
      const { effect: own, isInTrial, rule } = model.rules[at]!;
      if (rule.action.kind === 'tag' && model.readsTags(at)) return EFFECT;
      const isCounted = isInTrial && !isNeutral(rule.action);
      // What it would have done is reported, and what earlier requests did matters.
      if (own === 'stateful' || keepsState(rule.action) || isCounted) return EFFECT;
      let isStateful = false;
      const answer = this.#search(
        model,
        model.rules,
        function* (search) {
          for (const { box, start } of search.solveAll(model.starts, [model.matches(at)]))
            for (const arrival of search.arrivals(box, at))
              for (const given of search.walk(arrival, { isWhole: true })) {
                const rest = { ...arrival, box: given.way.box, candidates: undefined };
                for (const left of search.walk(rest, { isWhole: true, without: at })) {
                  if (given.kind === 'stateful' || left.kind === 'stateful') {
                    isStateful = true;
                    return;
                  }
                  if (given.kind === 'ended' && left.kind === 'ended' && given.outcome !== left.outcome)
                    yield { box: left.way.box, start };
                }
              }
        },
        this.bounds.isChecked ? (record) => this.#changesWithout(record, rule) : undefined,
      );
      if (isStateful || answer.kind === 'shown') return EFFECT;
      effect = better(effect, answer);
    }
    return effect;
  }

  /** As for a client whom no limit has stopped, and who has done what holds require. */
  #judge(record: LogRecord, rulebook: Rulebook = this.#context.rulebook) {
    return decide({ ...this.#context, rulebook }, normalizeRequest(record), new PassingState());
  }

  #changesWithout(record: LogRecord, rule: Rule): boolean {
    const without = (fence: FenceStatement): FenceStatement =>
      fence.rules.includes(rule) ? { ...fence, rules: fence.rules.filter((one) => one !== rule) } : fence;
    const gates = this.#context.rulebook.gates.map((gate) => ({ ...gate, fences: gate.fences.map(without) }));
    const [now, then] = [this.#judge(record), this.#judge(record, { ...this.#context.rulebook, gates })];
    return JSON.stringify(seenOf(now)) !== JSON.stringify(seenOf(then)) || this.#targetOf(now) !== this.#targetOf(then);
  }

  /** Where a stopped request is sent, or what is shown. */
  #targetOf({ fence, rule }: { readonly fence?: string; readonly rule?: string }): string {
    const statement = this.#context.rulebook.fences.find(({ name }) => name === fence);
    const action =
      statement?.rules.find(({ name }) => name === rule)?.action ??
      statement?.otherwise ??
      this.gate.statement.otherwise;
    if (action.kind === 'redirect') return action.url;
    return action.kind === 'block' ? (action.page?.name ?? '') : '';
  }
}

function seenOf({ outcome, status, would }: { outcome: string; status?: number; would: readonly unknown[] }) {
  return [outcome, status ?? null, would];
}

function exampleOf({ attributes, atUnixMs }: LogRecord): { example: Attributes; atUnixMs: number } {
  return { example: attributes, atUnixMs };
}
