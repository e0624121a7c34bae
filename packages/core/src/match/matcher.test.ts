import fc from 'fast-check';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { ChunkBuilder, ChunkRows } from '../columns/chunk.js';
import type { Ruling } from '../decide/decision.js';
import { evaluateComparison, type Subject } from '../decide/evaluate.js';
import { decide, PEOPLE, type Judge, type Observer } from '../decide/interpreter.js';
import { State, type StoredState } from '../decide/state.js';
import { View } from '../decide/view.js';
import { kindOf, OPERATORS_OF, FIELDS, type FieldName } from '../language/fields.js';
import { OUTCOMES } from '../language/outcomes.js';
import type { Comparison, Condition } from '../language/tree.js';
import { createCategories } from '../reference/categories.js';
import { parseCategoryFeed } from '../reference/category-lines.js';
import { parseCountryRows } from '../reference/country-rows.js';
import { createCountryTable } from '../reference/country-table.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { negate, type Truth } from '../request/field.js';
import { normalizeRequest } from '../request/request.js';
import { wideFenceText, wideRepeatingLog } from '../test/arbitrary-fences.js';
import { AddressIndex } from './address-index.js';
import { AtomIndex } from './atoms.js';
import { DomainIndex } from './domain-index.js';
import { Group } from './groups.js';
import { KeyNumbers, UNKNOWN_KEY } from './keys.js';
import { Matcher } from './matcher.js';
import { Memory } from './memory.js';
import { Program } from './program.js';
import { Reading } from './reading.js';
import { Stage } from './stage.js';
import { TextIndex } from './text-index.js';
import { Trace } from './trace.js';

const countries = createCountryTable(parseCountryRows('198.18.0.0/30,NO\n198.18.0.4/30,SE\n2001:db8::/32,NO').ranges);
const feedOf = (text: string) => createCategories([parseCategoryFeed('f', text).feed]);
const CATEGORIES = [
  undefined,
  feedOf('a.example,news\nb.example,games\nc.a.example,games\nc.a.example,news'),
  feedOf('a.example,news\na.example/a,games\nb.example/login,news'),
];

/** Judges a log by rows of stored chunks, cut in two, the second half by a matcher that takes up what the first left. */
function judgeChunks(judge: Judge, log: readonly LogRecord[], cut: number): { rulings: Ruling[]; memory: Memory } {
  const program = new Program(judge);
  const rulings: Ruling[] = [];
  let memory = new Memory();
  for (const part of [log.slice(0, cut), log.slice(cut)]) {
    const builder = new ChunkBuilder();
    part.forEach((record) => builder.push(record));
    const chunk = builder.encode();
    if (!chunk) continue;
    memory = new Memory(memory.store());
    const matcher = new Matcher(program, memory);
    const seat = matcher.open(new ChunkRows(chunk.numRows, chunk.columns));
    const told: Ruling[] = [];
    const coding = { codeFor: (ruling: Ruling) => told.push(ruling) - 1 };
    part.forEach((record, row) => {
      seat.row = row;
      rulings.push(told[matcher.judgeRow(seat, record.atUnixMs, coding)]!);
    });
  }
  return { rulings, memory };
}

/** What is kept has no order. */
const inOrder = ({ counters, holds }: StoredState) => ({
  counters: [...counters].sort(([a], [b]) => (a < b ? -1 : 1)),
  holds: [...holds].sort(([a], [b]) => (a < b ? -1 : 1)),
});

/** So many that those of the request itself are spilled. */
const CROWD = Object.fromEntries(Array.from({ length: 62 }, (_, index) => [`x.${index}`, 'x']));

type Hear = (judge: Judge, ruling: Ruling) => Observer | undefined;

/** Holds the matcher against the interpreter. @throws where they differ */
function compare(
  options: { numRuns: number; seed?: number; endOnFailure?: boolean },
  hear: Hear = () => undefined,
): void {
  fc.assert(
    fc.property(
      wideFenceText,
      wideRepeatingLog,
      fc.record({
        cut: fc.nat(14),
        hasTable: fc.boolean(),
        categories: fc.constantFrom(...CATEGORIES),
        people: fc.constantFrom(undefined, undefined, ...PEOPLE),
        gate: fc.constantFrom(undefined, undefined, undefined, 'out', 'a'),
        isTimeUnknown: fc.boolean(),
        isSpilled: fc.boolean(),
      }),
      (text, given, { cut, hasTable, categories, people, gate, isTimeUnknown, isSpilled }) => {
        const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
        expect(diagnostics).toEqual([]);
        const judge: Judge = { rulebook: rulebook!, ...(hasTable ? { countries } : {}), categories, people, gate };
        const log = given.map(({ t, attributes }, index): LogRecord => ({
          line: index + 1,
          atUnixMs: t,
          attributes: { ...(isSpilled && index === 0 ? CROWD : {}), ...(attributes as Attributes) },
        }));
        const interpret = (record: LogRecord, state: State): Ruling => {
          const { client: _, country: __, ...ruling } = decide(judge, normalizeRequest(record), state);
          return ruling;
        };
        const state = new State();
        const expected = log.map((record) => interpret(record, state));

        const memory = new Memory();
        const program = new Program(judge);
        const matcher = new Matcher(program, memory);
        expect(log.map((record) => matcher.judge(normalizeRequest(record)))).toEqual(expected);
        expect(inOrder(memory.store())).toEqual(inOrder(state.store()));

        const fromChunks = judgeChunks(judge, log, cut);
        expect(fromChunks.rulings).toEqual(expected);
        expect(inOrder(fromChunks.memory.store())).toEqual(inOrder(state.store()));

        if (isTimeUnknown) {
          const record = { ...log[0]!, isTimeUnknown };
          const ruling = new Matcher(program, new Memory()).judge(normalizeRequest(record));
          expect(ruling).toEqual(interpret(record, new State()));
        }
        const before = new State();
        log.forEach((record, index) => decide(judge, normalizeRequest(record), before, hear(judge, expected[index]!)));
      },
    ),
    options,
  );
}

