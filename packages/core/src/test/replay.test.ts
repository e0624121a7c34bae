import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { State, type StoredState } from '../decide/state.js';
import { explainRequest } from '../explain/explain.js';
import { parseCountryRows } from '../reference/country-rows.js';
import { createCountryTable } from '../reference/country-table.js';
import { OUTCOMES } from '../language/outcomes.js';
import { CounterStore } from '../match/counters/counter-store.js';
import { Program } from '../match/compile/program.js';
import { normalizeRequest } from '../request/request.js';
import type { LogRecord } from '../request/record.js';
import { attributes, fenceText } from './arbitrary-fences.js';
import { toDecidedRecord } from '../replay/decided-record.js';
import { chunkOf } from './chunk-of.js';
import { Breakdown } from '../replay/breakdown.js';
import { ChunkReplay } from '../replay/replay-chunk.js';
import { forEachDelayed } from '../replay/delays.js';
import { SequentialReplay } from './replay.js';
import { RulingTable } from '../replay/ruling-table.js';
import { summarize } from '../replay/summary.js';
import { addBreakdown, addTally, createTally } from '../replay/tally.js';
import { addToTimeline, coarsenTimeline, createTimeline } from '../replay/timeline.js';

const countries = createCountryTable(parseCountryRows('198.18.0.0/30,NO\n198.18.0.4/30,SE\n2001:db8::/32,NO').ranges);
const records = fc
  .array(attributes, { minLength: 1, maxLength: 20 })
  .map((all) => all.map((item, index): LogRecord => ({ line: index + 1, atUnixMs: index * 1000, attributes: item })));

describe('random fences over random requests', () => {
  it('decide the same from stored chunks as from records, in parts as in the whole, and as explained', () => {
    const seen = { outcomes: new Set<string>(), numBelowFirst: 0, numBlind: 0, numWould: 0, numDecisions: 0 };
    fc.assert(
      fc.property(fenceText, records, fc.nat(19), fc.boolean(), (text, log, cut, hasTable) => {
        const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
        expect(diagnostics).toEqual([]);
        const judge = { rulebook: rulebook!, ...(hasTable ? { countries } : {}) };
        const whole = new SequentialReplay(judge);
        const direct = log.map((record) => whole.next(record).decision);

        const table = new RulingTable();
        const tally = createTally();
        const memory = new CounterStore();
        const stored = [log.slice(0, cut), log.slice(cut)].flatMap((part) => {
          const rows = chunkOf(part);
          if (!rows) return [];
          const breakdown = new Breakdown(judge);
          const replay = new ChunkReplay(new Program(judge), memory, table, breakdown);
          const judged = replay.judge([rows]);
          addTally(tally, judged.tally);
          const waits = new Map<number, readonly number[]>();
          forEachDelayed(judged, table.rulings, (row, waitsMs) => waits.set(row, waitsMs));
          addBreakdown(tally, breakdown.take());
          return [...judged.codes].map((code, row) => ({ ...table.rulings[code]!, waitsMs: waits.get(row) }));
        });
        expect(stored).toEqual(direct.map(({ client: _client, country: _country, ...ruling }) => ruling));
        expect({ ...tally, evaluations: {} }).toEqual(whole.tally);
        const numRequested = Object.values(tally.evaluations).reduce((sum, times) => sum + times, 0);
        expect(numRequested).toBeLessThanOrEqual(
          log.length * rulebook!.fences.reduce((sum, fence) => sum + fence.rules.length, 0),
        );

        const explained = new State();
        for (const [index, record] of log.entries()) {
          const { decision } = explainRequest(judge, normalizeRequest(record), explained);
          expect(decision).toEqual(stored[index]);
          seen.outcomes.add(decision.outcome);
          seen.numDecisions += 1;
          if (decision.rule !== undefined && decision.rule !== 'r0') seen.numBelowFirst += 1;
          if (decision.blind.length > 0) seen.numBlind += 1;
          if (decision.would.length > 0) seen.numWould += 1;
        }
      }),
      // A fixed seed, since the shares below are asserted.
      { numRuns: 300, seed: 7340 },
    );
    // What the generator reaches, so that agreement means something.
    expect([...seen.outcomes].sort()).toEqual([...OUTCOMES].sort());
    for (const count of [seen.numBelowFirst, seen.numBlind, seen.numWould])
      expect(count / seen.numDecisions).toBeGreaterThan(0.05);
  });

  it('are the same if the state is stored half-way and another replay continues', () => {
    fc.assert(
      fc.property(fenceText, records, fc.nat(), (text, log, cut) => {
        const judge = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook!, countries };
        const whole = new SequentialReplay(judge);
        const expected = log.map((record) => whole.next(record).decision);
        const half = cut % (log.length + 1);
        const before = new SequentialReplay(judge);
        const decided = log.slice(0, half).map((record) => before.next(record).decision);
        const after = new SequentialReplay(
          judge,
          new State(JSON.parse(JSON.stringify(before.state.store())) as StoredState),
        );
        decided.push(...log.slice(half).map((record) => after.next(record).decision));
        expect(decided).toEqual(expected);
      }),
      { numRuns: 200 },
    );
  });
});

