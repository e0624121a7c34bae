/** So many alternatives at most; then a group of them is passed over. */
const MAX_LITERALS = 16;

/**
 * What every text must have that a regular expression matches, read off the expression from left to right: sets of texts,
 * one of each of which must occur. Of groups only such count as are plain alternatives; classes are passed over;
 * alternatives at the top, and flags anywhere, end the search.
 * @returns none where nothing is plain to see
 */
export function requiredLiterals(expression: string): readonly (readonly string[])[] {
  const sets: (readonly string[])[] = [];
  /** What the text must contain at this position, in one of these forms. */
  let runs: readonly string[] = [''];
  const endRun = (): void => {
    if (runs.every((run) => run !== '')) sets.push(runs);
    runs = [''];
  };
  for (let at = 0; at < expression.length; at += 1) {
    const character = expression[at]!;
    if (character === '|' || expression.startsWith('(?', at)) return [];
    if (character === '(') {
      const end = endOfGroup(expression, at);
      if (end < 0) return [];
      const parts = plainAlternatives(expression.slice(at + 1, end));
      if (!parts || '*?{'.includes(expression[end + 1] ?? ' ')) endRun();
      else {
        if (runs.length * parts.length > MAX_LITERALS) endRun();
        runs = parts.length > MAX_LITERALS ? [''] : runs.flatMap((run) => parts.map((part) => run + part));
      }
      at = end;
    } else if (character === '[') {
      const end = endOfClass(expression, at);
      if (end < 0) return [];
      endRun();
      at = end;
    } else if (character === '\\') {
      const next = expression[at + 1] ?? '';
      // Only escaped punctuation is itself.
      if (/[A-Za-z0-9]/.test(next) || next === '') {
        // \Q...\E quotes, and \x{...} and \p{...} take more than a letter.
        if (/[QpPxuC]/.test(next)) return [];
        endRun();
      } else runs = runs.map((run) => run + next);
      at += 1;
    } else if ('*?{'.includes(character)) {
      // The character before may not be there.
      runs = runs.map((run) => run.slice(0, -1));
      endRun();
      if (character === '{') {
        const end = expression.indexOf('}', at);
        if (end < 0) return [];
        at = end;
      }
    } else if ('.^$+'.includes(character)) endRun();
    else runs = runs.map((run) => run + character);
  }
  endRun();
  return sets;
}

/** The texts of alternatives without anything but characters; undefined where there is more to them. */
function plainAlternatives(group: string): readonly string[] | undefined {
  return /^(?:[^\\.[\](){}*+?^$]|\\[^A-Za-z0-9])*$/.test(group)
    ? group.split(/(?<!\\)\|/).map((part) => part.replace(/\\(.)/gu, '$1'))
    : undefined;
}

/** Where the group that begins at `start` ends; -1 where it has flags, or no end. */
function endOfGroup(expression: string, start: number): number {
  let depth = 0;
  for (let at = start; at < expression.length; at += 1) {
    if (expression[at] === '\\') {
      if (/[QpPxuC]/.test(expression[at + 1] ?? '')) return -1;
      at += 1;
    } else if (expression[at] === '[') {
      at = endOfClass(expression, at);
      if (at < 0) return -1;
    } else if (expression.startsWith('(?', at)) return -1;
    else if (expression[at] === '(') depth += 1;
    else if (expression[at] === ')') {
      depth -= 1;
      if (depth === 0) return at;
    }
  }
  return -1;
}

function endOfClass(expression: string, start: number): number {
  // A bracket that comes first is a member.
  let at = start + (expression[start + 1] === '^' ? 2 : 1);
  if (expression[at] === ']') at += 1;
  for (; at < expression.length; at += 1) {
    if (expression[at] === '\\') {
      if (/[QpPxuC]/.test(expression[at + 1] ?? '')) return -1;
      at += 1;
    } else if (expression[at] === '[') return -1;
    else if (expression[at] === ']') return at;
  }
  return -1;
}
