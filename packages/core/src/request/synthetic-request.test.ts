import { describe, expect, it } from 'vitest';
import { toDecidedRecord } from '../replay/decided-record.js';
import { buildSyntheticRecord } from './synthetic-request.js';
import { normalizeRequest } from './request.js';

describe('a synthetic request', () => {
  it.each([
    ['shop.example', 'shop.example', '/'],
    ['shop.example/login?x=1', 'shop.example', '/login'],
    ['http://SHOP.example:8080/a/../b', 'shop.example', '/b'],
    [' https://[2001:db8::1]:443/ ', '2001:db8::1', '/'],
    ['https://user@shop.example', 'shop.example', '/'],
  ])('for %s', (url, host, path) => {
    const { record, problems } = buildSyntheticRecord({ client: ' 198.18.4.7:5000 ', url, atUnixMs: 7 });
    expect(problems).toEqual([]);
    expect(normalizeRequest(record!)).toMatchObject({ host, path, method: 'GET', atUnixMs: 7, client: { family: 4 } });
  });

  it.each([
    [{ client: '', url: 'a.example' }, ['client']],
    [{ client: '198.18.4.0/24', url: 'a.example' }, ['client']],
    [{ client: '198.18.4.7', url: 'ftp://a.example' }, ['url']],
    [{ client: '198.18.4.7', url: 'a..example' }, ['url']],
    [{ client: 'x', url: '', method: 'NOT A METHOD' }, ['client', 'url', 'method']],
  ])('%j has problems with %j', (input, parts) => {
    const { record, problems } = buildSyntheticRecord({ ...input, atUnixMs: 0 });
    expect([record, problems.map(({ part }) => part)]).toEqual([undefined, parts]);
  });
});

it('a record leaves with its attributes in the fixed order, others by name after them, then the decision', () => {
  const record = {
    line: 9,
    atUnixMs: Date.UTC(2026, 9, 12),
    attributes: {
      'zebra': 1,
      'jade.at-gate': 'g',
      'user.name': null,
      'http.request.header.x-b': ['2'],
      'http.request.header.x-a': ['1'],
      'url.path': '/',
      'alpha': { b: [true] },
      'client.address': '198.18.4.7',
    },
  };
  const decision = {
    outcome: 'blocked' as const,
    gate: 'g',
    fence: 'f',
    rule: 'r',
    status: 403,
    would: [{ outcome: 'allowed' as const, fence: 'x' }],
    tags: ['t'],
    blind: [],
    matched: ['f/r'],
    client: null,
    country: undefined,
  };
  expect(
    Object.entries(toDecidedRecord(record, decision)).map(([key, value]) => `${key} ${JSON.stringify(value)}`),
  ).toEqual([
    'timestamp "2026-10-12T00:00:00.000Z"',
    'client.address "198.18.4.7"',
    'url.path "/"',
    'http.request.header.x-a ["1"]',
    'http.request.header.x-b ["2"]',
    'user.name null',
    'jade.at-gate "g"',
    'alpha {"b":[true]}',
    'zebra 1',
    'jade.line 9',
    'jade.outcome "blocked"',
    'jade.stopped true',
    'jade.gate "g"',
    'jade.fence "f"',
    'jade.rule "r"',
    'jade.status 403',
    'jade.would [{"fence":"x","outcome":"allowed"}]',
    'jade.tags ["t"]',
    'jade.blind []',
    'jade.client null',
  ]);
});
