/** The rules of a gate, for requests that it sees whole or in part, as formulas over classes. */
import type { CheckedGate } from '../../check/rulebook.js';
import { ruleId } from '../../decide/decision.js';
import { NO_GATE } from '../../decide/gate.js';
import type { EvaluationContext } from '../../decide/interpreter.js';
import { ACTION_TRAITS, type FenceStatement, type Rule } from '../../language/tree.js';
import { compileCondition, type Node } from '../../match/compile/nodes.js';
import { TRUE, UNKNOWN } from '../../match/features/truth.js';
import { Axes, type AxisClass, type ClientAxes, type Settings } from './axes.js';
import { ALWAYS, CAN_FALSE, CAN_TRUE, CAN_UNKNOWN, classSet, NEVER, type Box, type Formula } from './boxes.js';
import { formBoxes } from './forms.js';
import { RecordingPartitions } from './recording-partitions.js';
import { RuleIndex } from './rule-index.js';
import type { Samples } from './samples.js';
import type { Lists } from './values.js';

/** How a matching rule changes the way of a request, where nothing of earlier requests matters. */
export type Effect = 'none' | 'stateful' | 'ends-fence' | 'ends-all';

export interface ModelRule {
  readonly fence: FenceStatement;
  readonly fenceIndex: number;
  readonly rule: Rule;
  readonly id: string;
  readonly effect: Effect;
  readonly isInTrial: boolean;
  readonly node: Node;
  /** Whether it is live, by the time of a request. */
  readonly isLive: Formula;
}

/** Requests of one form: what is chosen freely, and what must hold in addition. */
export interface Start {
  readonly box: Box;
  readonly must: readonly Formula[];
  readonly settings: Settings;
}

export interface ModelInput {
  readonly context: EvaluationContext;
  readonly times: readonly number[];
  readonly samples: Samples;
  readonly clientAxes?: ClientAxes;
}

/** The conditions of a gate over numbered comparisons, before it is known which values these distinguish. */
export interface CompiledGate {
  readonly gate: CheckedGate;
  readonly isHidden: boolean;
  readonly context: EvaluationContext;
  readonly rules: readonly { fence: FenceStatement; fenceIndex: number; rule: Rule; node: Node }[];
  readonly fenceStarts: readonly number[];
  readonly inspection: readonly { readonly node: Node; readonly isInspected: boolean }[];
}

export function compileGate(
  gate: CheckedGate,
  isHidden: boolean,
  { context, times }: Pick<ModelInput, 'context' | 'times'>,
  partitions: RecordingPartitions,
): CompiledGate {
  const { rulebook } = context;
  const view = { gate, isHidden, referenceData: context };
  const terms = { rulebook, view, partitions };
  const rules: { fence: FenceStatement; fenceIndex: number; rule: Rule; node: Node }[] = [];
  const fenceStarts: number[] = [];
  gate.fences.forEach((fence, fenceIndex) => {
    fenceStarts.push(rules.length);
    for (const rule of fence.rules) {
      const ends = rulebook.endsAtUnixMs.get(rule);
      if (rule.state === 'off' || (ends !== undefined && !times.some((time) => time < ends))) continue;
      rules.push({ fence, fenceIndex, rule, node: compileCondition(rule.condition, terms) });
    }
  });
  fenceStarts.push(rules.length);
  const hidden = { ...terms, view: { ...view, isHidden: true } };
  const inspection = (gate.statement.inspection?.rules ?? []).map(({ condition, isInspected }) => ({
    node: compileCondition(condition, hidden),
    isInspected,
  }));
  return { gate, isHidden, context, rules, fenceStarts, inspection };
}

/** The classes of values that the comparisons of one gate, or of two that are compared, distinguish. */
export function axesOf(
  compiled: readonly CompiledGate[],
  partitions: RecordingPartitions,
  { times, samples, lists, clientAxes }: Omit<ModelInput, 'context'> & { readonly lists: Lists },
): Axes {
  return new Axes({
    contexts: compiled.map(({ context }) => context),
    lists,
    partitions,
    times,
    samples,
    isOutbound: compiled.some(({ gate }) => gate.statement.direction === 'outbound'),
    hasInspection: compiled.some(({ inspection }) => inspection.length > 0),
    ...(clientAxes ? { clientAxes } : {}),
  });
}

/** A gate and its requests, seen whole or in part. */
export function createGateModel(gate: CheckedGate, isHidden: boolean, input: ModelInput): GateModel {
  const partitions = new RecordingPartitions();
  const compiled = compileGate(gate, isHidden, input, partitions);
  const axes = axesOf([compiled], partitions, { ...input, lists: input.context.rulebook.lists });
  return new GateModel(compiled, axes, input.times);
}

