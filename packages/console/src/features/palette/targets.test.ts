import type { Draft, Log, Replay } from '@jadefence/contract';
import { describe, expect, it } from 'vitest';
import { findTargets, targetsOf } from './targets.js';

const targets = targetsOf({
  draft: {
    gates: [{ name: 'shop' }],
    lists: [{ name: 'team', title: 'The team' }],
    fences: [{ name: 'desk', rules: [{ name: 'login', title: 'Sign-in' }, { name: 'team-only' }] }],
  } as unknown as Draft,
  logs: [{ id: 7, name: 'day.log' }] as unknown as Log[],
  replays: [{ id: 3, logName: 'day.log' }] as unknown as Replay[],
});
const find = (wanted: string) => findTargets(targets, wanted).map(({ kind, text, to }) => `${kind} ${text} ${to}`);

describe('what is gone to by name', () => {
  it('is a page, a list, a gate, a rule, a log or a replay, what begins with the words first', () => {
    expect(find('team')).toEqual([
      'list team (The team) /lists?list=team',
      'rule desk/team-only /fences?text=team-only',
    ]);
    expect(find('sign')).toEqual(['rule desk/login (Sign-in) /fences?text=login']);
    expect(find('replay day')).toEqual(['replay 3: day.log /replays/3']);
    expect(find('fences')).toEqual(['page Fences /fences']);
    expect(find('nothing of that kind')).toEqual([]);
  });
});
