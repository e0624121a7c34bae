/** Judges requests by a program: fast, and byte for byte as the interpreter does. */
import type { Ruling } from '../../decide/decision.js';
import { isPersonAction, keepsState, type PersonAction, type ThrottleAction } from '../../language/tree.js';
import type { Request } from '../../request/request.js';
import { ArrayPool } from '../../arrays/array-pool.js';
import { evaluateNode } from '../compile/conditions.js';
import { keyText, UNKNOWN_KEY, type KeyList } from '../features/keys.js';
import { addMetered, createThrottleTally, type ThrottleTally } from '../counters/throttle-meter.js';
import type { CounterStore, Window } from '../counters/counter-store.js';
import { ABSENT, PairMap } from '../../arrays/pair-map.js';
import { NO_STAGE, type Program, type ProgramStage } from '../compile/program.js';
import { ChunkReader, ConstantReader, RequestReader, type RowReader } from '../rows/row-readers.js';
import type { EncodedRows } from '../rows/column-encoder.js';
import { NON_TERMINAL, STATEFUL, HAS_SCHEDULE, type StageRule } from '../compile/stage.js';
import { BLIND, ENDED, MATCHED, MATCHED_BLIND_KEY, MATCHED_UNKNOWN, ruleEvent } from '../compile/trace.js';
import { FALSE, TRUE, UNKNOWN, type TruthValue } from '../features/truth.js';

export const UNCOVERED: Ruling = { outcome: 'uncovered', would: [], tags: [], blind: [], matched: [] };

/** Times of requests from here on lie in minutes of local time that begin with minutes of UTC, whatever the zone. */
const WHOLE_MINUTES_FROM_UNIX_MS = Date.UTC(1973, 0, 1);
const MINUTE_MS = 60_000;
const NEVER_EVALUATED = Number.NEGATIVE_INFINITY;

/** What a matcher keeps of a rule at its stage. */
interface RuleState {
  readonly rule: StageRule;
  /** The same for the rules that share what they remember: at the stages of one gate, or across gates; -1 for others. */
  readonly number: number;
  /** Of a limit. */
  readonly window?: Window;
  /** The minute in which its hours were evaluated last, and the result. */
  evaluatedMinute: number;
  isInHours: boolean;
}

/** The rules of a stage with what a matcher keeps of them, and the codes of the rulings that came up. */
interface StageState extends ProgramStage {
  readonly rules: readonly RuleState[];
  /** By rule, how often its condition was evaluated. */
  readonly numEvaluations: Float64Array;
  /** By node in the trace, twice, and one more where an address header was ignored; one too many, so that 0 is unset. */
  readonly codes: number[];
}

/** Rows of a chunk, made ready to be judged. */
export interface PreparedChunk {
  readonly reader: ChunkReader;
  /** By row, the result of `stageOf`. */
  readonly stages: Int32Array;
  /** By row, where its lists of leads begin. */
  readonly listStarts: Int32Array;
}

/** Gives each distinct ruling a code. */
export interface RulingEncoder {
  codeFor(ruling: Ruling): number;
}

export class Matcher {
  readonly #stages: readonly StageState[];
  /** How the texts of keys begin, as the interpreter writes them, and of how many keys they are made. */
  readonly #counted: { readonly start: string; readonly numKeys: number }[] = [];
  /** Of the request that was judged last: by rule that delays it, how long; milliseconds. */
  readonly waitsMs: number[] = [];
  #metered: Record<string, ThrottleTally> = {};
  /** The texts of the keys that the memory has numbers of. */
  #keyTexts: KeyList;
  /** Numbers of keys that are made of several, and what they are made of. */
  #pairs = new PairMap();
  #paired: (readonly [number, number])[] = [];
  /** Of the current request: the cursor of each candidate list, and the candidate at the cursor. */
  readonly #cursors: Int32Array;
  readonly #heads: Int32Array;
  /** As many lists as any stage has. */
  readonly #stride: number;
  readonly #singleLists: Int32Array;
  /** Those of chunks, used again. */
  readonly #arrays = new ArrayPool();