describe('a summary', () => {
  it('lists every rule in the order in which requests meet them, uncovered first, also what never matched', () => {
    const text = [
      'gate g inbound { hosts a.example fences two otherwise allow }',
      'fence one enforce { rule idle block when always }',
      'fence two trial { rule gets block when method = GET rule rest off allow when always }',
    ].join('\n');
    const rulebook = checkFences([{ path: 'f.fence', text }], []).rulebook!;
    const replay = new SequentialReplay({ rulebook });
    const evaluate = (atUnixMs: number, host: string, method: string): unknown =>
      replay.next({
        line: 1,
        atUnixMs,
        attributes: { 'url.path': '/', 'http.request.header.host': [host], 'http.request.method': method },
      });
    evaluate(5000, 'a.example', 'GET');
    evaluate(1000, 'a.example', 'GET');
    evaluate(3000, 'a.example', 'POST');
    evaluate(9000, 'b.example', 'GET');
    const summary = summarize(replay.tally, rulebook);
    expect(summary).toMatchObject({
      requests: 4,
      fromUnixMs: 1000,
      toUnixMs: 9000,
      outcomes: [
        { outcome: 'uncovered', requests: 1, share: 0.25 },
        { outcome: 'allowed', requests: 3, share: 0.75 },
      ],
      uncoveredHosts: [{ host: 'b.example', requests: 1 }],
      gates: [{ gate: 'g', requests: 3, stopped: 0, otherwise: 3 }],
      fences: [
        {
          fence: 'two',
          mode: 'trial',
          gates: ['g'],
          rules: [
            { rule: 'gets', hits: 2, decided: 0, would: { blocked: 2 }, firstHitUnixMs: 1000, lastHitUnixMs: 5000 },
            { rule: 'rest', state: 'off', hits: 0 },
          ],
        },
        { fence: 'one', gates: [], rules: [{ rule: 'idle', hits: 0 }] },
      ],
    });
  });
});

describe('names that JavaScript has a meaning for', () => {
  it('are counted and kept like any other, also after a tally was stored', () => {
    const text = [
      'gate constructor inbound { hosts a.example fences valueof otherwise allow }',
      'fence valueof enforce { otherwise block }',
    ].join('\n');
    const rulebook = checkFences([{ path: 'f.fence', text }], []).rulebook!;
    const replay = new SequentialReplay({ rulebook });
    const records = ['a.example', 'constructor', '__proto__', '__proto__'].map((host, index): LogRecord => {
      const attributes = JSON.parse(
        `{"http.request.header.host":["${host}"],"url.path":"/","__proto__":"kept"}`,
      ) as LogRecord['attributes'];
      return { line: index + 1, atUnixMs: 0, attributes };
    });
    const rows = chunkOf(records)!;
    records.forEach((_, row) => replay.next(rows.row(row) as LogRecord));
    const stored = JSON.parse(JSON.stringify(replay.tally)) as typeof replay.tally;
    expect(summarize(stored, rulebook)).toMatchObject({
      outcomes: [
        { outcome: 'uncovered', requests: 3 },
        { outcome: 'blocked', requests: 1 },
      ],
      uncoveredHosts: [
        { host: '__proto__', requests: 2 },
        { host: 'constructor', requests: 1 },
      ],
      gates: [{ gate: 'constructor', requests: 1, stopped: 1 }],
      fences: [{ fence: 'valueof', otherwise: 1 }],
    });
    const written = JSON.stringify(toDecidedRecord(rows.row(0) as LogRecord, replay.next(records[0]!).decision));
    expect(written).toContain('"__proto__":"kept"');
  });
});

describe('a timeline', () => {
  it('keeps every count however long the span', () => {
    const timeline = createTimeline();
    for (let day = 0; day < 20_000; day += 1) addToTimeline(timeline, day * 86_400_000, 'allowed', 1);
    const { steps } = coarsenTimeline(timeline, 96);
    expect(steps.length).toBeLessThanOrEqual(96);
    expect(steps.reduce((sum, step) => sum + (step.outcomes.allowed ?? 0), 0)).toBe(20_000);
  });

  it('has round steps and shows the empty ones', () => {
    const timeline = createTimeline();
    addToTimeline(timeline, Date.UTC(2026, 9, 12, 0, 7), 'allowed', 2);
    addToTimeline(timeline, Date.UTC(2026, 9, 12, 23, 50), 'blocked', 1);
    const { stepMs, steps } = coarsenTimeline(timeline, 96);
    expect([stepMs / 60_000, steps.length, steps[0], steps[1]!.outcomes, steps.at(-1)!.outcomes]).toEqual([
      15,
      96,
      { fromUnixMs: Date.UTC(2026, 9, 12), outcomes: { allowed: 2 } },
      {},
      { blocked: 1 },
    ]);
  });
});
