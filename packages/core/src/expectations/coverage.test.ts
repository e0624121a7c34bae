import { expect, it } from 'vitest';
import { checkFences } from '../check/check-fences.js';
import { coverByExpectations } from './coverage.js';

it('each rule has how many expectations it decides, and what comes out alike is a repetition', () => {
  const text = `
gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce {
  rule seen tag seen when path under /login
  rule login block when path = /login
  rule none block when path = /none
  rule idle off block when path = /idle
}
expect blocked from 198.18.0.1 to https://shop.example/login
expect blocked from 198.18.0.2 to https://shop.example/login
expect blocked by rule desk/login from 198.18.0.2 to https://shop.example/login
expect allowed from 198.18.0.1 to https://shop.example/
expect allowed from 198.18.0.1 to https://shop.example/login/help
`;
  const { rulebook, diagnostics } = checkFences([{ path: 'f.fence', text }], []);
  expect(diagnostics).toEqual([]);
  expect(coverByExpectations({ rulebook: rulebook! })).toEqual({
    rules: [
      { rule: 'desk/login', expectations: 3 },
      { rule: 'desk/none', expectations: 0 },
    ],
    // The fourth and fifth come out alike, too, but not by the same rules.
    repeats: [
      {
        text: 'expect blocked from 198.18.0.2 to https://shop.example/login',
        of: 'expect blocked from 198.18.0.1 to https://shop.example/login',
      },
    ],
  });
});
