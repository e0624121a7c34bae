/** Holds the matcher against the interpreter on random fences and logs. */
import fc from 'fast-check';
import { expect } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import type { Ruling } from '../decide/decision.js';
import { decide, HELD_BEHAVIOURS, type EvaluationContext, type Observer } from '../decide/interpreter.js';
import { State, type StoredState } from '../decide/state.js';
import { Matcher } from '../match/run/matcher.js';
import { CounterStore } from '../match/counters/counter-store.js';
import { Program } from '../match/compile/program.js';
import { createCategories } from '../reference/categories.js';
import { parseCategoryFeed } from '../reference/category-lines.js';
import { parseCountryRows } from '../reference/country-rows.js';
import { createCountryTable } from '../reference/country-table.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { wideFenceText, wideRepeatingLog } from './arbitrary-fences.js';
import { chunkOf } from './chunk-of.js';

export const COUNTRIES = createCountryTable(
  parseCountryRows('198.18.0.0/30,NO\n198.18.0.4/30,SE\n2001:db8::/32,NO').ranges,
);
const feedOf = (text: string) => createCategories([parseCategoryFeed('f', text).feed]);
export const CATEGORIES = [
  undefined,
  feedOf('a.example,news\nb.example,games\nc.a.example,games\nc.a.example,news'),
  feedOf('a.example,news\na.example/a,games\nb.example/login,news'),
];

/** Judges a log by rows of stored chunks, cut in two, the second half by a matcher that takes up what the first left. */
function judgeChunks(
  context: EvaluationContext,
  log: readonly LogRecord[],
  cut: number,
): { rulings: Ruling[]; waits: number[][]; memory: CounterStore } {
  const program = new Program(context);
  const rulings: Ruling[] = [];
  const waits: number[][] = [];
  let memory = new CounterStore();
  for (const part of [log.slice(0, cut), log.slice(cut)]) {
    const rows = chunkOf(part);
    if (!rows) continue;
    memory = new CounterStore(memory.store());
    const matcher = new Matcher(program, memory);
    const bench = matcher.open(rows);
    const shown: Ruling[] = [];
    const coding = { codeFor: (ruling: Ruling) => shown.push(ruling) - 1 };
    part.forEach((record, row) => {
      rulings.push(shown[matcher.judgeRow(bench, row, record.atUnixMs, coding)]!);
      waits.push([...matcher.waitsMs]);
    });
  }
  return { rulings, waits, memory };
}

const NEVER = Number.MIN_SAFE_INTEGER;

/** What is kept has no order, quiet counters may be released, and a hold that is over has no effect. */
const inOrder = ({ counters, holds, levels = [] }: StoredState, lastUnixMs: number) => ({
  levels: levels.filter(([, { fullFromUnixMs }]) => fullFromUnixMs > lastUnixMs).sort(([a], [b]) => (a < b ? -1 : 1)),
  counters: counters
    .filter(([, { quietFromUnixMs }]) => quietFromUnixMs > lastUnixMs)
    .map(([key, counter]) => {
      const heldUntilUnixMs = counter.heldUntilUnixMs > lastUnixMs ? counter.heldUntilUnixMs : NEVER;
      return [key, { ...counter, heldUntilUnixMs }] as const;
    })
    .sort(([a], [b]) => (a < b ? -1 : 1)),
  holds: holds.filter(([, until]) => until > lastUnixMs).sort(([a], [b]) => (a < b ? -1 : 1)),
});

/** So many that those of the request itself are spilled. */
export const CROWD = Object.fromEntries(Array.from({ length: 62 }, (_, index) => [`x.${index}`, 'x']));

export type Receive = (context: EvaluationContext, ruling: Ruling) => Observer | undefined;

/** Holds the matcher against the interpreter. @throws where they differ */
export function compareEvaluators(
  options: Pick<fc.Parameters, 'numRuns' | 'seed' | 'endOnFailure' | 'interruptAfterTimeLimit'>,
  receive: Receive = () => undefined,
): void {
  fc.assert(
    fc.property(
      wideFenceText,
      wideRepeatingLog,
      fc.record({
        cut: fc.nat(14),
        hasTable: fc.boolean(),
        categories: fc.constantFrom(...CATEGORIES),
        held: fc.constantFrom(undefined, undefined, ...HELD_BEHAVIOURS),
        gate: fc.constantFrom(undefined, undefined, undefined, 'out', 'a'),
        isTimeUnknown: fc.boolean(),
        isSpilled: fc.boolean(),
      }),
      (text, given, { cut, hasTable, categories, held, gate, isTimeUnknown, isSpilled }) => {
        const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
        expect(diagnostics).toEqual([]);
        const context: EvaluationContext = {
          rulebook: rulebook!,
          ...(hasTable ? { countries: COUNTRIES } : {}),
          categories,
          held,
          gate,
        };
        const log = given.map(({ t, attributes }, index): LogRecord => ({
          line: index + 1,
          atUnixMs: t,
          attributes: { ...(isSpilled && index === 0 ? CROWD : {}), ...(attributes as Attributes) },
        }));
        const interpret = (record: LogRecord, state: State): Ruling => {
          const { client: _, country: __, waitsMs: ___, ...ruling } = decide(context, normalizeRequest(record), state);
          return ruling;
        };
        const waiting = new State();
        const waits = log.map((record) => decide(context, normalizeRequest(record), waiting).waitsMs ?? []);
        const state = new State();
        const expected = log.map((record) => interpret(record, state));

        const memory = new CounterStore();
        const program = new Program(context);
        const matcher = new Matcher(program, memory);
        const judged = log.map((record) => ({
          ruling: matcher.judge(normalizeRequest(record)),
          waitsMs: [...matcher.waitsMs],
        }));
        expect(judged.map(({ ruling }) => ruling)).toEqual(expected);
        expect(judged.map(({ waitsMs }) => waitsMs)).toEqual(waits);
        const last = log.at(-1)!.atUnixMs;
        expect(inOrder(memory.store(), last)).toEqual(inOrder(state.store(), last));

        const fromChunks = judgeChunks(context, log, cut);
        expect(fromChunks.rulings).toEqual(expected);
        expect(fromChunks.waits).toEqual(waits);
        expect(inOrder(fromChunks.memory.store(), last)).toEqual(inOrder(state.store(), last));

        if (isTimeUnknown) {
          const record = { ...log[0]!, isTimeUnknown };
          const ruling = new Matcher(program, new CounterStore()).judge(normalizeRequest(record));
          expect(ruling).toEqual(interpret(record, new State()));
        }
        const before = new State();
        log.forEach((record, index) =>
          decide(context, normalizeRequest(record), before, receive(context, expected[index]!)),
        );
      },
    ),
    options,
  );
}
