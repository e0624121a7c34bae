/** Masks what is counted over many requests, and sentences about it. */
import { HIDDEN, type Masker } from './masker.js';
import { mapTexts, Substitutions } from './substitutions.js';

/**
 * Masks every address of a value of JSON, wherever it is, also one that no request has; and texts by the property
 * that holds them: users, paths, keys of limits, lines of the log.
 */
export function maskCounts<T>(value: T, masker: Masker): T {
  return maskPlaces(
    mapTexts(value, (text) => masker.anyAddresses(text)),
    masker,
  ) as T;
}

function maskPlaces(value: unknown, masker: Masker): unknown {
  if (Array.isArray(value)) return value.map((item) => maskPlaces(item, masker));
  if (typeof value !== 'object' || value === null) return value;
  if ('by' in value && value.by === 'client' && 'values' in value)
    return { ...value, values: mergeValues(value.values as Counted[]) };
  if ('users' in value && Array.isArray(value.users)) return maskUsers(value as Named, masker);
  return Object.fromEntries(
    Object.entries(value).map(([name, item]) => {
      const maskPlace = Object.hasOwn(PLACES, name) ? PLACES[name]! : maskPlaces;
      return [name, maskPlace(item, masker)];
    }),
  );
}

interface Named {
  readonly users: readonly string[];
}

/** Users, and sentences next to them that name them. */
function maskUsers(value: Named, masker: Masker): unknown {
  const substitutions = new Substitutions();
  if (masker.isMasked('user'))
    for (const user of value.users) substitutions.addText(user, masker.text('user', undefined, user));
  return substitutions.applyDeep(value);
}

interface Counted {
  readonly value: string;
  readonly requests: number;
}

/** Those that have the same value now, with their numbers added up; the most requests first. */
function mergeValues<C extends Counted>(values: readonly C[]): C[] {
  const merged = new Map<string, C>();
  for (const item of values) {
    const before = merged.get(item.value);
    merged.set(item.value, before ? addNumbers(before, item) : item);
  }
  return [...merged.values()].sort((a, b) => b.requests - a.requests);
}

function addNumbers<C extends object>(a: C, b: C): C {
  const sum: Record<string, unknown> = { ...(a as Record<string, unknown>) };
  for (const [name, value] of Object.entries(b)) {
    const before = sum[name];
    if (typeof value === 'number') sum[name] = (typeof before === 'number' ? before : 0) + value;
    else if (typeof value === 'object' && value !== null)
      sum[name] = addNumbers((before ?? {}) as object, value as object);
  }
  return sum as C;
}

/** Sites write users into paths; of a path alone it cannot be known. */
function maskPaths(paths: unknown, masker: Masker): unknown {
  if (masker.isMasked('path'))
    return (paths as Counted[]).map((item) => ({ ...item, value: masker.text('path', undefined, item.value) }));
  return masker.isMasked('user') ? (paths as Counted[]).map((item) => ({ ...item, value: HIDDEN })) : paths;
}

/** By the name of a property. */
const PLACES: Readonly<Record<string, (value: unknown, masker: Masker) => unknown>> = {
  busiestClients: (busy) => mergeValues(busy as Counted[]),
  busiestPaths: maskPaths,
  sections: maskPaths,
  // A line may write a value in any way.
  firstRejected: (lines) => (lines as object[]).map((line) => ({ ...line, start: HIDDEN })),
  // The values of a limit's keys, of which only the rule knows the fields.
  highest: (peaks, masker) =>
    masker.hasTexts
      ? (peaks as { values: unknown[] }[]).map((peak) => ({
          ...peak,
          values: peak.values.map((part) => (part === null ? null : HIDDEN)),
        }))
      : peaks,
};
