import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { parseCountryRows } from '../reference/country-rows.js';
import { createCountryTable } from '../reference/country-table.js';
import { SequentialReplay } from '../test/replay.js';
import { countWouldStop } from '../replay/summary.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { wideRepeatingLog } from '../test/arbitrary-fences.js';
import { chunkOf } from '../test/chunk-of.js';
import { PeakRates } from './peak-rates.js';
import { HeavyHitters } from './heavy-hitters.js';
import { CardinalityEstimator } from './cardinality.js';
import { SurveyBuilder, type Survey } from './survey.js';

const countries = createCountryTable(parseCountryRows('198.18.0.0/24,NO\n198.18.9.0/24,SC\n').ranges);
const record = (
  index: number,
  client: string,
  path = '/',
  status = 200,
  more: Record<string, string[]> = {},
): LogRecord => ({
  line: index + 1,
  atUnixMs: index * 1000,
  attributes: {
    'client.address': client,
    'http.request.header.host': ['shop.example'],
    'url.path': path,
    'http.request.method': path === '/login' ? 'POST' : 'GET',
    'http.response.status_code': status,
    ...more,
  },
});
const LOG = [
  ...Array.from({ length: 1400 }, (_, index) => record(index, `198.18.0.${1 + (index % 200)}`, `/page-${index % 7}`)),
  ...Array.from({ length: 60 }, (_, index) => record(1400 + index, '198.18.9.7', '/login', 401)),
];

function survey(log: readonly LogRecord[], hasTable = true): Survey {
  const builder = new SurveyBuilder(hasTable ? countries : undefined);
  log.forEach((logRecord) => builder.add(logRecord));
  return builder.finish();
}