  /**
   * @param counters what earlier requests left behind; brought up to date
   * @throws TooManyKeysError while judging, when more keys are alive than the memory may keep
   */
  constructor(
    private readonly program: Program,
    readonly counters: CounterStore,
  ) {
    this.#stages = program.stages.map(({ stage, trace }) => ({
      stage,
      trace,
      numEvaluations: new Float64Array(stage.rules.length),
      codes: [],
      rules: stage.rules.map((rule) => ({
        rule,
        number: this.#numberFor(rule, stage.gate.statement.name),
        window: windowOf(rule),
        evaluatedMinute: NEVER_EVALUATED,
        isInHours: false,
      })),
    }));
    this.#stride = Math.max(1, ...program.stages.map(({ stage }) => stage.numLists));
    this.#cursors = new Int32Array(this.#stride);
    this.#heads = new Int32Array(this.#stride);
    this.#singleLists = new Int32Array(this.#stride);
    this.#keyTexts = program.keyTexts.list;
    counters.setKeyNames((limit, key) => this.#nameOf(limit, key));
  }

  /** Rules whose keys begin alike count together. */
  #numberFor({ id, rule: { action }, keySlots }: StageRule, gate: string): number {
    if (!keepsState(action)) return -1;
    const node = 'isAcrossGates' in action && action.isAcrossGates ? '' : gate;
    const start = JSON.stringify([node, id]).slice(0, -1);
    const known = this.#counted.findIndex((item) => item.start === start);
    return known >= 0
      ? known
      : this.#counted.push({ start, numKeys: 'keys' in action ? action.keys.length : keySlots.length }) - 1;
  }

  /** Judges one request by itself. */
  judge({ attributes, atUnixMs, isTimeUnknown }: Request): Ruling {
    this.evictIfFull();
    if (this.waitsMs.length > 0) this.waitsMs.length = 0;
    const reader = new RequestReader(this.program, attributes);
    const stage = this.program.stageOf(reader);
    if (stage === NO_STAGE) return UNCOVERED;
    const state = this.#stages[stage >> 1]!;
    state.stage.fillCandidateListsOf(reader, this.#singleLists);
    const node = this.#walk(state, reader, this.#singleLists, 0, atUnixMs, isTimeUnknown);
    return state.trace.rulingAt(node, (stage & 1) === 1);
  }

  /** Prepares the rows of a chunk */
  open(rows: EncodedRows): PreparedChunk {
    const reader = new ChunkReader(this.program, rows);
    const stages = this.#arrays.take(rows.numRows);
    const lists = this.#arrays.take(rows.numRows * this.#stride);
    const numRowsByStage = this.#stages.map(() => 0);
    const common = new ConstantReader(reader);
    const only = this.program.stageOf(common);
    if (common.isCommon) {
      stages.fill(only, 0, rows.numRows);
      if (only !== NO_STAGE) numRowsByStage[only >> 1] = rows.numRows;
    } else {
      for (let row = 0; row < rows.numRows; row += 1) {
        reader.row = row;
        const stage = this.program.stageOf(reader);
        stages[row] = stage;
        if (stage !== NO_STAGE) numRowsByStage[stage >> 1]! += 1;
      }
    }
    const rowsOf = this.#arrays.take(rows.numRows);
    this.#stages.forEach(({ stage }, index) => {
      if (numRowsByStage[index] === 0) return;
      let numFound = 0;
      for (let row = 0; numFound < numRowsByStage[index]!; row += 1)
        if (stages[row]! >> 1 === index) rowsOf[numFound++] = row;
      stage.fillCandidateLists(reader, rowsOf.subarray(0, numFound), lists, this.#stride);
    });
    this.#arrays.give([rowsOf]);
    return { reader, stages, listStarts: lists };
  }

  /** Releases a prepared chunk. */
  close({ stages, listStarts }: PreparedChunk): void {
    this.#arrays.give([stages, listStarts]);
  }

  /** Judges a row. */
  judgeRow(
    { reader, stages, listStarts }: PreparedChunk,
    row: number,
    atUnixMs: number,
    encoder: RulingEncoder,
  ): number {
    const stage = stages[row]!;
    if (this.waitsMs.length > 0) this.waitsMs.length = 0;
    if (stage === NO_STAGE) return encoder.codeFor(UNCOVERED);
    const state = this.#stages[stage >> 1]!;
    reader.row = row;
    const node = this.#walk(state, reader, listStarts, row * this.#stride, atUnixMs, false);
    const at = node * 2 + (stage & 1);
    const known = state.codes[at];
    if (known !== undefined) return known;
    return (state.codes[at] = encoder.codeFor(state.trace.rulingAt(node, (stage & 1) === 1)));
  }

  /** How often conditions were evaluated since the last call, by `fence/rule`; a rule may be in several stages. */
  takeEvaluations(): [rule: string, evaluations: number][] {
    const taken: [string, number][] = [];
    for (const { stage, numEvaluations } of this.#stages) {
      numEvaluations.forEach((times, rule) => {
        if (times > 0) taken.push([stage.rules[rule]!.id, times]);
      });
      numEvaluations.fill(0);
    }
    return taken;
  }

  /** What throttles did since the last call, by `fence/rule`. */
  takeMetered(): Record<string, ThrottleTally> {
    const taken = this.#metered;
    this.#metered = {};
    return taken;
  }

  /**
   * Makes room where too much is known; before the seats of the next rows are opened. A program may have several
   * matchers: those numbers that another has cleared mean nothing here any more, either.
   */
  evictIfFull(): void {
    if (this.program.isFull) this.program.clear();
    const { list } = this.program.keyTexts;
    if (list === this.#keyTexts) return;
    // Names are still found in the old list.
    this.counters.spillToText();
    this.#keyTexts = list;
    this.#pairs = new PairMap();
    this.#paired = [];
  }

  /**
   * The way of a request through the rules of its gate: those that its classes candidate to, the lowest first.
   * @param lists from `listsAt` on, where its lists of leads begin
   * @returns its node in the trace at the end
   */
  #walk(
    stageState: StageState,
    reader: RowReader,
    lists: Int32Array,
    listsAt: number,
    atUnixMs: number,
    isTimeUnknown: boolean,
  ): number {
    const { stage, trace, rules } = stageState;
    const { candidates, ruleFlags, lastReachableRule, numLists } = stage;
    const cursors = this.#cursors;
    const heads = this.#heads;
    for (let list = 0; list < numLists; list += 1) {
      const cursor = lists[listsAt + list]!;
      cursors[list] = cursor;
      heads[list] = candidates[cursor]!;
    }
    let node = 0;
    // The first candidate that may still be followed.
    let from = 0;
    let end = lastReachableRule[0]! * 2;
    for (;;) {
      let candidate = end;
      for (let list = 0; list < numLists; list += 1) {
        let head = heads[list]!;
        if (head < from) {
          let cursor = cursors[list]!;
          do head = candidates[++cursor]!;
          while (head < from);
          cursors[list] = cursor;
          heads[list] = head;
        }
        if (head < candidate) candidate = head;
      }
      if (candidate >= end) return node;
      const next = candidate >> 1;
      // Another list may hold a candidate for the same rule.
      from = next * 2 + 2;
      const flags = ruleFlags[next]!;
      const live = (flags & HAS_SCHEDULE) === 0 ? TRUE : this.#liveness(rules[next]!, atUnixMs, isTimeUnknown);
      if (live === FALSE) continue;
      const holds = (candidate & 1) === 1 ? TRUE : this.#evaluate(stageState, next, reader, node);
      if (holds === FALSE) continue;
      const state = rules[next]!;
      const isUnknown = live === UNKNOWN || holds === UNKNOWN;
      const { rule } = state;
      if (isUnknown && !rule.rule.matchesUnknown) {
        node = trace.step(node, ruleEvent(next, BLIND));
        continue;
      }
      const act = rule.ends ? ENDED : (flags & STATEFUL) === 0 ? 0 : this.#applyState(state, reader, atUnixMs);
      if (act === MATCHED_BLIND_KEY) {
        node = trace.step(node, ruleEvent(next, MATCHED_BLIND_KEY));
        continue;
      }
      node = trace.step(node, ruleEvent(next, (isUnknown ? MATCHED_UNKNOWN : MATCHED) + act));
      if (act !== ENDED || (flags & NON_TERMINAL) !== 0) continue;
      const { fence } = rule;
      if (!fence.isTrial && rule.isFinal) return node;
      from = fence.ruleEnd * 2;
      end = lastReachableRule[fence.index + 1]! * 2;
    }
  }

  #evaluate({ stage, trace, numEvaluations }: StageState, rule: number, reader: RowReader, node: number): TruthValue {
    numEvaluations[rule]! += 1;
    const { conditions, rules } = stage;
    if (conditions.isConjunction(rule)) return conditions.evaluateConjunction(rule, reader);
    const { byActing, byAll } = trace.tagsAt(node);
    return evaluateNode(
      conditions.all[rule]!,
      reader,
      this.program.partitions,
      rules[rule]!.isInTrial ? byAll : byActing,
    );
  }

  /** Expired and out of hours is false; without a time it is unknown. */
  #liveness(state: RuleState, atUnixMs: number, isTimeUnknown: boolean): TruthValue {
    if (isTimeUnknown) return UNKNOWN;
    const { hours, until } = state.rule.rule;
    if (until && atUnixMs >= this.program.endsAtUnixMs.get(state.rule.rule)!) return FALSE;
    if (!hours) return TRUE;
    const minute = Math.floor(atUnixMs / MINUTE_MS);
    if (minute !== state.evaluatedMinute || atUnixMs < WHOLE_MINUTES_FROM_UNIX_MS) {
      state.evaluatedMinute = minute;
      state.isInHours = this.program.schedules.get(hours.schedule.name)!.contains(atUnixMs);
    }
    return state.isInHours === hours.isOutside ? FALSE : TRUE;
  }

  /** The result of a stateful rule: `ENDED`, `MATCHED_BLIND_KEY`, or 0. */
  #applyState(state: RuleState, reader: RowReader, atUnixMs: number): number {
    const { action } = state.rule.rule;
    if (action.kind === 'limit') return this.#limit(state, reader, atUnixMs);
    if (action.kind === 'throttle') return this.#throttle(state, action, reader, atUnixMs);
    return isPersonAction(action) ? this.#hold(state, action, reader, atUnixMs) : 0;
  }

  #limit(state: RuleState, reader: RowReader, atUnixMs: number): number {
    const { keySlots } = state.rule;
    const key = this.#keyOf(keySlots, keySlots.length, reader);
    if (key === UNKNOWN_KEY) return MATCHED_BLIND_KEY;
    return this.counters.count(state.number, key, atUnixMs, state.window!) ? ENDED : 0;
  }

  /** Delays are noted; a throttle ends nothing. */
  #throttle(state: RuleState, action: ThrottleAction, reader: RowReader, atUnixMs: number): number {
    const { keySlots } = state.rule;
    const numKeys = keySlots.length - 1;
    const key = this.#keyOf(keySlots, numKeys, reader);
    const bytes = reader.numberOf(keySlots[numKeys]!);
    if (key === UNKNOWN_KEY || bytes === UNKNOWN_KEY) return MATCHED_BLIND_KEY;
    const name = this.#nameOf(state.number, key);
    const numBytes = Number(keyText(this.#keyTexts, bytes));
    const waitMs = this.counters.throttle(name, atUnixMs, numBytes, action);
    addMetered((this.#metered[state.rule.id] ??= createThrottleTally()), atUnixMs, numBytes, waitMs);
    if (waitMs === 0) return 0;
    this.waitsMs.push(waitMs);
    return ENDED;
  }

  /** The number of a key of several parts; `UNKNOWN_KEY` where one is unknown. */
  #keyOf(slots: readonly number[], numKeys: number, reader: RowReader): number {
    let key = 0;
    for (let index = 0; index < numKeys; index += 1) {
      const number = reader.numberOf(slots[index]!);
      if (number === UNKNOWN_KEY) return UNKNOWN_KEY;
      key = index === 0 ? number : this.#pair(key, number);
    }
    return key;
  }

  /** A number for two. */
  #pair(first: number, second: number): number {
    const known = this.#pairs.get(first, second);
    if (known !== ABSENT) return known;
    const number = this.#paired.push([first, second]) - 1;
    this.#pairs.add(first, second, number);
    return number;
  }

  /** The text of the key of a limit, as the interpreter writes it. */
  #nameOf(limit: number, key: number): string {
    const { start, numKeys } = this.#counted[limit]!;
    const texts: string[] = [];
    let rest = key;
    for (let left = numKeys; left > 1; left -= 1) {
      const [before, last] = this.#paired[rest]!;
      texts.unshift(keyText(this.#keyTexts, last));
      rest = before;
    }
    if (numKeys > 0) texts.unshift(keyText(this.#keyTexts, rest));
    return `${[start, ...texts].join()}]`;
  }

  #hold(state: RuleState, { holdMs }: PersonAction, reader: RowReader, atUnixMs: number): number {
    if (this.program.held === 'stop') return ENDED;
    const [slot] = state.rule.keySlots;
    if (reader.numberOf(slot!) === UNKNOWN_KEY) return MATCHED_BLIND_KEY;
    const name = this.#nameOf(state.number, reader.numberOf(slot!));
    return this.counters.checkGrace(name, atUnixMs, holdMs) ? 0 : ENDED;
  }
}

function windowOf({ rule: { action } }: StageRule): Window | undefined {
  return action.kind === 'limit' ? { max: action.count, windowMs: action.windowMs, holdMs: action.holdMs } : undefined;
}
