/**
 * One engine answers questions about several logs, one after the other and in turns, with bounds so small that every one
 * of them is crossed; each answer must be that of a new engine with the usual bounds.
 */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { DEFAULT_BOUNDS, withBounds, type EngineBounds } from '../bounds.js';
import { checkFences } from '../check/check-fences.js';
import { checkFilter, collectRuleLookups, readRule } from '../check/check-filter.js';
import { ChunkRows } from '../columns/chunk.js';
import { SegmentDictionaries } from '../columns/segment-dictionaries.js';
import { SegmentWriter } from '../columns/segment-writer.js';
import type { Ruling } from '../decide/decision.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import { CounterStore } from '../match/counters/counter-store.js';
import { Program } from '../match/compile/program.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { SurveyBuilder } from '../survey/survey.js';
import { wideFenceText, wideRepeatingLog } from '../test/arbitrary-fences.js';
import { CATEGORIES, COUNTRIES } from '../test/compare-evaluators.js';
import { Breakdown } from './breakdown.js';
import { DecisionComparison } from './comparison.js';
import { resolveRule } from './count-matches.js';
import { DecisionFilter } from './decision-filter.js';
import { MatchCounter } from './match-counter.js';
import { ChunkReplay } from './replay-chunk.js';
import { addBreakdown, createTally } from './tally.js';

const tiny = fc.constantFrom(1, 2, 3, 7);
const tinyPower = fc.constantFrom(1, 2, 4, 8);
/** Every bound, small. Those that must be powers of two are. */
const tinyBounds: fc.Arbitrary<EngineBounds> = fc.record({
  chunkRows: tiny,
  segmentChunks: tiny,
  dictionaryBytes: fc.constantFrom(1, 40, 1000),
  valueColumns: fc.constantFrom(1, 2, 3, 7, 64),
  writerRows: tiny,
  kernelRows: tinyPower,
  kernelEntries: tinyPower,
  kernelBytes: tinyPower,
  kernelValueBytes: tinyPower,
  keptCodes: tiny,
  keptTexts: tiny,
  keptTables: tiny,
  classes: tiny,
  classEntries: tiny,
  keys: tiny,
  texts: tiny,
  classRoom: tinyPower,
  truthWords: tiny,
  pairPlaces: fc.constantFrom(2, 4, 8),
  candidateRoom: tiny,
  listRoom: tiny,
  setRoom: tiny,
  counts: tiny,
  setRounds: tiny,
  insertionSort: fc.constantFrom(0, 1, 2, 7),
  indexedEntries: tiny,
  counters: tiny,
  pageBits: fc.constantFrom(0, 1, 2),
  ringRoom: tinyPower,
  sweptKeys: tiny,
  progressRows: tiny,
});

const RULE = 'rule counted observe when path under /a or client in 198.18.0.0/29 and not host = b.example';
const FILTER = 'outcome = allowed and not path under /a or country in NO and method = GET';

type Log = readonly LogRecord[];

function chunksOf(log: Log): ChunkRows[] {
  const writer = new SegmentWriter();
  const encoded = log.flatMap((record) => {
    writer.push(record);
    return writer.isChunkFull ? [writer.endChunk()!] : [];
  });
  const last = writer.endChunk();
  let dictionaries = new SegmentDictionaries();
  return [...encoded, ...(last ? [last] : [])].map((chunk) => {
    if (chunk.beginsSegment) dictionaries = new SegmentDictionaries();
    for (const [name, part] of chunk.dictionaries) dictionaries.add(name, part);
    return new ChunkRows(chunk.numRows, chunk.columns, dictionaries);
  });
}

/** Every query of stored logs; what is compiled is kept. */
class Engine {
  readonly #program: Program;
  readonly #breakdown: Breakdown;
  readonly #counter: MatchCounter;

  constructor(private readonly context: EvaluationContext) {
    this.#program = new Program(context);
    this.#breakdown = new Breakdown(context);
    const matching = readRule(RULE);
    const requested = resolveRule(context.rulebook, matching, collectRuleLookups(matching, context.rulebook));
    this.#counter = new MatchCounter(context, requested, undefined);
  }

