import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import type { ReferenceData } from '../decide/view.js';
import { Program } from '../match/compile/program.js';
import { createCountryTable } from '../reference/country-table.js';
import { ChunkReplay } from '../replay/replay-chunk.js';
import { parseNetwork } from '../request/address.js';
import type { Attributes, LogRecord } from '../request/record.js';
import { chunkOf } from '../test/chunk-of.js';
import { TrafficCounts } from './traffic-counts.js';
import type { TrafficFinding } from './traffic-finding.js';
import { findInTraffic } from './traffic-findings.js';

const countries = createCountryTable([{ ...parseNetwork('198.18.0.0/16')!, country: 'SC' }]);

function find(rules: string, requests: readonly Attributes[], gate = '', referenceData: ReferenceData = { countries }) {
  const text = `gate shop inbound { hosts shop.example fences desk otherwise allow ${gate} }\nfence desk enforce { ${rules} }`;
  const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
  expect(diagnostics).toEqual([]);
  const context = { rulebook: rulebook!, ...referenceData };
  const rows = chunkOf(
    requests.map((attributes, at): LogRecord => ({ line: at + 1, atUnixMs: at * 1000, attributes })),
  )!;
  const replay = new ChunkReplay(new Program(context));
  const { codes, tally } = replay.judge([rows]);
  const counts = new TrafficCounts(context);
  counts.add(rows, codes, replay.table.rulings);
  return findInTraffic(counts, tally);
}
const request = (client: string, path = '/', more: Attributes = {}): Attributes => ({
  'client.address': client,
  'http.request.header.host': ['shop.example'],
  'http.request.method': 'GET',
  'url.path': path,
  'user_agent.original': 'browser',
  ...more,
});
const times = (count: number, make: (at: number) => Attributes): Attributes[] =>
  Array.from({ length: count }, (_, at) => make(at));
/** Visitors of many paths from many addresses. */
const visitors = times(400, (at) => request(`198.19.${at % 200}.1`, `/page-${at % 37}`));
const idsOf = (found: readonly TrafficFinding[]) => found.map(({ id }) => id);

