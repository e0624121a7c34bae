import { parseConditionText } from '@jadefence/core/edit';
import { expect, it } from 'vitest';
import { suggestFilters, type FilterNames } from './filter-suggestions.js';

const NAMES: FilterNames = {
  lists: [
    { name: 'team', kind: 'addresses' },
    { name: 'home', kind: 'countries' },
  ],
  rules: ['desk/login', 'desk/staff'],
  fences: ['desk'],
  gates: ['shop'],
};

it.each([
  ['cou', ['country ']],
  ['rule = desk/l', ['rule = desk/login ']],
  ['rule = desk/login and outc', ['rule = desk/login and outcome ']],
  ['outcome = bl', ['outcome = blocked ']],
  ['client in t', ['client in team ']],
  ['country in FR, N', expect.arrayContaining(['country in FR, NO ']) as string[]],
  ['serv', ['server ', 'server country ']],
  ['(gate = ', ['(gate = shop ']],
  ['line > 5 a', ['line > 5 and ']],
])('after %s comes what the language allows', (text, expected) => {
  expect(suggestFilters(text, NAMES)).toEqual(expected);
});

it('operators of a field are those that it has', () => {
  expect(suggestFilters('line ', NAMES)).toContain('line >= ');
  expect(suggestFilters('path ', NAMES)).toContain('path under ');
  for (const text of suggestFilters('country in ', NAMES))
    expect([text, parseConditionText(text).diagnostics]).toEqual([text, []]);
});
