/** Rules made ready to judge many requests: which gate sees a request, and the rules of each gate as stages. */
import type { CheckedGate } from '../../check/rulebook.js';
import type { EvaluationContext } from '../../decide/interpreter.js';
import { resolveClient } from '../../decide/view.js';
import { isPersonAction, type Rule } from '../../language/tree.js';
import { countLabels, type DomainEntry } from '../../reference/domain-set.js';
import {
  clientFeature,
  clientInputs,
  encryptedFeature,
  feature,
  hostFeature,
  inspectedFeature,
  namedGateFeature,
  type Feature,
  type GateView,
} from '../features/features.js';
import { KeyFeature, KeyInterner, UNKNOWN_KEY, bytesKey, limitKey, personKey, type KeyPart } from '../features/keys.js';
import { compileCondition, type Node } from './nodes.js';
import { Plan } from '../rows/plan.js';
import type { RowReader } from '../rows/row-readers.js';
import { evaluateNode } from './conditions.js';
import { Stage } from './stage.js';
import { Trace } from './trace.js';
import { TRUE } from '../features/truth.js';

/** No gate judges the request. */
export const NO_STAGE = -1;
const NO_GATE = -1;
/** The record names no gate. */
const UNNAMED = -2;
const NO_TAGS: ReadonlySet<string> = new Set();

export interface ProgramStage {
  readonly stage: Stage;
  readonly trace: Trace;
}

interface GateReach {
  /** Of an outbound gate. */
  readonly inspection?: {
    readonly rules: readonly { readonly isInspected: boolean; readonly node: Node }[];
    readonly otherwise: boolean;
  };
  readonly visible: number;
  /** Absent where nothing is ever hidden. */
  readonly hidden?: number;
  /** Whether an address header was ignored; absent if the gate follows none. */
  readonly ignoredSlot?: number;
}

export class Program extends Plan {
  readonly stages: ProgramStage[] = [];
  readonly held;
  readonly schedules;
  readonly endsAtUnixMs;
  readonly keyTexts = new KeyInterner();
  readonly #reaches: GateReach[];
  readonly #choice: (reader: RowReader) => number;
  readonly #encryptedSlot: number;
  readonly #hostSlot: number;
  readonly #inspectedSlot: number;

  /** Compiles the rules of all gates. */
  constructor(context: EvaluationContext) {
    super();
    const { rulebook, held } = context;
    this.held = held;
    this.schedules = rulebook.schedules;
    this.endsAtUnixMs = rulebook.endsAtUnixMs;
    this.#encryptedSlot = this.slotFor(asNumber(encryptedFeature));
    this.#inspectedSlot = this.slotFor(asNumber(inspectedFeature));
    this.#hostSlot = this.slotFor(new KeyFeature(hostText, this.keyTexts));
    this.#choice = this.#compileChoice(context);
    this.#reaches = rulebook.gates.map((gate) => this.#compileGate(gate, context));
    this.seal();
  }

