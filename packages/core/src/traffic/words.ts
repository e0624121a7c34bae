/** Numbers and texts as findings have them. */
export const format = (count: number): string => count.toLocaleString('en');
export const count = (number: number, noun: string): string => `${format(number)} ${noun}${number === 1 ? '' : 's'}`;
export const percent = (part: number, whole: number): string => `${((100 * part) / whole).toFixed(1)}%`;

/** Fence text of a value; in quotes where it is more than a word. */
export function quoted(text: string): string {
  return /^[\w./:-]+$/.test(text) ? text : JSON.stringify(text);
}
