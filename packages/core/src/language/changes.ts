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
  /** Of what was added: the name of what was removed and is the same but for its name. */
  readonly wasNamed?: string;
  /** Of what was removed: the name of what was added and is the same. */
  readonly isNamed?: string;
}

/**
 * What differs, in the order of the later configuration, then what was removed. A rule or gate that only moved
 * among its like is moved.
 * @param movers names of rules and gates that the user moved: if several could have moved, these did
 */
export function compareParts(
  before: readonly Part[],
  after: readonly Part[],
  movers: ReadonlySet<string> = new Set(),
): Change[] {
  const old = new Map(before.map((part, index) => [keyOf(part), { part, index }]));
  const kept = after.flatMap((part) => {
    const item = old.get(keyOf(part));
    return item ? [{ part, index: item.index }] : [];
  });
  const moved = new Set(
    groupByOrder(kept)
      .flatMap((group) => findMoved(group, movers))
      .map(keyOf),
  );
  const changes = after.flatMap((part): Change[] => {
    const base = { part: part.kind, name: nameOf(part) };
    const item = old.get(keyOf(part));
    if (!item) return [{ kind: 'added', ...base, after: part.text }];
    if (item.part.text !== part.text) return [{ kind: 'changed', ...base, before: item.part.text, after: part.text }];
    return moved.has(keyOf(part)) ? [{ kind: 'moved', ...base, before: part.text, after: part.text }] : [];
  });
  const still = new Set(after.map(keyOf));
  const removed = before
    .filter((part) => !still.has(keyOf(part)))
    .map((part): Change => ({ kind: 'removed', part: part.kind, name: nameOf(part), before: part.text }));
  return nameRenamed([...changes, ...removed]);
}

/** Reports what was removed and added again under another name as renamed. */
function nameRenamed(changes: readonly Change[]): Change[] {
  const removed = new Map(
    changes.flatMap((change) =>
      change.kind === 'removed' ? [[withoutName(change, change.before!), change] as const] : [],
    ),
  );
  if (removed.size === 0) return [...changes];
  const newNames = new Map<Change, string>();
  const shown = changes.map((change): Change => {
    if (change.kind !== 'added' || change.part === 'expect' || change.part === 'zone') return change;
    const key = withoutName(change, change.after!);
    const was = removed.get(key);
    if (!was) return change;
    removed.delete(key);
    newNames.set(was, change.name);
    return { ...change, wasNamed: was.name };
  });
  return shown.map((change) => (newNames.has(change) ? { ...change, isNamed: newNames.get(change)! } : change));
}

/** Comments, the word for the kind of part, and its name. */
const HEAD = /^((?:#.*\n)*\s*[a-z]+ )([a-z0-9-]+)/;

/** What is the same of a part under every name. */
function withoutName({ part, name }: Change, text: string): string {
  const shortName = name.slice(name.indexOf('/') + 1);
  const owner = name.slice(0, name.length - shortName.length);
  const nameless = text.replace(HEAD, (all, head: string, named: string) => (named === shortName ? head : all));
  return [part, owner, nameless].join('\n');
}

interface KeptPart {
  readonly part: Part;
  /** Its earlier position. */
  readonly index: number;
}

/** The parts whose order decides something, those that are ordered among each other together: gates, and the rules of each fence. */
function groupByOrder(kept: readonly KeptPart[]): KeptPart[][] {
  const groups = new Map<string, KeptPart[]>();
  for (const keptPart of kept) {
    if (keptPart.part.kind !== 'gate' && keptPart.part.kind !== 'rule') continue;
    const key = `${keptPart.part.kind} ${keptPart.part.owner}`;
    addTo(groups, key, keptPart);
  }
  return [...groups.values()];
}

function findMoved(group: readonly KeptPart[], movers: ReadonlySet<string>): Part[] {
  const others = group.filter(({ part }) => !movers.has(nameOf(part)));
  const isAscending = others.every(({ index }, position) => position === 0 || others[position - 1]!.index < index);
  if (isAscending) {
    const wasAscending = group.every(({ index }, position) => position === 0 || group[position - 1]!.index < index);
    return wasAscending ? [] : group.filter(({ part }) => movers.has(nameOf(part))).map(({ part }) => part);
  }
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
