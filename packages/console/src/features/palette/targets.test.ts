import type { Draft, Log, Replay } from '@jadefence/contract';
import { describe, expect, it } from 'vitest';
import { actionsOf, entriesOf, findTargets, targetsOf } from './targets.js';

const targets = targetsOf({
  draft: {
    gates: [{ name: 'shop' }],
    lists: [{ name: 'team', title: 'The team' }],
    fences: [{ name: 'desk', rules: [{ name: 'login', title: 'Sign-in' }, { name: 'team-only' }] }],
  } as unknown as Draft,
  logs: [{ id: 7, name: 'day.log' }] as unknown as Log[],
  replays: [{ id: 3, logName: 'day.log' }] as unknown as Replay[],
});
const find = (wanted: string) =>
  findTargets(targets, wanted).map((target) => `${target.kind} ${target.text} ${'to' in target ? target.to : ''}`);

describe('what is gone to by name', () => {
  it('is a page, a list, a gate, a rule, a log or a replay, what begins with the words first', () => {
    expect(find('team')).toEqual([
      'list team (The team) /lists?list=team',
      'rule desk/team-only /fences?text=team-only',
    ]);
    expect(find('sign')).toEqual(['rule desk/login (Sign-in) /fences?text=login']);
    expect(find('replay day')).toEqual(['replay 3: day.log /replays/3']);
    expect(find('fences')).toEqual(['page Fences /fences']);
    expect(find('desk')).toEqual([
      'fence desk /fences?text=desk',
      'rule desk/login (Sign-in) /fences?text=login',
      'rule desk/team-only /fences?text=team-only',
    ]);
    expect(find('nothing of that kind')).toEqual([]);
  });

  it('is what can be undone, with its words, and the lists that hold a value', () => {
    const step = { summary: 'Add rule desk/login.', at: '2026-10-12T10:00:00Z' };
    expect(actionsOf({ undo: step, redo: null })[0]).toMatchObject({
      text: 'Undo: Add rule desk/login.',
      action: 'undo',
    });
    expect(actionsOf(undefined).map(({ text }) => text)).not.toContain('Undo');
    expect(entriesOf([{ list: 'team', value: '198.18.4.7', isIn: true, entry: '198.18.4.0/24' }])).toEqual([
      { kind: 'entry', text: '198.18.4.7 is in team, as 198.18.4.0/24', to: '/lists?list=team' },
    ]);
  });
});
