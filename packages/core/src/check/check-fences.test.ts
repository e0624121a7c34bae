import { describe, expect, it } from 'vitest';
import { formatDiagnostic } from '../language/diagnostic.js';
import { parseAddress } from '../request/address.js';
import { checkFences, type SourceFile } from './check-fences.js';
import { formatEntry } from './members.js';

const errorsOf = (text: string, namedFiles: SourceFile[] = []): string[] =>
  checkFences([{ path: 'f.fence', text }], namedFiles).diagnostics.map(formatDiagnostic);

it('names tags that no rule sets, which does not prevent judging', () => {
  const text = 'fence f trial { rule a tag staff when always rule b block when not tag = staf or tag in staff, night }';
  const { warnings, diagnostics, rulebook } = checkFences([{ path: 'f.fence', text }], []);
  expect(diagnostics).toEqual([]);
  expect(rulebook).toBeDefined();
  expect(warnings.map(formatDiagnostic)).toEqual([
    'f.fence:1:74: No rule sets the tag "staf". Did you mean "staff"? [unset-tag]',
    'f.fence:1:96: No rule sets the tag "night". Set it in a rule: tag night when ... [unset-tag]',
  ]);
});

it('takes what was pinned before countries and gates were checked', () => {
  const file = { path: 'f.fence', text: 'fence f trial { rule a block when country = UK and gate = gone }' };
  expect(checkFences([file], [], { isPinned: true }).rulebook).toBeDefined();
});

describe('checking fences', () => {
  it.each([
    [
      'gate g inbound { hosts staf-sites otherwise allow }\nlist staff-sites domains { a.example }',
      ['f.fence:1:24: No list is named "staf-sites". Did you mean "staff-sites"? [unknown-name]'],
    ],
    [
      'gate g inbound { hosts intranet otherwise allow }',
      ['f.fence:1:24: No list is named "intranet". Define the list, or quote a real single label. [unknown-name]'],
    ],
    [
      'gate g inbound { hosts a.example fences hous otherwise allow }\nfence house trial { }',
      ['f.fence:1:41: No fence is named "hous". Did you mean "house"? [unknown-name]'],
    ],
    [
      'list a countries { norway, "United Kingdom", Swedn }',
      [
        'f.fence:1:20: No list is named "norway". Write NO for Norway. [unknown-name]',
        'f.fence:1:28: Found "United Kingdom", expected a country code of two capital letters, no-country, internal, or a list. Write GB for United Kingdom. [bad-value]',
        'f.fence:1:46: Found "Swedn", expected a country code of two capital letters, no-country, internal, or a list. Write SE for Sweden. [bad-value]',
      ],
    ],
    [
      'list a countries { UK, EU, QQ, XK }\nfence f trial { rule r allow when country in europ and gate = gone }',
      [
        'f.fence:1:20: No country has the code "UK". Write GB for United Kingdom. [unknown-name]',
        'f.fence:1:24: No country has the code "EU". Write europe for the continent, or the countries one by one. [unknown-name]',
        'f.fence:1:28: No country has the code "QQ". Codes that begin so are QA (Qatar). [unknown-name]',
        'f.fence:2:46: No list is named "europ". Did you mean "europe"? [unknown-name]',
        'f.fence:2:63: No gate is named "gone". [unknown-name]',
      ],
    ],
    [
      'list a countries { NO }\nfence f trial { rule r allow when client in a }',
      ['f.fence:2:45: "a" is a list of countries, expected a list of addresses. [wrong-kind]'],
    ],
    [
      'list a countries { NO }\nlist a addresses { }',
      ['f.fence:2:1: A second list "a", the first is at f.fence:1. Rename one of them. [duplicate-name]'],
    ],
    [
      'fence f trial { rule r allow when always rule r allow when always }',
      ['f.fence:1:42: A second rule in fence f, "r", the first is at f.fence:1. Rename one of them. [duplicate-name]'],
    ],
    [
      'list a domains { b }\nlist b domains { c }\nlist c domains { x.example, a }',
      ['f.fence:1:1: List a contains itself: a > b > c > a. Take one of these lists out of the other. [cyclic-list]'],
    ],
    [
      'list internal countries { NO }',
      ['f.fence:1:1: A list cannot be named "internal", which is a value of country. [bad-name]'],
    ],
    [
      'list a addresses from "lists/a.txt"',
      [
        'f.fence:1:23: List a is kept in "lists/a.txt", which is not there. Put the file there; the path is read from the folder of the fence file. [missing-file]',
      ],
    ],
  ])('reports %s', (text, expected) => expect(errorsOf(text)).toEqual(expected));

  it('looks into lists that are kept in files', () => {
    expect(errorsOf('list a addresses from "a.txt"', [{ path: 'a.txt', text: '198.18.0.1\ntoutz' }])).toEqual([
      'a.txt:2:1: No list is named "toutz". Define the list, or write a value. [unknown-name]',
    ]);
  });

  it('reports every line of a list file that is no entry, however many there are', () => {
    const text = 'no..domain\n'.repeat(150_000);
    expect(errorsOf('list a domains from "a.txt"', [{ path: 'a.txt', text }])).toHaveLength(150_000);
  });

  it('reads a list next to the fence file that names it', () => {
    const { rulebook, diagnostics } = checkFences(
      [{ path: 'sites/f.fence', text: 'list a addresses from "../lists/a.txt"' }],
      [{ path: 'lists/a.txt', text: '198.18.0.0/24 # rented\n' }],
    );
    expect(diagnostics).toEqual([]);
    expect(rulebook?.lists.get('a')?.members.find(parseAddress('198.18.0.9')!)).toBeDefined();
  });

  it('takes exceptions out of the same list only, and returns the lists that contain a value', () => {
    const { rulebook } = checkFences(
      [
        {
          path: 'f.fence',
          text: 'list inner addresses { 198.18.0.0/24 except 198.18.0.5 }\nlist outer addresses { inner, 198.18.0.5, 198.18.1.0/24 except 198.18.0.6 }',
        },
      ],
      [],
    );
    const find = (list: string, address: string): string | undefined => {
      const membership = rulebook!.lists.get(list)!.members.find(parseAddress(address)!);
      return membership && [...membership.through, formatEntry(membership.entry)].join(' > ');
    };
    expect(['198.18.0.5', '198.18.0.6', '198.18.0.7'].map((address) => find('inner', address))).toEqual([
      undefined,
      '198.18.0.0/24',
      '198.18.0.0/24',
    ]);
    expect(['198.18.0.5', '198.18.0.6', '198.18.0.7', '198.18.1.1'].map((address) => find('outer', address))).toEqual([
      '198.18.0.5',
      undefined,
      'inner > 198.18.0.0/24',
      '198.18.1.0/24',
    ]);
  });

  it('defines things in byte order of the files’ paths', () => {
    const gate = (name: string): string => `gate ${name} inbound { hosts a.example otherwise allow }`;
    const { rulebook } = checkFences(
      [
        { path: 'b.fence', text: gate('second') },
        { path: 'a.fence', text: gate('first') },
      ],
      [],
    );
    expect(rulebook?.gates.map(({ statement }) => statement.name)).toEqual(['first', 'second']);
  });
});
