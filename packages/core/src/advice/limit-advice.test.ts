import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { withBounds } from '../bounds.js';
import { checkFences } from '../check/check-fences.js';
import { parseFences } from '../language/parser.js';
import { Program } from '../match/compile/program.js';
import { Matcher } from '../match/run/matcher.js';
import type { Attributes } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';
import { adviseLimit, type AdviceWishes, type LimitAdvice } from './limit-advice.js';
import { NoLimitError, writeCountingRules, type LimitSubject } from './limit-rules.js';
import { PeakCounters } from './peak-counters.js';

const START = Date.UTC(2026, 9, 12);
const FENCES = `
list office addresses { 198.18.0.1 }
gate shop inbound { hosts shop.example fences site }
gate desk inbound { hosts desk.example fences site }
fence site enforce {
  rule probes block when path = /probe
  rule login limit 2 per 5s by client, method when path = /login
  rule all allow when always
}
`;

interface Line {
  readonly at: number;
  readonly host: string;
  readonly client: string | undefined;
  readonly method: string;
  readonly path: string;
}

function advise(
  lines: readonly Line[],
  subject: LimitSubject,
  { spare, ...wishes }: AdviceWishes & { spare?: string } = {},
): LimitAdvice {
  const rules = writeCountingRules(parseFences(FENCES, 'site.fence').file.statements, subject, spare);
  const { rulebook, diagnostics } = checkFences([{ path: 'limit-advice', text: rules.text }], []);
  expect(diagnostics).toEqual([]);
  const followed = new Set([rules.counted, ...(rules.spared === undefined ? [] : [rules.spared])]);
  const counters = new PeakCounters(followed, 1000);
  const matcher = new Matcher(new Program({ rulebook: rulebook! }), counters);
  let numUnknown = 0;
  for (const [index, { at, host, client, method, path }] of lines.entries()) {
    const attributes: Attributes = {
      'http.request.header.host': [host],
      'http.request.method': method,
      'url.path': path,
      ...(client === undefined ? {} : { 'client.address': client }),
    };
    const ruling = matcher.judge(normalizeRequest({ line: index + 1, atUnixMs: START + at, attributes }));
    if (ruling.blind.includes(rules.counted)) numUnknown += 1;
  }
  return adviseLimit(counters, rules, numUnknown, wishes);
}

/** The same by counting again for each request. */
function countSlowly(lines: readonly Line[], windowMs: number, keyOf: (line: Line) => string | undefined) {
  const counted = lines.flatMap((line) => {
    const key = keyOf(line);
    return key === undefined ? [] : [{ key, at: line.at }];
  });
  const inWindow = counted.map(
    ({ key, at }, index) =>
      counted.slice(0, index + 1).filter((other) => other.key === key && other.at > at - windowMs).length,
  );
  const peaks = new Map<string, number>();
  counted.forEach(({ key }, index) => peaks.set(key, Math.max(peaks.get(key) ?? 0, inWindow[index]!)));
  const sorted = [...peaks.values()].sort((a, b) => a - b);
  const rank = (part: number): number => sorted[Math.ceil(sorted.length * part) - 1] ?? 0;
  return {
    keys: sorted.length,
    requests: counted.length,
    isOneWindow: counted.length > 0 && counted.at(-1)!.at - counted[0]!.at < windowMs,
    peak: { p50: rank(0.5), p90: rank(0.9), p99: rank(0.99), p999: rank(0.999), max: rank(1) },
    stopped: (count: number) => ({
      count,
      keys: sorted.filter((peak) => peak > count).length,
      requests: inWindow.filter((number) => number > count).length,
    }),
  };
}

const lines = fc
  .array(
    fc.record({
      at: fc.integer({ min: 0, max: 12_000 }),
      host: fc.constantFrom('shop.example', 'desk.example'),
      client: fc.constantFrom('198.18.0.1', '198.18.0.2', '198.18.0.3', undefined),
      method: fc.constantFrom('GET', 'POST'),
      path: fc.constantFrom('/login', '/login', '/', '/probe'),
    }),
    { maxLength: 60 },
  )
  .map((all) => all.sort((a, b) => a.at - b.at));

