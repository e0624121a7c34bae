import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { createCountryTable, parseCountryCsv } from '../reference/country-table.js';
import { formatAddress, parseAddress } from '../request/address.js';
import { normalizeRequest } from '../request/request.js';
import { attributes, fenceText } from '../test/arbitrary-fences.js';
import { judgeNaively, type NaiveRequest } from '../test/naive-judge.js';
import type { Decision } from './decision.js';
import { decide, EMPTY_STATE, type Observer } from './interpreter.js';

const COUNTRIES: [string, string][] = [
  ['198.18.0.0/30', 'NO'],
  ['198.18.0.4/30', 'SE'],
  ['2001:db8::/32', 'NO'],
];
const countries = createCountryTable(parseCountryCsv(COUNTRIES.map((row) => row.join(',')).join('\n')).ranges);

/** The country by hand: the rows above do not overlap. */
function countryByHand(client: string): string {
  const small = /^198\.18\.0\.(\d)$/.exec(client)?.[1];
  if (small !== undefined && Number(small) < 8) return Number(small) < 4 ? 'NO' : 'SE';
  if (client.startsWith('2001:db8:')) return 'NO';
  return client.startsWith('10.') ? 'internal' : 'no-country';
}

function naiveRequestOf(given: Readonly<Record<string, unknown>>, hasTable: boolean): NaiveRequest {
  const text = given['client.address'] as string | null | undefined;
  const address = text == null ? undefined : parseAddress(text);
  const client = text === null ? null : address && formatAddress(address);
  const host = given['http.request.header.host'] as string[] | null | undefined;
  return {
    client,
    country: hasTable && client ? countryByHand(client) : undefined,
    host: host == null ? host : host[0],
    path: given['url.path'] as string | null | undefined,
    method: given['http.request.method'] as string | null | undefined,
  };
}

const summaryOf = ({ outcome, gate, fence, rule, would, tags, blind }: Decision): unknown => ({
  outcome,
  gate,
  decider: [fence, rule].filter(Boolean).join('/'),
  would: would.map((one) => `${[one.fence, one.rule].filter(Boolean).join('/')}:${one.outcome}`),
  tags,
  blind,
});

describe('the interpreter', () => {
  it('decides as a second, naive reading of the language does', () => {
    fc.assert(
      fc.property(
        fenceText,
        fc.array(attributes, { minLength: 5, maxLength: 5 }),
        fc.boolean(),
        (text, all, hasTable) => {
          const { rulebook, files } = checkFences([{ path: 'f.fence', text }], []);
          const judge = { rulebook: rulebook!, ...(hasTable ? { countries } : {}) };
          for (const given of all) {
            const request = normalizeRequest({ line: 1, atUnixMs: 0, attributes: given });
            const naive = judgeNaively(files[0]!.statements, naiveRequestOf(given, hasTable));
            expect(summaryOf(decide(judge, request, EMPTY_STATE).decision)).toEqual({ gate: undefined, ...naive });
          }
        },
      ),
      { numRuns: 1500 },
    );
  });

  it('tells an observer each step in the order of the walk, and decides the same with one', () => {
    const text = [
      'gate g inbound { hosts a.example fences one, two otherwise allow }',
      'fence one trial { rule t tag x when always rule o off block when always rule b block when method = GET rule c block when always }',
      'fence two enforce { rule u block when country = NO rule v allow when always }',
    ].join('\n');
    const judge = { rulebook: checkFences([{ path: 'f.fence', text }], []).rulebook! };
    const heard: string[] = [];
    const observer: Observer = {
      gate: (gate, why) => heard.push(`gate ${gate.statement.name} by ${why.kind}`),
      rule: (fence, rule, verdict, subject) =>
        heard.push(`${fence.name}/${rule.name} ${verdict} seeing ${subject.tag?.join(' ') ?? 'no tag'}`),
      otherwise: (fence) => heard.push(`end of ${fence.name}`),
    };
    const request = normalizeRequest({
      line: 1,
      atUnixMs: 0,
      attributes: { 'url.full': 'https://a.example/', 'http.request.method': 'GET' },
    });
    const { decision } = decide(judge, request, EMPTY_STATE, observer);
    expect(heard).toEqual([
      'gate g by host',
      'one/t matched seeing no tag',
      'one/o off seeing x',
      'one/b matched seeing x',
      'two/u blind seeing no tag',
      'two/v matched seeing no tag',
    ]);
    expect(decision).toEqual(decide(judge, request, EMPTY_STATE).decision);
  });

  it('hands the state on as it came', () => {
    const judge = { rulebook: checkFences([], []).rulebook! };
    const request = normalizeRequest({ line: 1, atUnixMs: 0, attributes: {} });
    expect(decide(judge, request, EMPTY_STATE).state).toBe(EMPTY_STATE);
  });
});
