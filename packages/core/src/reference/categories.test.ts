import { describe, expect, it } from 'vitest';
import { createCategories } from './categories.js';
import { parseCategoryCsv } from './category-csv.js';

const entriesOf = (text: string) => parseCategoryCsv(text).entries;
const categories = createCategories([
  { name: 'ours', entries: entriesOf('shop.example/play,games\nbank.example,finance') },
  { name: 'theirs', entries: entriesOf('shop.example,shopping\nbank.example,gambling\n*.x.example,bad') },
]);

describe('category feeds', () => {
  it.each<[string, string | null, string[], string | undefined]>([
    ['shop.example', '/play/1', ['games'], 'ours'],
    ['shop.example', '/other', ['shopping'], 'theirs'],
    ['shop.example', null, ['shopping'], 'theirs'],
    ['www.bank.example', '/', ['finance'], 'ours'],
    ['198.18.1.1', '/', ['uncategorised'], undefined],
  ])('of %s%s answer %j, the first that knows it', (host, path, expected, feed) => {
    const answer = categories.find(host, path);
    expect([answer.categories, answer.feed]).toEqual([expected, feed]);
  });

  it('tell rows that cannot be used by their line', () =>
    expect(
      parseCategoryCsv('domain,category\na.example,games\nb.example\nc d,games\nd.example,Games').problems,
    ).toEqual([
      { line: 3, message: 'expected "domain-or-url,category", found 1 column(s)' },
      { line: 4, message: '"c d" is no domain or URL' },
      { line: 5, message: '"Games" is no name of a category' },
    ]));
});