describe('advice about a limit', () => {
  it('is what counting again for each request gives', () => {
    fc.assert(
      fc.property(lines, fc.integer({ min: 1, max: 7 }), fc.boolean(), (log, seconds, isProposed) => {
        const windowMs = isProposed ? seconds * 1000 : 5000;
        const subject = isProposed
          ? { by: 'client, method', within: `${seconds}s`, when: 'path != /probe' }
          : { rule: 'site/login' };
        // Keys get other numbers while they are counted.
        const advice = withBounds({ keys: 3 }, () => advise(log, subject, { counts: [1, 2, 4] }));
        const isMatching = ({ path }: Line): boolean => (isProposed ? path !== '/probe' : path === '/login');
        const { stopped, ...slow } = countSlowly(log, windowMs, (line) =>
          isMatching(line) && line.client !== undefined ? [line.host, line.client, line.method].join() : undefined,
        );
        expect(advice).toMatchObject(slow);
        expect(advice.unknown).toBe(log.filter((line) => isMatching(line) && line.client === undefined).length);
        expect(advice.thresholds.map(({ count }) => count)).toEqual(expect.arrayContaining([1, 2, 4]));
        for (const threshold of advice.thresholds) expect(threshold).toEqual(stopped(threshold.count));
        expect(advice.histogram.reduce((sum, { keys }) => sum + keys, 0)).toBe(slow.keys);
        for (const { requests, times } of advice.highest)
          expect(times.reduce((sum, count) => sum + count, 0)).toBe(requests);
      }),
      { numRuns: 200 },
    );
  });

  const burst = (client: string, count: number): Line[] =>
    Array.from({ length: count }, (_, at) => ({ at, host: 'shop.example', client, method: 'POST', path: '/login' }));
  const log = [...burst('198.18.0.1', 6), ...burst('198.18.0.2', 9), ...burst('198.18.0.3', 2)];

  it('suggests the lowest count that stops no spared client, or at most a share', () => {
    const subject = { by: 'client', within: '1m' };
    expect(advise(log, subject, { spare: 'office' })).toMatchObject({
      suggestion: { count: 6, reason: 'the lowest count that stops no spared client' },
      spared: { keys: 1, peak: 6 },
    });
    expect(advise(log, subject, { share: 0.34 }).suggestion.count).toBe(6);
    expect(advise(log, subject).suggestion.count).toBe(9);
    expect(advise([], subject).suggestion.count).toBe(1);
    const crowd = Array.from({ length: 60 }, (_, nth) => burst(`198.18.1.${nth}`, 1 + (nth % 3))).flat();
    expect(advise([...crowd, ...burst('198.18.0.9', 48)], subject).suggestion).toEqual({
      count: 12,
      reason: 'in the widest gap: 1 of 61 keys get higher than 3, all of them to 48 or more',
    });
    expect(advise(log, { rule: 'site/login' }, { spare: 'office' }).suggestion.count).toBe(6);
  });

  it('counts only at a gate that is given, and everyone together', () => {
    expect(advise(log, { by: 'everyone', within: '1m', gate: 'shop' })).toMatchObject({ keys: 1, peak: { max: 17 } });
    expect(advise(log, { by: 'everyone', within: '1m', gate: 'desk' })).toMatchObject({ keys: 0, requests: 0 });
  });

  it.each<[LimitSubject, string]>([
    [{ rule: 'site/none' }, 'There is no rule "site/none".'],
    [{ rule: 'site/all' }, 'The rule site/all does not limit.'],
    [{ by: 'nonsense', within: '1m' }, 'cannot be read'],
    [{ by: 'client for 5m', within: '1m' }, 'cannot be read'],
    [{ by: 'client', within: 'soon' }, 'cannot be read'],
    [{ by: 'client', within: '1m', when: 'always } fence x enforce { rule a block when always' }, 'cannot be read'],
  ])('of %j is refused', (subject, message) => {
    expect(() => advise(log, subject)).toThrow(NoLimitError);
    expect(() => advise(log, subject)).toThrow(message);
  });
});
