import type { Draft, Log, Replay } from '@jadefence/contract';
import { PAGE_GROUPS } from '../../pages.js';

/** Something that can be gone to. */
export interface Target {
  readonly kind: 'page' | 'fence' | 'rule' | 'list' | 'gate' | 'log' | 'replay';
  readonly text: string;
  /** Its address. */
  readonly to: string;
}

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
    ...(draft?.fences ?? []).flatMap(({ name, rules }) =>
      rules.map((rule): Target => ({
        kind: 'rule',
        text: titled(`${name}/${rule.name}`, rule.title),
        to: filtered(rule.name),
      })),
    ),
  ];
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
