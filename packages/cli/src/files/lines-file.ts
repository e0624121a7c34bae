import { EXIT, Failure } from '../cli-error.js';

/** Of more pieces the condition is too long for a service. */
const MAX_PIECES = 20_000;

/**
 * A filter that finds lines of a log.
 * @param text a number at the beginning of each line, such as `grep -n` writes, or NDJSON of decisions
 * @param path for errors
 * @throws Failure where a line has no number
 */
export function lineCondition(text: string, path: string): string {
  const numbers = text.split(/\r?\n/).flatMap((line, at) => {
    if (line.trim() === '') return [];
    const number = line.startsWith('{') ? lineOfDecision(line) : /^\s*(\d{1,12})(?=$|[\s:,-])/.exec(line)?.[1];
    if (number === undefined || Number(number) < 1)
      throw new Failure(
        `${path}:${at + 1}: Found ${JSON.stringify(line.slice(0, 60))}, expected the number of a line of the log.`,
        EXIT.wrongInput,
        'Write one number a line, as grep -n does, or NDJSON of decisions with "jade.line".',
      );
    return [Number(number)];
  });
  if (numbers.length === 0) throw new Failure(`The lines "${path}" are empty.`, EXIT.wrongInput);
  const pieces = rangesOf(numbers).map(([first, last]) => (first === last ? String(first) : `${first} - ${last}`));
  if (pieces.length > MAX_PIECES)
    throw new Failure(
      `${path} has ${pieces.length} pieces of the log, expected at most ${MAX_PIECES}.`,
      EXIT.wrongInput,
      'Choose the requests by a filter: --stop.',
    );
  return `line in ${pieces.join(', ')}`;
}

function lineOfDecision(line: string): string | undefined {
  try {
    const number = (JSON.parse(line) as Record<string, unknown>)['jade.line'];
    return Number.isSafeInteger(number) ? String(number) : undefined;
  } catch {
    return undefined;
  }
}

function rangesOf(numbers: readonly number[]): [first: number, last: number][] {
  const ranges: [number, number][] = [];
  for (const number of [...new Set(numbers)].sort((a, b) => a - b)) {
    const before = ranges.at(-1);
    if (before && before[1] + 1 === number) before[1] = number;
    else ranges.push([number, number]);
  }
  return ranges;
}
