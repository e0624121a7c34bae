/** Kleene's truth values in order, so that `and` is the minimum and `or` the maximum. */
export const FALSE = 0;
export const UNKNOWN = 1;
export const TRUE = 2;
export type TruthValue = typeof FALSE | typeof UNKNOWN | typeof TRUE;

export function negateTruth(truth: TruthValue): TruthValue {
  return (TRUE - truth) as TruthValue;
}
