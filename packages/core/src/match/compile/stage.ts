/** The rules of one gate for requests that the gate sees whole, or for those it sees in part. */
import type { CheckedGate } from '../../check/rulebook.js';
import { ruleId } from '../../decide/decision.js';
import { ACTION_TRAITS, type FenceStatement, type Rule } from '../../language/tree.js';
import type { ReferenceData } from '../../decide/view.js';
import type { Rulebook } from '../../check/rulebook.js';
import type { GateView } from '../features/features.js';
import { engineBounds } from '../../bounds.js';
import { growWords } from '../../arrays/grow.js';
import { Conditions } from './conditions.js';
import type { Partitions } from '../rows/partitions.js';
import { AtomSet } from '../index/atom-set.js';
import type { ChunkReader, RowReader } from '../rows/row-readers.js';
import { compileCondition, findIndexKey, type Node } from './nodes.js';
import { TRUE } from '../features/truth.js';

export interface StageFence {
  readonly statement: FenceStatement;
  readonly index: number;
  readonly isTrial: boolean;
  /** Its rules are those from `ruleStart` to `ruleEnd`, the end not included. */
  readonly ruleStart: number;
  readonly ruleEnd: number;
}

export interface StageRule {
  readonly rule: Rule;
  readonly fence: StageFence;
  /** `fence/rule` */
  readonly id: string;
  /** Sees also tags that were set in trial. */
  readonly isInTrial: boolean;
  /** Has hours, or an end. */
  readonly isTimed: boolean;
  /** Its action always ends. */
  readonly ends: boolean;
  /** Where it ends, an acting fence is the last. */
  readonly isFinal: boolean;
  /** Of a stateful rule: the slots of its keys. */
  readonly keySlots: readonly number[];
}

/** Twice the number of a rule, and one more if its condition is true for the class whatever else is read. */
export type Candidate = number;

const UNSET = -1;
/** Beyond every candidate. */
export const NO_CANDIDATE = 0x7fff_ffff;

/** Traits of a rule, a bit each: it has hours or an end; looks at what earlier requests left behind; never ends a fence. */
export const HAS_SCHEDULE = 1;
export const STATEFUL = 2;
export const NON_TERMINAL = 4;

function flagsOf({ isTimed, ends, rule }: StageRule): number {
  const { effect, isMetering } = ACTION_TRAITS[rule.action.kind];
  const isNoted = effect === 'none';
  return (
    (isTimed ? HAS_SCHEDULE : 0) |
    ((ends || isNoted) && !isMetering ? 0 : STATEFUL) |
    (isNoted || rule.state === 'trial' ? NON_TERMINAL : 0)
  );
}

export class Stage {
  readonly fences: readonly StageFence[];
  readonly rules: readonly StageRule[];
  /** How many candidate lists a request has: one for each indexed partition, and first the rules that every request must be tested against, if any. */
  readonly numLists: number;
  /** By fence: where the rules end that can be reached, if neither it nor a later fence is ended by a rule. */
  readonly lastReachableRule: Int32Array;
  readonly indexedPartitions: readonly number[];
  /** By partition and atom, the rules that the atom leads to. */
  readonly #candidatesByAtom: (number[] | undefined)[][];
  /** Lists of leads, ascending, each with `NO_LEAD` at its end; the first is that of the rules that no class leads to. */
  candidates = new Int32Array(engineBounds().candidateRoom);
  #numLeads = 0;
  readonly #numAlways: number;
  /** By place in `leadingGroups` and class, where its list begins; `UNSET` before it is requested. */
  readonly #lists: Int32Array[];
  /** By rule, what a matcher has to look at in addition to its condition. */
  readonly ruleFlags: Uint8Array;
  readonly conditions: Conditions;
  readonly #collected: AtomSet;