/** What the generator reaches, so that agreement means something. */
class Coverage {
  readonly #counts = new Map<string, number>();
  numDecisions = 0;

  readonly hear: Hear = (judge, ruling) => {
    this.numDecisions += 1;
    this.#see(ruling.outcome);
    const first = judge.rulebook.gates.find(({ statement }) => statement.name === ruling.gate)?.fences[0]?.name;
    if (ruling.rule !== undefined && (ruling.rule !== 'r0' || ruling.fence !== first))
      this.#see('below the first rule');
    const asked = (condition: Condition, subject: Subject): void => {
      if (condition.kind === 'not') asked(condition.part, subject);
      else if (condition.kind === 'and' || condition.kind === 'or')
        condition.parts.forEach((part) => asked(part, subject));
      else if (condition.kind === 'comparison')
        this.#seeComparison(condition, evaluateComparison(condition, subject, judge.rulebook));
    };
    return {
      rule: (fence, rule, verdict, subject) => {
        asked(rule.condition, subject);
        if (ruling.fence === fence.name && ruling.rule === rule.name && verdict === 'matched')
          this.#see(`decided by ${rule.action.kind}`);
        if (verdict === 'matched') this.#see(`matched ${rule.action.kind}`);
      },
    };
  };

  /** Without what turns it round. */
  #seeComparison({ field, operator, isNegated }: Comparison, truth: Truth): void {
    this.#see(`${kindOf(field)} ${operator}: ${isNegated ? negate(truth) : truth}`);
  }

  #see(what: string): void {
    this.#counts.set(what, (this.#counts.get(what) ?? 0) + 1);
  }

  count(what: string): number {
    return this.#counts.get(what) ?? 0;
  }

  share(what: string): number {
    return this.count(what) / this.numDecisions;
  }

  print(): string {
    const lines = [...this.#counts].sort().map(([what, count]) => `${String(count).padStart(8)}  ${what}`);
    return [`${this.numDecisions} decisions`, ...lines].join('\n');
  }
}

/** What never comes up, by nature or because the kind of value does not know it. */
const NEVER = [
  // Tags are known, and there is always some application and some category, if only that there is none.
  /^tag .*: unknown$/,
  /^application present: (false|unknown)$/,
  /^category present: false$/,
];

/** More than 10,000 requests, always the same; `npm run soak` asks for more of them, others each time. */
const SOAK_RUNS = process.env['JADE_SOAK_RUNS'];
const RUNS = SOAK_RUNS ? { numRuns: Number(SOAK_RUNS) } : { numRuns: 1700, seed: 42 };

describe('the matcher', () => {
  it('decides as the interpreter does, request by request and from stored chunks', () => {
    const coverage = new Coverage();
    compare(RUNS, coverage.hear);
    console.log(coverage.print());
    expect(coverage.numDecisions).toBeGreaterThan(RUNS.numRuns * 5.9);
    if (RUNS.numRuns < 1700) return;
    expect(coverage.share('below the first rule')).toBeGreaterThan(0.2);
    for (const outcome of OUTCOMES) expect(coverage.share(outcome), outcome).toBeGreaterThan(0.01);
    for (const kind of new Set((Object.keys(FIELDS) as FieldName[]).map(kindOf)))
      for (const operator of OPERATORS_OF[kind])
        for (const truth of ['true', 'false', 'unknown']) {
          const what = `${kind} ${operator}: ${truth}`;
          if (!NEVER.some((never) => never.test(what))) expect.soft(coverage.count(what), what).toBeGreaterThan(0);
        }
    for (const action of ['allow', 'block', 'redirect', 'limit', 'warn', 'passphrase', 'challenge'])
      expect(coverage.count(`decided by ${action}`), action).toBeGreaterThan(0);
    for (const action of ['tag', 'observe']) expect(coverage.count(`matched ${action}`), action).toBeGreaterThan(0);
  }, 7_200_000);
});

