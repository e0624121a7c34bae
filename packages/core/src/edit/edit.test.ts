import { describe, expect, it } from 'vitest';
import { checkTree } from '../check/check-fences.js';
import { parseFences } from '../language/parser.js';
import { joinParts, splitIntoParts } from '../language/parts.js';
import { printFences } from '../language/printer.js';
import { EditError, type Configuration } from './configuration.js';
import { compareConfigurations, describeChange, diffTexts } from './describe-change.js';
import { applyEdits, type Edit } from './edit.js';
import { lookupInList, showList } from './list-entries.js';
import { STARTING_POINTS } from './starting-points.js';
import { findUses } from './uses.js';

const TEXT = `
list team addresses { 198.18.4.0/24, guests except 198.18.4.66 }
list guests addresses { 198.18.5.0/24 }
schedule nights { mon-fri 22:00-06:00 }
gate shop inbound {
  hosts shop.example
  fences door
  otherwise allow
}
fence door enforce {
  rule first tag staff when client in team
  rule second block when path under /desk during nights
  rule third block 451 when country = NO
}
fence spare trial {
  rule only observe when always
}
expect blocked by rule door/third from 198.18.1.1 to https://shop.example/
`;
const START: Configuration = {
  parts: splitIntoParts([parseFences(TEXT, 'f.fence').file]),
  namedFiles: [{ path: 'touts.txt', text: '# who\n198.18.9.0/24 # a rack\n' }],
};

function textAfter(...edits: Edit[]): string {
  const { configuration } = applyEdits(START, edits);
  return printFences(joinParts(configuration.parts, 'f.fence'));
}

function rulesAfter(...edits: Edit[]): string[] {
  const { parts } = applyEdits(START, edits).configuration;
  return parts.flatMap((part) => (part.kind === 'rule' && part.owner === 'door' ? [part.name] : []));
}

function problemOf(...edits: Edit[]): string {
  try {
    applyEdits(START, edits);
    return 'none';
  } catch (error) {
    if (!(error instanceof EditError)) throw error;
    return `${error.code}: ${error.message}`;
  }
}

const RULE = { fence: 'door', rule: 'second' } as const;

describe('a rule', () => {
  const text = 'rule new block when always';
  it.each<[string, Edit, string[]]>([
    [
      'added on top',
      { kind: 'add-rule', fence: 'door', text, position: { at: 'top' } },
      ['new', 'first', 'second', 'third'],
    ],
    [
      'added at the bottom',
      { kind: 'add-rule', fence: 'door', text, position: { at: 'bottom' } },
      ['first', 'second', 'third', 'new'],
    ],
    [
      'added above one',
      { kind: 'add-rule', fence: 'door', text, position: { at: 'above', name: 'second' } },
      ['first', 'new', 'second', 'third'],
    ],
    [
      'added below one',
      { kind: 'add-rule', fence: 'door', text, position: { at: 'below', name: 'second' } },
      ['first', 'second', 'new', 'third'],
    ],
    ['moved', { kind: 'move-rule', ...RULE, position: { at: 'below', name: 'third' } }, ['first', 'third', 'second']],
    ['removed', { kind: 'remove-rule', ...RULE }, ['first', 'third']],
    ['cloned', { kind: 'clone-rule', ...RULE }, ['first', 'second', 'second-2', 'third']],
  ])('%s is at the given position', (_, edit, expected) => expect(rulesAfter(edit)).toEqual(expected));

  it('moves to another fence, and what expects it follows', () => {
    const edit: Edit = { kind: 'move-rule', fence: 'door', rule: 'third', toFence: 'spare', position: { at: 'top' } };
    expect(rulesAfter(edit)).toEqual(['first', 'second']);
    expect(textAfter(edit)).toMatch(/fence spare [^}]*rule third /);
    expect(textAfter(edit)).toContain('expect blocked by rule spare/third from');
  });

  it('that is cloned arrives off, and is otherwise the same', () =>
    expect(textAfter({ kind: 'clone-rule', ...RULE })).toContain(
      'rule second-2 off block when path under /desk during nights',
    ));

  it('that is renamed is followed by what expects it', () =>
    expect(textAfter({ kind: 'rename-rule', fence: 'door', rule: 'third', to: 'by-country' })).toContain(
      'expect blocked by rule door/by-country from',
    ));

  it('can be set without writing it again, and what is null is taken away', () => {
    const set: Edit = { kind: 'set-rule', ...RULE, state: 'trial', until: '2026-12-31', owner: 'kari', reason: 'why' };
    expect(textAfter(set)).toContain(
      'rule second trial block when path under /desk during nights until 2026-12-31 owner "kari" reason "why"',
    );
    expect(textAfter(set, { kind: 'set-rule', ...RULE, until: null, owner: null })).toContain(
      'during nights reason "why"',
    );
  });
});

