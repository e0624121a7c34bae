import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { collectRuleLookups, readCondition } from '../check/check-filter.js';
import { checkFences } from '../check/check-fences.js';
import { decide } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { fenceText, repeatingLog } from '../test/arbitrary-fences.js';
import { askCondition, countMatches, countsInOrder } from './count-matches.js';

describe('counting the requests that a condition about tags is true of', () => {
  it('counts what judging every request by all rules would', () => {
    let [tagged, inOrder] = [0, 0];
    fc.assert(
      fc.property(fenceText, repeatingLog, (text, log) => {
        const judge = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook! };
        const tags = [...new Set([...text.matchAll(/\btag ([a-z]+)/g)].map(([, tag]) => tag!))];
        const condition = readCondition(`rule r block when tag in ${(tags.length > 0 ? tags : ['none']).join(', ')}`);
        const asked = askCondition(judge.rulebook, condition, collectRuleLookups(condition, judge.rulebook));
        const records = log.map(({ t, attributes }, index): LogRecord => ({
          line: index + 1,
          atUnixMs: t,
          attributes: attributes as Attributes,
        }));
        const state = new State();
        const decisions = records.map((record) => decide(judge, normalizeRequest(record), state));
        const wanted = decisions.filter((one) => one.outcome !== 'uncovered' && one.tags.length > 0).length;
        expect(countMatches(judge, asked, records, undefined, new State()).matching).toBe(wanted);
        tagged += wanted;
        if (wanted > 0 && countsInOrder(asked)) inOrder += 1;
      }),
      { numRuns: 400, seed: 4 },
    );
    // What the generator reaches, so that agreement means something.
    expect(tagged).toBeGreaterThan(100);
    expect(inOrder).toBeGreaterThan(10);
  });

  it('goes in the order of time only where a rule that remembers stands before one that sets a tag', () => {
    const inOrder = (...rules: string[]): boolean => {
      const text = `gate g inbound { hosts a.example fences f otherwise allow }\nfence f enforce {\n${rules.join('\n')}\n}`;
      const rulebook = checkFences([{ path: 'f.fence', text }], []).rulebook!;
      const condition = readCondition('rule r block when tag = seen');
      return countsInOrder(askCondition(rulebook, condition, new Map()));
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
