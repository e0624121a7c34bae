import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { checkFilter } from '../check/check-filter.js';
import { formatDiagnostic } from '../language/diagnostic.js';
import { parseCountryRows } from '../reference/country-rows.js';
import { createCountryTable } from '../reference/country-table.js';
import type { LogRecord } from '../request/record.js';
import { isRowByRow, DecisionFilter } from './decision-filter.js';
import { filterChunk } from './filter-decisions.js';
import { Program } from '../match/compile/program.js';
import { chunkOf } from '../test/chunk-of.js';
import { ChunkReplay } from './replay-chunk.js';

const FENCES = `
zone Europe/Oslo
list team addresses { 198.18.4.0/24 }
gate shop inbound { hosts shop.example fences desk, extra otherwise allow }
fence desk enforce {
  rule staff tag staff, night when client in team
  rule login block 451 when path under /login and not tag = staff
  rule later trial block when method = POST
  rule slow throttle 1/s by client when path = /all
}
fence extra trial { rule all allow when path = /all }
`;
const judge = {
  rulebook: checkFences([{ path: 'f.fence', text: FENCES }], []).rulebook!,
  countries: createCountryTable(parseCountryRows('198.18.4.0/24,NO\n198.18.5.0/24,SE').ranges),
};
const record = (
  line: number,
  client: string | null,
  path: string,
  method = 'GET',
  status?: number | null,
): LogRecord => ({
  line,
  atUnixMs: line * 1000,
  attributes: {
    'client.address': client,
    'http.request.header.host': [line === 6 ? 'other.example' : 'shop.example'],
    'url.path': path,
    'http.request.method': method,
    ...(line === 3 ? { 'http.response.size': 9 } : {}),
    ...(status === undefined ? {} : { 'http.response.status_code': status }),
  },
});
const LOG = [
  record(1, '198.18.4.1', '/login', 'GET', 200),
  record(2, '198.18.5.1', '/login', 'GET', 200),
  record(3, '198.18.5.2', '/all', 'GET', 404),
  record(4, '198.18.5.3', '/', 'POST', null),
  record(5, null, '/login/x', 'GET'),
  record(6, '198.18.4.2', '/', 'GET', 500),
];

/** The lines for which the condition is true. */
function linesWhere(where: string): number[] {
  const { filter, diagnostics } = checkFilter(where, judge.rulebook);
  expect(diagnostics).toEqual([]);
  const rows = chunkOf(LOG)!;
  const replay = new ChunkReplay(new Program(judge));
  const { codes } = replay.judge([rows]);
  const { rulings } = replay.table;
  const item = filterChunk(filter!, judge, rows, codes, rulings);
  // In columns it finds the same.
  if (!isRowByRow(filter!)) expect(new DecisionFilter(filter!, judge, rulings).select(rows, codes)).toEqual(item);
  return [...item].map((row) => row + 1);
}

describe('a filter', () => {
  it.each([
    ['always', [1, 2, 3, 4, 5, 6]],
    ['outcome = blocked', [2, 5]],
    ['outcome not in allowed, uncovered', [2, 5]],
    ['rule = desk/login', [2, 5]],
    ['fence = desk', [2, 5]],
    ['fence absent and gate = shop', [1, 3, 4]],
    ['gate absent', [6]],
    ['status = 451', [2, 5]],
    ['status absent', [1, 3, 4, 6]],
    ['would = blocked', [4]],
    ['would present', [3, 4]],
    ['would in allowed, held', [3]],
    ['throttled = desk/slow', [3]],
    ['throttled absent', [1, 2, 4, 5, 6]],
    ['tag = night', [1]],
    ['tag absent', [2, 3, 4, 5, 6]],
    ['client in team', [1, 6]],
    ['client absent', [5]],
    ['country = SE and path = /all', [3]],
    ['line in 2 - 3, 6', [2, 3, 6]],
    ['line in 6, 1 - 3, 2, 2 - 4', [1, 2, 3, 4, 6]],
    ['line in 1 - 4 and line in 4 - 9, 2', [2, 4]],
    ['line < 3 or line >= 6', [1, 2, 6]],
    ['line <= 2 and not line > 1', [1]],
    ['line != 1', [2, 3, 4, 5, 6]],
    ['recorded status >= 400 and recorded status < 500', [3]],
    ['recorded status present', [1, 2, 3, 6]],
    ['recorded status absent', [4]],
    ['time >= 1970-01-01T00:00:05Z', [5, 6]],
    ['time in 1970-01-01T00:00:02Z - 1970-01-01T01:00:03+01:00 and not outcome = allowed', [2]],
    ['time = 1970-01-01T00:00:04Z or client in team', [1, 4, 6]],
    // The clock of Oslo shows one hour more.
    ['time in 01:00-02:00 and line < 3', [1, 2]],
    ['time not in 23:00-00:30', [1, 2, 3, 4, 5, 6]],
    ['time in 00:00-01:00, 22:00-24:00', []],
    ['country in northern-europe and outcome = allowed', [1, 3, 4]],
    ['method = POST and not path under /login', [4]],
  ])('%s', (where, lines) => expect(linesWhere(where)).toEqual(lines));

  it('leaves out what cannot be known, and so does its opposite', () => {
    expect([linesWhere('country = NO'), linesWhere('country != NO')]).toEqual([
      [1, 6],
      [2, 3, 4],
    ]);
    expect([linesWhere('recorded status = 200'), linesWhere('recorded status != 200')]).toEqual([
      [1, 2],
      [3, 4, 6],
    ]);
  });
});

