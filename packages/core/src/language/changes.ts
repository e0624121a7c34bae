import type { Part, PartKind } from './parts.js';

/** One difference between two configurations. */
export interface Change {
  readonly kind: 'added' | 'removed' | 'changed' | 'moved';
  readonly part: PartKind | 'file' | 'dataset';
  /** The name; of a rule, `fence/rule`. */
  readonly name: string;
  /** Canonical text; absent where it was added or removed. */
  readonly before?: string;
  readonly after?: string;
}

/** What differs, in the order of the later configuration, then what was removed. A rule or gate that only stands elsewhere among its like is moved. */
export function compareParts(before: readonly Part[], after: readonly Part[]): Change[] {
  const old = new Map(before.map((part, index) => [keyOf(part), { part, index }]));
  const kept = after.flatMap((part) => {
    const found = old.get(keyOf(part));
    return found ? [{ part, index: found.index }] : [];
  });
  const moved = new Set(groupByOrder(kept).flatMap(findMoved).map(keyOf));
  const changes = after.flatMap((part): Change[] => {
    const base = { part: part.kind, name: nameOf(part) };
    const found = old.get(keyOf(part));
    if (!found) return [{ kind: 'added', ...base, after: part.text }];
    if (found.part.text !== part.text) return [{ kind: 'changed', ...base, before: found.part.text, after: part.text }];
    return moved.has(keyOf(part)) ? [{ kind: 'moved', ...base, before: part.text, after: part.text }] : [];
  });
  const still = new Set(after.map(keyOf));
  const removed = before
    .filter((part) => !still.has(keyOf(part)))
    .map((part): Change => ({ kind: 'removed', part: part.kind, name: nameOf(part), before: part.text }));
  return [...changes, ...removed];
}

interface KeptPart {
  readonly part: Part;
  /** Where it stood before. */
  readonly index: number;
}

/** The parts whose order decides something, those that are ordered among each other together: gates, and the rules of each fence. */
function groupByOrder(kept: readonly KeptPart[]): KeptPart[][] {
  const groups = new Map<string, KeptPart[]>();
  for (const one of kept) {
    if (one.part.kind !== 'gate' && one.part.kind !== 'rule') continue;
    const key = `${one.part.kind} ${one.part.owner}`;
    addTo(groups, key, one);
  }
  return [...groups.values()];
}

function findMoved(group: readonly KeptPart[]): Part[] {
  const inPlace = longestAscending(group.map(({ index }) => index));
  return group.filter((_, position) => !inPlace.has(position)).map(({ part }) => part);
}

/** Puts the statements of `added` in the place of those with their kind and name, or at the end; a fence comes with all its rules. */
export function mergeParts(base: readonly Part[], added: readonly Part[]): Part[] {
  const statementsOf = (parts: readonly Part[]): Map<string, Part[]> => {
    const statements = new Map<string, Part[]>();
    for (const part of parts) {
      const key = part.kind === 'rule' ? `fence ${part.owner}` : `${part.kind} ${part.name}`;
      addTo(statements, key, part);
    }
    return statements;
  };
  return [...new Map([...statementsOf(base), ...statementsOf(added)]).values()].flat();
}

function addTo<K, T>(groups: Map<K, T[]>, key: K, item: T): void {
  const group = groups.get(key);
  if (group) group.push(item);
  else groups.set(key, [item]);
}

function keyOf({ kind, owner, name }: Part): string {
  return `${kind} ${owner} ${name}`;
}

function nameOf({ kind, owner, name }: Part): string {
  return kind === 'rule' ? `${owner}/${name}` : name;
}

/** Positions of a longest ascending subsequence (patience sorting, Knuth 5.1.4), so that as few parts as possible count as moved. */
function longestAscending(values: readonly number[]): Set<number> {
  const tails: number[] = [];
  const previous: number[] = [];
  values.forEach((value, position) => {
    let low = 0;
    let high = tails.length;
    while (low < high) {
      const middle = (low + high) >>> 1;
      if (values[tails[middle]!]! < value) low = middle + 1;
      else high = middle;
    }
    previous[position] = low > 0 ? tails[low - 1]! : -1;
    tails[low] = position;
  });
  const positions = new Set<number>();
  for (let position = tails.at(-1) ?? -1; position >= 0; position = previous[position]!) positions.add(position);
  return positions;
}