export class GateModel {
  readonly gate: CheckedGate;
  readonly isHidden: boolean;
  readonly rules: ModelRule[] = [];
  /** By fence, where its rules begin, and behind the last where all end. */
  readonly fenceStarts: readonly number[];
  readonly #matches: Formula[] = [];
  readonly #inexact = new Set<number>();
  readonly #inspection: CompiledGate['inspection'];
  #index: RuleIndex | undefined;
  readonly #inexactNodes = new Map<Node, boolean>();
  #numbers: ReadonlyMap<string, number> | undefined;
  #anyStarts: readonly Start[] | undefined;
  #starts: readonly Start[] | undefined;

  /** @param side which of the contexts of the axes it is about */
  constructor(
    compiled: CompiledGate,
    readonly axes: Axes,
    times: readonly number[],
    readonly side = 0,
  ) {
    this.gate = compiled.gate;
    this.isHidden = compiled.isHidden;
    this.fenceStarts = compiled.fenceStarts;
    this.#inspection = compiled.inspection;
    for (const { atoms, isInexact } of axes.all)
      if (isInexact) for (const { partition } of atoms) this.#inexact.add(partition);
    for (const item of compiled.rules) this.rules.push(this.#modelRule(item, compiled.context, times));
  }

  /** Requests of all forms that a gate can see so, whatever leads them there. */
  get anyStarts(): readonly Start[] {
    return (this.#anyStarts ??= this.#startsOf(() => true));
  }

  /** Those that the gate judges. */
  get starts(): readonly Start[] {
    return (this.#starts ??= this.#startsOf((name, one) => this.isLedHere(name, one)));
  }

  /** No gate judges these requests. */
  get isUncovered(): boolean {
    return this.gate === NO_GATE;
  }

  /** Whether a value of an axis is one of requests that the gate judges. */
  isLedHere(name: string, { gates }: AxisClass): boolean {
    const { direction, name: own } = this.gate.statement;
    const leads = gates[this.side];
    if (this.isUncovered) return (name !== 'host' && name !== 'client') || leads === undefined;
    if (direction === 'inbound') return name !== 'host' || leads === own;
    return name === 'host' ? leads === undefined : name !== 'client' || leads === own;
  }

  #modelRule(
    item: { fence: FenceStatement; fenceIndex: number; rule: Rule; node: Node },
    { rulebook }: EvaluationContext,
    times: readonly number[],
  ): ModelRule {
    const { fence, rule } = item;
    const { hours } = rule;
    const ends = rulebook.endsAtUnixMs.get(rule) ?? Infinity;
    const schedule = hours && rulebook.schedules.get(hours.schedule.name)!;
    const isLive: Formula =
      hours || rule.until
        ? {
            kind: 'atom',
            axis: this.axes.axisOf('time')!,
            whereTrue: classSet(
              times.length,
              (number) =>
                times[number]! < ends && (!schedule || schedule.contains(times[number]!) !== hours!.isOutside),
            ),
          }
        : ALWAYS;
    return {
      ...item,
      id: ruleId(fence.name, rule.name),
      effect: effectOf(fence, rule),
      isInTrial: fence.mode === 'trial' || rule.state === 'trial',
      isLive,
    };
  }

  /** The condition of a rule. @param without the rule whose tags, and endings, are left out */
  conditionOf(index: number, without = -1): Formula {
    return this.#toFormula(this.rules[index]!.node, index, without);
  }

  /** Whether a rule that is reached matches. */
  matches(index: number, without = -1): Formula {
    if (without >= 0 && hasTags(this.rules[index]!.node)) return this.#createMatch(index, without);
    return (this.#matches[index] ??= this.#createMatch(index, -1));
  }

  #createMatch(index: number, without: number): Formula {
    const { rule, isLive } = this.rules[index]!;
    const condition: Formula = {
      kind: 'matches',
      part: this.conditionOf(index, without),
      isWithUnknown: rule.matchesUnknown,
    };
    return isLive === ALWAYS ? condition : { kind: 'and', parts: [isLive, condition] };
  }

  /** The number of a rule, of which the id is `fence/rule`. */
  indexOf(id: string): number {
    this.#numbers ??= new Map(this.rules.map((item, index) => [item.id, index]));
    return this.#numbers.get(id) ?? -1;
  }

  /** Whether something before a rule can end the way of requests. */
  hasEndingBefore(index: number): boolean {
    const { fenceIndex } = this.rules[index]!;
    return (
      this.rules.slice(0, index).some(({ effect }) => effect === 'ends-fence' || effect === 'ends-all') ||
      this.gate.fences.slice(0, fenceIndex).some(({ otherwise }) => otherwise.kind !== 'continue')
    );
  }

  /** At least the rules, or those before one, that can match a request of the box, see `isCandidate`. */
  candidates(box: Box, below?: number): Uint32Array {
    this.#index ??= new RuleIndex(
      this.rules.map((_, index) => this.matches(index)),
      this.axes.all.map(({ classes }) => classes.length),
    );
    return this.#index.candidates(box, below);
  }

  /** Whether a later rule looks at a tag that a rule sets. */
  readsTags(index: number): boolean {
    const { action } = this.rules[index]!.rule;
    const tags = action.kind === 'tag' ? action.tags : [];
    return this.rules.slice(index + 1).some(({ node }) => readsAny(node, tags));
  }

  /** Whether a condition looks at what was not gone through class by class. */
  isInexact(node: Node): boolean {
    let isSo = this.#inexactNodes.get(node);
    if (isSo === undefined) this.#inexactNodes.set(node, (isSo = this.#isInexact(node)));
    return isSo;
  }

  #isInexact(node: Node): boolean {
    switch (node.kind) {
      case 'atom':
        return this.#inexact.has(node.partition);
      case 'not':
        return this.isInexact(node.part);
      case 'and':
      case 'or':
        return node.parts.some((part) => this.isInexact(part));
      default:
        return false;
    }
  }

