import { expect, it } from 'vitest';
import { checkFences, checkTree } from '../check/check-fences.js';
import { reviewFences } from './broken.js';

function review(text: string) {
  const checked = checkFences([{ path: 'f.fence', text }], []);
  const { findings, checked: counts } = reviewFences(checked, (files) => checkTree(files, []), { nowUnixMs: 0 });
  return { shown: findings.map(({ level, id, place, subject }) => `${place.line} ${level} ${id} ${subject}`), counts };
}

it('fences with errors are reviewed as far as they can be, errors first', () => {
  const { shown, counts } = review(`list office addresses { 198.18.4.0/24 }
gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce {
  rule a block when client in ofice
  rule b block when host = a.shop.example and host = b.shop.example
  rule c block when path under /x and tag = staff
  rule d blok when path under /y
}
gate lost inbound { hosts lost.example fences gone otherwise allow }
`);
  expect(shown).toEqual([
    '4 error unknown-name f.fence:4',
    '7 error invalid f.fence:7',
    '9 error unknown-name f.fence:9',
    '5 error never-true rule desk/b',
    '6 error never-true rule desk/c',
    '6 warning tag-never-set f.fence:6',
  ]);
  expect(counts).toEqual({ rules: 2, gates: 1, skipped: 1 });
});

it('fences of which nothing is left have their errors', () => {
  expect(review('gate shop inbound { hosts shop.example fences desk }').shown).toEqual([
    '1 error invalid f.fence:1',
    '1 error unknown-name f.fence:1',
  ]);
  expect(review('list a addresses { b }\nlist b addresses { a }').shown).toEqual(['1 error invalid f.fence:1']);
});
