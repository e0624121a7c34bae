import type { Undecided } from './order.js';

const NAMED = 3;

/** One sentence for all rules of which the same could not be decided for the same reason. */
export function undecidedText(undecided: readonly Undecided[]): string[] {
  const groups = new Map<string, Undecided[]>();
  for (const one of undecided) {
    const key = JSON.stringify([one.id, one.gate, one.reason]);
    const group = groups.get(key) ?? [];
    groups.set(key, group);
    group.push(one);
  }
  return [...groups.values()].map((group) => {
    const { id, gate, reason } = group[0]!;
    const named = group.slice(0, NAMED).map(({ rule }) => rule);
    const more = group.length - named.length;
    const rules = more === 0 ? named.join(', ') : `${named.join(', ')} and ${more} more`;
    const verb = group.length === 1 ? 'is' : 'are';
    return `Not decided whether ${rules} ${verb} ${id}${gate ? ` at the gate ${gate}` : ''}: ${reason}.`;
  });
}
