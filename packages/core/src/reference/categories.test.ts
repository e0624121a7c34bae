import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { isUnderDomain } from '../request/host.js';
import { isUnderPath } from '../request/path.js';
import { createCategories, createCategoryFeed, type CategoryEntry } from './categories.js';
import { CategoryFeedReader, parseCategoryFeed } from './category-lines.js';

const feed = (name: string, text: string) => parseCategoryFeed(name, text).feed;
const categories = createCategories(
  [
    feed('ours', 'shop.example/play,games\nbank.example,finance'),
    feed('theirs', 'shop.example,shopping\nbank.example,gambling\nnews.example,news\nnews.example,sport'),
  ],
  [{ host: 'corrected.bank.example', category: 'travel' }],
);

describe('category feeds', () => {
  it.each<[string, string | null, string[], string | undefined]>([
    ['shop.example', '/play/1', ['games'], 'ours'],
    ['shop.example', '/other', ['shopping'], 'theirs'],
    ['shop.example', null, ['shopping'], 'theirs'],
    ['www.bank.example', '/', ['finance'], 'ours'],
    ['news.example', '/', ['news', 'sport'], 'theirs'],
    ['x.corrected.bank.example', '/', ['travel'], undefined],
    ['198.18.1.1', '/', ['uncategorised'], undefined],
  ])('of %s%s answer %j, the first that knows it', (host, path, expected, name) => {
    const answer = categories.find(host, path);
    expect([answer.categories, answer.feed]).toEqual([expected, name]);
  });

  it('are listed one by one, the corrections first', () =>
    expect(categories.findAll('corrected.bank.example', '/')).toEqual([
      { categories: ['travel'], isCorrected: true, entry: 'corrected.bank.example' },
      { categories: ['finance'], isCorrected: false, feed: 'ours', entry: 'bank.example' },
      { categories: ['gambling'], isCorrected: false, feed: 'theirs', entry: 'bank.example' },
    ]));

  it('answer with the most specific entries, as a look at every entry does', () => {
    const host = fc.array(fc.constantFrom('a', 'b'), { minLength: 1, maxLength: 3 }).map((labels) => labels.join('.'));
    const path = fc.constantFrom('/a', '/a/b', '/b');
    const entry: fc.Arbitrary<CategoryEntry> = fc
      .record({ host, path: fc.option(path, { nil: undefined }), category: fc.constantFrom('x', 'y', 'z') })
      .map(({ path: one, ...rest }) => (one === undefined ? rest : { ...rest, path: one }));
    fc.assert(
      fc.property(fc.array(entry, { maxLength: 12 }), host, fc.option(path), (entries, requested, requestedPath) => {
        const covering = entries.filter(
          (categoryEntry) =>
            isUnderDomain(requested, categoryEntry.host) &&
            (categoryEntry.path === undefined ||
              (requestedPath !== null && isUnderPath(requestedPath, categoryEntry.path))),
        );
        const longestHost = Math.max(...covering.map((categoryEntry) => categoryEntry.host.length));
        const ofHost = covering.filter((categoryEntry) => categoryEntry.host.length === longestHost);
        const longestPath = Math.max(...ofHost.map((categoryEntry) => categoryEntry.path?.length ?? 0));
        const best = ofHost
          .filter((categoryEntry) => (categoryEntry.path?.length ?? 0) === longestPath)
          .map((categoryEntry) => categoryEntry.category);
        expect(createCategories([createCategoryFeed('f', entries)]).find(requested, requestedPath).categories).toEqual(
          best.length > 0 ? [...new Set(best)] : ['uncategorised'],
        );
      }),
      { numRuns: 300 },
    );
  });
});

