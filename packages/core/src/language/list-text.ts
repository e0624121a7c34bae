/** Lists and pages: fence text to tree and back. */
import { parseValue } from './condition-text.js';
import type { Cursor } from './cursor.js';
import { LIST_KINDS, VALUE_KIND_OF } from './fields.js';
import { MAX_WIDTH, printComments, printTitle } from './layout.js';
import type { DatasetSource, FileSource, ListStatement, PageStatement, Value } from './tree.js';
import { printValue, type ValueContext } from './value.js';

export function parseList(cursor: Cursor): Omit<ListStatement, 'kind' | 'comments' | 'place'> {
  const { name } = cursor.expectName('a list');
  const listKind = cursor.expectOneOf(LIST_KINDS, 'a kind of list');
  const isProtected = parseProtected(cursor, listKind);
  const title = cursor.acceptTitle();
  const base = { name, listKind, ...(isProtected ? { isProtected } : {}), ...(title === undefined ? {} : { title }) };
  if (cursor.accept('from')) return { ...base, source: parseDatasetSource(cursor) ?? parseFileSource(cursor) };
  cursor.expect('{', 'before the entries, or the word "from" and a file or dataset');
  cursor.takeTrailingComments();
  const requested = { kind: VALUE_KIND_OF[listKind], operator: 'in' } as const;
  const entries = cursor.sees('}', 'except') ? [] : parseEntries(cursor, requested);
  const exceptions = cursor.accept('except') ? parseEntries(cursor, requested) : [];
  cursor.expect('}', 'after the entries');
  return { ...base, source: { kind: 'inline', entries, exceptions } };
}

/** Whether clients of the list are protected. */
function parseProtected(cursor: Cursor, listKind: ListStatement['listKind']): true | undefined {
  if (!cursor.sees('protected')) return undefined;
  if (listKind !== 'addresses')
    cursor.fail('misplaced-clause', `a list of ${listKind} cannot be protected, only one of addresses`);
  cursor.next();
  return true;
}

/** Entries keep the comments above them and behind them. */
function parseEntries(cursor: Cursor, requested: ValueContext): Value[] {
  const values: Value[] = [];
  let isMore = true;
  while (isMore)
    cursor.construct((comments) => {
      const value = parseValue(cursor, requested);
      isMore = cursor.accept(',');
      cursor.takeTrailingComments();
      values.push(comments.length > 0 ? { ...value, comments } : value);
    });
  return values;
}

export function parsePage(cursor: Cursor): Omit<PageStatement, 'kind' | 'comments' | 'place'> {
  return { name: cursor.expectName('a page').name, source: parseFileSource(cursor) };
}

function parseDatasetSource(cursor: Cursor): DatasetSource | undefined {
  if (!cursor.accept('dataset')) return undefined;
  return { kind: 'dataset', ...cursor.expectName('a dataset') };
}

function parseFileSource(cursor: Cursor): FileSource {
  const { place } = cursor.token;
  const path = cursor.acceptTitle();
  if (path === undefined || path === '') cursor.fail('unexpected', 'expected the quoted name of a file');
  return { kind: 'file', path, place };
}

export function printList({ name, listKind, isProtected, title, source }: ListStatement): string {
  const head = `list ${name} ${listKind}${isProtected ? ' protected' : ''}${printTitle(title)}`;
  if (source.kind === 'file') return `${head} from ${JSON.stringify(source.path)}`;
  if (source.kind === 'dataset') return `${head} from dataset ${source.name}`;
  const print = (value: Value): string => printValue(value, VALUE_KIND_OF[listKind]);
  const parts = [
    source.entries.map(print).join(', '),
    source.exceptions.length > 0 ? `except ${source.exceptions.map(print).join(', ')}` : '',
  ].filter(Boolean);
  if (parts.length === 0) return `${head} { }`;
  const oneLine = `${head} { ${parts.join(' ')} }`;
  const hasComments = [...source.entries, ...source.exceptions].some(({ comments }) => comments);
  if (!hasComments && oneLine.length <= MAX_WIDTH) return oneLine;
  const tall = (values: readonly Value[]): string =>
    values.map((value) => `${printComments(value.comments ?? [], '  ')}  ${print(value)}`).join(',\n');
  return [
    `${head} {`,
    ...(source.entries.length > 0 ? [tall(source.entries)] : []),
    ...(source.exceptions.length > 0 ? ['  except', tall(source.exceptions)] : []),
    '}',
  ].join('\n');
}

export function printPage({ name, source }: PageStatement): string {
  return `page ${name} ${JSON.stringify(source.path)}`;
}
