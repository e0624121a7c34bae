import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { ASPECTS } from '../decide/aspects.js';
import { decide, type EvaluationContext } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import { CounterStore } from '../match/counters/counter-store.js';
import { Program } from '../match/compile/program.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { CATEGORIES, COUNTRIES, CROWD } from '../test/compare-evaluators.js';
import { wideFenceText, wideRepeatingLog } from '../test/arbitrary-fences.js';
import { chunkOf } from '../test/chunk-of.js';
import { Breakdown } from './breakdown.js';
import { SequentialReplay } from '../test/replay.js';
import { ChunkReplay } from './replay-chunk.js';
import { addBreakdown, addValue, BREAKDOWNS, createTally, sortValues, trimTally } from './tally.js';

describe('what requests are counted by', () => {
  it('is for stored chunks what it is for each request by itself', () => {
    const seen = new Map<string, Set<string>>(BREAKDOWNS.map((name) => [name, new Set()]));
    fc.assert(
      fc.property(
        wideFenceText,
        wideRepeatingLog,
        fc.record({ cut: fc.nat(14), categories: fc.constantFrom(...CATEGORIES), isCrowded: fc.boolean() }),
        (text, records, { cut, categories, isCrowded }) => {
          const { rulebook } = checkFences([{ path: 'f.fence', text }], [], { categories: categories?.names });
          const context: EvaluationContext = {
            rulebook: rulebook!,
            categories,
            ...(cut % 3 === 0 ? {} : { countries: COUNTRIES }),
          };
          const log = records.map(({ t, attributes }, index): LogRecord => ({
            line: index + 1,
            atUnixMs: t,
            attributes: { ...(isCrowded ? CROWD : {}), ...(attributes as Attributes) },
          }));
          const whole = new SequentialReplay(context);
          for (const record of log) whole.next(record);

          const parts = [log.slice(0, cut), log.slice(cut)].flatMap((part) => chunkOf(part) ?? []);
          const together = new Breakdown(context);
          const replay = new ChunkReplay(new Program(context), new CounterStore(), undefined, together);
          const tally = createTally();
          for (const rows of parts) {
            replay.judge([rows]);
            if (cut % 2 === 0) addBreakdown(tally, together.take());
          }
          addBreakdown(tally, together.take());
          expect(tally.by).toEqual(whole.tally.by);

          const breakdown = new Breakdown(context);
          const state = new State();
          for (const request of log.map(normalizeRequest))
            breakdown.countRequest(request, decide(context, request, state));
          expect(breakdown.take()).toEqual(whole.tally.by);

          // The same rows of both chunks together, in the same order.
          const chunkIndex = parts.flatMap((rows, chunk) => Array.from({ length: rows.numRows }, () => chunk));
          const rowIndex = parts.flatMap((rows) => Array.from({ length: rows.numRows }, (_, row) => row));
          const sequence = { chunkOf: Uint32Array.from(chunkIndex), rowOf: Uint32Array.from(rowIndex) };
          new ChunkReplay(new Program(context), new CounterStore(), undefined, breakdown).judge(parts, sequence);
          expect(breakdown.take()).toEqual(whole.tally.by);

          for (const [name, { values }] of Object.entries(tally.by))
            for (const value of Object.keys(values)) seen.get(name)!.add(value);
        },
      ),
      // A fixed seed, since what is reached is asserted.
      { numRuns: 150, seed: 91 },
    );
    // What the generator reaches, so that agreement means something.
    for (const aspect of ASPECTS.filter((item) => item !== 'status')) {
      expect([aspect, [...seen.get(aspect)!].includes('(unknown)')]).toEqual([aspect, true]);
      expect([aspect, seen.get(aspect)!.size >= 3]).toEqual([aspect, true]);
    }
    expect(seen.get('application')).toContain('tls');
    expect(seen.get('category')).toContain('games');
  }, 60_000);

  it('adds up to the number of requests, however many values there are, and keeps those with most', () => {
    const tally = createTally();
    for (let client = 0; client < 60_000; client += 1) addValue(tally, 'client', `c${client}`, 'allowed', 1);
    addValue(tally, 'client', 'c7', 'blocked', 5);
    const { client } = tally.by;
    expect([client!.numValues, client!.others]).toEqual([50_000, { allowed: 10_000 }]);
    trimTally(tally, 2);
    expect(sortValues(client!)).toEqual([
      ['c7', { allowed: 1, blocked: 5 }, 6],
      ['c0', { allowed: 1 }, 1],
    ]);
    expect(client!.others).toEqual({ allowed: 59_998 });
  });
});
