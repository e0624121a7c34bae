import { expect, it } from 'vitest';
import { NEW_EXPECTATION, readExpectation, writeExpectation } from './expectation-values.js';

it.each([
  'expect allowed from 198.18.4.20 to https://shop.example/',
  'expect blocked by rule house/touts from 2001:db8::7 to "https://shop.example/a?b=c" because "they \\"buy\\""',
  'expect limited after 20 in 5m from 198.18.4.20 to https://shop.example/ at 2026-10-12T10:00:00Z',
  'expect held from 198.18.4.20 to https://shop.example/ with method "POST", header "x-key" "a", user "ada"',
])('%s is read and written as it was', (text) => {
  const read = readExpectation(text);
  expect('problem' in read ? read.problem : writeExpectation(read)).toBe(text);
});

it('what is wrong is reported, and what is no expectation is', () => {
  expect(readExpectation(writeExpectation(NEW_EXPECTATION))).toHaveProperty('problem');
  expect(readExpectation('zone Europe/Oslo')).toEqual({
    problem: expect.stringContaining('one expectation') as string,
  });
});
