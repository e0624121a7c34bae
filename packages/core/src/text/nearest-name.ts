import { closest, distance } from 'fastest-levenshtein';

/** The known name that was probably meant, or undefined where none is near. */
export function nearestName(text: string, known: Iterable<string>): string | undefined {
  const names = [...known];
  if (names.length === 0) return undefined;
  const best = closest(text, names);
  return distance(text, best) <= Math.max(2, Math.floor(text.length / 3)) ? best : undefined;
}

/** `Did you mean "x"?`, or undefined. */
export function suggestNearest(text: string, known: Iterable<string>): string | undefined {
  const nearest = nearestName(text, known);
  return nearest === undefined ? undefined : `Did you mean "${nearest}"?`;
}
