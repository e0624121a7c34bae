import { engineBounds } from '../../bounds.js';
import { isListName, listNamed, type ResolvedList } from '../../check/members.js';
import type { Value } from '../../language/tree.js';

/** All entries of some values, those of lists included. */
export interface ListEntries {
  readonly entries: readonly Value[];
  /** Nothing is taken out again. */
  readonly isExact: boolean;
}

/** @returns undefined where there are too many, or some are a dataset */
export function collectEntries(
  values: readonly Value[],
  lists: ReadonlyMap<string, ResolvedList>,
  maxEntries: number = engineBounds().indexedEntries,
): ListEntries | undefined {
  const entries: Value[] = [];
  let isExact = true;
  const collect = (some: readonly Value[]): boolean => {
    for (const value of some) {
      if (!isListName(value, lists)) {
        entries.push(value);
        continue;
      }
      const { source, numEntries } = listNamed(lists, value.name);
      if (entries.length + numEntries > maxEntries || source.entries.length === 0) return numEntries === 0;
      if (source.exceptions.length > 0) isExact = false;
      if (!collect(source.entries)) return false;
    }
    return true;
  };
  return collect(values) ? { entries, isExact } : undefined;
}
