import { describe, expect, it } from 'vitest';
import { parseFences } from './parser.js';
import { describeRule, type ListSizes } from './sentence.js';
import type { FenceStatement } from './tree.js';

const lists: ListSizes = new Map([
  ['team', { kind: 'addresses', numEntries: 1 }],
  ['home', { kind: 'countries', numEntries: 3 }],
]);

function sentenceOf(rule: string): string {
  const { file, diagnostics } = parseFences(`fence f enforce {\nrule r ${rule}\n}`, 'f.fence');
  expect(diagnostics).toEqual([]);
  return describeRule((file.statements[0] as FenceStatement).rules[0]!, lists);
}

describe('a rule', () => {
  it.each([
    ['allow when always', 'Allow always.'],
    ['trial block 451 when always', 'On trial: block with 451 always.'],
    ['off observe when method = GET', 'Off: only observe when the method is GET.'],
    ['allow outright when client in team', 'Allow outright when the client is in team (1 address entry).'],
    [
      'tag staff, night when client in 198.18.4.0/24, 198.18.5.1',
      'Tag as staff and night when the client is in 198.18.4.0/24 or 198.18.5.1.',
    ],
    [
      'block when host = a.example and not tag = staff',
      'Block with 403 when the host is a.example and the request is not tagged staff.',
    ],
    [
      'block when country not in home, internal and path under /a, /b',
      'Block with 403 when the country is neither in home (3 countries) nor internal, and the path is under /a or under /b.',
    ],
    [
      'block when host in *.a.example, =b.example or (country = NO and path != /x)',
      'Block with 403 when the host is anything below a.example or b.example itself, or (the country is NO and the path is not /x).',
    ],
    [
      'block when not (country = NO or host in unknown-list)',
      'Block with 403 when it is not so that (the country is NO or the host is in unknown-list).',
    ],
  ])('that says "%s" reads aloud', (rule, sentence) => expect(sentenceOf(rule)).toBe(sentence));
});
