/** Rules made ready to judge many requests: which gate sees a request, and the rules of each gate as stages. */
import type { CheckedGate } from '../check/rulebook.js';
import type { Judge } from '../decide/interpreter.js';
import { resolveClient } from '../decide/view.js';
import type { Rule } from '../language/tree.js';
import { countLabels, type DomainEntry } from '../reference/domain-set.js';
import { ArrayPool } from './array-pool.js';
import { Coder } from './coder.js';
import {
  clientFeature,
  clientInputs,
  encryptedFeature,
  feature,
  hostFeature,
  inspectedFeature,
  namedGateFeature,
  type Feature,
  type Lens,
} from './features.js';
import { Groups } from './groups.js';
import { KeyNumbers, KeyTexts, UNKNOWN_KEY, limitKey, personKey } from './keys.js';
import { compileCondition, type Node } from './nodes.js';
import type { Seat } from './seat.js';
import { evaluateNode, Stage } from './stage.js';
import { Trace } from './trace.js';
import { TRUE } from './truth.js';

/** Above these everything that is known of values is let go of and found again. */
const MAX_CLASSES = 1_000_000;
const MAX_CLASS_ENTRIES = 32_000_000;
const MAX_KEYS = 2_000_000;

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

export interface Bundle {
  readonly coder: Coder;
  /** What the coder reads, in this order: classes of groups, then numbers at slots. */
  readonly groups: readonly number[];
  readonly slots: readonly number[];
}

interface GateSight {
  /** Of an outbound gate. */
  readonly inspection?: {
    readonly rules: readonly { readonly isInspected: boolean; readonly node: Node }[];
    readonly otherwise: boolean;
  };
  readonly visible: number;
  /** Absent where nothing is ever hidden. */
  readonly hidden?: number;
  /** Says whether an address header was ignored; absent where the gate follows none. */
  readonly ignoredSlot?: number;
}

export class Program {
  readonly groups = new Groups();
  readonly slots: Feature<number>[] = [];
  readonly stages: ProgramStage[] = [];
  readonly arrays = new ArrayPool();
  /** Groups and slots that are read from the same attributes are read together. */
  readonly bundles: readonly Bundle[];
  readonly bundleOfGroup: readonly Bundle[];
  readonly bundleOfSlot: readonly Bundle[];
  readonly people;
  readonly schedules;
  readonly endsAtUnixMs;
  readonly keyTexts = new KeyTexts();
  readonly #slotByKey = new Map<string, number>();
  readonly #sights: GateSight[];
  readonly #choice: (seat: Seat) => number;
  readonly #encryptedSlot: number;
  readonly #hostSlot: number;
  readonly #inspectedSlot: number;

  /** Compiles the rules of all gates. */
  constructor(judge: Judge) {
    const { rulebook, people } = judge;
    this.people = people;
    this.schedules = rulebook.schedules;
    this.endsAtUnixMs = rulebook.endsAtUnixMs;
    this.#encryptedSlot = this.#slotFor(asNumber(encryptedFeature));
    this.#inspectedSlot = this.#slotFor(asNumber(inspectedFeature));
    this.#hostSlot = this.#slotFor(new KeyNumbers(hostText, this.keyTexts));
    this.#choice = this.#compileChoice(judge);
    this.#sights = rulebook.gates.map((gate) => this.#compileGate(gate, judge));
    this.bundles = bundle(this.groups.all, this.slots, this.arrays);
    this.bundleOfGroup = this.groups.all.map((_, group) => this.bundles.find(({ groups }) => groups.includes(group))!);
    this.bundleOfSlot = this.slots.map((_, slot) => this.bundles.find(({ slots }) => slots.includes(slot))!);
  }

