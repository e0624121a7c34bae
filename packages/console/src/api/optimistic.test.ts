import type { Draft, Edit } from '@jadefence/contract';
import { expect, it } from 'vitest';
import { applyToDraft } from './optimistic.js';

const rule = (name: string) => ({ name, state: 'on' as const, sentence: '', text: '' });
const DRAFT = {
  gates: [
    { name: 'shop', fences: ['desk', 'house'] },
    { name: 'wifi', fences: [] },
  ],
  fences: [
    { name: 'desk', mode: 'trial', gates: ['shop'], rules: ['a', 'b', 'c'].map(rule) },
    { name: 'house', mode: 'enforce', gates: ['shop'], rules: [] },
  ],
} as unknown as Draft;

const after = (...edits: Edit[]): string => {
  const { gates, fences } = applyToDraft(DRAFT, edits);
  return [
    ...gates.map((gate) => `${gate.name}: ${gate.fences.join(' ')}`),
    ...fences.map(({ name, mode, gates: at, rules }) => {
      const words = rules.map((item) => (item.state === 'on' ? item.name : `${item.name}/${item.state}`));
      return `${name} ${mode} at ${at.join(' ')}: ${words.join(' ')}`;
    }),
  ].join('; ');
};

const of = { fence: 'desk', rule: 'c' };
it.each<[string, Edit, string]>([
  [
    'moves a rule up',
    { kind: 'move-rule', ...of, position: { at: 'above', name: 'a' } },
    'shop: desk house; wifi: ; desk trial at shop: c a b; house enforce at shop: ',
  ],
  [
    'moves a rule to the top',
    { kind: 'move-rule', ...of, position: { at: 'top' } },
    'shop: desk house; wifi: ; desk trial at shop: c a b; house enforce at shop: ',
  ],
  [
    'moves a rule to another fence',
    { kind: 'move-rule', ...of, toFence: 'house', position: { at: 'bottom' } },
    'shop: desk house; wifi: ; desk trial at shop: a b; house enforce at shop: c',
  ],
  [
    'moves a gate',
    { kind: 'move-gate', gate: 'wifi', position: { at: 'top' } },
    'wifi: ; shop: desk house; desk trial at shop: a b c; house enforce at shop: ',
  ],
  [
    'turns a rule off',
    { kind: 'set-rule', ...of, state: 'off' },
    'shop: desk house; wifi: ; desk trial at shop: a b c/off; house enforce at shop: ',
  ],
  [
    'removes a rule',
    { kind: 'remove-rule', ...of },
    'shop: desk house; wifi: ; desk trial at shop: a b; house enforce at shop: ',
  ],
  [
    'enforces a fence',
    { kind: 'set-mode', fence: 'desk', mode: 'enforce' },
    'shop: desk house; wifi: ; desk enforce at shop: a b c; house enforce at shop: ',
  ],
  [
    'attaches a fence',
    { kind: 'attach', gate: 'wifi', fence: 'desk', position: { at: 'bottom' } },
    'shop: desk house; wifi: desk; desk trial at shop wifi: a b c; house enforce at shop: ',
  ],
  [
    'moves a fence of a gate',
    { kind: 'attach', gate: 'shop', fence: 'house', position: { at: 'above', name: 'desk' } },
    'shop: house desk; wifi: ; desk trial at shop: a b c; house enforce at shop: ',
  ],
  [
    'detaches a fence',
    { kind: 'detach', gate: 'shop', fence: 'desk' },
    'shop: house; wifi: ; desk trial at : a b c; house enforce at shop: ',
  ],
  [
    'leaves what it cannot know',
    { kind: 'clone-rule', ...of },
    'shop: desk house; wifi: ; desk trial at shop: a b c; house enforce at shop: ',
  ],
])('an edit that %s is shown at once', (_, edit, expected) => expect(after(edit)).toBe(expected));
