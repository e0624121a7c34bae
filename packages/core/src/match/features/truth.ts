/** Kleene's truth values in their order, so that and is the least and or the greatest. */
export const FALSE = 0;
export const UNKNOWN = 1;
export const TRUE = 2;
export type TruthValue = typeof FALSE | typeof UNKNOWN | typeof TRUE;

export function negateTruth(truth: TruthValue): TruthValue {
  return (TRUE - truth) as TruthValue;
}
