/** The rules of one gate as they stand before a request, which the gate sees whole or in part. */
import type { CheckedGate } from '../check/rulebook.js';
import { ruleId } from '../decide/decision.js';
import type { FenceStatement, Rule } from '../language/tree.js';
import type { World } from '../decide/view.js';
import type { Rulebook } from '../check/rulebook.js';
import type { Lens } from './features.js';
import { engineBounds } from '../bounds.js';
import { grownWords } from '../columns/grown.js';
import { Conditions } from './conditions.js';
import type { Groups } from './groups.js';
import { Heard } from './heard.js';
import type { ChunkSeat, Seat } from './seat.js';
import { compileCondition, findCover, type Node } from './nodes.js';
import { TRUE } from './truth.js';

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
  /** Of a rule that remembers: where the numbers of its keys stand. */
  readonly keySlots: readonly number[];
}

/** Twice the number of a rule, and one more where its condition is true for the class whatever else is asked. */
export type Lead = number;

const ENDING_ACTIONS: readonly Rule['action']['kind'][] = ['allow', 'block', 'redirect'];

const UNSET = -1;
/** Beyond every lead. */
export const NO_LEAD = 0x7fff_ffff;

/** Traits of a rule, a bit each: it has hours or an end; looks at what earlier requests left behind; never ends a fence. */
export const TIMED = 1;
export const REMEMBERING = 2;
export const GOING_ON = 4;

function traitsOf({ isTimed, ends, rule }: StageRule): number {
  const onlyNotes = rule.action.kind === 'tag' || rule.action.kind === 'observe';
  return (
    (isTimed ? TIMED : 0) | (ends || onlyNotes ? 0 : REMEMBERING) | (onlyNotes || rule.state === 'trial' ? GOING_ON : 0)
  );
}

export class Stage {
  readonly fences: readonly StageFence[];
  readonly rules: readonly StageRule[];
  /** How many lists of leads a request has: one for each leading group, before them the rules that stand before every request, if any. */
  readonly numLists: number;
  /** By fence: where the rules end that can be reached, if neither it nor a later fence is ended by a rule. */
  readonly barriers: Int32Array;
  readonly leadingGroups: readonly number[];
  /** By group and atom, the rules that the atom leads to. */
  readonly #ledBy: (number[] | undefined)[][];
  /** Lists of leads, ascending, each with `NO_LEAD` at its end; the first is that of the rules that no class leads to. */
  leads = new Int32Array(engineBounds().candidateRoom);
  #numLeads = 0;
  readonly #numAlways: number;
  /** By place in `leadingGroups` and class, where its list begins; `UNSET` before it is asked for. */
  readonly #lists: Int32Array[];
  /** By rule, what a matcher has to look at beside its condition. */
  readonly traits: Uint8Array;
  readonly conditions: Conditions;
  readonly #candidates: Heard;