it('a list of addresses is protected, and no longer', () => {
  expect(textAfter({ kind: 'protect-list', list: 'guests', isProtected: true })).toContain(
    'list guests addresses protected',
  );
  expect(
    textAfter(
      { kind: 'protect-list', list: 'guests', isProtected: true },
      { kind: 'protect-list', list: 'guests', isProtected: false },
    ),
  ).not.toContain('protected');
});

describe('a name', () => {
  it('of a list, schedule or fence is followed everywhere', () => {
    const text = textAfter(
      { kind: 'rename', part: 'list', name: 'guests', to: 'visitors' },
      { kind: 'rename', part: 'schedule', name: 'nights', to: 'dark' },
      { kind: 'rename', part: 'fence', name: 'door', to: 'front' },
    );
    for (const line of [
      'list team addresses { 198.18.4.0/24, visitors except 198.18.4.66 }',
      'during dark',
      'fences front',
      'by rule front/third',
    ])
      expect(text).toContain(line);
    expect(text).not.toMatch(/guests|nights|door/);
  });

  it('that is used cannot be removed, and the users are named', () => {
    expect(problemOf({ kind: 'remove', part: 'list', name: 'guests' })).toBe(
      'part-in-use: The list guests is used by list team.',
    );
    expect(problemOf({ kind: 'remove', part: 'fence', name: 'door' })).toMatch(
      /^part-in-use: The fence door is used by gate shop, the expectation "expect blocked/,
    );
    expect(problemOf({ kind: 'remove-rule', fence: 'door', rule: 'third' })).toMatch(/^part-in-use: Rule door\/third/);
    expect(textAfter({ kind: 'remove', part: 'fence', name: 'spare' })).not.toContain('spare');
    expect(findUses(START.parts, 'schedule', 'nights')).toEqual(['rule door/second']);
  });
});

describe('an edit that cannot be made', () => {
  it.each<[string, Edit]>([
    ['unknown-part: Fence door has no rule "gone".', { kind: 'remove-rule', fence: 'door', rule: 'gone' }],
    ['name-taken: Fence door has a rule "first" already.', { kind: 'rename-rule', ...RULE, to: 'first' }],
    [
      'invalid-text: Found "With Space", expected a name.',
      { kind: 'rename', part: 'list', name: 'team', to: 'With Space' },
    ],
    ['unknown-part: The fence "spare" is not attached to gate shop.', { kind: 'detach', gate: 'shop', fence: 'spare' }],
    [
      'invalid-text: edit:2:8: Found "blok", expected an action: allow, block, redirect, warn, passphrase, challenge, limit, throttle, tag, observe. Did you mean "block"? [unexpected]',
      { kind: 'replace-rule', ...RULE, text: '# note\nrule x blok when always' },
    ],
    [
      'invalid-text: Found 2 rules, expected one.',
      { kind: 'replace-rule', ...RULE, text: 'rule a allow when always rule b allow when always' },
    ],
    [
      'name-taken: There is a fence "door" already.',
      { kind: 'put', text: 'fence door trial { rule a allow when always }' },
    ],
  ])('reports why: %s', (expected, edit) => expect(problemOf(edit)).toBe(expected));
});

