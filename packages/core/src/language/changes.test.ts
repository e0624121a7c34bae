import { describe, expect, it } from 'vitest';
import { compareParts, mergeParts } from './changes.js';
import { parseFences } from './parser.js';
import { splitIntoParts, type Part } from './parts.js';

const partsOf = (text: string): Part[] => splitIntoParts([parseFences(text, 'f.fence').file]);
const FENCE = (...rules: string[]): string =>
  `fence f enforce {\n${rules.map((name) => `rule ${name} block when always`).join('\n')}\n}`;

describe('a configuration in parts', () => {
  it('keeps comments behind the last statement, above it', () =>
    expect(partsOf('list a countries { NO }\n# the end\n')[0]!.text).toBe('# the end\nlist a countries { NO }'));

  it('keeps the comments of files that contain nothing else', () => {
    const files = ['# first', 'list a countries { NO }', '# between', 'list b countries { SE }', '# last'];
    const parts = splitIntoParts(files.map((text, index) => parseFences(text, `${index}.fence`).file));
    expect(parts.map(({ text }) => text)).toEqual([
      '# first\n# between\nlist a countries { NO }',
      '# last\nlist b countries { SE }',
    ]);
  });
});

describe('comparing configurations', () => {
  const kinds = (before: string, after: string): string[] =>
    compareParts(partsOf(before), partsOf(after)).map(({ kind, part, name }) => `${kind} ${part} ${name}`);

  it('finds nothing between equal ones, however they are written and ordered', () => {
    expect(kinds('list a countries { NO }\n' + FENCE('x'), FENCE('x') + '\nlist a countries {NO}')).toEqual([]);
  });
  it('reports added, removed and changed parts, rules by their fence', () => {
    expect(kinds(FENCE('x', 'y'), 'fence f trial { rule y allow when always rule z block when always }')).toEqual([
      'changed fence f',
      'changed rule f/y',
      'added rule f/z',
      'removed rule f/x',
    ]);
  });
  it('calls as few rules moved as it can, and of two that could have moved the one that the user moved', () => {
    expect(kinds(FENCE('a', 'b', 'c', 'd'), FENCE('d', 'a', 'b', 'c'))).toEqual(['moved rule f/d']);
    for (const mover of ['f/a', 'f/b'])
      expect(compareParts(partsOf(FENCE('a', 'b')), partsOf(FENCE('b', 'a')), new Set([mover]))).toMatchObject([
        { kind: 'moved', name: mover },
      ]);
  });
  it('reports what is the same but for its name', () => {
    const changes = compareParts(
      partsOf('list a countries { NO }\nlist b countries { SE }\n' + FENCE('x', 'y')),
      partsOf('list c countries { NO }\nlist d countries { DK }\n' + FENCE('x', 'z').replace('z block', 'z allow')),
    );
    expect(
      changes.map(({ kind, name, wasNamed, isNamed }) => [kind, name, wasNamed ?? isNamed ?? '-'].join(' ')),
    ).toEqual(['added c a', 'added d -', 'added f/z -', 'removed a c', 'removed b -', 'removed f/y -']);
  });
});

it('merging replaces a fence with all its rules, adds what is new, and leaves the rest', () => {
  const merged = mergeParts(
    partsOf(`list a countries { NO }\n${FENCE('x', 'y')}\ngate g inbound { hosts a.example fences f otherwise allow }`),
    partsOf(`${FENCE('z')}\nlist b countries { SE }`),
  );
  expect(merged.map(({ kind, name }) => `${kind} ${name}`)).toEqual([
    'list a',
    'fence f',
    'rule z',
    'gate g',
    'list b',
  ]);
});