  constructor(
    readonly gate: CheckedGate,
    readonly isHidden: boolean,
    { rulebook, referenceData: referenceData }: { readonly rulebook: Rulebook; readonly referenceData: ReferenceData },
    private readonly partitions: Partitions,
    keySlotsFor: (rule: Rule, view: GateView) => readonly number[],
  ) {
    const view = { gate, isHidden, referenceData: referenceData };
    const terms = { rulebook, view, partitions };
    const fences: StageFence[] = [];
    const rules: StageRule[] = [];
    const nodes: Node[] = [];
    for (const statement of gate.fences) {
      const live = statement.rules.filter(({ state }) => state !== 'off');
      const fence = {
        statement,
        index: fences.length,
        isTrial: statement.mode === 'trial',
        ruleStart: rules.length,
        ruleEnd: rules.length + live.length,
      };
      fences.push(fence);
      for (const rule of live) {
        nodes.push(compileCondition(rule.condition, terms));
        rules.push({
          rule,
          fence,
          id: ruleId(statement.name, rule.name),
          isInTrial: fence.isTrial || rule.state === 'trial',
          isTimed: rule.hours !== undefined || rule.until !== undefined,
          ends: ACTION_TRAITS[rule.action.kind].effect === 'always',
          isFinal: rule.action.kind !== 'allow' || rule.action.isOutright,
          keySlots: keySlotsFor(rule, view),
        });
      }
    }
    this.fences = fences;
    this.rules = rules;
    this.conditions = new Conditions(nodes, partitions);
    const always: number[] = [];
    this.#candidatesByAtom = [];
    nodes.forEach((condition, index) => {
      const cover = findIndexKey(condition);
      if (!cover) always.push(index * 2 + (condition.kind === 'known' && condition.truth === TRUE ? 1 : 0));
      for (const { partition, atom } of cover?.atoms ?? [])
        ((this.#candidatesByAtom[partition] ??= [])[atom] ??= []).push(index);
    });
    for (const candidate of always) this.#append(candidate);
    this.#append(NO_CANDIDATE);
    this.#numAlways = always.length;
    this.indexedPartitions = [...this.#candidatesByAtom.keys()].filter(
      (partition) => this.#candidatesByAtom[partition] !== undefined,
    );
    this.lastReachableRule = new Int32Array(fences.length + 1).fill(rules.length);
    for (const fence of fences.toReversed())
      this.lastReachableRule[fence.index] = isFinal(fence) ? fence.ruleEnd : this.lastReachableRule[fence.index + 1]!;
    this.numLists = this.indexedPartitions.length + (always.length > 0 ? 1 : 0);
    this.#lists = this.indexedPartitions.map(() => new Int32Array(engineBounds().listRoom).fill(UNSET));
    this.ruleFlags = Uint8Array.from(rules, flagsOf);
    this.#collected = new AtomSet(rules.length);
  }

  #append(candidate: Candidate): void {
    if (this.#numLeads === this.candidates.length) this.candidates = growWords(this.candidates);
    this.candidates[this.#numLeads++] = candidate;
  }

  /**
   * Puts down where the lists of leads of rows begin.
   * @param rows those of this stage
   * @param lists by row, `stride` a row
   */
  fillCandidateLists(reader: ChunkReader, rows: Int32Array, lists: Int32Array, stride: number): void {
    let place = 0;
    if (this.#numAlways > 0) {
      for (const row of rows) lists[row * stride] = 0;
      place = 1;
    }
    for (let indexed = 0; indexed < this.indexedPartitions.length; indexed += 1, place += 1) {
      const { keys, numbers } = reader.classesOf(this.indexedPartitions[indexed]!);
      let known = this.#lists[indexed]!;
      for (let index = 0; index < rows.length; index += 1) {
        const row = rows[index]!;
        const number = numbers[keys[row]!]!;
        let list = number < known.length ? known[number]! : UNSET;
        if (list === UNSET) {
          list = this.candidateListFor(indexed, number);
          known = this.#lists[indexed]!;
        }
        lists[row * stride + place] = list;
      }
    }
  }

  /** The same of one request. */
  fillCandidateListsOf(reader: RowReader, lists: Int32Array): void {
    let place = 0;
    if (this.#numAlways > 0) lists[place++] = 0;
    for (let indexed = 0; indexed < this.indexedPartitions.length; indexed += 1, place += 1) {
      const number = reader.classOf(this.indexedPartitions[indexed]!);
      const known = this.#lists[indexed]!;
      const list = number < known.length ? known[number]! : UNSET;
      lists[place] = list === UNSET ? this.candidateListFor(indexed, number) : list;
    }
  }

  /** Finds the rules that a class leads to. @param indexed the place of its partition @returns where their list begins */
  candidateListFor(indexed: number, number: number): number {
    let known = this.#lists[indexed]!;
    while (number >= known.length) known = growWords(known).fill(UNSET, known.length);
    this.#lists[indexed] = known;
    const partition = this.indexedPartitions[indexed]!;
    const ledBy = this.#candidatesByAtom[partition]!;
    const atomSet = this.#collected;
    atomSet.clear();
    for (const entry of this.partitions.all[partition]!.entriesOf(number)) {
      const rules = ledBy[entry >> 1];
      if (rules) for (const rule of rules) atomSet.addTrue(rule);
    }
    atomSet.sort();
    const start = this.#numLeads;
    for (let at = 0; at < atomSet.size; at += 1) {
      const rule = atomSet.entries[at]! >> 1;
      const least = this.conditions.lowerBoundFor(partition, number, rule);
      if (least !== undefined) this.#append(rule * 2 + (least === TRUE ? 1 : 0));
    }
    this.#append(NO_CANDIDATE);
    known[number] = start;
    return start;
  }

  /** Releases what is known of classes. */
  clear(): void {
    this.#numLeads = this.#numAlways + 1;
    for (const lists of this.#lists) lists.fill(UNSET);
  }
}

/** Whether its end, where no rule ends it, stops the request. */
function isFinal({ isTrial, statement: { otherwise } }: StageFence): boolean {
  return !isTrial && otherwise.kind !== 'continue' && otherwise.kind !== 'allow';
}