function causeOf(act: () => void): string {
  try {
    act();
  } catch (error) {
    return String((error as Error).cause);
  }
  return 'nothing was found';
}

describe('a fault in either side is found', () => {
  afterEach(() => vi.restoreAllMocks());

  /** Replaces a method by one that is made from it. */
  const spoil = <T extends object, K extends keyof T & string>(
    of: T,
    method: K,
    make: (original: any) => any,
  ): void => {
    const original = of[method] as (...given: unknown[]) => unknown;
    const spoiled = make(original) as (this: T, ...given: unknown[]) => unknown;
    vi.spyOn(of as any, method).mockImplementation(function (this: T, ...given: unknown[]) {
      return spoiled.apply(this, given);
    });
  };

  it.each<[string, () => void]>([
    [
      'an unknown value satisfies nothing',
      () =>
        spoil(
          AtomIndex.prototype,
          'ask',
          (ask) =>
            function (this: AtomIndex, value: unknown, heard: unknown) {
              if (value !== undefined) ask.call(this, value, heard);
            },
        ),
    ],
    [
      'a set of domains holds the name without those below',
      () =>
        spoil(
          DomainIndex.prototype,
          'add',
          (add) =>
            function (this: DomainIndex, atom: number, operator: string, ...rest: unknown[]) {
              if (operator !== 'under') add.call(this, atom, operator, ...rest);
            },
        ),
    ],
    [
      'exceptions from addresses are forgotten',
      () =>
        spoil(
          AddressIndex.prototype,
          'ask',
          (ask) =>
            function (this: AddressIndex, address: { value: bigint }, hear: unknown) {
              return ask.call(this, { ...address, value: address.value - (address.value % 4n) }, hear);
            },
        ),
    ],
    [
      'text is asked in one case',
      () =>
        spoil(
          TextIndex.prototype,
          'ask',
          (ask) =>
            function (this: TextIndex, text: string, hear: unknown) {
              return ask.call(this, text.toLowerCase(), hear);
            },
        ),
    ],
    [
      'the last rule that a value leads to is lost',
      () =>
        spoil(
          Stage.prototype,
          'leadsFor',
          (leadsFor) =>
            function (this: Stage, group: number, number: number) {
              const start = leadsFor.call(this, group, number);
              if (this.ends[group]![number]! > start) this.ends[group]![number]! -= 1;
              return start;
            },
        ),
    ],
    [
      'tags of trial rules are seen by all',
      () =>
        spoil(
          Trace.prototype,
          'tagsAt',
          (tagsAt) =>
            function (this: Trace, place: number) {
              const { byAll } = tagsAt.call(this, place);
              return { byActing: byAll, byAll };
            },
        ),
    ],
    [
      'a limit lets one more pass',
      () =>
        spoil(
          Memory.prototype,
          'count',
          (count) =>
            function (this: Memory, ...[limit, key, at, window]: Parameters<Memory['count']>) {
              return count.call(this, limit, key, at, { ...window, max: window.max + 1 });
            },
        ),
    ],
    [
      'a window holds its own beginning',
      () =>
        spoil(
          State.prototype,
          'count',
          (count) =>
            function (this: State, key: string, at: number, limit: { windowMs: number }) {
              return count.call(this, key, at, { ...limit, windowMs: limit.windowMs + 1 });
            },
        ),
    ],
    [
      'an unknown key is counted like another',
      () =>
        spoil(
          KeyNumbers.prototype,
          'read',
          (read) =>
            function (this: KeyNumbers, reading: Reading) {
              const number = read.call(this, reading);
              const somebody = new Reading({ ...reading.attributes, 'user.name': 'x' });
              return number === UNKNOWN_KEY ? read.call(this, somebody) : number;
            },
        ),
    ],
    [
      'what is encrypted is seen',
      () =>
        spoil(
          Program.prototype,
          'stageOf',
          (stageOf) =>
            function (this: Program, seat: unknown) {
              const stage = stageOf.call(this, seat);
              return stage > 1 && this.stages[stage >> 1]!.stage.isHidden ? stage - 2 : stage;
            },
        ),
    ],
    [
      'the interpreter takes none for unknown',
      () =>
        spoil(
          View.prototype,
          'get',
          (get) =>
            function (this: View, ...given: unknown[]) {
              return get.call(this, ...given) ?? undefined;
            },
        ),
    ],
    [
      'classes that differ are taken for one',
      () =>
        spoil(
          Group.prototype,
          'degreeOf',
          (degreeOf) =>
            function (this: Group, number: number, atom: number) {
              return degreeOf.call(this, number > 0 ? number - 1 : number, atom);
            },
        ),
    ],
  ])(
    '%s',
    (_, seed) => {
      seed();
      // Found as two decisions that differ, not as something that broke.
      expect(causeOf(() => compare({ numRuns: 500, seed: 4711, endOnFailure: true }))).toMatch(/to deeply equal/);
    },
    60_000,
  );
});
