/** Judges requests by a program: fast, and byte for byte what the interpreter says. */
import type { Ruling } from '../decide/decision.js';
import type { PersonAction, Rule } from '../language/tree.js';
import type { Request } from '../request/request.js';
import { ArrayPool } from './array-pool.js';
import { evaluateNode } from './conditions.js';
import { keyText, UNKNOWN_KEY, type KeyList } from './keys.js';
import type { Memory, Window } from './memory.js';
import { ABSENT, PairMap } from './pair-map.js';
import { NO_STAGE, type Program, type ProgramStage } from './program.js';
import { ChunkSeat, CommonSeat, SingleSeat, type Seat } from './seat.js';
import type { CodedRows } from './coder.js';
import { GOING_ON, REMEMBERING, TIMED, type StageRule } from './stage.js';
import { BLIND, ENDED, MATCHED, MATCHED_BLIND_KEY, MATCHED_UNKNOWN, ruleEvent } from './trace.js';
import { FALSE, TRUE, UNKNOWN, type Degree } from './truth.js';

export const UNCOVERED: Ruling = { outcome: 'uncovered', would: [], tags: [], blind: [], matched: [] };

/** Times of requests from here on lie in minutes of local time that begin with minutes of UTC, whatever the zone. */
const WHOLE_MINUTES_FROM_UNIX_MS = Date.UTC(1973, 0, 1);
const MINUTE_MS = 60_000;
const NEVER_ASKED = Number.NEGATIVE_INFINITY;

const COUNTING: readonly Rule['action']['kind'][] = ['limit', 'warn', 'passphrase', 'challenge'];

/** What a matcher keeps of a rule at its stage. */
interface Post {
  readonly rule: StageRule;
  /** The same for the rules that share what they remember: at the stages of one gate, or across gates; -1 for others. */
  readonly number: number;
  /** Of a limit. */
  readonly window?: Window;
  /** The minute in which its hours were asked last, and the answer. */
  askedMinute: number;
  isInHours: boolean;
}

/** The rules of a stage with what a matcher keeps of them, and the codes of the rulings that came up. */
interface Court extends ProgramStage {
  readonly posts: readonly Post[];
  /** By rule, how often its condition was asked of a request. */
  readonly numEvaluations: Float64Array;
  /** By place in the trace, twice, and one more where an address header was ignored; one too many, so that 0 is unset. */
  readonly codes: number[];
}

/** Rows of a chunk, made ready to be judged. */
export interface Bench {
  readonly seat: ChunkSeat;
  /** By row, what `stageOf` says. */
  readonly stages: Int32Array;
  /** By row, where its lists of leads begin. */
  readonly lists: Int32Array;
}

/** Gives each distinct ruling a code. */
export interface Coding {
  codeFor(ruling: Ruling): number;
}

export class Matcher {
  readonly #courts: readonly Court[];
  /** How the texts of keys begin, as the interpreter writes them, and of how many keys they are made. */
  readonly #counted: { readonly start: string; readonly numKeys: number }[] = [];
  /** The texts of the keys that the memory has numbers of. */
  #keyList: KeyList;
  /** Numbers of keys that are made of several, and what they are made of. */
  #pairs = new PairMap();
  #paired: (readonly [number, number])[] = [];
  /** Of the request that is judged: where each list of leads stands, and the lead that stands there. */
  readonly #cursors: Int32Array;
  readonly #heads: Int32Array;
  /** As many lists as any stage has. */
  readonly #stride: number;
  readonly #singleLists: Int32Array;
  /** Those of chunks, used again. */
  readonly #arrays = new ArrayPool();

