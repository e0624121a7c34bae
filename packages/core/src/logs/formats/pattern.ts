/** Patterns: a line of a log with names in braces in place of its values. */
import { LogOptionsError } from '../lines/reader-options.js';
import { unescapeField } from './ncsa.js';
import type { LineParser } from '../lines/line-parser.js';
import { RecordBuilder, hintForName, isByteCount, resolveAttribute, type Target } from '../naming/targets.js';
import type { TimeReader } from '../naming/times.js';

const BRACE = '\u0000';

interface Slot {
  /** Undefined for `{}`, which is passed over. */
  readonly target: Target | undefined;
  /** The text after it; empty only at the end. */
  readonly after: string;
  /** Between quotation marks, a backslash takes the meaning from the character that follows. */
  readonly isQuoted: boolean;
}

/** @throws LogOptionsError describing what is wrong with the pattern */
export function parsePattern(pattern: string): { readonly before: string; readonly slots: readonly Slot[] } {
  // `{{` is a brace itself; it is kept apart as a character that no log line has while names are cut out.
  const [before = '', ...rest] = pattern.replaceAll('{{', BRACE).split('{');
  const parts = rest.map((part) => {
    const end = part.indexOf('}');
    if (end < 0)
      throw new LogOptionsError(
        `In the pattern, "{${part}" has no end.`,
        'Write each name in braces, such as {client}.',
      );
    return { name: part.slice(0, end), after: part.slice(end + 1).replaceAll(BRACE, '{') };
  });
  if (parts.length === 0)
    throw new LogOptionsError(
      'The pattern names no value.',
      'Write it such as \'{client} [{time}] "{request}" {status}\'.',
    );
  const slots = parts.map(({ name, after }, at) => {
    const target = name === '' ? undefined : resolveAttribute(name);
    if (name !== '' && target === undefined)
      throw new LogOptionsError(`In the pattern, {${name}} is no value of a request.`, hintForName(name));
    if (after === '' && at < parts.length - 1)
      throw new LogOptionsError(
        `In the pattern, there is no text between {${name}} and {${parts[at + 1]!.name}}, so the end of the first is ambiguous.`,
        'Write the text between them.',
      );
    const textBefore = at === 0 ? before.replaceAll(BRACE, '{') : parts[at - 1]!.after;
    return { target, after, isQuoted: textBefore.endsWith('"') && after.startsWith('"') };
  });
  return { before: before.replaceAll(BRACE, '{'), slots };
}

/** @throws LogOptionsError describing what is wrong with the pattern */
export function createPatternParser(pattern: string, times: TimeReader, host: string | undefined): LineParser {
  const { before, slots } = parsePattern(pattern);
  return (text, lineTime) => {
    if (!text.startsWith(before)) return 'not-the-format';
    const collected = new RecordBuilder();
    let at = before.length;
    for (const { target, after, isQuoted } of slots) {
      const end = after === '' ? text.length : isQuoted ? endOfQuoted(text, at, after) : text.indexOf(after, at);
      if (end < 0) return 'not-the-format';
      if (target !== undefined) collected.add(target, valueOf(text.slice(at, end), target, isQuoted));
      at = end + after.length;
    }
    return at === text.length ? collected.finish(times, host, lineTime) : 'not-the-format';
  };
}

/** `-` and empty are none; counts of bytes are then 0. */
function valueOf(written: string, target: Target, isQuoted: boolean): string | null {
  if (written !== '-' && written !== '') return isQuoted ? unescapeField(written) : written;
  return isByteCount(target) ? '0' : null;
}

/** Where the text after a quoted value begins: at the first quotation mark without a backslash before it. */
function endOfQuoted(text: string, from: number, after: string): number {
  for (let at = from; at < text.length; at += 1) {
    if (text[at] === '\\') at += 1;
    else if (text[at] === '"') return text.startsWith(after, at) ? at : -1;
  }
  return -1;
}
