import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { decide } from '../decide/interpreter.js';
import { State } from '../decide/state.js';
import { createCountryTable } from '../reference/country-table.js';
import { parseNetwork } from '../request/address.js';
import { normalizeRequest } from '../request/request.js';
import { buildSyntheticRecord, type SyntheticRequest } from '../request/synthetic-request.js';
import { whyNot } from './why-not.js';

const countries = createCountryTable([{ ...parseNetwork('198.18.64.0/20')!, country: 'SE' }]);
const TEXT = `
list office addresses { 198.18.4.0/24 }
schedule desk-hours { mon-fri 09:00-17:00 }
gate shop inbound { hosts shop.example fences first, desk otherwise allow }
gate bare inbound { hosts bare.example otherwise allow }
fence first enforce {
  rule staff tag staff when client in office
  rule writes block 405 when method = POST
}
fence desk enforce {
  rule login block when path under /login and not tag = staff
  rule abroad trial block when country = SE and path under /resale
  rule bot block when agent contains "bot" and query "q" = "x"
  rule late block when path = /late during desk-hours
  rule both block when header "x-test" = "1" and user = "kari"
  rule idle off block when path = /idle
  rule never block when path = /a and path = /b
}
`;
const { rulebook } = checkFences([{ path: 'f.fence', text: TEXT }], []);
const context = { rulebook: rulebook!, countries };
const SUNDAY = Date.UTC(2026, 9, 11, 12);
const request = (more: Partial<SyntheticRequest> = {}): SyntheticRequest => ({
  client: '198.18.90.7',
  url: 'https://shop.example/',
  atUnixMs: SUNDAY,
  ...more,
});
const changesOf = (some: SyntheticRequest, rule: string) => {
  const { answer, changes } = whyNot(context, some, rule)!;
  return [answer, ...changes.map(({ field, from, to }) => `${field}: ${from ?? 'none'} -> ${to}`)];
};

describe('why not this rule', () => {
  it.each([
    ['one field', request(), 'desk/login', ['changes', 'path: / -> /login']],
    [
      'a client of a country',
      request({ url: 'https://shop.example/resale' }),
      'desk/abroad',
      ['changes', 'client: 198.18.90.7 -> 198.18.64.0'],
    ],
    [
      'an earlier rule that takes it',
      request({ url: 'https://shop.example/login', method: 'POST' }),
      'desk/login',
      ['changes', 'method: POST -> GET'],
    ],
    [
      'a tag that another rule sets',
      request({ client: '198.18.4.7', url: 'https://shop.example/login' }),
      'desk/login',
      ['changes', 'client: 198.18.4.7 -> 198.51.100.1'],
    ],
    [
      'another gate',
      request({ url: 'https://bare.example/login' }),
      'desk/login',
      ['changes', 'host: bare.example -> shop.example'],
    ],
    [
      'hours',
      request({ url: 'https://shop.example/late' }),
      'desk/late',
      ['changes', 'time: 2026-10-11T12:00:00.000Z -> 2026-10-12T09:00:00.000Z'],
    ],
    ['two fields', request(), 'desk/both', ['changes', 'header x-test: none -> 1', 'user: none -> kari']],
    ['that it does already', request({ url: 'https://shop.example/login' }), 'desk/login', ['decides']],
    ['that it is off', request(), 'desk/idle', ['off']],
    ['that there is nothing', request(), 'desk/never', ['not-found']],
  ])('shows %s', (_, some, rule, expected) => {
    expect(changesOf(some, rule)).toEqual(expected);
  });

  it('knows no rule of another name', () => {
    expect(whyNot(context, request(), 'desk/nothing')).toBeUndefined();
  });

  it('with the changes the rule decides, whatever the request', () => {
    const requests = fc.record({
      client: fc.constantFrom('198.18.4.7', '198.18.64.9', '2001:db8::1'),
      url: fc.constantFrom(
        'https://shop.example/',
        'https://shop.example/login?q=y',
        'http://bare.example/resale',
        'https://else.example/some',
      ),
      method: fc.constantFrom('GET', 'POST'),
      atUnixMs: fc.constantFrom(SUNDAY, SUNDAY + 86_400_000),
    });
    const rules = fc.constantFrom('login', 'abroad', 'bot', 'late', 'both');
    fc.assert(
      fc.property(requests, rules, (some, rule) => {
        const { answer, changes } = whyNot(context, some, `desk/${rule}`)!;
        expect(answer === 'decides' ? changes.length === 0 : answer === 'changes' && changes.length > 0).toBe(true);
        const set = (field: string) => changes.find((one) => one.field === field)?.to;
        const url = new URL(some.url);
        if (set('host')) url.host = set('host')!;
        if (set('path')) url.pathname = set('path')!;
        const query = set('query q');
        if (query) url.search = `q=${query}`;
        const fields = changes.flatMap(({ field, to }) => {
          const [name, parameter] = field.split(' ') as [string, string?];
          return ['agent', 'user', 'header'].includes(name)
            ? [{ field: name, ...(parameter ? { parameter } : {}), value: to }]
            : [];
        });
        const at = set('time');
        const changed = {
          ...some,
          client: set('client') ?? some.client,
          url: url.href,
          method: set('method') ?? some.method,
          atUnixMs: at ? Date.parse(at) : some.atUnixMs,
          fields,
        };
        const decision = decide(context, normalizeRequest(buildSyntheticRecord(changed).record!), new State());
        const acts = decision.rule === rule || decision.would.some((one) => one.rule === rule);
        expect(acts).toBe(true);
      }),
      { numRuns: 100 },
    );
  });
});