  constructor(
    readonly gate: CheckedGate,
    readonly isHidden: boolean,
    { rulebook, world }: { readonly rulebook: Rulebook; readonly world: World },
    private readonly groups: Groups,
    keySlotsFor: (rule: Rule, lens: Lens) => readonly number[],
  ) {
    const lens = { gate, isHidden, world };
    const terms = { rulebook, lens, groups };
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
          ends: ENDING_ACTIONS.includes(rule.action.kind),
          isFinal: rule.action.kind !== 'allow' || rule.action.isOutright,
          keySlots: keySlotsFor(rule, lens),
        });
      }
    }
    this.fences = fences;
    this.rules = rules;
    this.conditions = new Conditions(nodes, groups);
    const always: number[] = [];
    this.#ledBy = [];
    nodes.forEach((condition, index) => {
      const cover = findCover(condition);
      if (!cover) always.push(index * 2 + (condition.kind === 'known' && condition.degree === TRUE ? 1 : 0));
      for (const { group, atom } of cover?.atoms ?? []) ((this.#ledBy[group] ??= [])[atom] ??= []).push(index);
    });
    for (const lead of always) this.#append(lead);
    this.#append(NO_LEAD);
    this.#numAlways = always.length;
    this.leadingGroups = [...this.#ledBy.keys()].filter((group) => this.#ledBy[group] !== undefined);
    this.barriers = new Int32Array(fences.length + 1).fill(rules.length);
    for (const fence of fences.toReversed())
      this.barriers[fence.index] = isFinal(fence) ? fence.ruleEnd : this.barriers[fence.index + 1]!;
    this.numLists = this.leadingGroups.length + (always.length > 0 ? 1 : 0);
    this.#lists = this.leadingGroups.map(() => new Int32Array(engineBounds().listRoom).fill(UNSET));
    this.traits = Uint8Array.from(rules, traitsOf);
    this.#candidates = new Heard(rules.length);
  }

  #append(lead: Lead): void {
    if (this.#numLeads === this.leads.length) this.leads = grownWords(this.leads);
    this.leads[this.#numLeads++] = lead;
  }

  /**
   * Puts down where the lists of leads of rows begin.
   * @param rows those of this stage
   * @param lists by row, `stride` a row
   */
  putLists(seat: ChunkSeat, rows: Int32Array, lists: Int32Array, stride: number): void {
    let place = 0;
    if (this.#numAlways > 0) {
      for (const row of rows) lists[row * stride] = 0;
      place = 1;
    }
    for (let leading = 0; leading < this.leadingGroups.length; leading += 1, place += 1) {
      const { keys, numbers } = seat.classesOf(this.leadingGroups[leading]!);
      let known = this.#lists[leading]!;
      for (let index = 0; index < rows.length; index += 1) {
        const row = rows[index]!;
        const number = numbers[keys[row]!]!;
        let list = number < known.length ? known[number]! : UNSET;
        if (list === UNSET) {
          list = this.listFor(leading, number);
          known = this.#lists[leading]!;
        }
        lists[row * stride + place] = list;
      }
    }
  }

  /** The same of one request. */
  putListsOfOne(seat: Seat, lists: Int32Array): void {
    let place = 0;
    if (this.#numAlways > 0) lists[place++] = 0;
    for (let leading = 0; leading < this.leadingGroups.length; leading += 1, place += 1) {
      const number = seat.classOf(this.leadingGroups[leading]!);
      const known = this.#lists[leading]!;
      const list = number < known.length ? known[number]! : UNSET;
      lists[place] = list === UNSET ? this.listFor(leading, number) : list;
    }
  }

  /** Finds the rules that a class leads to. @param leading the place of its group @returns where their list begins */
  listFor(leading: number, number: number): number {
    let known = this.#lists[leading]!;
    while (number >= known.length) known = grownWords(known).fill(UNSET, known.length);
    this.#lists[leading] = known;
    const group = this.leadingGroups[leading]!;
    const ledBy = this.#ledBy[group]!;
    const found = this.#candidates;
    found.begin();
    for (const entry of this.groups.all[group]!.entriesOf(number)) {
      const rules = ledBy[entry >> 1];
      if (rules) for (const rule of rules) found.holds(rule);
    }
    found.sort();
    const start = this.#numLeads;
    for (let at = 0; at < found.size; at += 1) {
      const rule = found.entries[at]! >> 1;
      const least = this.conditions.leastFor(group, number, rule);
      if (least !== undefined) this.#append(rule * 2 + (least === TRUE ? 1 : 0));
    }
    this.#append(NO_LEAD);
    known[number] = start;
    return start;
  }

  /** Lets go of what is known of classes. */
  forget(): void {
    this.#numLeads = this.#numAlways + 1;
    for (const lists of this.#lists) lists.fill(UNSET);
  }
}

/** Whether its end, where no rule ends it, stops the request. */
function isFinal({ isTrial, statement: { otherwise } }: StageFence): boolean {
  return !isTrial && otherwise.kind !== 'continue' && otherwise.kind !== 'allow';
}
