import { checkTree } from '../check/check-fences.js';
import { createMembers, formatEntry, isListName, type ResolvedList } from '../check/members.js';
import { VALUE_KIND_OF } from '../language/fields.js';
import { parseEntry } from '../language/parser.js';
import { joinParts, splitStatement } from '../language/parts.js';
import type { ListStatement, Value } from '../language/tree.js';
import { printValue } from '../language/value.js';
import { parseAddress, type Address } from '../request/address.js';
import { normalizeHost } from '../request/host.js';
import { normalizePath } from '../request/path.js';
import { EDIT_FILE, EditError, findPart, statementOf, type Configuration } from './configuration.js';

/** What became of one line of a bulk edit. */
export interface EntryReport {
  readonly list: string;
  /** 1-based, in what was given. */
  readonly line: number;
  readonly text: string;
  readonly result: 'added' | 'already-there' | 'invalid' | 'removed' | 'not-there';
  /** Why it is invalid, or which entries it overlaps. */
  readonly note?: string;
}

/**
 * Adds and removes entries of a list, each line by itself: what cannot be read is reported and left out. A list that is
 * kept in a file has its file rewritten; comments of unchanged lines stay.
 */
export function editList(
  configuration: Configuration,
  name: string,
  add: readonly string[],
  remove: readonly string[],
): { configuration: Configuration; entries: EntryReport[] } {
  const part = findPart(configuration.parts, 'list', name);
  const list = statementOf(part) as ListStatement;
  const { source } = list;
  if (source.kind === 'dataset')
    throw new EditError(
      'bad-text',
      `The entries of the list ${name} are the dataset ${source.name}, which is not edited entry by entry.`,
      'Import the dataset again, or take the entries into a list that contains others.',
    );
  const file = source.kind === 'file' ? configuration.namedFiles.find(({ path }) => path === source.path) : undefined;
  const rows = file ? file.text.split(/\r?\n/) : [];
  const entries =
    source.kind === 'inline' ? [...source.entries] : rows.flatMap((row) => readEntry(row, list).entry ?? []);
  const removed = remove.map((text, index) => removeEntry(entries, list, text, index + 1));
  const lists = new Set(configuration.parts.flatMap((one) => (one.kind === 'list' ? [one.name] : [])));
  const added = add.map((text, index) => addEntry(entries, list, lists, text, index + 1));
  const reports = [...removed, ...added].filter((report) => report !== undefined);
  const gone = new Set(removed.flatMap((report) => (report?.result === 'removed' ? [report.text] : [])));
  if (source.kind === 'inline') {
    const changed = splitStatement({ ...list, source: { ...source, entries } });
    const parts = configuration.parts.map((one) => (one === part ? changed[0]! : one));
    return { configuration: { ...configuration, parts }, entries: reports };
  }
  const kept = rows.filter((row) => {
    const { entry } = readEntry(row, list);
    return !entry || !gone.has(printEntry(entry, list));
  });
  const news = reports.filter((report) => report.result === 'added').map((report) => report.text);
  const text = `${[...kept.join('\n').trimEnd().split('\n'), ...news].filter((row, index) => index > 0 || row !== '').join('\n')}\n`;
  const namedFiles = [...configuration.namedFiles.filter((one) => one !== file), { path: source.path, text }];
  return { configuration: { ...configuration, namedFiles }, entries: reports };
}

function readEntry(row: string, list: ListStatement): ReturnType<typeof parseEntry> {
  return parseEntry(row, list.listKind, EDIT_FILE, 1);
}

function printEntry(value: Value, { listKind }: ListStatement): string {
  return printValue(value, VALUE_KIND_OF[listKind]);
}

function addEntry(
  entries: Value[],
  list: ListStatement,
  lists: ReadonlySet<string>,
  text: string,
  line: number,
): EntryReport | undefined {
  const { entry, diagnostics } = readEntry(text, list);
  const base = { list: list.name, line };
  if (diagnostics.length > 0) {
    const [{ message, hint }] = diagnostics as [(typeof diagnostics)[number]];
    return { ...base, text: text.trim(), result: 'invalid', note: `${message}${hint ? ` ${hint}` : ''}` };
  }
  if (!entry) return undefined;
  const printed = printEntry(entry, list);
  if (entry.kind === 'list' && entry.name === list.name)
    return { ...base, text: printed, result: 'invalid', note: 'A list cannot contain itself.' };
  if (entry.kind === 'list' && !lists.has(entry.name))
    return {
      ...base,
      text: printed,
      result: 'invalid',
      note: `No list is named "${entry.name}", and it is no literal.`,
    };
  if (entries.some((one) => printEntry(one, list) === printed))
    return { ...base, text: printed, result: 'already-there' };
  const overlaps = entries.filter((one) => doOverlap(one, entry)).map((one) => printEntry(one, list));
  entries.push(entry);
  return {
    ...base,
    text: printed,
    result: 'added',
    ...(overlaps.length > 0 ? { note: `overlaps ${overlaps.join(', ')}` } : {}),
  };
}

function removeEntry(entries: Value[], list: ListStatement, text: string, line: number): EntryReport | undefined {
  const { entry, diagnostics } = readEntry(text, list);
  const base = { list: list.name, line };
  if (diagnostics.length > 0) return { ...base, text: text.trim(), result: 'invalid', note: diagnostics[0]!.message };
  if (!entry) return undefined;
  const printed = printEntry(entry, list);
  const at = entries.findIndex((one) => printEntry(one, list) === printed);
  if (at < 0) return { ...base, text: printed, result: 'not-there' };
  entries.splice(at, 1);
  return { ...base, text: printed, result: 'removed' };
}

