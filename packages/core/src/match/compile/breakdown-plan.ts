/** What requests are counted by, in addition to their outcome: read once for each distinct value. */
import type { CheckedGate } from '../../check/rulebook.js';
import { NO_GATE } from '../../decide/gate.js';
import type { EvaluationContext } from '../../decide/interpreter.js';
import { ASPECTS, describeValues, statusOf, type Aspect } from '../../decide/aspects.js';
import type { Comparison } from '../../language/tree.js';
import type { Address } from '../../request/address.js';
import type { Field } from '../../request/field.js';
import { clientFeature, feature, featureOf, type Feature, type GateView } from '../features/features.js';
import { KeyFeature, KeyInterner } from '../features/keys.js';
import { compileCondition, type Node } from './nodes.js';
import { ABSENT, PairMap } from '../../arrays/pair-map.js';
import { Plan } from '../rows/plan.js';
import type { RowReader } from '../rows/row-readers.js';
import { evaluateNode } from './conditions.js';
import { TRUE } from '../features/truth.js';

const NO_TAGS: ReadonlySet<string> = new Set();

/** What is recognised of a request at one gate. */
interface ApplicationMatcher {
  readonly applications: readonly { readonly name: string; readonly node: Node }[];
  /** The partitions that the nodes read. */
  readonly partitions: readonly number[];
  /** From the classes of those partitions to one number, one map for each partition but the first. */
  pairs: PairMap[];
  numPairs: number;
  /** By that number, that of the text. */
  readonly texts: Map<number, number>;
}

export class BreakdownPlan extends Plan {
  /** Those of which something can be known. */
  readonly aspects: readonly Aspect[];
  readonly #texts: Readonly<Record<Aspect, KeyInterner>>;
  /** By gate, and one more for requests that none covers: the slot of each aspect but the applications. */
  readonly #slots: readonly Partial<Record<Aspect, number>>[];
  readonly #applicationMatchers: readonly ApplicationMatcher[];
  readonly #numberOfGate: ReadonlyMap<string | undefined, number>;

  constructor(context: EvaluationContext) {
    super();
    this.aspects = ASPECTS.filter(
      (aspect) => (aspect !== 'country' || context.countries) && (aspect !== 'category' || context.categories),
    );
    this.#texts = Object.fromEntries(ASPECTS.map((aspect) => [aspect, new KeyInterner()])) as Record<
      Aspect,
      KeyInterner
    >;
    const gates = [...context.rulebook.gates, NO_GATE];
    this.#numberOfGate = new Map(
      gates.map((gate, index) => [gate === NO_GATE ? undefined : gate.statement.name, index]),
    );
    this.#slots = gates.map((gate) => {
      const view = { gate, isHidden: false, referenceData: context };
      return Object.fromEntries(
        this.aspects.flatMap((aspect) => {
          const values = valuesOf(aspect, view);
          return values ? [[aspect, this.slotFor(new KeyFeature(values, this.#texts[aspect]))]] : [];
        }),
      );
    });
    this.#applicationMatchers = gates.map((gate) => this.#compileRecognition(gate, context));
    this.seal();
  }

  #compileRecognition(gate: CheckedGate, context: EvaluationContext): ApplicationMatcher {
    const { rulebook } = context;
    const view = { gate, isHidden: false, referenceData: context };
    const names = [
      ...rulebook.applications.flatMap(({ name, over }) => (over ? [name, over.name] : [name])),
      'unrecognised',
    ];
    const applications = [...new Set(names)].map((name) => ({
      name,
      node: compileCondition(isApplication(name), { rulebook, view, partitions: this.partitions }),
    }));
    const partitions = [...new Set(applications.flatMap(({ node }) => groupsOf(node)))].sort((a, b) => a - b);
    return { applications, partitions, pairs: newPairs(partitions), numPairs: 0, texts: new Map() };
  }

  /** @param gate that judged the request; undefined where none covers it */
  gateNumber(gate: string | undefined): number {
    return this.#numberOfGate.get(gate)!;
  }

  /** The slot of an aspect; undefined for applications, which are recognised request by request. */
  slotOf(aspect: Aspect, gate: number): number | undefined {
    return this.#slots[gate]![aspect];
  }

  /** The number of what a request is under an aspect. */
  numberOf(aspect: Aspect, reader: RowReader, gate: number): number {
    return aspect === 'application'
      ? this.#recognise(this.#applicationMatchers[gate]!, reader)
      : reader.numberOf(this.#slots[gate]![aspect]!);
  }

  /** The values of a number: a request may have several categories. */
  valuesAt(aspect: Aspect, number: number): readonly string[] {
    return JSON.parse(this.#texts[aspect].textOf(number)) as string[];
  }

  #recognise(matcher: ApplicationMatcher, reader: RowReader): number {
    const { partitions, pairs, texts, applications } = matcher;
    let key = partitions.length === 0 ? 0 : reader.classOf(partitions[0]!);
    for (let index = 1; index < partitions.length; index += 1) {
      const number = reader.classOf(partitions[index]!);
      const map = pairs[index - 1]!;
      const known = map.get(key, number);
      if (known !== ABSENT) key = known;
      else {
        map.add(key, number, matcher.numPairs);
        key = matcher.numPairs++;
      }
    }
    let text = texts.get(key);
    if (text === undefined) {
      const certain = applications.filter(({ node }) => evaluateNode(node, reader, this.partitions, NO_TAGS) === TRUE);
      const names = certain.map(({ name }) => name);
      text = this.#texts.application.numberOf(JSON.stringify(describeValues(names.length === 0 ? undefined : names)));
      texts.set(key, text);
    }
    return text;
  }

  override get isFull(): boolean {
    return super.isFull || Object.values(this.#texts).some(({ size }) => size > this.bounds.texts);
  }

  override clear(): void {
    super.clear();
    for (const texts of Object.values(this.#texts)) texts.clear();
    for (const matcher of this.#applicationMatchers) {
      matcher.pairs = newPairs(matcher.partitions);
      matcher.numPairs = 0;
      matcher.texts.clear();
    }
  }
}

function newPairs(partitions: readonly number[]): PairMap[] {
  return partitions.slice(1).map(() => new PairMap());
}

function groupsOf(node: Node): number[] {
  if (node.kind === 'atom') return [node.partition];
  if (node.kind === 'not') return groupsOf(node.part);
  return node.kind === 'and' || node.kind === 'or' ? node.parts.flatMap(groupsOf) : [];
}

function isApplication(name: string): Comparison {
  const place = { file: '', line: 0, column: 0 };
  return {
    kind: 'comparison',
    field: 'application',
    operator: '=',
    values: [{ kind: 'text', text: name, place }],
    isNegated: false,
    isAnyCase: false,
    place,
  };
}

/** The values of an aspect as the text of a JSON list; undefined for applications, which are recognised. */
function valuesOf(aspect: Aspect, view: GateView): Feature<string> | undefined {
  const asText = <T>(read: Feature<Field<T>>): Feature<string> =>
    feature(`values of ${read.key}`, read.inputs, (reading) =>
      JSON.stringify(describeValues(read.read(reading) as Field<string | Address | readonly string[]>)),
    );
  switch (aspect) {
    case 'application':
      return undefined;
    case 'client':
      return asText(clientFeature(view.gate));
    case 'status':
      return asText(feature('status', ['http.response.status_code'], ({ attributes }) => statusOf(attributes)));
    default:
      return asText(featureOf(aspect, undefined, view)!);
  }
}