  #slotFor(feature: Feature<number>): number {
    let slot = this.#slotByKey.get(feature.key);
    if (slot === undefined) {
      slot = this.slots.push(feature) - 1;
      this.#slotByKey.set(feature.key, slot);
    }
    return slot;
  }

  #compileGate(gate: CheckedGate, judge: Judge): GateSight {
    const { direction, clientFrom, inspection } = gate.statement;
    const visible = this.#compileStage(gate, false, judge);
    const ignoredSlot = clientFrom && this.#slotFor(headerIgnored(gate));
    if (direction === 'inbound') return { visible, ignoredSlot };
    const terms = { rulebook: judge.rulebook, lens: { gate, isHidden: true, world: judge }, groups: this.groups };
    return {
      visible,
      hidden: this.#compileStage(gate, true, judge),
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

  #compileStage(gate: CheckedGate, isHidden: boolean, judge: Judge): number {
    const stage = new Stage(gate, isHidden, { rulebook: judge.rulebook, world: judge }, this.groups, (rule, lens) =>
      keysOf(rule, lens).map((key) => this.#slotFor(new KeyNumbers(key, this.keyTexts))),
    );
    return this.stages.push({ stage, trace: new Trace(stage) }) - 1;
  }

  /** The gate that is named, else the inbound gate with the closest host entry, else the first outbound gate that has the client. */
  #compileChoice({ gate: named, rulebook: { gates } }: Judge): (seat: Seat) => number {
    const numberOf = (name: string): number => gates.findIndex(({ statement }) => statement.name === name);
    if (named !== undefined) {
      const number = numberOf(named);
      return () => number;
    }
    const namedSlot = this.#slotFor(
      feature(`number of ${namedGateFeature.key}`, namedGateFeature.inputs, (reading) => {
        const name = namedGateFeature.read(reading);
        return name == null ? UNNAMED : numberOf(name);
      }),
    );
    const inbound = gates.some(({ statement }) => statement.direction === 'inbound')
      ? this.#slotFor(closestInbound(gates))
      : undefined;
    const outbound = firstOutbound(gates).map((choice) => this.#slotFor(choice));
    return (seat) => {
      const byName = seat.numberOf(namedSlot);
      if (byName !== UNNAMED) return byName;
      const byHost = inbound === undefined ? NO_GATE : seat.numberOf(inbound);
      if (byHost !== NO_GATE) return byHost;
      let first = NO_GATE;
      for (const slot of outbound) {
        const gate = seat.numberOf(slot);
        if (gate !== NO_GATE && (first === NO_GATE || gate < first)) first = gate;
      }
      return first;
    };
  }

  /** The stage that judges a request, twice, and one more where an address header was ignored; negative for none. */
  stageOf(seat: Seat): number {
    const gate = this.#choice(seat);
    if (gate < 0) return NO_STAGE;
    const { visible, hidden, ignoredSlot } = this.#sights[gate]!;
    const stage = hidden === undefined || this.#seesAll(gate, seat) ? visible : hidden;
    return stage * 2 + (ignoredSlot === undefined ? 0 : seat.numberOf(ignoredSlot));
  }

  #seesAll(gate: number, seat: Seat): boolean {
    if (seat.numberOf(this.#encryptedSlot) === 0) return true;
    const { inspection } = this.#sights[gate]!;
    if (!inspection) return seat.numberOf(this.#inspectedSlot) === 1;
    for (const { node, isInspected } of inspection.rules)
      if (evaluateNode(node, seat, this.groups, NO_TAGS) === TRUE) return isInspected;
    return inspection.otherwise;
  }

  /** The host of a request; null for none, undefined where it is unknown. */
  hostOf(seat: Seat): string | null | undefined {
    const number = seat.numberOf(this.#hostSlot);
    return number === UNKNOWN_KEY ? undefined : (JSON.parse(this.keyTexts.textOf(number)) as string | null);
  }

  /** The attributes that something is read from. */
  get attributes(): string[] {
    const names = this.bundles.flatMap(({ coder }) => coder.inputs).map((input) => input.replace(/^\?/, ''));
    return [...new Set(names)].sort();
  }

  /** Whether so much is known of values that it should be let go of. */
  get isFull(): boolean {
    return (
      this.groups.all.some(
        ({ numClasses, numEntries }) => numClasses > MAX_CLASSES || numEntries > MAX_CLASS_ENTRIES,
      ) || this.keyTexts.size > MAX_KEYS
    );
  }

  /** Lets go of what is known of values; numbers of before mean nothing any more. */
  forget(): void {
    for (const group of this.groups.all) group.forget();
    this.keyTexts.forget();
    for (const { coder } of this.bundles) coder.forget();
    for (const { stage } of this.stages) stage.forget();
  }
}

const hostText = feature('host', hostFeature.inputs, (reading) => {
  const host = hostFeature.read(reading);
  return host === undefined ? undefined : JSON.stringify(host);
});

function bundle(groups: readonly Feature<number>[], slots: readonly Feature<number>[], arrays: ArrayPool): Bundle[] {
  const all = [...groups, ...slots];
  const byInputs = new Map<string, number[]>();
  all.forEach(({ inputs }, index) => {
    const key = inputs.join('\n');
    byInputs.set(key, [...(byInputs.get(key) ?? []), index]);
  });
  return [...byInputs.values()].map((members) => ({
    coder: new Coder(
      all[members[0]!]!.inputs,
      members.map((index) => all[index]!),
      arrays,
    ),
    groups: members.filter((index) => index < groups.length),
    slots: members.filter((index) => index >= groups.length).map((index) => index - groups.length),
  }));
}

function asNumber({ key, inputs, read }: Feature<boolean>): Feature<number> {
  return { key, inputs, read: (reading) => (read(reading) ? 1 : 0) };
}

function keysOf({ action }: Rule, lens: Lens): Feature<string | undefined>[] {
  if (action.kind === 'limit') return action.keys.map((key) => limitKey(key, lens));
  const isForPersons = action.kind === 'warn' || action.kind === 'passphrase' || action.kind === 'challenge';
  return isForPersons ? [personKey(lens)] : [];
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

/** For each way of telling who the client is, the first gate that has the client. */
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
