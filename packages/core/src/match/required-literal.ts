/**
 * The longest run of characters that a text must have to be matched by a regular expression, read off the expression
 * from left to right; empty where that is not plain to see. Groups and classes are passed over, so that nothing inside
 * them counts; alternatives at the top, and flags anywhere, end the search.
 */
export function requiredLiteral(expression: string): string {
  let longest = '';
  let run = '';
  const endRun = (): void => {
    if (run.length > longest.length) longest = run;
    run = '';
  };
  for (let at = 0; at < expression.length; at += 1) {
    const character = expression[at]!;
    if (character === '|' || expression.startsWith('(?', at)) return '';
    if (character === '(') {
      const end = endOfGroup(expression, at);
      if (end < 0) return '';
      endRun();
      at = end;
    } else if (character === '[') {
      const end = endOfClass(expression, at);
      if (end < 0) return '';
      endRun();
      at = end;
    } else if (character === '\\') {
      const next = expression[at + 1] ?? '';
      // Only escaped punctuation is itself.
      if (/[A-Za-z0-9]/.test(next) || next === '') {
        // \Q...\E quotes, and \x{...} and \p{...} take more than a letter.
        if (/[QpPxuC]/.test(next)) return '';
        endRun();
      } else run += next;
      at += 1;
    } else if ('*?{'.includes(character)) {
      // The character before may not be there.
      run = run.slice(0, -1);
      endRun();
      if (character === '{') {
        const end = expression.indexOf('}', at);
        if (end < 0) return '';
        at = end;
      }
    } else if ('.^$+'.includes(character)) endRun();
    else run += character;
  }
  endRun();
  return longest;
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