  /** Replays of several logs, chunk by chunk in turns. @returns the rulings of each, and how they are counted */
  replay(logs: readonly (readonly ChunkRows[])[]): { rulings: Ruling[]; codes: Uint32Array; outcomes: unknown }[] {
    const replays = logs.map(() => new ChunkReplay(this.#program, new CounterStore()));
    const codes = logs.map(() => [] as number[]);
    for (let turn = 0; logs.some((chunks) => turn < chunks.length); turn += 1)
      logs.forEach((chunks, log) => {
        const rows = chunks[turn];
        if (rows) codes[log]!.push(...replays[log]!.judge([rows]).codes);
      });
    return replays.map(({ table }, log) => ({
      rulings: codes[log]!.map((code) => table.rulings[code]!),
      codes: Uint32Array.from(codes[log]!),
      outcomes: this.#countBy(logs[log]!, Uint32Array.from(codes[log]!), table.rulings),
    }));
  }

  #countBy(chunks: readonly ChunkRows[], codes: Uint32Array, rulings: readonly Ruling[]): unknown {
    const tally = createTally();
    let first = 0;
    for (const rows of chunks) {
      const codesOfRows = codes.subarray(first, (first += rows.numRows));
      this.#breakdown.count([rows], codesOfRows, rulings, rows.timesUnixMs(), undefined);
      addBreakdown(tally, this.#breakdown.take());
    }
    return tally.by;
  }

  /** The rows of a log that a filter finds. */
  filter(chunks: readonly ChunkRows[], rulings: readonly Ruling[]): number[] {
    const { filter } = checkFilter(FILTER, this.context.rulebook);
    const decisionFilter = new DecisionFilter(filter!, this.context, rulings);
    let first = 0;
    return chunks.flatMap((rows) => {
      const codes = Uint32Array.from({ length: rows.numRows }, (_, row) => first + row);
      const selected = [...decisionFilter.select(rows, codes)].map((row) => row + first);
      first += rows.numRows;
      return selected;
    });
  }

  count(chunks: readonly ChunkRows[]): unknown {
    return chunks
      .map((rows) => this.#counter.count(rows))
      .reduce((sum, matches) => ({
        matching: sum.matching + matches.matching,
        unknown: sum.unknown + matches.unknown,
        requests: sum.requests + matches.requests,
      }));
  }
}

function survey(chunks: readonly ChunkRows[]): unknown {
  const builder = new SurveyBuilder(COUNTRIES);
  for (const rows of chunks) builder.addChunk(rows);
  return builder.finish();
}

function compare(before: readonly Ruling[], after: readonly Ruling[]): unknown {
  const numRows = Math.min(before.length, after.length);
  const codes = Uint32Array.from({ length: numRows }, (_, row) => row);
  const redirectOf = ({ rule }: Ruling): string | undefined => rule;
  const comparison = new DecisionComparison(before, after, { before: redirectOf, after: redirectOf });
  return [[...comparison.add(codes, codes)], comparison.tally({})];
}

/** All questions about all logs. */
function answers(engine: Engine, logs: readonly Log[]): unknown {
  const chunks = logs.map(chunksOf);
  const replays = engine.replay(chunks);
  return logs.map((_, log) => ({
    rulings: replays[log]!.rulings,
    by: replays[log]!.outcomes,
    filtered: engine.filter(chunks[log]!, replays[log]!.rulings),
    counted: engine.count(chunks[log]!),
    survey: survey(chunks[log]!),
    compared: compare(replays[0]!.rulings, replays[log]!.rulings),
  }));
}

const SOAK_RUNS = process.env['JADE_SOAK_RUNS'];
const LOGS = 16;
/** Up to two thousand logs, each queried twice; `npm run soak` runs ten thousand and more. */
const RUNS = SOAK_RUNS
  ? { numRuns: Number(SOAK_RUNS), interruptAfterTimeLimit: 7_200_000 }
  : { numRuns: 2_000 / LOGS, seed: 17, interruptAfterTimeLimit: 40_000 };

it('a warm engine with bounds of a few rows answers as a new one with the usual bounds', () => {
  let numAnswered = 0;
  fc.assert(
    fc.property(
      wideFenceText,
      fc.array(wideRepeatingLog, { minLength: LOGS, maxLength: LOGS }),
      tinyBounds,
      fc.constantFrom(...CATEGORIES),
      (text, drawn, bounds, categories) => {
        const { rulebook } = checkFences([{ path: 'f.fence', text }], []);
        const context: EvaluationContext = { rulebook: rulebook!, countries: COUNTRIES, categories };
        const logs = drawn.map((log) =>
          log.map(({ t, attributes }, index): LogRecord => ({
            line: index + 1,
            atUnixMs: t,
            attributes: attributes as Attributes,
          })),
        );
        const expected = withBounds(DEFAULT_BOUNDS, () => logs.map((log) => answers(new Engine(context), [log])));
        const warm = withBounds(bounds, () => {
          const engine = new Engine(context);
          return [answers(engine, logs), answers(engine, logs.toReversed())];
        });
        const alone = (all: unknown): unknown[] =>
          (all as Record<string, unknown>[]).map(({ compared: _, ...answer }) => answer);
        const each = expected.flatMap(alone);
        expect(alone(warm[0])).toEqual(each);
        expect(alone(warm[1])).toEqual(each.toReversed());
        const all = withBounds(DEFAULT_BOUNDS, () => answers(new Engine(context), logs));
        expect(warm[0]).toEqual(all);
        numAnswered += logs.length * 2;
      },
    ),
    RUNS,
  );
  expect(numAnswered).toBeGreaterThan(SOAK_RUNS ? RUNS.numRuns * LOGS : LOGS);
}, 7_200_000);
