import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkFilter, collectRuleLookups, readRule } from '../check/check-filter.js';
import { checkFences } from '../check/check-fences.js';
import { decide } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { printCondition } from '../language/condition-text.js';
import { Program } from '../match/compile/program.js';
import { createCountryTable } from '../reference/country-table.js';
import { parseCountryRows } from '../reference/country-rows.js';
import { fenceText, repeatingLog, wideFenceText, wideRepeatingLog } from '../test/arbitrary-fences.js';
import { chunkOf } from '../test/chunk-of.js';
import { countCountries } from '../test/count-countries.js';
import { resolveRule, countMatches, countsInOrder } from './count-matches.js';
import { CountryCounter } from './country-counter.js';
import { DecisionFilter } from './decision-filter.js';
import { filterChunk } from './filter-decisions.js';
import { MatchCounter } from './match-counter.js';
import { ChunkReplay } from './replay-chunk.js';

function recordsOf(log: readonly { readonly t: number; readonly attributes: object }[]): LogRecord[] {
  return log.map(({ t, attributes }, index) => ({
    line: index + 1,
    atUnixMs: t,
    attributes: attributes as Attributes,
  }));
}

describe('counting the requests that a condition about tags is true of', () => {
  it('counts what judging every request by all rules would', () => {
    let [tagged, inOrder] = [0, 0];
    fc.assert(
      fc.property(fenceText, repeatingLog, (text, log) => {
        const judge = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook! };
        const tags = [...new Set([...text.matchAll(/\btag ([a-z]+)/g)].map(([, tag]) => tag!))];
        const rule = readRule(`rule r block when tag in ${(tags.length > 0 ? tags : ['none']).join(', ')}`);
        const requested = resolveRule(judge.rulebook, rule, collectRuleLookups(rule, judge.rulebook));
        const records = recordsOf(log);
        const state = new State();
        const decisions = records.map((record) => decide(judge, normalizeRequest(record), state));
        const wanted = decisions.filter(
          (decision) => decision.outcome !== 'uncovered' && decision.tags.length > 0,
        ).length;
        expect(countMatches(judge, requested, records, undefined, new State()).matching).toBe(wanted);
        tagged += wanted;
        if (wanted > 0 && countsInOrder(requested)) inOrder += 1;
      }),
      { numRuns: 400, seed: 4 },
    );
    // What the generator reaches, so that agreement means something.
    expect(tagged).toBeGreaterThan(100);
    expect(inOrder).toBeGreaterThan(10);
  });

  it('goes in the order of time only if a stateful rule precedes one that sets a tag', () => {
    const inOrder = (...rules: string[]): boolean => {
      const text = `gate g inbound { hosts a.example fences f otherwise allow }\nfence f enforce {\n${rules.join('\n')}\n}`;
      const rulebook = checkFences([{ path: 'f.fence', text }], []).rulebook!;
      const rule = readRule('rule r block when tag = seen');
      return countsInOrder(resolveRule(rulebook, rule, new Map()));
    };
    const [tag, limit] = ['rule t tag seen when always', 'rule l limit 1 per 1m by client when always'];
    expect([inOrder(tag, limit), inOrder(limit, tag), inOrder(tag), inOrder(limit)]).toEqual([
      false,
      true,
      false,
      false,
    ]);
    expect(inOrder(tag, 'rule l limit 1 per 1m by client across gates when always')).toBe(true);
  });
});