  /**
   * @param memory what earlier requests left behind; brought up to date
   * @throws TooManyKeysError while judging, when more keys are alive than the memory may keep
   */
  constructor(
    private readonly program: Program,
    readonly memory: Memory,
  ) {
    this.#courts = program.stages.map(({ stage, trace }) => ({
      stage,
      trace,
      numEvaluations: new Float64Array(stage.rules.length),
      codes: [],
      posts: stage.rules.map((rule) => ({
        rule,
        number: this.#numberFor(rule, stage.gate.statement.name),
        window: windowOf(rule),
        askedMinute: NEVER_ASKED,
        isInHours: false,
      })),
    }));
    this.#stride = Math.max(1, ...program.stages.map(({ stage }) => stage.numLists));
    this.#cursors = new Int32Array(this.#stride);
    this.#heads = new Int32Array(this.#stride);
    this.#singleLists = new Int32Array(this.#stride);
    this.#keyList = program.keyTexts.list;
    memory.useNames((limit, key) => this.#nameOf(limit, key));
  }

  /** Rules whose keys begin alike count together. */
  #numberFor({ id, rule: { action }, keySlots }: StageRule, gate: string): number {
    if (!COUNTING.includes(action.kind)) return -1;
    const place = action.kind === 'limit' && action.isAcrossGates ? '' : gate;
    const start = JSON.stringify([place, id]).slice(0, -1);
    const known = this.#counted.findIndex((one) => one.start === start);
    return known >= 0 ? known : this.#counted.push({ start, numKeys: keySlots.length }) - 1;
  }

  /** Judges one request by itself. */
  judge({ attributes, atUnixMs, isTimeUnknown }: Request): Ruling {
    this.tidy();
    const seat = new SingleSeat(this.program, attributes);
    const stage = this.program.stageOf(seat);
    if (stage === NO_STAGE) return UNCOVERED;
    const court = this.#courts[stage >> 1]!;
    court.stage.putListsOfOne(seat, this.#singleLists);
    const place = this.#walk(court, seat, this.#singleLists, 0, atUnixMs, isTimeUnknown);
    return court.trace.rulingAt(place, (stage & 1) === 1);
  }

  /** @returns takes rows of a chunk, whose rulings are told by their codes, in the order in which they are judged */
  open(rows: CodedRows): Bench {
    const seat = new ChunkSeat(this.program, rows);
    const stages = this.#arrays.take(rows.numRows);
    const lists = this.#arrays.take(rows.numRows * this.#stride);
    const numRowsOf = this.#courts.map(() => 0);
    const common = new CommonSeat(seat);
    const only = this.program.stageOf(common);
    if (common.isCommon) {
      stages.fill(only, 0, rows.numRows);
      if (only !== NO_STAGE) numRowsOf[only >> 1] = rows.numRows;
    } else {
      for (let row = 0; row < rows.numRows; row += 1) {
        seat.row = row;
        const stage = this.program.stageOf(seat);
        stages[row] = stage;
        if (stage !== NO_STAGE) numRowsOf[stage >> 1]! += 1;
      }
    }
    const rowsOf = this.#arrays.take(rows.numRows);
    this.#courts.forEach(({ stage }, court) => {
      if (numRowsOf[court] === 0) return;
      let numFound = 0;
      for (let row = 0; numFound < numRowsOf[court]!; row += 1)
        if (stages[row]! >> 1 === court) rowsOf[numFound++] = row;
      stage.putLists(seat, rowsOf.subarray(0, numFound), lists, this.#stride);
    });
    this.#arrays.give([rowsOf]);
    return { seat, stages, lists };
  }

  /** The bench is not asked any more. */
  close({ stages, lists }: Bench): void {
    this.#arrays.give([stages, lists]);
  }

  /** Judges a row. */
  judgeRow({ seat, stages, lists }: Bench, row: number, atUnixMs: number, coding: Coding): number {
    const stage = stages[row]!;
    if (stage === NO_STAGE) return coding.codeFor(UNCOVERED);
    const court = this.#courts[stage >> 1]!;
    seat.row = row;
    const place = this.#walk(court, seat, lists, row * this.#stride, atUnixMs, false);
    const at = place * 2 + (stage & 1);
    const known = court.codes[at];
    if (known !== undefined) return known;
    return (court.codes[at] = coding.codeFor(court.trace.rulingAt(place, (stage & 1) === 1)));
  }

  /** How often conditions were asked since this was asked last, by `fence/rule`; a rule may stand at several stages. */
  takeEvaluations(): [rule: string, evaluations: number][] {
    const taken: [string, number][] = [];
    for (const { stage, numEvaluations } of this.#courts) {
      numEvaluations.forEach((times, rule) => {
        if (times > 0) taken.push([stage.rules[rule]!.id, times]);
      });
      numEvaluations.fill(0);
    }
    return taken;
  }

  /**
   * Makes room where too much is known; before the seats of the next rows are opened. A program may have several
   * matchers: those numbers that another has cleared mean nothing here any more, either.
   */
  tidy(): void {
    if (this.program.isFull) this.program.forget();
    const { list } = this.program.keyTexts;
    if (list === this.#keyList) return;
    // Names are still found in the list of before.
    this.memory.forgetNumbers();
    this.#keyList = list;
    this.#pairs = new PairMap();
    this.#paired = [];
  }

  /**
   * The way of a request through the rules of its gate: those that its classes lead to, the lowest first.
   * @param lists from `listsAt` on, where its lists of leads begin
   * @returns where it stands in the trace at the end
   */
  #walk(
    court: Court,
    seat: Seat,
    lists: Int32Array,
    listsAt: number,
    atUnixMs: number,
    isTimeUnknown: boolean,
  ): number {
    const { stage, trace, posts } = court;
    const { leads, traits, barriers, numLists } = stage;
    const cursors = this.#cursors;
    const heads = this.#heads;
    for (let list = 0; list < numLists; list += 1) {
      const cursor = lists[listsAt + list]!;
      cursors[list] = cursor;
      heads[list] = leads[cursor]!;
    }
    let place = 0;
    // The first lead that may still be followed.
    let from = 0;
    let barrier = barriers[0]! * 2;
    for (;;) {
      let lead = barrier;
      for (let list = 0; list < numLists; list += 1) {
        let head = heads[list]!;
        if (head < from) {
          let cursor = cursors[list]!;
          do head = leads[++cursor]!;
          while (head < from);
          cursors[list] = cursor;
          heads[list] = head;
        }
        if (head < lead) lead = head;
      }
      if (lead >= barrier) return place;
      const next = lead >> 1;
      // Another list may lead to the same rule.
      from = next * 2 + 2;
      const trait = traits[next]!;
      const live = (trait & TIMED) === 0 ? TRUE : this.#liveness(posts[next]!, atUnixMs, isTimeUnknown);
      if (live === FALSE) continue;
      const holds = (lead & 1) === 1 ? TRUE : this.#evaluate(court, next, seat, place);
      if (holds === FALSE) continue;
      const post = posts[next]!;
      const isUnknown = live === UNKNOWN || holds === UNKNOWN;
      const { rule } = post;
      if (isUnknown && !rule.rule.matchesUnknown) {
        place = trace.step(place, ruleEvent(next, BLIND));
        continue;
      }
      const act = rule.ends ? ENDED : (trait & REMEMBERING) === 0 ? 0 : this.#remember(post, seat, atUnixMs);
      if (act === MATCHED_BLIND_KEY) {
        place = trace.step(place, ruleEvent(next, MATCHED_BLIND_KEY));
        continue;
      }
      place = trace.step(place, ruleEvent(next, (isUnknown ? MATCHED_UNKNOWN : MATCHED) + act));
      if (act !== ENDED || (trait & GOING_ON) !== 0) continue;
      const { fence } = rule;
      if (!fence.isTrial && rule.isFinal) return place;
      from = fence.ruleEnd * 2;
      barrier = barriers[fence.index + 1]! * 2;
    }
  }

  #evaluate({ stage, trace, numEvaluations }: Court, rule: number, seat: Seat, place: number): Degree {
    numEvaluations[rule]! += 1;
    const { conditions, rules } = stage;
    if (conditions.isJoined(rule)) return conditions.evaluateJoined(rule, seat);
    const { byActing, byAll } = trace.tagsAt(place);
    return evaluateNode(conditions.all[rule]!, seat, this.program.groups, rules[rule]!.isInTrial ? byAll : byActing);
  }

  /** Expired and out of hours is false; without a time nobody knows. */
  #liveness(post: Post, atUnixMs: number, isTimeUnknown: boolean): Degree {
    if (isTimeUnknown) return UNKNOWN;
    const { hours, until } = post.rule.rule;
    if (until && atUnixMs >= this.program.endsAtUnixMs.get(post.rule.rule)!) return FALSE;
    if (!hours) return TRUE;
    const minute = Math.floor(atUnixMs / MINUTE_MS);
    if (minute !== post.askedMinute || atUnixMs < WHOLE_MINUTES_FROM_UNIX_MS) {
      post.askedMinute = minute;
      post.isInHours = this.program.schedules.get(hours.schedule.name)!.contains(atUnixMs);
    }
    return post.isInHours === hours.isOutside ? FALSE : TRUE;
  }

  /** What a rule comes to that looks at what earlier requests left behind: `ENDED`, `MATCHED_BLIND_KEY`, or 0 for nothing. */
  #remember(post: Post, seat: Seat, atUnixMs: number): number {
    const { action } = post.rule.rule;
    if (action.kind === 'limit') return this.#limit(post, seat, atUnixMs);
    const isForPersons = action.kind === 'warn' || action.kind === 'passphrase' || action.kind === 'challenge';
    return isForPersons ? this.#hold(post, action, seat, atUnixMs) : 0;
  }

  #limit(post: Post, seat: Seat, atUnixMs: number): number {
    const { keySlots } = post.rule;
    let key = 0;
    for (let index = 0; index < keySlots.length; index += 1) {
      const number = seat.numberOf(keySlots[index]!);
      if (number === UNKNOWN_KEY) return MATCHED_BLIND_KEY;
      key = index === 0 ? number : this.#pair(key, number);
    }
    return this.memory.count(post.number, key, atUnixMs, post.window!) ? ENDED : 0;
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
      texts.unshift(keyText(this.#keyList, last));
      rest = before;
    }
    if (numKeys > 0) texts.unshift(keyText(this.#keyList, rest));
    return `${[start, ...texts].join()}]`;
  }

  #hold(post: Post, { holdMs }: PersonAction, seat: Seat, atUnixMs: number): number {
    if (this.program.people === 'stays-out') return ENDED;
    const [slot] = post.rule.keySlots;
    if (seat.numberOf(slot!) === UNKNOWN_KEY) return MATCHED_BLIND_KEY;
    const name = this.#nameOf(post.number, seat.numberOf(slot!));
    return this.memory.passesHold(name, atUnixMs, holdMs) ? 0 : ENDED;
  }
}

function windowOf({ rule: { action } }: StageRule): Window | undefined {
  return action.kind === 'limit' ? { max: action.count, windowMs: action.windowMs, holdMs: action.holdMs } : undefined;
}