/** Whether one of two entries holds something that the other does. */
function doOverlap(a: Value, b: Value): boolean {
  if (a.kind === 'addresses' && b.kind === 'addresses')
    return a.range.family === b.range.family && a.range.first <= b.range.last && b.range.first <= a.range.last;
  if (a.kind === 'domain' && b.kind === 'domain') return coversName(a, b.entry.name) || coversName(b, a.entry.name);
  return false;
}

function coversName({ entry }: Extract<Value, { kind: 'domain' }>, name: string): boolean {
  if (entry.reach !== 'below' && name === entry.name) return true;
  return entry.reach !== 'only' && name.endsWith(`.${entry.name}`);
}

/** What a list says of one value. */
export interface LookUp {
  readonly list: string;
  readonly value: string;
  readonly isIn: boolean;
  /** The entry that holds the value, and the lists it was found through, outermost first. */
  readonly entry?: string;
  readonly through?: readonly string[];
  /** The entry after `except` that takes it out. */
  readonly takenOutBy?: string;
}

/** Asks a list for a value. @throws EditError where there is no such list, the value is none of its kind, or the list has errors */
export function lookUpInList(configuration: Configuration, name: string, text: string): LookUp {
  findPart(configuration.parts, 'list', name);
  const file = joinParts(
    configuration.parts.filter((part) => part.kind === 'list'),
    EDIT_FILE,
  );
  const { rulebook, diagnostics } = checkTree([file], configuration.namedFiles, {
    datasets: new Map(configuration.datasets?.map((dataset) => [dataset.name, dataset])),
  });
  if (!rulebook) throw new EditError('bad-text', diagnostics.map(({ message }) => message).join(' '));
  const list = rulebook.lists.get(name)!;
  const value = text.trim();
  const base = { list: name, value };
  if (list.kind === 'urls') return { ...base, ...lookUpUrl(list, value) };
  const asked = askable(list, value);
  const found = list.members.find(asked);
  if (found) return { ...base, isIn: true, entry: formatEntry(found.entry), through: found.through };
  const out = createMembers(list.kind, list.source.exceptions, rulebook.lists).find(asked);
  const isEntry = createMembers(list.kind, list.source.entries, rulebook.lists).find(asked);
  return { ...base, isIn: false, ...(out && isEntry ? { takenOutBy: formatEntry(out.entry) } : {}) };
}

function askable({ kind }: ResolvedList, value: string): Address | string {
  if (kind === 'addresses') {
    const address = parseAddress(value);
    if (!address) throw new EditError('bad-text', `Found "${value}", expected an address such as 198.18.4.7.`);
    return address;
  }
  if (kind !== 'domains') return value;
  const host = normalizeHost(value);
  if (host === null) throw new EditError('bad-text', `Found "${value}", expected a host such as shop.example.`);
  return host;
}

function lookUpUrl(list: ResolvedList, value: string): Omit<LookUp, 'list' | 'value'> {
  const [, authority, path] = /^(?:https?:\/\/)?([^/?#]*)([^?#]*)/.exec(value)!;
  const host = normalizeHost(authority!);
  if (host === null) throw new EditError('bad-text', `Found "${value}", expected a URL such as shop.example/sale.`);
  const found = list.urls!.find({ host, path: normalizePath(path!), readPath: (one) => one });
  return found ? { isIn: true, entry: formatEntry(found.entry), through: found.through } : { isIn: false };
}

/** A list with the lists inside it, as people look at it. */
export interface ListContents {
  readonly name: string;
  readonly kind: ListStatement['listKind'];
  readonly title?: string;
  /** The file it is kept in. */
  readonly file?: string;
  /** The dataset that its entries are; they are too many to be listed. */
  readonly dataset?: { readonly name: string; readonly numEntries: number };
  readonly entries: readonly ListEntry[];
  readonly exceptions: readonly ListEntry[];
}

export interface ListEntry {
  readonly text: string;
  /** Where the entry is a list: what stands in it. */
  readonly contents?: ListContents;
}

const MAX_NESTING = 20;

function datasetOf({ datasets }: Configuration, name: string): { name: string; numEntries: number } {
  return { name, numEntries: datasets?.find((dataset) => dataset.name === name)?.numEntries ?? 0 };
}

/** @throws EditError where there is no such list */
export function showList(configuration: Configuration, name: string, depth = 0): ListContents {
  const list = statementOf(findPart(configuration.parts, 'list', name)) as ListStatement;
  const names = new Set(configuration.parts.flatMap((part) => (part.kind === 'list' ? [part.name] : [])));
  const { source } = list;
  const file = source.kind === 'file' ? configuration.namedFiles.find(({ path }) => path === source.path) : undefined;
  const entries =
    source.kind === 'inline'
      ? source.entries
      : (file?.text ?? '').split(/\r?\n/).flatMap((row) => readEntry(row, list).entry ?? []);
  const show = (values: readonly Value[]): ListEntry[] =>
    values.map((value) => ({
      text: printEntry(value, list),
      ...(isListName(value, names) && names.has(value.name) && depth < MAX_NESTING
        ? { contents: showList(configuration, value.name, depth + 1) }
        : {}),
    }));
  return {
    name,
    kind: list.listKind,
    ...(list.title === undefined ? {} : { title: list.title }),
    ...(source.kind === 'file' ? { file: source.path } : {}),
    ...(source.kind === 'dataset' ? { dataset: datasetOf(configuration, source.name) } : {}),
    entries: show(entries),
    exceptions: show(source.kind === 'inline' ? source.exceptions : []),
  };
}
