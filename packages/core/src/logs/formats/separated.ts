/** CSV (RFC 4180) and TSV, whose first line names the columns. */
import { replaceMarks } from '../lines/byte-marks.js';
import { LogOptionsError } from '../lines/reader-options.js';
import type { Naming } from '../naming/naming.js';
import type { LineParser } from '../lines/line-parser.js';
import type { TimeReader } from '../naming/times.js';

/**
 * @param hasLineTime whether a line has a time, where no column does
 * @throws LayoutError, when it parses the header, where columns of the mapping are missing or none has the time
 */
export function createSeparatedParser(
  kind: 'csv' | 'tsv',
  naming: Naming,
  times: TimeReader,
  host: string | undefined,
  hasLineTime: boolean,
): LineParser {
  let header: { readonly text: string; readonly columns: readonly string[]; readonly separator: string } | undefined;
  return (text, lineTime) => {
    if (!header) {
      const plain = text.replace(/^\ufeff/, '');
      const separator = kind === 'tsv' ? '\t' : separatorOf(plain);
      header = { text, separator, columns: readHeader(splitCells(plain, separator) ?? [], naming, hasLineTime) };
      return undefined;
    }
    // Merged logs repeat it.
    if (text === header.text) return undefined;
    const cells = splitCells(text, header.separator);
    if (cells?.length !== header.columns.length) return 'not-the-format';
    const values = new Map(header.columns.map((name, at) => [name, noneOr(cells[at]!)]));
    return naming.buildRecord(values, undefined, 0).finish(times, host, lineTime);
  };
}

function readHeader(columns: readonly string[], naming: Naming, hasLineTime: boolean): readonly string[] {
  const names = columns.map((name) => replaceMarks(name).trim());
  const missing = naming.mappedNames.filter((name) => !names.includes(name));
  const are = `The columns are: ${names.join(', ').slice(0, 500)}.`;
  if (missing.length > 0)
    throw new LogOptionsError(`The mapping speaks of columns that the log does not have: ${missing.join(', ')}.`, are);
  if (!hasLineTime && !naming.gives('timestamp', names) && !naming.gives('date', names))
    throw new LogOptionsError('None of the columns is known to be the time.', `${are} Assign them with a mapping.`);
  return names;
}

/** A semicolon separates if the comma is the decimal comma. */
function separatorOf(header: string): string {
  return header.split(';').length > header.split(',').length ? ';' : ',';
}

/** `-` and empty are none; counts of bytes are then 0. */
function noneOr(cell: string): string | null {
  return cell === '' || cell === '-' ? null : cell;
}

/** @returns undefined where quotation marks do not match */
function splitCells(text: string, separator: string): string[] | undefined {
  if (separator === '\t' || !text.includes('"')) return text.split(separator);
  const cells: string[] = [];
  for (let at = 0; ;) {
    if (text[at] === '"') {
      const end = endOfQuotes(text, at + 1);
      if (end < 0 || (end + 1 < text.length && text[end + 1] !== separator)) return undefined;
      cells.push(text.slice(at + 1, end).replaceAll('""', '"'));
      at = end + 2;
      if (end + 1 >= text.length) return cells;
    } else {
      const end = text.indexOf(separator, at);
      cells.push(text.slice(at, end < 0 ? undefined : end));
      if (end < 0) return cells;
      at = end + 1;
    }
  }
}

/** The quotation mark that ends a cell; a doubled one is a literal one. */
function endOfQuotes(text: string, from: number): number {
  let at = text.indexOf('"', from);
  while (at >= 0 && text[at + 1] === '"') at = text.indexOf('"', at + 2);
  return at;
}