describe('an error in a filter', () => {
  const errorsOf = (where: string): string[] => checkFilter(where, judge.rulebook).diagnostics.map(formatDiagnostic);
  it.each([
    [
      '',
      [
        'filter:1:1: Found the end of the file, expected a field: client, peer, country, server country, server, host, site, scheme, transport, port, method, path, query, url, header, cookie, agent, size, from-client, to-client, user, group, category, application, payload, tag, gate, direction, outcome, fence, rule, would, throttled, status, recorded status, line, time. [unknown-field]',
      ],
    ],
    [
      'outcome = blokked',
      [
        'filter:1:11: Found "blokked", expected an outcome: allowed, blocked, limited, redirected, held, uncovered. Did you mean "blocked"? [bad-value]',
      ],
    ],
    ['throttled = desk/slo', ['filter:1:13: No rule is named "desk/slo". Did you mean "desk/slow"? [unknown-name]']],
    ['rule = login', ['filter:1:8: Found "login", expected a rule written fence/rule. [bad-value]']],
    ['line > x', ['filter:1:8: Found "x", expected a whole number. [bad-value]']],
    ['line in 5 - 2', ['filter:1:9: The range 5 - 2 ends before it begins. [bad-value]']],
    [
      'line > 1 - 2',
      [
        'filter:1:8: line > takes one plain value each. Use "in" for lists, networks, ranges and entries with * or =. [wrong-operator]',
      ],
    ],
    [
      'status under 400',
      [
        'filter:1:8: Found "under", expected an operator of status: =, !=, in, not in, <, <=, >, >=, present, absent. [wrong-operator]',
      ],
    ],
    ['recorded = 4', ['filter:1:10: Found "=", expected "status" after "recorded". [unexpected]']],
    ['rule = desk/logn', ['filter:1:8: No rule is named "desk/logn". Did you mean "desk/login"? [unknown-name]']],
    ['fence in desk, dusk', ['filter:1:16: No fence is named "dusk". Did you mean "desk"? [unknown-name]']],
    ['gate != shops', ['filter:1:9: No gate is named "shops". Did you mean "shop"? [unknown-name]']],
    ['tag = stuff', ['filter:1:7: No tag is named "stuff". Did you mean "staff"? [unknown-name]']],
    ['country = UK', ['filter:1:11: No country has the code "UK". Write GB for United Kingdom. [unknown-name]']],
    [
      'time > 10:00-11:00',
      [
        'filter:1:8: Found "10:00-11:00", expected a time such as 2026-10-12T10:00:00Z. Write: time in 10:00-11:00. [bad-value]',
      ],
    ],
    [
      'time in 10:00-10:00',
      ['filter:1:9: Found "10:00-10:00", expected hours whose end differs from their start. [bad-value]'],
    ],
    ['client in teem', ['filter:1:11: No list is named "teem". Did you mean "team"? [unknown-name]']],
    ['host in team', ['filter:1:9: "team" is a list of addresses, expected a list of domains. [wrong-kind]']],
    [
      'line = 1 line = 2',
      [
        'filter:1:10: Found "line", expected the end of the condition. Conditions are joined with "and" or "or", values with commas. [unexpected]',
      ],
    ],
  ])('is reported with its location: %s', (where, expected) => expect(errorsOf(where)).toEqual(expected));

  it('is also that a rule tests what is not decided yet', () => {
    const { diagnostics } = checkFences(
      [{ path: 'f.fence', text: 'fence f trial { rule r block when outcome = blocked }' }],
      [],
    );
    expect(diagnostics.map(({ code }) => code)).toEqual(['unknown-field']);
  });
});