  #compileGate(gate: CheckedGate, context: EvaluationContext): GateReach {
    const { direction, clientFrom, inspection } = gate.statement;
    const visible = this.#compileStage(gate, false, context);
    const ignoredSlot = clientFrom && this.slotFor(headerIgnored(gate));
    if (direction === 'inbound') return { visible, ignoredSlot };
    const terms = {
      rulebook: context.rulebook,
      view: { gate, isHidden: true, referenceData: context },
      partitions: this.partitions,
    };
    return {
      visible,
      hidden: this.#compileStage(gate, true, context),
      ignoredSlot,
      inspection: inspection && {
        rules: inspection.rules.map(({ isInspected, condition }) => ({
          isInspected,
          node: compileCondition(condition, terms),
        })),
        otherwise: inspection.otherwise,
      },
    };
  }

  #compileStage(gate: CheckedGate, isHidden: boolean, context: EvaluationContext): number {
    const stage = new Stage(
      gate,
      isHidden,
      { rulebook: context.rulebook, referenceData: context },
      this.partitions,
      (rule, view) => keysOf(rule, view).map((key) => this.slotFor(new KeyFeature(key, this.keyTexts))),
    );
    return this.stages.push({ stage, trace: new Trace(stage) }) - 1;
  }

  /** The gate that is named, else the inbound gate with the closest host entry, else the first outbound gate that has the client. */
  #compileChoice({ gate: named, rulebook: { gates } }: EvaluationContext): (reader: RowReader) => number {
    const numberOf = (name: string): number => gates.findIndex(({ statement }) => statement.name === name);
    if (named !== undefined) {
      const number = numberOf(named);
      return () => number;
    }
    const namedSlot = this.slotFor(
      feature(`number of ${namedGateFeature.key}`, namedGateFeature.inputs, (reading) => {
        const name = namedGateFeature.read(reading);
        return name == null ? UNNAMED : numberOf(name);
      }),
    );
    const inbound = gates.some(({ statement }) => statement.direction === 'inbound')
      ? this.slotFor(closestInbound(gates))
      : undefined;
    const outbound = firstOutbound(gates).map((choice) => this.slotFor(choice));
    return (reader) => {
      const byName = reader.numberOf(namedSlot);
      if (byName !== UNNAMED) return byName;
      const byHost = inbound === undefined ? NO_GATE : reader.numberOf(inbound);
      if (byHost !== NO_GATE) return byHost;
      let first = NO_GATE;
      for (const slot of outbound) {
        const gate = reader.numberOf(slot);
        if (gate !== NO_GATE && (first === NO_GATE || gate < first)) first = gate;
      }
      return first;
    };
  }

  /** The stage that judges a request, twice, and one more where an address header was ignored; negative for none. */
  stageOf(reader: RowReader): number {
    const gate = this.#choice(reader);
    if (gate < 0) return NO_STAGE;
    const { visible, hidden, ignoredSlot } = this.#reaches[gate]!;
    const stage = hidden === undefined || this.#seesAll(gate, reader) ? visible : hidden;
    return stage * 2 + (ignoredSlot === undefined ? 0 : reader.numberOf(ignoredSlot));
  }

  #seesAll(gate: number, reader: RowReader): boolean {
    if (reader.numberOf(this.#encryptedSlot) === 0) return true;
    const { inspection } = this.#reaches[gate]!;
    if (!inspection) return reader.numberOf(this.#inspectedSlot) === 1;
    for (const { node, isInspected } of inspection.rules)
      if (evaluateNode(node, reader, this.partitions, NO_TAGS) === TRUE) return isInspected;
    return inspection.otherwise;
  }

  /** The host of a request; null for none, undefined where it is unknown. */
  hostOf(reader: RowReader): string | null | undefined {
    const number = reader.numberOf(this.#hostSlot);
    return number === UNKNOWN_KEY ? undefined : (JSON.parse(this.keyTexts.textOf(number)) as string | null);
  }

  override get isFull(): boolean {
    return super.isFull || this.keyTexts.size > this.bounds.keys;
  }

  override clear(): void {
    super.clear();
    this.keyTexts.clear();
    for (const { stage } of this.stages) stage.clear();
  }
}

const hostText = feature('host', hostFeature.inputs, (reading) => {
  const host = hostFeature.read(reading);
  return host === undefined ? undefined : JSON.stringify(host);
});

function asNumber({ key, inputs, read }: Feature<boolean>): Feature<number> {
  return { key, inputs, read: (reading) => (read(reading) ? 1 : 0) };
}

function keysOf({ action }: Rule, view: GateView): Feature<KeyPart>[] {
  if (action.kind === 'limit') return action.keys.map((key) => limitKey(key, view));
  // What it meters comes after what it meters by.
  if (action.kind === 'throttle')
    return [...action.keys.map((key) => limitKey(key, view)), bytesKey(action.direction, view)];
  return isPersonAction(action) ? [personKey(view)] : [];
}

function headerIgnored(gate: CheckedGate): Feature<number> {
  return feature(`ignored header at ${gate.statement.name}`, clientInputs(gate), ({ request }) =>
    resolveClient(gate, request).isHeaderIgnored ? 1 : 0,
  );
}

/** The entry with most labels is closest, among equals the one that names only itself, among those the gate defined first. */
function closestInbound(gates: readonly CheckedGate[]): Feature<number> {
  return feature('gate by host', hostFeature.inputs, (reading) => {
    const host = hostFeature.read(reading);
    if (host == null) return NO_GATE;
    let best = NO_GATE;
    let bestRank = -1;
    gates.forEach(({ statement, hosts }, number) => {
      const entry =
        statement.direction === 'inbound' ? (hosts.find(host)?.entry as DomainEntry | undefined) : undefined;
      if (!entry) return;
      const rank = countLabels(entry) * 2 + (entry.reach === 'only' ? 1 : 0);
      if (rank <= bestRank) return;
      best = number;
      bestRank = rank;
    });
    return best;
  });
}

/** For each way of determining the client, the first gate that has the client. */
function firstOutbound(gates: readonly CheckedGate[]): Feature<number>[] {
  const byClient = new Map<string, { readonly number: number; readonly gate: CheckedGate }[]>();
  gates.forEach((gate, number) => {
    if (gate.statement.direction !== 'outbound') return;
    const { key } = clientFeature(gate);
    byClient.set(key, [...(byClient.get(key) ?? []), { number, gate }]);
  });
  return [...byClient].map(([key, some]) => {
    const client = clientFeature(some[0]!.gate);
    return feature(`gate by ${key}`, client.inputs, (reading) => {
      const address = client.read(reading);
      return (address && some.find(({ gate }) => gate.clients.find(address))?.number) ?? NO_GATE;
    });
  });
}
