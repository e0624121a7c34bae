import type { Draft, DraftSteps, ListLookup, Log, Replay } from '@jadefence/contract';
import { PAGE_GROUPS } from '../../pages.js';

/** What can be done from anywhere. */
export type Action = 'undo' | 'redo' | 'light' | 'dark' | 'keys' | 'sign-out';

/** Something that can be gone to, or done. */
export type Target = { readonly text: string } & (
  | {
      readonly kind: 'page' | 'fence' | 'rule' | 'list' | 'entry' | 'gate' | 'log' | 'replay';
      /** Its address. */
      readonly to: string;
    }
  | { readonly kind: 'action'; readonly action: Action }
);

const SHOWN = 40;

export function targetsOf({
  draft,
  logs = [],
  replays = [],
}: {
  draft: Draft | undefined;
  logs: readonly Log[] | undefined;
  replays: readonly Replay[] | undefined;
}): Target[] {
  const titled = (name: string, title?: string): string => (title ? `${name} (${title})` : name);
  const filtered = (text: string): string => `/fences?${new URLSearchParams({ text })}`;
  return [
    ...PAGE_GROUPS.flatMap(({ pages }) => pages.map(({ to, text }): Target => ({ kind: 'page', text, to }))),
    ...(draft?.gates ?? []).map(({ name }): Target => ({ kind: 'gate', text: name, to: '/gates' })),
    ...(draft?.lists ?? []).map(({ name, title }): Target => ({
      kind: 'list',
      text: titled(name, title),
      to: `/lists?${new URLSearchParams({ list: name })}`,
    })),
    ...logs.map(({ id, name }): Target => ({ kind: 'log', text: name, to: `/logs/${id}` })),
    ...replays.map(({ id, logName }): Target => ({ kind: 'replay', text: `${id}: ${logName}`, to: `/replays/${id}` })),
    ...(draft?.fences ?? []).flatMap(({ name, title, rules }) => [
      { kind: 'fence', text: titled(name, title), to: filtered(name) } satisfies Target,
      ...rules.map((rule): Target => ({
        kind: 'rule',
        text: titled(`${name}/${rule.name}`, rule.title),
        to: filtered(rule.name),
      })),
    ]),
  ];
}

export function actionsOf(steps: DraftSteps | undefined): Target[] {
  const step = (action: 'undo' | 'redo', word: string): Target[] => {
    const next = steps?.[action];
    return next ? [{ kind: 'action', text: `${word}: ${next.summary}`, action }] : [];
  };
  return [
    ...step('undo', 'Undo'),
    ...step('redo', 'Redo'),
    { kind: 'action', text: 'Light colours', action: 'light' },
    { kind: 'action', text: 'Dark colours', action: 'dark' },
    { kind: 'action', text: 'Show the keys', action: 'keys' },
    { kind: 'action', text: 'Sign out', action: 'sign-out' },
  ];
}

/** The lists that hold a value, or leave it out. */
export function entriesOf(lookups: readonly ListLookup[]): Target[] {
  return lookups.map(({ list, value, isIn, entry, takenOutBy }) => ({
    kind: 'entry',
    text: isIn ? `${value} is in ${list}, as ${entry}` : `${value} is left out of ${list} by ${takenOutBy}`,
    to: `/lists?${new URLSearchParams({ list })}`,
  }));
}

/** Those whose kind and name have every word, those that begin with what is wanted first. */
export function findTargets(targets: readonly Target[], wanted: string): readonly Target[] {
  const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  const matching = targets.filter(({ kind, text }) => {
    const all = `${kind} ${text}`.toLowerCase();
    return words.every((word) => all.includes(word));
  });
  const isStart = ({ text }: Target): boolean => text.toLowerCase().startsWith(words[0] ?? '');
  return [...matching.filter(isStart), ...matching.filter((target) => !isStart(target))].slice(0, SHOWN);
}
