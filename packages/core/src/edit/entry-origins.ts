import { LIST_KINDS, VALUE_KIND_OF, type ListKind } from '../language/fields.js';
import { parseEntry } from '../language/parser.js';
import { printValue } from '../language/value.js';
import { EDIT_FILE, findPart, type Configuration } from './configuration.js';

/** What a list was after a write, as canonical text. */
export interface ListVersion {
  /** The statement of the list, and the text of the file that it is kept in; a part that did not exist is absent. */
  readonly text?: string;
  readonly fileText?: string;
}

/**
 * Which write added each line of a list: an entry, or `except` and what is left out. What was taken out and added again was
 * added the last time.
 * @param versions from the oldest on
 * @returns by line of the newest version, the index of the version that first has it, as long as it stayed
 */
export function findEntryOrigins(versions: readonly ListVersion[]): Map<string, number> {
  const kind = kindOf(versions);
  // Most lines are in several versions.
  const entryOfRow = new Map<string, string | undefined>();
  const readRow = (row: string): string | undefined => {
    if (!entryOfRow.has(row)) entryOfRow.set(row, kind && entryOf(row, kind));
    return entryOfRow.get(row);
  };
  const linesOf = ({ text, fileText }: ListVersion): string[] => {
    if (text === undefined) return [];
    return FILE_OF_LIST.test(text.slice(0, MAX_HEAD))
      ? (fileText ?? '').split(/\r?\n/).flatMap((row) => readRow(row) ?? [])
      : linesOfText(text);
  };
  let origins = new Map<string, number>();
  versions.forEach((version, index) => {
    origins = new Map(linesOf(version).map((line) => [line, origins.get(line) ?? index]));
  });
  return origins;
}

function kindOf(versions: readonly ListVersion[]): ListKind | undefined {
  const head = versions.findLast(({ text }) => text !== undefined)?.text?.slice(0, MAX_HEAD);
  const word = /^list \S+ (\S+)/m.exec(head ?? '')?.[1];
  return LIST_KINDS.find((kind) => kind === word);
}

/** The entry of a line of a file, in canonical form. */
function entryOf(row: string, kind: ListKind): string | undefined {
  const { entry } = parseEntry(row, kind, EDIT_FILE, 1);
  return entry && printValue(entry, VALUE_KIND_OF[kind]);
}

/** The file that the entries of a list are kept in. @throws EditError where there is no such list */
export function findListFile({ parts }: Configuration, name: string): string | undefined {
  const { text } = findPart(parts, 'list', name);
  const [, path] = FILE_OF_LIST.exec(text.slice(0, MAX_HEAD)) ?? [];
  return path === undefined ? undefined : (JSON.parse(path) as string);
}

/** Behind comments and what may be a title, `from` and the file; only a list of entries has a brace. */
const FILE_OF_LIST = /^(?:#.*\n)*list [^{"]*(?:"(?:[^"\\]|\\.)*" )?from ("(?:[^"\\]|\\.)*")/;
const MAX_HEAD = 10_000;

/** Entries, commas and braces of canonical text, without its comments. */
const TOKEN = /#[^\n]*|"(?:[^"\\]|\\.)*"|[,{}]|[^\s,{}#"]+/g;

/** The lines of canonical text, which is read without parsing it, since each write of a long list has all of it. */
function linesOfText(text: string): string[] {
  const lines: string[] = [];
  let words: string[] = [];
  let before = '';
  let isInside = false;
  for (const [token] of text.matchAll(TOKEN)) {
    if (token.startsWith('#')) continue;
    if (!isInside) isInside = token === '{';
    else if (token !== ',' && token !== '}' && token !== 'except') words.push(token);
    else {
      if (words.length > 0) lines.push(before + words.join(' '));
      words = [];
      if (token === 'except') before = 'except ';
    }
  }
  return lines;
}
