import { RE2JS } from 're2js';

/** A condition over one text. */
export type TextTest = (text: string) => boolean;

const MAX_PATTERN_CHARACTERS = 1000;
/** Steps of the compiled automaton: a search costs at most this many operations a character. */
const MAX_PATTERN_STEPS = 2000;

/**
 * Compiles a regular expression for an engine whose time is linear in the text (Thompson's construction), so that no
 * request can make it slow. What such an engine cannot take is refused with the reason.
 */
export function compilePattern(source: string): { test: TextTest } | { problem: string } {
  if (source.length > MAX_PATTERN_CHARACTERS)
    return { problem: `it has ${source.length} characters, and ${MAX_PATTERN_CHARACTERS} are allowed` };
  const beyond = /\\[1-9]|\\k</.test(source)
    ? 'references back to a group cannot be searched in linear time'
    : /\(\?(<?[=!]|>)/.test(source)
      ? 'looking ahead or behind cannot be searched in linear time'
      : undefined;
  try {
    const compiled = RE2JS.compile(source);
    if (compiled.programSize() > MAX_PATTERN_STEPS)
      return { problem: `it takes ${compiled.programSize()} steps a character, and ${MAX_PATTERN_STEPS} are allowed` };
    return { test: (text) => compiled.test(text) };
  } catch (error) {
    return { problem: beyond ?? (error as Error).message.replace(/^error parsing regexp: /, '') };
  }
}

/**
 * A test for a pattern that covers the whole text: `*` any run, `?` one character.
 * Method: greedy, going back only to the last `*`, which suffices because an earlier one could not do better.
 */
export function compileLike(pattern: string): TextTest {
  const wanted = Array.from(pattern);
  if (!pattern.includes('*') && !pattern.includes('?')) return (text) => text === pattern;
  return (text) => {
    const given = Array.from(text);
    let at = 0;
    let next = 0;
    let star = -1;
    let starAt = 0;
    while (at < given.length) {
      if (wanted[next] === '*') {
        star = next;
        starAt = at;
        next += 1;
      } else if (next < wanted.length && (wanted[next] === '?' || wanted[next] === given[at])) {
        next += 1;
        at += 1;
      } else if (star >= 0) {
        next = star + 1;
        starAt += 1;
        at = starAt;
      } else {
        return false;
      }
    }
    while (wanted[next] === '*') next += 1;
    return next === wanted.length;
  };
}

/** ASCII letters in lower case, everything else as it is. */
export function foldAsciiCase(text: string): string {
  return text.replace(/[A-Z]+/g, (run) => run.toLowerCase());
}