  #toFormula(node: Node, index: number, without: number): Formula {
    switch (node.kind) {
      case 'known':
        return {
          kind: 'known',
          mask: node.truth === TRUE ? CAN_TRUE : node.truth === UNKNOWN ? CAN_UNKNOWN : CAN_FALSE,
        };
      case 'atom':
        return this.axes.formulaOf(node.partition, node.atom);
      case 'tag':
        return this.#tagFormula(node.tags, index, without);
      case 'not':
        return { kind: 'not', part: this.#toFormula(node.part, index, without) };
      case 'and':
      case 'or':
        return { kind: node.kind, parts: node.parts.map((part) => this.#toFormula(part, index, without)) };
    }
  }

  /** A tag is there if a rule that sets it was reached and matched; where the reader is reached, all acting stops were passed. */
  #tagFormula(tags: ReadonlySet<string> | 'any', reader: number, without: number): Formula {
    const { isInTrial } = this.rules[reader]!;
    const parts: Formula[] = [];
    for (let setter = 0; setter < reader; setter += 1) {
      const { rule, isInTrial: isSetInTrial, fenceIndex } = this.rules[setter]!;
      const { action } = rule;
      if (setter === without || action.kind !== 'tag' || (isSetInTrial && !isInTrial)) continue;
      if (tags !== 'any' && !action.tags.some((tag) => tags.has(tag))) continue;
      const passed: Formula[] = [];
      for (let ender = this.fenceStarts[fenceIndex]!; ender < setter; ender += 1) {
        const { effect } = this.rules[ender]!;
        if (ender !== without && (effect === 'ends-fence' || effect === 'ends-all'))
          passed.push({ kind: 'not', part: this.matches(ender, without) });
      }
      parts.push({ kind: 'and', parts: [this.matches(setter, without), ...passed] });
    }
    return parts.length === 0 ? NEVER : { kind: 'or', parts };
  }

  /** The requests of each form. */
  #startsOf(isOfGate: (axis: string, one: AxisClass) => boolean): Start[] {
    return formBoxes(this.axes, isOfGate).flatMap(({ box, isEncrypted }) => this.inspected(box, isEncrypted));
  }

  /** Of requests that are encrypted or not, those that this model is about. */
  inspected(box: Box, isEncrypted: boolean): Start[] {
    const { direction, inspection } = this.gate.statement;
    if (direction === 'inbound' || !isEncrypted) return this.isHidden ? [] : [{ box, must: [], settings: {} }];
    if (!inspection) return [{ box, must: [], settings: this.isHidden ? {} : { 'jade.inspected': true } }];
    // The first rule whose condition is true decides.
    const wanted = !this.isHidden;
    const starts: Start[] = [];
    const before: Formula[] = [];
    for (const { node, isInspected } of this.#inspection) {
      const isTrue: Formula = { kind: 'matches', part: this.#toFormula(node, 0, -1), isWithUnknown: false };
      if (isInspected === wanted) starts.push({ box, must: [...before, isTrue], settings: {} });
      before.push({ kind: 'not', part: isTrue });
    }
    if (inspection.otherwise === wanted) starts.push({ box, must: before, settings: {} });
    return starts;
  }
}

function effectOf(fence: FenceStatement, { action, state }: Rule): Effect {
  const { effect } = ACTION_TRAITS[action.kind];
  if (effect === 'none' || state === 'trial') return 'none';
  if (effect === 'stateful') return 'stateful';
  return fence.mode === 'trial' || (action.kind === 'allow' && !action.isOutright) ? 'ends-fence' : 'ends-all';
}

function readsAny(node: Node, tags: readonly string[]): boolean {
  switch (node.kind) {
    case 'tag':
      return node.tags === 'any' || tags.some((tag) => (node.tags as ReadonlySet<string>).has(tag));
    case 'not':
      return readsAny(node.part, tags);
    case 'and':
    case 'or':
      return node.parts.some((part) => readsAny(part, tags));
    default:
      return false;
  }
}

function hasTags(node: Node): boolean {
  switch (node.kind) {
    case 'tag':
      return true;
    case 'not':
      return hasTags(node.part);
    case 'and':
    case 'or':
      return node.parts.some(hasTags);
    default:
      return false;
  }
}
