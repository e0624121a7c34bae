import { describe, expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { runExpectations } from './run-expectations.js';

const FENCES = `
schedule day { mon-fri 09:00-17:00 }
gate shop inbound {
  hosts shop.example
  client from header x-forwarded-for trusting 203.0.113.0/24
  fences door
  otherwise allow
}
fence door enforce {
  rule bots block 429 when agent contains anycase "bot"
  rule staff allow outright when group = staff
  rule probe block when header "x-probe" present
  rule day block 451 when path = /day during day
  rule pace limit 3 per 1m by client when path under /login
  rule gone redirect "https://new.example/" when path = /gone
  rule peer block 410 when client = 198.18.9.9
}
`;

/** The failure of each expectation: empty if it is met. */
function failuresOf(...expectations: string[]): (string | undefined)[] {
  const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text: `${FENCES}${expectations.join('\n')}` }], []);
  expect(diagnostics).toEqual([]);
  return runExpectations({ rulebook: rulebook! }).map(({ failure }) => failure);
}

describe('an expectation', () => {
  it.each([
    'expect blocked by rule door/bots from 198.18.1.1 to https://shop.example/ with agent "A Bot"',
    'expect allowed from 198.18.1.1 to https://shop.example/',
    'expect allowed by rule door/staff from 198.18.1.1 to https://shop.example/day with group staff, agent "Fox"',
    'expect blocked by rule door/probe from 198.18.1.1 to https://shop.example/ with header "X-Probe" "1", method POST',
    'expect redirected from 198.18.1.1 to https://shop.example/gone',
    'expect blocked by rule door/day from 198.18.1.1 to https://shop.example/day at 2026-10-12T10:00:00Z',
    'expect allowed from 198.18.1.1 to https://shop.example/day at 2026-10-12T20:00:00Z',
    'expect blocked by rule door/peer from 198.18.1.1 to https://shop.example/ with peer 203.0.113.5, header "x-forwarded-for" "198.18.9.9"',
    'expect uncovered from 198.18.1.1 to https://other.example/',
    'expect limited by rule door/pace after 3 in 10s from 198.18.1.1 to https://shop.example/login',
    'expect limited after 3 in 59s from 198.18.1.1 to https://shop.example/login at 2026-10-12T10:00:00Z',
  ])('is met: %s', (text) => expect(failuresOf(text)).toEqual([undefined]));

  it('without a time finds rules with hours blind, so they do not stop it', () =>
    expect(failuresOf('expect allowed from 198.18.1.1 to https://shop.example/day')).toEqual([undefined]));

  it.each([
    [
      'expect allowed from 198.18.1.1 to https://shop.example/gone',
      'It was redirected by rule door/gone, expected allowed.',
    ],
    ['expect blocked from 198.18.1.1 to https://shop.example/', 'It was allowed, expected blocked.'],
    [
      'expect blocked by rule door/probe from 198.18.1.1 to https://shop.example/ with agent "bot"',
      'It was blocked by rule door/bots, expected by rule door/probe.',
    ],
    [
      'expect limited after 5 in 10s from 198.18.1.1 to https://shop.example/login',
      'It was limited by rule door/pace after 3 requests already, expected after 5.',
    ],
    [
      'expect limited after 2 in 10s from 198.18.1.1 to https://shop.example/login',
      'It was allowed, expected limited.',
    ],
    // Over so long a time the window never fills.
    ['expect limited after 3 in 1h from 198.18.1.1 to https://shop.example/login', 'It was allowed, expected limited.'],
  ])('reports why it is not met: %s', (text, failure) => expect(failuresOf(text)).toEqual([failure]));

  it('begins with nothing counted, whatever ran before', () => {
    const text = 'expect limited after 3 in 10s from 198.18.1.1 to https://shop.example/login';
    expect(failuresOf(text, `${text} because "again"`.replace('10s', '11s'))).toEqual([undefined, undefined]);
  });
});
