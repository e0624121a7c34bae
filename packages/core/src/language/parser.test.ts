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

  it('binds not before and before or, and prints no needless parenthesis', () => {
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
        'f.fence:1:6: Found "to", expected the name of a list. The word "to" is a keyword and cannot be a name. [reserved-word]',
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
        'f.fence:1:20: Found "no", expected a country code of two capital letters or a list. Write NO for Norway. [bad-value]',
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
        'f.fence:2:28: Found "under", expected an operator of client: =, !=, in, not in, present, absent. [wrong-operator]',
      ],
    ],
    [
      rule('allow when host == a.example'),
      [
        'f.fence:2:26: Found "==", expected an operator of host: =, !=, in, not in, under, like, starts, ends, contains, matches, present, absent. Write "=" for equal. [wrong-operator]',
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
        'f.fence:1:6: Gate g has no "hosts" clause. Write the hosts that the gate protects. [missing-clause]',
        'f.fence:1:6: Gate g has no "otherwise" clause. Write what happens when no fence decides: otherwise allow, or otherwise block. [missing-clause]',
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
    [
      'fence f enforce {\n  rule r redirect "example" when always\n}',
      [
        'f.fence:2:19: Found "example", expected where to redirect to. Write a URL such as "https://www.example/closed", or a path of the same site such as "/closed". [bad-value]',
      ],
    ],
    [
      'fence f enforce {\n  rule r limit 5 in 1m by client when always\n}',
      ['f.fence:2:18: Found "in", expected "per" and a duration. [unexpected]'],
    ],
    [
      'fence f enforce {\n  rule r limit 5 per 90 by client when always\n}',
      [
        'f.fence:2:22: Found "90", expected a duration such as 30s, 5m, 2h or 7d, at least one of its unit. [bad-value]',
      ],
    ],
    [
      'fence f enforce {\n  rule r limit 5 per 1m by query when always\n}',
      ['f.fence:2:34: Found "when", expected the quoted name of a parameter. [unexpected]'],
    ],
    [
      'fence f enforce {\n  rule r block when path matches "(?=a)b"\n}',
      [
        'f.fence:2:34: The expression "(?=a)b" cannot be used: looking ahead or behind cannot be searched in linear time. Write it with the syntax of a linear-time engine, or use like, starts, ends or contains. [bad-pattern]',
      ],
    ],
    [
      'fence f enforce {\n  rule r block when header present\n}',
      ['f.fence:2:28: Found "present", expected the quoted name of a header. [unexpected]'],
    ],
    [
      'fence f enforce {\n  rule r block when port = eighty\n}',
      ['f.fence:2:28: Found "eighty", expected a whole number. [bad-value]'],
    ],
    [
      'fence f enforce {\n  rule r block when agent != anycase fox\n}',
      [
        'f.fence:2:30: Found "anycase", expected a value: "anycase" goes with =, like, starts, ends, contains of texts. Quote the value if the word itself is meant. [wrong-operator]',
      ],
    ],
    [
      'fence f enforce {\n  rule r block when path not starts /a\n}',
      [
        'f.fence:2:30: Found "starts", expected an operator of path: =, !=, in, not in, under, like, starts, ends, contains, matches, present, absent. Put "not" before the whole comparison. [wrong-operator]',
      ],
    ],
    [
      'fence f enforce {\n  rule r block when always until 2026-02-30\n}',
      [
        'f.fence:2:34: Found "2026-02-30", expected a date such as 2026-12-24 or a time such as 2026-12-24T18:00:00Z. [bad-value]',
      ],
    ],
    [
      'fence f enforce {\n  rule r block when always until 2026-02-03 during nights\n}',
      [
        'f.fence:2:45: Found "during", expected the next rule, "otherwise" or "}". After the condition come, in this order: during, outside, until, if, owner, reason. [unexpected]',
      ],
    ],
    [
      'schedule s { zone Europe/Oslp mon 09:00-10:00 }',
      [
        'f.fence:1:19: Found "Europe/Oslp", expected a time zone of the IANA database. Write it as Area/City such as Europe/Oslo, or UTC. [unknown-zone]',
      ],
    ],
    [
      'schedule s { mon 09:00-09:00 }',
      [
        'f.fence:1:18: Found "09:00-09:00", expected hours whose end differs from their start. Write 00:00-24:00 for the whole day. [bad-value]',
      ],
    ],
    [
      'list l domains protected { a.example }',
      [
        'f.fence:1:16: Found "protected", a list of domains cannot be protected, only one of addresses. [misplaced-clause]',
      ],
    ],
    [
      'schedule s { }',
      ['f.fence:1:14: Found "}", expected hours. Write days and hours such as mon-fri 09:00-17:00. [missing-clause]'],
    ],
    [
      'gate g inbound { hosts a.example clients 198.18.0.0/16 otherwise allow }',
      [
        'f.fence:1:34: Found "clients" in the inbound gate g; only outbound gates have it. An inbound gate is known by its hosts. [misplaced-clause]',
      ],
    ],
    [
      'gate g outbound { clients 198.18.0.0/16 inspect { inspect when path under /a otherwise exempt } otherwise allow }',
      [
        'f.fence:1:64: Found "path", expected a field that can be tested here: client, peer, country, server country, server, host, site, transport, port, user, group, category. [unknown-field]',
      ],
    ],
    [
      'expect allowed after 3 in 1m from 198.18.1.1 to https://a.example/',
      ['f.fence:1:16: Found "after", expected "from": only "limited" comes after a number of requests. [unexpected]'],
    ],
    [
      'expect blocked from 198.18.1.1 to a.example',
      [
        'f.fence:1:35: Found "a.example", expected a URL such as https://shop.example/login. Write the scheme and the host. [bad-value]',
      ],
    ],
    [
      'application a { ports tcp/99999 }',
      ['f.fence:1:23: Found "tcp/99999", expected a port such as tcp/443. [bad-value]'],
    ],
  ])('is reported with location, what was found, what was expected and the fix: %s', (text, expected) =>
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
  it('is an error if it nests too deep', () => {
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
