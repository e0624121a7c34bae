/** Kleene's truth values in their order, so that and is the least and or the greatest. */
export const FALSE = 0;
export const UNKNOWN = 1;
export const TRUE = 2;
export type Degree = typeof FALSE | typeof UNKNOWN | typeof TRUE;

export function negateDegree(degree: Degree): Degree {
  return (TRUE - degree) as Degree;
}
