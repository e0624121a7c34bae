/** What the order of rules does to them, exactly: which match never, are never reached, or change nothing. */
import type { CheckedGate, Rulebook } from '../check/rulebook.js';
import { NO_GATE } from '../decide/gate.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { FenceStatement, Rule } from '../language/tree.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import type { Box, Formula } from './classes/boxes.js';
import { makeExample, needsText } from './classes/example.js';
import { GateModel, type ModelInput, type ModelRule, type Start } from './classes/gate-model.js';
import { sampleReferenceData } from './classes/samples.js';
import { Search, startOf, TooManyCuts, type Budget } from './classes/search.js';
import type { FindingId } from './finding.js';

/** A claim about a rule, where a gate evaluates it. */
export interface OrderClaim {
  readonly id: Extract<FindingId, 'never-true' | 'always-true' | 'never-reached' | 'partly-covered' | 'no-effect'>;
  /** Absent where it holds at every gate. */
  readonly gate?: string;
  readonly fence: FenceStatement;
  readonly rule: Rule;
  /** Rules, as `fence/rule`, that cause it. */
  readonly related: readonly string[];
  /** A request that shows it: one that an earlier rule takes. */
  readonly example?: Attributes;
  readonly atUnixMs?: number;
}

/** A rule about which something could not be decided within bounds. */
export interface Undecided {
  readonly gate?: string;
  /** As `fence/rule`. */
  readonly rule: string;
  readonly id: OrderClaim['id'];
  readonly reason: string;
}

export interface OrderReport {
  readonly claims: readonly OrderClaim[];
  readonly undecided: readonly Undecided[];
}

/** What is decided about a property: a request shows it, none has it, or neither could be found out. */
type Answer =
  | { readonly kind: 'shown'; readonly record: LogRecord }
  | { readonly kind: 'none' }
  | { readonly kind: 'undecided'; readonly reason: string };

const NONE: Answer = { kind: 'none' };
/** A request that is not shown would show it. */
const EFFECT: Answer = { kind: 'shown', record: { line: 1, atUnixMs: 0, attributes: {} } };
const TOO_MANY = 'it meets too many others';
const GIVEN_UP = 'the rules are too many, and their review took too long';
/** About as long as making a request takes. */
const STEPS_OF_EXAMPLE = 2000;
const NO_EXAMPLE = 'no text could be made for its patterns';
const INEXACT =
  'it compares first bytes, many hosts of inspected requests, or a list that is a dataset: not all of them are gone through';

/** For one claim, boxes are cut so often, and so many requests are made, before it is given up. */
export interface OrderBounds {
  readonly maxCuts: number;
  readonly maxExamples: number;
  /** For all claims together: formulas looked at in a box, and what making a request costs in such. */
  readonly maxSteps: number;
  /** Requests that are not shown are run through the interpreter, too, which takes long. */
  readonly isChecked?: boolean;
}

export const ORDER_BOUNDS: OrderBounds = { maxCuts: 4000, maxExamples: 8, maxSteps: 20_000_000 };

/** Goes through the rules of every gate. @param times see `reviewTimes` */
export function reviewOrder(context: EvaluationContext, times: readonly number[], bounds = ORDER_BOUNDS): OrderReport {
  const claims: OrderClaim[] = [];
  const undecided: Undecided[] = [];
  const { rulebook } = context;
  const attached = new Set(rulebook.gates.flatMap(({ fences }) => fences));
  const loose = rulebook.fences.filter((fence) => !attached.has(fence));
  const input = { context, times, samples: sampleReferenceData(context) };
  const budget = { steps: bounds.maxSteps };
  const reviews = [
    ...rulebook.gates.map((gate) => new GateReview(gate, input, bounds, budget)),
    ...loose.map((fence) => new GateReview({ ...NO_GATE, fences: [fence] }, input, bounds, budget)),
  ];
  const conditions = new ConditionAnswers();
  for (const review of reviews) review.noteConditions(conditions);
  conditions.report(claims, undecided);
  for (const review of reviews)
    if (rulebook.gates.includes(review.gate)) review.reviewRules(conditions, claims, undecided);
  return { claims, undecided };
}

interface ConditionAnswer {
  readonly fence: FenceStatement;
  readonly rule: Rule;
  isTrue: Answer;
  isFalse: Answer;
}

