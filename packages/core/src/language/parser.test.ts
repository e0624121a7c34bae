import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { formatDiagnostic } from './diagnostic.js';
import { nameOfStatement } from './parts.js';
import { parseFences, parseListFile } from './parser.js';
import { printFences } from './printer.js';

const errorsOf = (text: string): string[] => parseFences(text, 'f.fence').diagnostics.map(formatDiagnostic);
const canonical = (text: string): string => printFences(parseFences(text, 'f.fence').file);
const rule = (text: string): string => `fence f enforce {\n  rule r ${text}\n}\n`;

describe('fence text', () => {
  it('becomes a tree', () => {
    const { file, diagnostics } = parseFences(
      '# who\nlist team addresses { 198.18.4.0/24 except 198.18.4.66 }',
      'f.fence',
    );
    expect(diagnostics).toEqual([]);
    expect(file.statements).toEqual([
      {
        kind: 'list',
        name: 'team',
        listKind: 'addresses',
        title: undefined,
        source: {
          kind: 'inline',
          entries: [
            {
              kind: 'addresses',
              range: { family: 4, first: 0xc6120400n, last: 0xc61204ffn },
              place: { file: 'f.fence', line: 2, column: 23 },
            },
          ],
          exceptions: [
            {
              kind: 'addresses',
              range: { family: 4, first: 0xc6120442n, last: 0xc6120442n },
              place: { file: 'f.fence', line: 2, column: 44 },
            },
          ],
        },
        comments: ['who'],
        place: { file: 'f.fence', line: 2, column: 1 },
      },
    ]);
  });

  it('binds not before and before or, and prints no parenthesis that says nothing', () => {
    expect(
      canonical(
        rule('allow when ((not (tag = a)) and host = x.example or path under /p) and (method = GET and tag = b)'),
      ),
    ).toBe(rule('allow when (not tag = a and host = x.example or path under /p) and method = GET and tag = b'));
  });

  it('is printed in normal forms', () => {
    expect(
      canonical(
        rule(
          'block 403 when client in 198.18.4.7/24, 2001:DB8::/32, 198.18.0.1 - 198.18.0.2 and host in *.Shop.Example, =a.example and path under /%6Cogin',
        ),
      ),
    ).toBe(
      'fence f enforce {\n  rule r block\n    when client in 198.18.4.0/24, 2001:db8::/32, 198.18.0.1 - 198.18.0.2 and host in *.shop.example, =a.example and path under /login\n}\n',
    );
  });

  it('keeps comments, moving those inside a statement above it', () => {
    expect(
      canonical(
        '# one\nfence f trial { # two\n  # three\n  rule r # four\n    allow when always # five\n  # six\n}\n# seven',
      ),
    ).toBe(
      '# one\n# two\n# six\nfence f trial {\n  # three\n  # four\n  # five\n  rule r allow when always\n}\n\n# seven\n',
    );
  });

  it('takes a quoted single label as a domain and a bare one as a list', () => {
    expect(canonical(rule('allow when host in "intranet", staff-sites'))).toBe(
      rule('allow when host in "intranet", staff-sites'),
    );
  });
});