describe('a fence', () => {
  it('is attached to gates in the given order, and is moved if it is already attached', () => {
    const attach: Edit = { kind: 'attach', gate: 'shop', fence: 'spare', position: { at: 'top' } };
    expect(textAfter(attach)).toContain('fences spare, door');
    expect(textAfter(attach, { ...attach, position: { at: 'below', name: 'door' } })).toContain('fences door, spare');
    expect(textAfter(attach, { kind: 'detach', gate: 'shop', fence: 'door' })).toContain('fences spare\n');
  });

  it('keeps its rules where its head is written again', () => {
    const text = textAfter({ kind: 'put', text: 'fence door trial "Front door" { otherwise block }' });
    expect(text).toContain('fence door trial "Front door" {\n  rule first');
    expect(text).toContain('  otherwise block\n}');
  });
});

describe('entries of a list', () => {
  it('are added and removed one by one, each with what became of it', () => {
    const { configuration, entries } = applyEdits(START, [
      {
        kind: 'edit-list',
        list: 'team',
        add: ['198.18.4.7', 'guests', '# a comment', 'nonsense here', '198.18.300.1', 'missing', '198.18.6.0/24'],
        remove: ['198.18.9.9'],
      },
    ]);
    expect(
      entries.map(({ line, text, result, note }) => [line, text, result, note ?? '']).map((row) => row.join('|')),
    ).toEqual([
      '1|198.18.9.9|not-there|',
      '1|198.18.4.7|added|overlaps 198.18.4.0/24',
      '2|guests|already-there|',
      '4|nonsense here|invalid|Found "here", expected one entry on each line.',
      '5|198.18.300.1|invalid|Found "198.18.300.1", expected an address such as 198.18.4.7, a network such as 198.18.4.0/24, or a range a - b.',
      '6|missing|invalid|No list is named "missing", and it is no literal.',
      '7|198.18.6.0/24|added|',
    ]);
    expect(configuration.parts.find(({ name }) => name === 'team')!.text).toBe(
      'list team addresses { 198.18.4.0/24, guests, 198.18.4.7, 198.18.6.0/24 except 198.18.4.66 }',
    );
  });

  it('keep their comments, and are not taken where they name no country', () => {
    const { configuration, entries } = applyEdits(START, [
      { kind: 'put', text: 'list near countries { }' },
      { kind: 'put', text: 'list sites domains { }' },
      { kind: 'edit-list', list: 'guests', add: ['198.18.44.1 # the printer'], remove: [] },
      { kind: 'edit-list', list: 'near', add: ['NO', 'northern-europe', 'UK', 'EU', 'norden'], remove: [] },
      { kind: 'edit-list', list: 'sites', add: ['a.example', '*.b.example', '=b.example', 'x.a.example'], remove: [] },
    ]);
    expect(entries.map(({ text, result, note }) => [text, result, note ?? ''].join('|'))).toEqual([
      '198.18.44.1|added|',
      'NO|added|',
      'northern-europe|added|',
      'UK|invalid|No country has the code "UK". Write GB for United Kingdom.',
      'EU|invalid|No country has the code "EU". Write europe for the continent, or the countries one by one.',
      'norden|invalid|No list is named "norden", and it is no literal. Write JO for Jordan.',
      'a.example|added|',
      '*.b.example|added|',
      '=b.example|added|',
      'x.a.example|added|overlaps a.example',
    ]);
    expect(configuration.parts.find(({ name }) => name === 'guests')!.text).toBe(
      'list guests addresses {\n  198.18.5.0/24,\n  # the printer\n  198.18.44.1\n}',
    );
    expect(showList(configuration, 'near').entries[1]!.contents?.entries.map(({ text }) => text)).toContain('SE');
  });

  it('are as quickly added to a long list as to a short one', () => {
    const row = (index: number): string => `198.${18 + (index >> 16)}.${(index >> 8) & 255}.${index & 255}`;
    const rows = Array.from({ length: 20_000 }, (_, index) => row(index));
    const { entries } = applyEdits(START, [
      { kind: 'put', text: 'list long addresses { }' },
      { kind: 'edit-list', list: 'long', add: [...rows, '198.18.0.0/16', row(7)], remove: [] },
    ]);
    expect(entries.slice(-2).map(({ result, note }) => [result, note])).toEqual([
      ['added', 'overlaps 198.18.0.0, 198.18.0.1, 198.18.0.2, 198.18.0.3, 198.18.0.4 and 19995 more'],
      ['already-there', undefined],
    ]);
  });

  it('of a list in a file change the file, and comments of other lines stay', () => {
    const { configuration } = applyEdits(START, [
      { kind: 'put', text: 'list touts addresses from "touts.txt"' },
      { kind: 'edit-list', list: 'touts', add: ['198.18.10.0/24 # b'], remove: [] },
    ]);
    expect(configuration.namedFiles[0]!.text).toBe('# who\n198.18.9.0/24 # a rack\n198.18.10.0/24 # b\n');
    const removed = applyEdits(configuration, [
      { kind: 'edit-list', list: 'touts', add: [], remove: ['198.18.9.0/24'] },
    ]);
    expect(removed.configuration.namedFiles[0]!.text).toBe('# who\n198.18.10.0/24 # b\n');
  });

  it('are looked up through nested lists and exceptions', () => {
    expect(lookupInList(START, 'team', '198.18.5.9')).toEqual({
      list: 'team',
      value: '198.18.5.9',
      isIn: true,
      entry: '198.18.5.0/24',
      through: ['guests'],
    });
    expect(lookupInList(START, 'team', '198.18.4.66')).toMatchObject({ isIn: false, takenOutBy: '198.18.4.66' });
    expect(() => lookupInList(START, 'team', 'host.example')).toThrow('expected an address');
    expect(showList(START, 'team').entries[1]).toMatchObject({ text: 'guests', contents: { name: 'guests' } });
  });
});