/** Whether each condition is true, or false, of any request at any gate. */
class ConditionAnswers {
  readonly #byRule = new Map<Rule, ConditionAnswer>();

  of(fence: FenceStatement, rule: Rule): ConditionAnswer {
    let answer = this.#byRule.get(rule);
    if (!answer) {
      answer = { fence, rule, isTrue: NONE, isFalse: NONE };
      this.#byRule.set(rule, answer);
    }
    return answer;
  }

  report(claims: OrderClaim[], undecided: Undecided[]): void {
    for (const { fence, rule, isTrue, isFalse } of this.#byRule.values()) {
      const base = { fence, rule, related: [] };
      const name = `${fence.name}/${rule.name}`;
      if (isTrue.kind === 'none') claims.push({ id: 'never-true', ...base });
      if (isTrue.kind === 'undecided') undecided.push({ id: 'never-true', rule: name, reason: isTrue.reason });
      if (rule.condition.kind === 'always' || isTrue.kind === 'none') continue;
      if (isFalse.kind === 'none') claims.push({ id: 'always-true', ...base });
      if (isFalse.kind === 'undecided') undecided.push({ id: 'always-true', rule: name, reason: isFalse.reason });
    }
  }
}

/** What one of several ways of looking found, and what all did. */
function better(a: Answer, b: Answer): Answer {
  if (a.kind === 'shown' || b.kind === 'none') return a;
  return b.kind === 'shown' || a.kind === 'none' ? b : a;
}

/** The rules of one gate, for what it sees whole and for what it sees in part. */
class GateReview {
  readonly #models: readonly GateModel[];
  readonly #context: EvaluationContext;

  constructor(
    readonly gate: CheckedGate,
    input: ModelInput,
    private readonly bounds: OrderBounds,
    private readonly budget: Budget,
  ) {
    this.#context = input.context;
    const kinds = gate.statement.direction === 'inbound' ? [false] : [false, true];
    this.#models = kinds.map((isHidden) => new GateModel(gate, isHidden, input));
  }