describe('counting in columns', () => {
  const countries = createCountryTable(
    parseCountryRows('198.18.0.0/16,NO\n203.0.113.0/24,SE\n2001:db8::/32,DK').ranges,
  );

  it('counts the requests that satisfy a condition as evaluating each of them does', () => {
    const seen = { matching: 0, unknown: 0, others: 0 };
    fc.assert(
      fc.property(wideFenceText, wideRepeatingLog, fc.boolean(), (text, log, isOfOneGate) => {
        const judge = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook!, countries };
        const records = recordsOf(log);
        const rows = chunkOf(records);
        const gates = isOfOneGate ? new Set([judge.rulebook.gates[0]!.statement.name]) : undefined;
        const rules = judge.rulebook.gates.flatMap(({ fences }) => fences.flatMap((fence) => fence.rules));
        for (const rule of rules.slice(0, 4)) {
          const requested = resolveRule(judge.rulebook, rule, collectRuleLookups(rule, judge.rulebook));
          if (requested.tagging || !rows) continue;
          const counter = new MatchCounter(judge, requested, gates);
          const expected = countMatches(judge, requested, records, gates, new State());
          // The second time it has seen the values.
          expect([counter.count(rows), counter.count(rows)]).toEqual([expected, expected]);
          seen.matching += expected.matching;
          seen.unknown += expected.unknown;
          seen.others += expected.requests - expected.matching - expected.unknown;
        }
      }),
      { numRuns: 400, seed: 5 },
    );
    for (const count of Object.values(seen)) expect(count).toBeGreaterThan(300);
  });

  it('leaves out requests outside the hours of a rule, and after its end', () => {
    const text = [
      'schedule day { mon-fri 08:00-17:00 }',
      'gate g inbound { hosts a.example fences f otherwise allow }',
      'fence f enforce { }',
    ].join('\n');
    const judge = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook! };
    const records = [7, 9, 16, 18].map((hour, index): LogRecord => {
      const attributes = { 'http.request.header.host': ['a.example'], 'url.path': '/' };
      return { line: index + 1, atUnixMs: Date.UTC(2026, 9, 12, hour), attributes };
    });
    const matching = (rest: string): number[] => {
      const rule = readRule(`rule r block when always ${rest}`);
      const requested = resolveRule(judge.rulebook, rule, collectRuleLookups(rule, judge.rulebook));
      const inColumns = new MatchCounter(judge, requested, undefined).count(chunkOf(records)!);
      return [inColumns.matching, countMatches(judge, requested, records, undefined, new State()).matching];
    };
    expect(matching('')).toEqual([4, 4]);
    expect(matching('during day')).toEqual([2, 2]);
    expect(matching('outside day')).toEqual([2, 2]);
    expect(matching('until 2026-10-12T10:00:00Z')).toEqual([2, 2]);
    expect(matching('during day until 2026-10-11')).toEqual([0, 0]);
  });

  it('finds the decisions that satisfy a filter as evaluating each of them does', () => {
    const seen = { found: 0, others: 0 };
    const decided = fc.constantFrom(
      'outcome = blocked',
      'rule present',
      'tag absent',
      'gate absent',
      'would present',
      'recorded status < 400',
      'not recorded status present',
    );
    fc.assert(
      fc.property(
        wideFenceText,
        wideRepeatingLog,
        decided,
        fc.constantFrom('and', 'or'),
        (text, log, where, joined) => {
          const judge = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook!, countries };
          const rows = chunkOf(recordsOf(log));
          if (!rows) return;
          const replay = new ChunkReplay(new Program(judge));
          const { codes } = replay.judge([rows]);
          const { rulings } = replay.table;
          const rules = judge.rulebook.gates.flatMap(({ fences }) => fences.flatMap((fence) => fence.rules));
          for (const { condition } of rules.slice(0, 4)) {
            const requested = `${where} ${joined} (${printCondition(condition)})`;
            const { filter } = checkFilter(requested, judge.rulebook);
            // "always" is used alone.
            if (!filter) continue;
            const expected = filterChunk(filter, judge, rows, codes, rulings);
            expect([requested, new DecisionFilter(filter, judge, rulings).select(rows, codes)]).toEqual([
              requested,
              expected,
            ]);
            seen.found += expected.length;
            seen.others += rows.numRows - expected.length;
          }
        },
      ),
      { numRuns: 400, seed: 7 },
    );
    for (const count of Object.values(seen)) expect(count).toBeGreaterThan(300);
  });

  it('of requests by country counts what resolving each of them does', () => {
    const seen = new Set<string>();
    fc.assert(
      fc.property(wideFenceText, wideRepeatingLog, (text, log) => {
        const judge = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook!, countries };
        const rows = chunkOf(recordsOf(log));
        if (!rows) return;
        const expected = countCountries(judge, rows);
        expect(new CountryCounter(judge).count(rows)).toEqual(expected);
        for (const country of expected.keys()) seen.add(country);
      }),
      { numRuns: 400, seed: 6 },
    );
    expect(seen.size).toBeGreaterThan(3);
  });
});
