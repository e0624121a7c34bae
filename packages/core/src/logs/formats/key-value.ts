/** Text with `key=value` and `key="quoted value"` in it. */
import { unescapeField } from './ncsa.js';
import type { Naming } from '../naming/naming.js';
import type { LineParser } from '../lines/line-parser.js';
import type { TimeReader } from '../naming/times.js';

/** A key is looked for once a word, so that a long word is not gone through from each of its letters on. */
const PAIR = /(?<![\w.@-])[\d.-]*([A-Za-z_@][\w.@-]*)=(?:"((?:[^"\\]|\\.)*)"|([^\s"]\S*|))/g;

/** `-` and empty are none, and counts of bytes then 0; words between the pairs are ignored. If a key occurs twice, the last one counts. */
export function createKeyValueParser(naming: Naming, times: TimeReader, host: string | undefined): LineParser {
  return (text, lineTime) => {
    const values = new Map<string, string | null>();
    for (const [, key, quoted, bare] of text.matchAll(PAIR)) {
      const value = quoted === undefined ? bare! : unescapeField(quoted);
      values.set(key!, value === '' || value === '-' ? null : value);
    }
    return values.size === 0
      ? 'not-the-format'
      : naming.buildRecord(values, undefined, 0).finish(times, host, lineTime);
  };
}