describe('findings from traffic', () => {
  it('a rule without a match, with the span of the log; one of a fence at no judged request is left alone', () => {
    const [found] = find('rule none block when path = /none', visitors);
    expect(found).toMatchObject({
      id: 'no-hits',
      rule: 'desk/none',
      evidence: ['The log is from 1970-01-01T00:00:00Z to 1970-01-01T00:06:39Z.'],
    });
    expect(
      find('rule none block when path = /none', [
        request('198.19.0.1', '/', { 'http.request.header.host': ['else.example'] }),
      ]),
    ).toEqual([]);
  });

  it('a rule that could not be known, with what is missing', () => {
    const [found] = find('rule staff block when user = "kari" and path under /', visitors);
    expect(found).toMatchObject({ id: 'blind', evidence: ['What is missing: user.'] });
    const [throttle] = find('rule slow throttle 1MB/s by header "x-key", client when path under /', visitors);
    expect(throttle).toMatchObject({ id: 'blind', evidence: ['What is missing: header "x-key", to-client.'] });
    expect(idsOf(find('rule pages block when path = /page-1', visitors))).toEqual([]);
  });

  it('a proxy taken for the client: few clients make most requests, or a header that is not trusted', () => {
    const many = [...times(1200, (at) => request('198.19.0.9', `/page-${at % 5}`)), ...visitors];
    expect(find('rule pages block when path = /page-1', many)[0]).toMatchObject({
      id: 'proxy-as-client',
      where: expect.stringContaining('198.19.0.9'),
    });
    const headed = times(1200, (at) =>
      request(`198.19.${at % 100}.7`, '/page-1', { 'http.request.header.x-forwarded-for': ['198.18.0.1'] }),
    );
    const gate = 'client from header "x-forwarded-for" trusting 198.51.100.0/24';
    expect(find('rule pages block when path = /page-1', headed, gate)[0]).toMatchObject({
      id: 'proxy-as-client',
      where: 'gate = shop',
    });
  });

  it('a country rule whose stops are nearly all of one network, with the narrow rule and its collateral', () => {
    const scraper = times(190, (at) => request(`198.18.7.${at % 9}`, '/api'));
    const partner = times(10, (at) => request(`198.18.90.${at % 2}`, '/api'));
    const [found] = find('rule abroad block when country = SC and path under /api', [
      ...scraper,
      ...partner,
      ...visitors,
    ]);
    expect(found).toMatchObject({
      id: 'wide-collateral',
      message:
        'The rule desk/abroad stops by country, and 190 of the 200 requests that it stops are from 198.18.7.0/24.',
      fix: [
        {
          kind: 'replace-rule',
          fence: 'desk',
          rule: 'abroad',
          text: 'rule abroad block when client in 198.18.7.0/24 and path under /api',
        },
      ],
    });
    const spread = times(200, (at) => request(`198.18.${at}.1`, '/api'));
    expect(idsOf(find('rule abroad block when country = SC and path under /api', spread))).not.toContain(
      'wide-collateral',
    );
  });

  it('one source behind many addresses, a note where rules stop it, and not what most visitors do', () => {
    const tout = times(240, (at) => request(`198.18.${at % 60}.3`, '/login', { 'user_agent.original': 'quick' }));
    const all = [...tout, ...visitors, ...visitors];
    expect(find('rule pages block when path = /page-1', all)[0]).toMatchObject({
      id: 'spread-source',
      level: 'warning',
      where: 'agent = "quick" and path = /login',
    });
    expect(find('rule login block when path = /login', all)).toMatchObject([{ id: 'spread-source', level: 'note' }]);
    expect(idsOf(find('rule login block when path = /page-1', visitors))).toEqual([]);
  });

  it('a limit that no one reaches, and one that catches many', () => {
    expect(find('rule pace limit 50 per 1h by client when path under /', visitors)).toMatchObject([
      { id: 'limit-never-near', rule: 'desk/pace' },
    ]);
    expect(find('rule pace limit 1 per 1h by client when path under /', visitors)[0]).toMatchObject({
      id: 'limit-catches-many',
      message: 'The limit desk/pace stops 200 of the 200 clients that it counts (100.0%).',
    });
  });

  it('paths that pass and differ only in slashes, case or escapes from what is stopped', () => {
    const odd = [request('198.19.0.1', '//login'), request('198.19.0.1', '/Login'), request('198.19.0.1', '/log')];
    const [found] = find('rule login block when path under /login', [
      ...odd,
      request('198.19.0.1', '/login'),
      ...visitors,
    ]);
    expect(found).toMatchObject({ id: 'path-variant-escapes', rule: 'desk/login', where: 'path in //login, /Login' });
    expect(
      idsOf(
        find(
          'rule login block when path under /login',
          [request('198.19.0.1', '/login'), ...odd],
          'paths fold-case merge-slashes',
        ),
      ),
    ).not.toContain('path-variant-escapes');
  });

  it('a domain without what is below it, and an address that many share', () => {
    const below = times(5, () => request('198.19.0.1', '/', { 'http.request.header.host': ['www.shop.example'] }));
    expect(find('rule bare block when host = shop.example and path = /page-1', [...below, ...visitors])).toMatchObject([
      {
        id: 'bare-or-sub-only',
        message: 'The rule desk/bare takes shop.example, and not www.shop.example (5 requests).',
      },
    ]);
    const office = times(40, (at) => request('198.19.0.1', '/page-1', { 'user.name': [`user-${at}`] }));
    const found = find('rule pace limit 100 per 1s by client when path under /', [...office, ...visitors]);
    expect(found).toContainEqual(expect.objectContaining({ id: 'shared-address', where: 'client in 198.19.0.1' }));
  });

  it('a country table that lacks many addresses', () => {
    const rule = 'rule abroad block when country = SC';
    expect(find(rule, visitors)[0]).toMatchObject({
      id: 'unknown-country-share',
      message: expect.stringContaining('400 (100.0%)'),
    });
    expect(
      idsOf(
        find(
          rule,
          times(40, (at) => request(`198.18.${at}.1`)),
        ),
      ),
    ).toEqual([]);
  });
});