  noteConditions(answers: ConditionAnswers): void {
    for (const model of this.#models)
      model.rules.forEach((item, index) => {
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
    if (this.budget.steps < 0) return { kind: 'undecided', reason: GIVEN_UP };
    let numTried = 0;
    try {
      for (const item of find(new Search(model, this.bounds.maxCuts, this.budget))) {
        if (!shows && !needsText(model, item.box)) return EFFECT;
        this.budget.steps -= STEPS_OF_EXAMPLE;
        const record = makeExample(model, item);
        if (record && (!shows || shows(record))) return { kind: 'shown', record };
        numTried += 1;
        if (numTried === this.bounds.maxExamples) break;
      }
    } catch (error) {
      if (!(error instanceof TooManyCuts)) throw error;
      return { kind: 'undecided', reason: this.budget.steps < 0 ? GIVEN_UP : TOO_MANY };
    }
    if (numTried > 0) return { kind: 'undecided', reason: NO_EXAMPLE };
    return about.some(({ node }) => model.isInexact(node)) ? { kind: 'undecided', reason: INEXACT } : NONE;
  }

  reviewRules(conditions: ConditionAnswers, claims: OrderClaim[], undecided: Undecided[]): void {
    const ids = new Map<string, { fence: FenceStatement; rule: Rule }>();
    for (const model of this.#models) for (const { id, fence, rule } of model.rules) ids.set(id, { fence, rule });
    for (const [id, { fence, rule }] of ids) {
      if (conditions.of(fence, rule).isTrue.kind === 'none') continue;
      this.#reviewRule(id, { fence, rule }, claims, undecided);
    }
  }

  #reviewRule(
    id: string,
    { fence, rule }: { fence: FenceStatement; rule: Rule },
    claims: OrderClaim[],
    undecided: Undecided[],
  ): void {
    const gate = this.gate.statement.name;
    const unsure = (what: OrderClaim['id'], reason: string): void =>
      void undecided.push({ id: what, gate, rule: id, reason });
    const takers = new Set<string>();
    let reached: Answer = NONE;
    for (const model of this.#models)
      if (reached.kind !== 'shown') reached = better(reached, this.#reached(model, id, takers));
    if (reached.kind === 'undecided') return unsure('never-reached', reached.reason);
    const taken = this.#firstTaken(id);
    const base = { gate, fence, rule };
    if (reached.kind === 'none') {
      const example = taken?.answer.kind === 'shown' ? exampleOf(taken.answer.record) : {};
      claims.push({ id: 'never-reached', ...base, related: [...takers], ...example });
      return;
    }
    if (taken?.answer.kind === 'shown')
      claims.push({ id: 'partly-covered', ...base, related: taken.by, ...exampleOf(taken.answer.record) });
    if (taken?.answer.kind === 'undecided') unsure('partly-covered', taken.answer.reason);
    const effect = this.#effect(id);
    if (effect.kind === 'none') claims.push({ id: 'no-effect', ...base, related: [] });
    if (effect.kind === 'undecided') unsure('no-effect', effect.reason);
  }

  /** A request that reaches a rule and matches it. */
  #reached(model: GateModel, id: string, takers: Set<string>): Answer {
    const to = model.rules.findIndex((item) => item.id === id);
    const about = [model.rules[to]!];
    const answer = this.#search(
      model,
      about,
      function* (search) {
        for (const { box, start } of search.solveAll(model.starts, [model.matches(to)]))
          for (const arrival of search.walk(startOf(box), { to })) {
            if (arrival.kind === 'reached') yield { box: arrival.way.box, start };
            else if (arrival.kind === 'ended' && arrival.by !== undefined) {
              const taker = model.rules[arrival.by]!;
              takers.add(taker.id);
              if (!about.includes(taker)) about.push(taker);
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
      const to = model.rules.findIndex((item) => item.id === id);
      const by: string[] = [];
      const answer = this.#search(
        model,
        [],
        function* (search) {
          for (const { box, start } of search.solveAll(model.starts, [model.matches(to)]))
            for (const arrival of search.walk(startOf(box), { to, isTakenFirst: true })) {
              if (arrival.kind !== 'ended') continue;
              by.splice(0, 1, ...(arrival.by === undefined ? [] : [model.rules[arrival.by]!.id]));
              yield { box: arrival.way.box, start };
            }
        },
        (record) => !this.#judge(record).matched.includes(id),
      );
      if (answer.kind === 'shown') return { answer, by };
      if (answer.kind === 'undecided') unsure = { answer, by: [] };
    }
    return unsure;
  }

  /** A request of which something else comes without the rule. */
  #effect(id: string): Answer {
    let effect: Answer = NONE;
    for (const model of this.#models) {
      const at = model.rules.findIndex((item) => item.id === id);
      const { effect: own, isInTrial, rule } = model.rules[at]!;
      if (rule.action.kind === 'tag' && model.readsTags(at)) return EFFECT;
      const isCounted = isInTrial && rule.action.kind !== 'tag' && rule.action.kind !== 'observe';
      // What it would have done is reported, and what earlier requests did matters.
      if (own === 'stateful' || isCounted) return EFFECT;
      let isStateful = false;
      const answer = this.#search(
        model,
        model.rules,
        function* (search) {
          for (const { box, start } of search.solveAll(model.starts, [model.matches(at)]))
            for (const arrival of search.walk(startOf(box), { to: at })) {
              if (arrival.kind !== 'reached') continue;
              for (const given of search.walk(arrival.way, { isWhole: true })) {
                const rest = { ...arrival.way, box: given.way.box };
                for (const left of search.walk(rest, { isWhole: true, without: at })) {
                  if (given.kind === 'stateful' || left.kind === 'stateful') {
                    isStateful = true;
                    return;
                  }
                  if (given.kind === 'ended' && left.kind === 'ended' && given.outcome !== left.outcome)
                    yield { box: left.way.box, start };
                }
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

/** Limits and holds may or may not stop a request: here they do not. */
class PassingState extends State {
  override count(...given: Parameters<State['count']>): ReturnType<State['count']> {
    return { ...super.count(...given), isTripped: false };
  }

  override passesHold(): boolean {
    return true;
  }
}

function seenOf({ outcome, status, would }: { outcome: string; status?: number; would: readonly unknown[] }) {
  return [outcome, status ?? null, would];
}

function exampleOf({ attributes, atUnixMs }: LogRecord): { example: Attributes; atUnixMs: number } {
  return { example: attributes, atUnixMs };
}