describe('a category feed', () => {
  it('types each line by itself, and reports those that cannot be used', () => {
    const { feed: read, report } = parseCategoryFeed(
      'f',
      [
        'domain,category',
        'a.example,games',
        '"https://b.example/play/", "Social Networks"',
        'bücher.example,books',
        '198.18.4.7,games',
        '# a comment',
        'b.example',
        'c d,games',
        'd.example,!!',
        'e.example/x?y=1,games',
        'single,games',
        `${'x'.repeat(70_000)}.example,games`,
        'f.example,uncategorised',
      ].join('\r\n'),
    );
    const known = createCategories([read]);
    expect(
      ['x.a.example', 'b.example', 'xn--bcher-kva.example', '198.18.4.7'].map(
        (host) => known.find(host, '/play/x').categories[0],
      ),
    ).toEqual(['games', 'social-networks', 'books', 'games']);
    expect(report.renamed).toEqual({ 'Social Networks': 'social-networks' });
    expect([report.numLines, report.numEntries, report.numRejected]).toEqual([13, 4, 7]);
    expect(report.problems.map(({ line, message }) => `${line}: ${message}`)).toEqual([
      '7: the category is missing; expected "domain-or-url,category"',
      '8: "c d" is no domain or URL',
      '9: "!!" is no name of a category',
      '10: "e.example/x?y=1" has a query, which an entry cannot test',
      '11: "single" is no domain or URL',
      '12: the line is too long',
      '13: "uncategorised" is no name of a category',
    ]);
  });

  it('reads well-formed lines in their bytes as it reads them as text, in pieces of any size', () => {
    const word = fc.constantFrom('a', 'a.example', 'b-c.example', 'xn--a.example', 'x.xn--b', 'a.b7', 'ü.example', '');
    const site = fc.tuple(fc.constantFrom('', ' ', '"', 'www.', '-.'), word).map(([before, name]) => before + name);
    const category = fc.constantFrom('', ',games', ',uncategorised', ',Games', ',news ', ',7', ',games,news');
    const line = fc
      .tuple(site, category, fc.constantFrom('\n', '\r\n', '\n\n', ' # x\n', '\r'))
      .map((parts) => parts.join(''));
    fc.assert(
      fc.property(
        fc.array(line, { maxLength: 8 }),
        fc.nat(60),
        fc.option(fc.constant('own')),
        (lines, cut, category) => {
          const readBy = (pieces: readonly string[]) => {
            const reader = new CategoryFeedReader(category ?? undefined);
            for (const piece of pieces) reader.push(new TextEncoder().encode(piece));
            const { feed: read, report } = reader.end('f');
            return { rows: [...read.table.rows()].map((row) => [row.host, read.categories[row.value]]).sort(), report };
          };
          const text = lines.join('');
          // A space in front makes a line unusual, and changes nothing else.
          const asText = lines.map((eachLine) => ` ${eachLine}`);
          const whole = readBy([text]);
          expect(readBy([text.slice(0, cut), text.slice(cut)])).toEqual(whole);
          expect(readBy(asText).rows).toEqual(whole.rows);
          expect(readBy(asText).report.numRejected).toBe(whole.report.numRejected);
        },
      ),
      { numRuns: 1000 },
    );
  });

  it('survives a line of any length', () => {
    const reader = new CategoryFeedReader();
    reader.push(new TextEncoder().encode(`a.example,${'a'.repeat(500_000)}\nb.example,news\n`));
    const { feed, report } = reader.end('f');
    expect([...feed.table.rows()].map(({ host }) => host)).toEqual(['b.example']);
    expect(report.numRejected).toBe(1);
  });

  it('of one category may be a list, a hosts file or both; problems are reported with their file', () => {
    const reader = new CategoryFeedReader();
    const push = (text: string) => reader.push(new TextEncoder().encode(text));
    reader.startFile('gambling/domains', 'gambling');
    push('a.example\nhttps://b.exam');
    push('ple/poker');
    reader.startFile('ads.txt', 'ads');
    push('127.0.0.1 localhost\n0.0.0.0 c.example\n::1 ip6-localhost\n0.0.0.0 d.example e.example # both\nx y');
    const { feed: read, report } = reader.end('f');
    const known = createCategories([read]);
    expect(
      ['a.example', 'b.example', 'c.example', 'e.example'].map((host) => known.find(host, '/poker').categories[0]),
    ).toEqual(['gambling', 'gambling', 'ads', 'ads']);
    expect(report.problems).toEqual([{ file: 'ads.txt', line: 5, message: 'expected one domain or URL, found "x y"' }]);
  });
});