describe('a survey', () => {
  it('of stored chunks is that of their requests', () => {
    let numReported = 0;
    fc.assert(
      fc.property(wideRepeatingLog, fc.nat(14), fc.boolean(), (log, cut, hasTable) => {
        const records = log.map(({ t, attributes }, index): LogRecord => ({
          line: index + 1,
          atUnixMs: t,
          attributes: attributes as Attributes,
        }));
        const builder = new SurveyBuilder(hasTable ? countries : undefined);
        for (const part of [records.slice(0, cut), records.slice(cut)]) {
          const rows = chunkOf(part);
          if (rows) builder.addChunk(rows);
        }
        const expected = survey(records, hasTable);
        expect(builder.finish()).toEqual(expected);
        numReported += expected.clients.count + expected.hosts.count + expected.paths.count;
      }),
      { numRuns: 300 },
    );
    expect(numReported).toBeGreaterThan(500);
  });

  it('reports what a log holds', () => {
    const result = survey(LOG);
    expect(result).toMatchObject({
      requests: 1460,
      fromUnixMs: 0,
      toUnixMs: 1_459_000,
      clients: { count: 201, isExact: true },
      hosts: { count: 1, isExact: true },
      methods: [
        { value: 'GET', requests: 1400 },
        { value: 'POST', requests: 60 },
      ],
      statuses: [
        { value: '200', requests: 1400 },
        { value: '401', requests: 60 },
      ],
      countries: [
        { country: 'NO', requests: 1400, clients: { count: 200 } },
        { country: 'SC', requests: 60, clients: { count: 1 } },
      ],
      bursts: [{ client: '198.18.9.7', requests: 40, minuteUnixMs: 1_380_000 }, {}, {}, {}, {}],
      proxySigns: [],
    });
    expect(result.busiestClients[0]).toEqual({ value: '198.18.9.7', requests: 60, isExact: true });
  });

  it('gives starter rules that stop exactly what they announce', () => {
    for (const hasTable of [true, false]) {
      const { starter } = survey(LOG, hasTable);
      const { rulebook, diagnostics } = checkFences([{ path: 'starter.fence', text: starter.text }], []);
      expect(diagnostics).toEqual([]);
      const replay = new SequentialReplay({ rulebook: rulebook!, countries });
      LOG.forEach((logRecord) => replay.next(logRecord));
      expect(starter.rules.map((rule) => rule.name)).toEqual([
        'block-bursting-client',
        hasTable ? 'block-low-traffic-country' : 'limit-writes',
        'limit-refused-path',
      ]);
      for (const rule of starter.rules.filter(({ wouldStop }) => wouldStop !== null))
        expect([rule.name, countWouldStop(replay.tally.rules[`starter/${rule.name}`]!)]).toEqual([
          rule.name,
          rule.wouldStop,
        ]);
    }
  });

  it('counts for its starter rules only what their gate covers and their condition is true on', () => {
    const known = (index: number, attributes: Attributes): LogRecord => ({
      line: index + 1,
      atUnixMs: index * 1000,
      attributes: { 'client.address': '198.18.9.7', 'url.path': '/x', 'http.response.status_code': 404, ...attributes },
    });
    const host = { 'http.request.header.host': ['shop.example'] };
    const log = [
      known(0, { ...host, 'http.request.method': 'POST' }),
      known(1, { ...host }),
      known(2, { ...host, 'http.request.method': null }),
      known(3, { 'http.request.method': 'POST' }),
      known(4, { ...host, 'http.request.method': 'PUT', 'jade.at-gate': 'elsewhere' }),
      ...Array.from({ length: 30 }, (_, index) =>
        known(5 + index, { 'http.request.header.host': [`h${index}.example`], 'http.request.method': 'GET' }),
      ),
      ...Array.from({ length: 700 }, (_, index) =>
        known(100 + index * 90, { ...host, 'client.address': `198.18.0.${index % 250}`, 'http.request.method': 'GET' }),
      ),
    ];
    const { starter } = survey(log, false);
    const { rulebook } = checkFences([{ path: 'starter.fence', text: starter.text }], []);
    const replay = new SequentialReplay({ rulebook: rulebook! });
    log.forEach((logRecord) => replay.next(logRecord));
    expect(starter.rules.map(({ name, wouldStop, isExact }) => [name, wouldStop, isExact])).toEqual([
      ['block-bursting-client', 33, true],
      ['limit-writes', null, false],
      ['limit-refused-path', null, false],
    ]);
    for (const { name, wouldStop } of starter.rules.filter((rule) => rule.wouldStop !== null))
      expect(countWouldStop(replay.tally.rules[`starter/${name}`]!)).toBe(wouldStop);
  });

  it('suggests no country whose clients send as much as others', () => {
    const log = Array.from({ length: 1000 }, (_, index) =>
      record(index, index % 8 === 0 ? `198.18.9.${index % 50}` : `198.18.0.${index % 250}`),
    );
    expect(survey(log).starter.rules.map(({ name }) => name)).toEqual(['block-bursting-client']);
  });

  it('suggests no rule that would block more than a twentieth of the requests', () => {
    const log = Array.from({ length: 1000 }, (_, index) =>
      record(index, index % 10 === 0 ? '198.18.9.7' : `198.18.0.${index % 250}`),
    );
    expect(survey(log).starter.rules).toEqual([]);
  });

  it('suggests no rule about an address that looks like a proxy', () => {
    const log = Array.from({ length: 400 }, (_, index) =>
      record(index, index % 4 === 0 ? `198.18.0.${index % 200}` : '203.0.113.7'),
    );
    const { starter } = survey(log);
    expect(starter.rules).toEqual([]);
    expect(starter.text).toContain('# Few addresses send most requests. If they are proxies, log the header');
  });

  it('begins with the notice that most requests name no host', () => {
    const log = Array.from({ length: 10 }, (_, index) =>
      record(index, `198.18.0.${index}`, '/', 200, index < 3 ? {} : { 'http.request.header.host': ['_'] }),
    );
    const hostNotice =
      '7 of 10 requests name no host, so no gate covers them. Import the log with its host, or choose the gate.';
    const { starter, ...rest } = survey(log);
    expect(rest).toMatchObject({ hostNotice });
    expect(starter.text.split('\n')[0]).toBe(`# ${hostNotice}`);
    expect(survey(LOG).hostNotice).toBeUndefined();
  });

  it('sees the signs of a proxy', () => {
    const log = Array.from({ length: 100 }, (_, index) =>
      record(index, index % 10 === 0 ? `198.18.0.${index}` : '203.0.113.7', '/', 200, {
        'http.request.header.x-forwarded-for': ['198.18.0.1'],
      }),
    );
    const { proxySigns, starter } = survey(log);
    expect(starter.text).toContain(
      '  client from header x-forwarded-for trusting 203.0.113.7, 198.18.0.0, 198.18.0.10',
    );
    expect(starter.text).not.toContain('block-');
    expect(checkFences([{ path: 'starter.fence', text: starter.text }], []).diagnostics).toEqual([]);
    expect(proxySigns).toEqual([
      '203.0.113.7 makes 90% of all requests',
      '100 requests carry a header that names another client (X-Forwarded-For or Forwarded)',
    ]);
  });

  it('of an empty log is empty', () =>
    expect(survey([])).toMatchObject({ requests: 0, busiestClients: [], starter: { rules: [] } }));
});

describe('figures that are bounded in memory', () => {
  it('keep the busiest values and mark counts that may be too low', () => {
    const busiest = new HeavyHitters(10);
    for (let index = 0; index < 5000; index += 1) {
      busiest.add(`rare-${index}`);
      if (index % 5 === 0) busiest.add('often');
    }
    const [top] = busiest.top(1);
    expect(top).toMatchObject({ value: 'often', isExact: false });
    expect(top!.requests).toBeGreaterThan(300);
    expect(top!.requests).toBeLessThanOrEqual(1000);
  });

  it('estimate how many different values there are', () => {
    const distinct = new CardinalityEstimator(1024);
    for (let index = 0; index < 2000; index += 1) distinct.add(`v${index % 1500}`);
    expect(distinct.result()).toEqual({ count: 1500, isExact: true });
    for (let index = 0; index < 100_000; index += 1) distinct.add(`v${index}`);
    const { count, isExact } = distinct.result();
    expect([isExact, Math.abs(count / 100_000 - 1) < 0.1]).toEqual([false, true]);
  });

  it('find a burst in a log that is a little out of order, and mark it if the log is too much so', () => {
    const bursts = new PeakRates();
    for (const minute of [0, 1, 0, 3, 1, 0])
      for (let index = 0; index < 3; index += 1) bursts.add('a', minute * 60_000);
    expect(bursts.result()).toEqual({ bursts: [{ client: 'a', requests: 9, minuteUnixMs: 0 }], isExact: true });
    bursts.add('b', 100 * 60_000);
    bursts.add('a', 0);
    expect(bursts.result().isExact).toBe(false);
  });
});