describe('an error in fence text', () => {
  it.each([
    [
      'lst a addresses { }',
      [
        'f.fence:1:1: Found "lst", expected a statement: zone, list, schedule, page, application, gate, fence, expect. Did you mean "list"? [unexpected]',
      ],
    ],
    [
      'list A addresses { }',
      [
        'f.fence:1:6: Found "A", expected the name of a list. A name begins with a small letter and goes on with small letters, digits and hyphens, 63 at most. [bad-name]',
      ],
    ],
    [
      'list to addresses { }',
      [
        'f.fence:1:6: Found "to", expected the name of a list. The word "to" has a meaning of its own and cannot be a name. [reserved-word]',
      ],
    ],
    [
      'list a adresses { }',
      [
        'f.fence:1:8: Found "adresses", expected a kind of list: addresses, countries, domains, urls, categories, applications. Did you mean "addresses"? [unexpected]',
      ],
    ],
    [
      'list a addresses { 198.18.4.0/33 }',
      [
        'f.fence:1:20: Found "198.18.4.0/33", expected an address such as 198.18.4.7, a network such as 198.18.4.0/24, or a range a - b. [bad-value]',
      ],
    ],
    [
      'list a countries { no }',
      [
        'f.fence:1:20: Found "no", expected a country code of two capital letters or a list. Write NO for the country. [bad-value]',
      ],
    ],
    [
      'list a domains { https://shop.example }',
      [
        'f.fence:1:18: Found "https://shop.example", expected a domain such as shop.example, *.shop.example or =shop.example. Leave out the scheme, the port and the path. [bad-value]',
      ],
    ],
    [
      'list a addresses { 198.18.4.1, }',
      ['f.fence:1:32: Found "}", expected an address, network or list of addresses. [unexpected]'],
    ],
    [
      rule('allow when hst = a.example'),
      ['f.fence:2:21: Found "hst", expected a field. Did you mean "host"? [unknown-field]'],
    ],
    [
      rule('allow when host=a.example'),
      [
        'f.fence:2:21: Found "host=a.example", expected a field, an operator and a value. Write spaces between them: host = a.example. [unexpected]',
      ],
    ],
    [
      rule('allow when client under 198.18.0.0/16'),
      [
        'f.fence:2:28: Found "under", expected what client is asked: =, !=, in, not in, present, absent. [wrong-operator]',
      ],
    ],
    [
      rule('allow when host == a.example'),
      [
        'f.fence:2:26: Found "==", expected what host is asked: =, !=, in, not in, under, like, starts, ends, contains, matches, present, absent. Write "=" for equal. [wrong-operator]',
      ],
    ],
    [
      rule('allow when client = 198.18.0.0/16'),
      [
        'f.fence:2:30: client = takes one plain value. Use "in" for lists, networks, ranges and entries with * or =. [wrong-operator]',
      ],
    ],
    [
      rule('allow when path under login'),
      ['f.fence:2:32: Found "login", expected a path that begins with /. [bad-value]'],
    ],
    [rule('block 200 when always'), ['f.fence:2:16: Found "200", expected a status from 400 to 599. [bad-value]']],
    [
      rule('allow when host = a.example path = /x'),
      [
        'f.fence:2:38: Found "path", expected the next rule, "otherwise" or "}". Conditions are joined with "and" or "or", values with commas. [unexpected]',
      ],
    ],
    [
      rule('allow'),
      ['f.fence:3:1: Found "}", expected "when" and a condition ("when always" for every request). [unexpected]'],
    ],
    [
      'gate g inbound { fences f }',
      [
        'f.fence:1:6: Gate g has no "hosts" clause. Say which hosts the gate stands for. [missing-clause]',
        'f.fence:1:6: Gate g has no "otherwise" clause. Say what happens when no fence decides: otherwise allow, or otherwise block. [missing-clause]',
      ],
    ],
    [
      'list a domains { "shop }',
      [
        'f.fence:1:18: Found "shop } without a closing quotation mark on its line. Close it with ", and write a line break inside as \\n. [unterminated-text]',
        'f.fence:1:25: Found the end of the file, expected "}" after the entries. [unexpected]',
      ],
    ],
    [
      'list a domains { shop"x" }',
      [
        'f.fence:1:22: Found a quotation mark inside shop"x". Quote the whole value, or put a space before the quotation mark. [bad-character]',
      ],
    ],
  ])('is told with place, found, expected and what to do: %s', (text, expected) =>
    expect(errorsOf(text)).toEqual(expected),
  );

  it('does not hide the next: one pass reports them all', () => {
    const text = [
      'list a adresses { }',
      'fence f enforce {',
      '  rule one allow when hst = a',
      '  rule two block when always',
      '  rule three block whn always',
      '}',
      'gate g inbound { hosts shop.example otherwise allow }',
      'fence',
      '',
    ].join('\n');
    expect(errorsOf(text).map((line) => line.split(' [')[0]!.slice(0, 36))).toEqual(
      [
        'f.fence:1:8: Found "adresses", expect',
        'f.fence:3:23: Found "hst", expected a',
        'f.fence:5:20: Found "whn", expected "',
        'f.fence:9:1: Found the end of the fil',
      ].map((line) => line.slice(0, 36)),
    );
    expect(
      parseFences(text, 'f.fence').file.statements.map(
        (statement) => `${statement.kind} ${nameOfStatement(statement)}`,
      ),
    ).toEqual(['fence f', 'gate g']);
  });
});

describe('text made to break the parser', () => {
  it('is told where it goes too deep', () => {
    const deep = (levels: number): string => rule(`allow when ${'('.repeat(levels)}tag = x${')'.repeat(levels)}`);
    expect(errorsOf(deep(100))).toEqual([]);
    expect(errorsOf(deep(100_000))).toEqual([
      'f.fence:2:122: Found "(", expected at most 100 parentheses inside each other. [unexpected]',
    ]);
  });

  it('of any kind ends in a tree and errors, never in a crash', () => {
    const scraps = [
      'rule',
      'fence f trial {',
      'list',
      '{',
      '}',
      '(',
      ')',
      ',',
      '"',
      '"x"',
      '#',
      'when',
      'not',
      'in',
      '=',
      '-',
      'client',
      '198.18.0.1',
      '\n',
      '\0',
      '\ud800',
      'until',
    ];
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...scraps), { maxLength: 40 }), fc.constantFrom('', ' '), (words, space) => {
        const { file, diagnostics } = parseFences(words.join(space), 'f.fence');
        for (const { place } of diagnostics) expect(place.line).toBeGreaterThan(0);
        // What could be read prints and reads again.
        expect(
          parseFences(printFences(file), 'f.fence').diagnostics.filter(({ code }) => code === 'unexpected'),
        ).toEqual([]);
      }),
      { numRuns: 2000 },
    );
  });
});

describe('a list in a file', () => {
  it('has one entry a line, and names the lines that are none', () => {
    const { entries, diagnostics } = parseListFile(
      '# touts\n198.18.4.0/24   # rented\n\n198.18.9.1 - 198.18.9.7\nother-list\n198.18.4\n198.18.1.1 198.18.1.2\n',
      'addresses',
      'touts.txt',
    );
    expect(entries.entries.map((entry) => entry.kind)).toEqual(['addresses', 'addresses', 'list']);
    expect(diagnostics.map(formatDiagnostic)).toEqual([
      'touts.txt:6:1: Found "198.18.4", expected an address such as 198.18.4.7, a network such as 198.18.4.0/24, or a range a - b. [bad-entry]',
      'touts.txt:7:12: Found "198.18.1.2", expected one entry on each line. [bad-entry]',
    ]);
  });
});
