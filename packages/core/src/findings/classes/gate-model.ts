/** The rules of a gate, for requests that it sees whole or in part, as formulas over classes. */
import type { CheckedGate } from '../../check/rulebook.js';
import { ruleId } from '../../decide/decision.js';
import type { EvaluationContext } from '../../decide/interpreter.js';
import { ACTION_TRAITS, type FenceStatement, type Rule } from '../../language/tree.js';
import { compileCondition, type Node } from '../../match/compile/nodes.js';
import { TRUE, UNKNOWN } from '../../match/features/truth.js';
import { Axes, type AxisClass, type Kind, type Settings } from './axes.js';
import {
  ALWAYS,
  CAN_FALSE,
  CAN_TRUE,
  CAN_UNKNOWN,
  classSet,
  isEmptySet,
  NEVER,
  type Box,
  type Formula,
} from './boxes.js';
import { RecordingPartitions } from './recording-partitions.js';
import type { Samples } from './samples.js';

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
}

const HTTP_AXES = /^(host|path|port|method|agent|query|cookie|size|header .*)$/;

export class GateModel {
  readonly axes: Axes;
  readonly partitions = new RecordingPartitions();
  readonly rules: ModelRule[] = [];
  /** By fence, where its rules begin, and behind the last where all end. */
  readonly fenceStarts: number[] = [];
  /** Requests of all forms that a gate can see so, whatever leads them there. */
  readonly anyStarts: readonly Start[];
  /** Those that the gate judges. */
  readonly starts: readonly Start[];
  readonly #matches: Formula[] = [];
  readonly #inexact = new Set<number>();
  readonly #inspection: readonly { readonly node: Node; readonly isInspected: boolean }[];

  constructor(
    readonly gate: CheckedGate,
    readonly isHidden: boolean,
    { context, times, samples }: ModelInput,
  ) {
    const { rulebook } = context;
    const view = { gate, isHidden, referenceData: context };
    const terms = { rulebook, view, partitions: this.partitions };
    const kept: { fence: FenceStatement; fenceIndex: number; rule: Rule; node: Node }[] = [];
    gate.fences.forEach((fence, fenceIndex) => {
      this.fenceStarts.push(kept.length);
      for (const rule of fence.rules) {
        const ends = rulebook.endsAtUnixMs.get(rule);
        if (rule.state === 'off' || (ends !== undefined && !times.some((time) => time < ends))) continue;
        kept.push({ fence, fenceIndex, rule, node: compileCondition(rule.condition, terms) });
      }
    });
    this.fenceStarts.push(kept.length);
    const hidden = { ...terms, view: { ...view, isHidden: true } };
    this.#inspection = (gate.statement.inspection?.rules ?? []).map(({ condition, isInspected }) => ({
      node: compileCondition(condition, hidden),
      isInspected,
    }));
    this.axes = new Axes({
      context,
      partitions: this.partitions,
      times,
      samples,
      isOutbound: gate.statement.direction === 'outbound',
      hasInspection: (gate.statement.inspection?.rules.length ?? 0) > 0,
    });
    for (const { atoms, isInexact } of this.axes.all)
      if (isInexact) for (const { partition } of atoms) this.#inexact.add(partition);
    for (const item of kept) this.rules.push(this.#modelRule(item, context, times));
    this.anyStarts = this.#startsOf(() => true);
    this.starts = this.#startsOf((name, { gate: leads }) =>
      gate.statement.direction === 'inbound'
        ? name !== 'host' || leads === gate.statement.name
        : name === 'host'
          ? leads === undefined
          : name !== 'client' || leads === gate.statement.name,
    );
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

  /** Whether a later rule looks at a tag that a rule sets. */
  readsTags(index: number): boolean {
    const { action } = this.rules[index]!.rule;
    const tags = action.kind === 'tag' ? action.tags : [];
    return this.rules.slice(index + 1).some(({ node }) => readsAny(node, tags));
  }

  /** Whether a condition looks at what was not gone through class by class. */
  isInexact(node: Node): boolean {
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
    return FORMS.flatMap((form) =>
      form.encrypted.flatMap((isEncrypted): Start[] => {
        const box = this.axes.all.map(({ name, classes }) =>
          classSet(classes.length, (number) => {
            const one = classes[number]!;
            return (
              isOfGate(name, one) &&
              fits(form, name, one) &&
              (name !== 'port' || !form.bySchemes || one.isEncrypted === isEncrypted)
            );
          }),
        );
        return box.some(isEmptySet) ? [] : this.#inspected(box, isEncrypted);
      }),
    );
  }

  /** Of requests that are encrypted or not, those that this model is about. */
  #inspected(box: Box, isEncrypted: boolean): Start[] {
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

/** A form of requests. */
interface Form {
  readonly encrypted: readonly boolean[];
  /** The scheme alone shows whether it is encrypted. */
  readonly bySchemes?: boolean;
  /** Whether the first bytes are TLS; either, if absent. */
  readonly isTls?: boolean;
  readonly method: Kind;
  readonly path: readonly Kind[];
  readonly host: readonly Kind[];
  readonly others: readonly Kind[];
  /** What first bytes and transport make of HTTP fields, where it is not HTTP. */
  readonly flow?: null | undefined;
  readonly isHttp: boolean;
}

const KNOWN = ['http', 'lacking'] as const;
const HTTP = { isHttp: true, others: KNOWN } as const;
const FORMS: readonly Form[] = [
  ...(
    [
      ['http', KNOWN],
      ['lacking', ['http']],
    ] as const
  ).flatMap(([method, path]): Form[] => [
    { ...HTTP, encrypted: [false, true], bySchemes: true, isTls: false, method, path, host: KNOWN },
    { ...HTTP, encrypted: [true], isTls: false, method, path, host: ['named'] },
    { ...HTTP, encrypted: [true], isTls: true, method, path, host: [...KNOWN, 'named'] },
  ]),
  { ...HTTP, encrypted: [true], method: 'connect', path: ['connect'], host: [...KNOWN, 'named', 'connect'] },
  ...([null, undefined] as const).flatMap((flow): Form[] => {
    const kind = flow === null ? 'none' : 'unknown';
    const other = { isHttp: false, method: kind, path: [kind], others: [kind], flow } as const;
    return [
      { ...other, encrypted: [true], isTls: false, host: ['server-name'] },
      { ...other, encrypted: [false], isTls: false, host: [kind] },
      { ...other, encrypted: [true], isTls: true, host: ['server-name', kind] },
    ];
  }),
];

function fits(form: Form, name: string, one: AxisClass): boolean {
  if (name === 'flow')
    return (form.isTls ?? one.isEncrypted) === one.isEncrypted && (form.isHttp || one.httpDefault === form.flow);
  if (!HTTP_AXES.test(name)) return true;
  if (name === 'method') return one.kind === form.method;
  if (name === 'path') return form.path.includes(one.kind);
  if (name !== 'host') return form.others.includes(one.kind);
  if (!form.host.includes(one.kind)) return false;
  // A host that is chosen with its path: both, or the method, must be there.
  if (!('url.path' in one.settings)) return one.kind !== 'connect';
  if (form.method === 'connect') return one.kind === 'connect';
  return one.kind !== 'connect' && (form.method === 'http' || one.settings['url.path'] !== undefined);
}