describe('a starting point', () => {
  it.each(STARTING_POINTS.map(({ name }) => name))('%s can be put into a draft once, on trial, and judges', (name) => {
    const { configuration } = applyEdits(START, [{ kind: 'start-from', startingPoint: name }]);
    const file = joinParts(configuration.parts, 'f.fence');
    expect(checkTree([file], []).diagnostics).toEqual([]);
    expect(file.statements).toContainEqual(expect.objectContaining({ kind: 'fence', name, mode: 'trial' }));
    expect(() => applyEdits(configuration, [{ kind: 'start-from', startingPoint: name }])).toThrow(EditError);
  });
});

describe('a difference', () => {
  it('is reported by its meaning', () => {
    const { configuration } = applyEdits(START, [
      { kind: 'replace-rule', fence: 'door', rule: 'third', text: 'rule third trial block when country in NO, SE' },
      { kind: 'move-rule', fence: 'door', rule: 'first', position: { at: 'bottom' } },
      { kind: 'edit-list', list: 'guests', add: ['198.18.7.0/24'], remove: ['198.18.5.0/24'] },
      { kind: 'attach', gate: 'shop', fence: 'spare', position: { at: 'bottom' } },
      { kind: 'set-mode', fence: 'spare', mode: 'enforce' },
      { kind: 'put-file', path: 'touts.txt', text: '# who\n198.18.11.0/24\n' },
    ]);
    const shown = compareConfigurations(START, configuration).map(describeChange);
    expect(shown.flatMap(({ summary, details }) => [summary, ...details.map((detail) => `  ${detail}`)])).toEqual([
      'List guests was changed.',
      '  Member added: 198.18.7.0/24.',
      '  Member removed: 198.18.5.0/24.',
      'Gate shop was changed.',
      '  Stack of fences changed from door to door, spare.',
      'Rule door/third was changed.',
      '  State changed from on to trial.',
      '  Action changed from block with 451 to block with 403.',
      '  Condition changed from the country is NO to the country is NO or SE.',
      'Rule door/first was moved.',
      '  Its position in the fence changed; it is otherwise the same.',
      'Fence spare was changed.',
      '  Mode changed from trial to enforce.',
      'File touts.txt was changed.',
      '  Lines added: 198.18.11.0/24.',
      '  Lines removed: 198.18.9.0/24 # a rack.',
    ]);
    expect(diffTexts('a\nb\n', 'a\nc\n', 'revision 1', 'draft')).toBe(
      '--- revision 1\n+++ draft\n@@ -1,2 +1,2 @@\n a\n-b\n+c\n',
    );
  });
});
