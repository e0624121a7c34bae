import { checkTree } from '../check/check-fences.js';
import { checkCountry } from '../check/names.js';
import { suggestCountry } from '../language/country-hint.js';
import type { Diagnostic } from '../language/diagnostic.js';
import { REGIONS } from '../reference/regions.js';
import { OverlapIndex } from './overlaps.js';
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
 * kept in a file has its file rewritten; comments stay with their entries. A line that begins with `except` is about the
 * exceptions of the list.
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
      'invalid-text',
      `The entries of the list ${name} are the dataset ${source.name}, which is not edited entry by entry.`,
      'Import the dataset again, or take the entries into a list that contains others.',
    );
  const file = source.kind === 'file' ? configuration.namedFiles.find(({ path }) => path === source.path) : undefined;
  const rows = file ? file.text.split(/\r?\n/) : [];
  const before = source.kind === 'inline' ? source.entries : rows.flatMap((row) => readEntry(row, list).entry ?? []);
  const lists = new Set(configuration.parts.flatMap((eachPart) => (eachPart.kind === 'list' ? [eachPart.name] : [])));
  const editing = new ListEditing(list, lists, before);
  const exceptions = source.kind === 'inline' ? new ListEditing(list, lists, source.exceptions) : undefined;
  const edit = (verb: 'add' | 'remove', row: string, line: number): EntryReport | undefined => {
    const exception = EXCEPTION.exec(row)?.[1];
    if (exception === undefined) return editing[verb](row, line);
    if (!exceptions) return { list: name, line, text: row.trim(), result: 'invalid', note: NO_EXCEPTIONS };
    const report = exceptions[verb](exception, line);
    return report && { ...report, text: `except ${report.text}` };
  };
  const removed = remove.flatMap((text, index) => edit('remove', text, index + 1) ?? []);
  const added = add.flatMap((text, index) => edit('add', text, index + 1) ?? []);
  const reports = [...removed, ...added];
  if (source.kind === 'inline') {
    const changed = splitStatement({
      ...list,
      source: { ...source, entries: editing.entries, exceptions: exceptions!.entries },
    });
    const parts = configuration.parts.map((eachPart) => (eachPart === part ? changed[0]! : eachPart));
    return { configuration: { ...configuration, parts }, entries: reports };
  }
  const gone = new Set(removed.flatMap((report) => (report.result === 'removed' ? [report.text] : [])));
  const kept = rows.filter((row) => {
    const { entry } = readEntry(row, list);
    return !entry || !gone.has(printEntry(entry, list));
  });
  const news = editing.added.map(
    (entry) => `${printEntry(entry, list)}${entry.comments ? ` # ${entry.comments.join('; ')}` : ''}`,
  );
  const text = `${[...kept.join('\n').trimEnd().split('\n'), ...news].filter((row, index) => index > 0 || row !== '').join('\n')}\n`;
  const namedFiles = [
    ...configuration.namedFiles.filter((namedFile) => namedFile !== file),
    { path: source.path, text },
  ];
  return { configuration: { ...configuration, namedFiles }, entries: reports };
}

/** A line for what a list leaves out of its entries. */
const EXCEPTION = /^\s*except\s+(.+)$/;
const NO_EXCEPTIONS =
  'A list that is kept in a file has no exceptions. Make a list that contains this one, and put the exception there.';

/** How many overlaps of an entry are reported by name. */
const SHOWN_OVERLAPS = 5;

/** The entries of a list while lines are added and removed, each line at about the same cost however many there are. */
class ListEditing {
  readonly added: Value[] = [];
  readonly #byText = new Map<string, Value>();
  readonly #overlaps = new OverlapIndex();

  constructor(
    private readonly list: ListStatement,
    private readonly lists: ReadonlySet<string>,
    entries: readonly Value[],
  ) {
    for (const entry of entries) this.#keep(printEntry(entry, list), entry);
  }

  get entries(): Value[] {
    return [...this.#byText.values()];
  }

  #keep(text: string, entry: Value): void {
    if (!this.#byText.has(text)) this.#byText.set(text, entry);
    this.#overlaps.add(text, entry);
  }

  add(row: string, line: number): EntryReport | undefined {
    const { list } = this;
    const { entry, diagnostics } = readEntry(row, list);
    const base = { list: list.name, line };
    if (diagnostics.length > 0) return { ...base, text: row.trim(), result: 'invalid', note: noteOf(diagnostics[0]!) };
    if (!entry) return undefined;
    const text = printEntry(entry, list);
    const problem = this.#problemOf(entry);
    if (problem !== undefined) return { ...base, text, result: 'invalid', note: problem };
    if (this.#byText.has(text)) return { ...base, text, result: 'already-there' };
    const overlaps = this.#overlaps.find(entry, (overlap) => this.#byText.has(overlap));
    this.#keep(text, entry);
    this.added.push(entry);
    if (overlaps.length === 0) return { ...base, text, result: 'added' };
    const others = overlaps.length - SHOWN_OVERLAPS;
    const shown = overlaps.slice(0, SHOWN_OVERLAPS).join(', ');
    return { ...base, text, result: 'added', note: `overlaps ${shown}${others > 0 ? ` and ${others} more` : ''}` };
  }

  #problemOf(entry: Value): string | undefined {
    if (entry.kind === 'country') {
      const item: string[] = [];
      checkCountry(entry.code, entry.place, (_code, message, _place, hint) => item.push(`${message} ${hint ?? ''}`));
      return item[0]?.trim();
    }
    if (entry.kind !== 'list') return undefined;
    if (entry.name === this.list.name) return 'A list cannot contain itself.';
    if (this.lists.has(entry.name) || (this.list.listKind === 'countries' && REGIONS.has(entry.name))) return undefined;
    const hint = this.list.listKind === 'countries' ? ` ${suggestCountry(entry.name) ?? ''}` : '';
    return `No list is named "${entry.name}", and it is no literal.${hint}`.trim();
  }

  remove(row: string, line: number): EntryReport | undefined {
    const { entry, diagnostics } = readEntry(row, this.list);
    const base = { list: this.list.name, line };
    if (diagnostics.length > 0) return { ...base, text: row.trim(), result: 'invalid', note: noteOf(diagnostics[0]!) };
    if (!entry) return undefined;
    const text = printEntry(entry, this.list);
    return { ...base, text, result: this.#byText.delete(text) ? 'removed' : 'not-there' };
  }
}

function noteOf({ message, hint }: Diagnostic): string {
  return `${message}${hint ? ` ${hint}` : ''}`;
}

function readEntry(row: string, list: ListStatement): ReturnType<typeof parseEntry> {
  return parseEntry(row, list.listKind, EDIT_FILE, 1);
}

function printEntry(value: Value, { listKind }: ListStatement): string {
  return printValue(value, VALUE_KIND_OF[listKind]);
}

/** The answer of a list to a lookup. */
export interface ListLookup {
  readonly list: string;
  readonly value: string;
  readonly isIn: boolean;
  /** The entry that holds the value, and the lists it was found through, outermost first. */
  readonly entry?: string;
  readonly through?: readonly string[];
  /** The entry after `except` that takes it out. */
  readonly takenOutBy?: string;
}

/** Looks a value up in a list. @throws EditError if there is no such list, the value is not of its kind, or the list has errors */
export function lookupInList(configuration: Configuration, name: string, text: string): ListLookup {
  findPart(configuration.parts, 'list', name);
  const lists = resolveLists(configuration);
  return lookupIn(lists.get(name)!, lists, text);
}

/** Looks a value up in every list that can hold it. @throws EditError if the lists have errors @returns the lists that hold it, or take it out */
export function lookupInLists(configuration: Configuration, text: string): ListLookup[] {
  const lists = resolveLists(configuration);
  return [...lists.values()].flatMap((list) => {
    try {
      const lookup = lookupIn(list, lists, text);
      return lookup.isIn || lookup.takenOutBy !== undefined ? [lookup] : [];
    } catch (error) {
      // It is no value of this kind.
      if (error instanceof EditError) return [];
      throw error;
    }
  });
}

function resolveLists(configuration: Configuration): ReadonlyMap<string, ResolvedList> {
  const file = joinParts(
    // Lists of applications name applications.
    configuration.parts.filter((part) => part.kind === 'list' || part.kind === 'application'),
    EDIT_FILE,
  );
  const { rulebook, diagnostics } = checkTree([file], configuration.namedFiles, {
    datasets: new Map(configuration.datasets?.map((dataset) => [dataset.name, dataset])),
  });
  if (!rulebook) throw new EditError('invalid-text', diagnostics.map(({ message }) => message).join(' '));
  return rulebook.lists;
}

function lookupIn(list: ResolvedList, lists: ReadonlyMap<string, ResolvedList>, text: string): ListLookup {
  const value = text.trim();
  const base = { list: list.name, value };
  if (list.kind === 'urls') return { ...base, ...lookupUrl(list, value) };
  const requested = lookupTarget(list, value);
  const membership = list.members.find(requested);
  if (membership) return { ...base, isIn: true, entry: formatEntry(membership.entry), through: membership.through };
  const out = createMembers(list.kind, list.source.exceptions, lists).find(requested);
  const isEntry = createMembers(list.kind, list.source.entries, lists).find(requested);
  return { ...base, isIn: false, ...(out && isEntry ? { takenOutBy: formatEntry(out.entry) } : {}) };
}

function lookupTarget({ kind }: ResolvedList, value: string): Address | string {
  if (kind === 'addresses') {
    const address = parseAddress(value);
    if (!address) throw new EditError('invalid-text', `Found "${value}", expected an address such as 198.18.4.7.`);
    return address;
  }
  if (kind !== 'domains') return value;
  const host = normalizeHost(value);
  if (host === null) throw new EditError('invalid-text', `Found "${value}", expected a host such as shop.example.`);
  return host;
}

function lookupUrl(list: ResolvedList, value: string): Omit<ListLookup, 'list' | 'value'> {
  const [, authority, path] = /^(?:https?:\/\/)?([^/?#]*)([^?#]*)/.exec(value)!;
  const host = normalizeHost(authority!);
  if (host === null) throw new EditError('invalid-text', `Found "${value}", expected a URL such as shop.example/sale.`);
  const membership = list.urls!.find({ host, path: normalizePath(path!), readPath: (text) => text });
  return membership
    ? { isIn: true, entry: formatEntry(membership.entry), through: membership.through }
    : { isIn: false };
}

/** A list with the lists inside it, as people look at it. */
export interface ListContents {
  readonly name: string;
  readonly kind: ListStatement['listKind'];
  /** Its clients are never to be stopped. */
  readonly isProtected?: boolean;
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
  /** Written above it or behind it. */
  readonly comment?: string;
  /** The contents of a nested list. */
  readonly contents?: ListContents;
}

const MAX_NESTING = 20;

function datasetOf({ datasets }: Configuration, name: string): { name: string; numEntries: number } {
  return { name, numEntries: datasets?.find((dataset) => dataset.name === name)?.numEntries ?? 0 };
}

/** A region of the world, where no list of the draft has its name. */
function showRegion(name: string): ListContents | undefined {
  const region = REGIONS.get(name);
  return (
    region && {
      name,
      kind: 'countries',
      title: region.title,
      entries: region.countries.map((text) => ({ text })),
      exceptions: [],
    }
  );
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
  const contentsOf = (value: Value): ListContents | undefined => {
    if (!isListName(value, names) || depth >= MAX_NESTING) return undefined;
    if (names.has(value.name)) return showList(configuration, value.name, depth + 1);
    return list.listKind === 'countries' ? showRegion(value.name) : undefined;
  };
  const show = (values: readonly Value[]): ListEntry[] =>
    values.map((value) => {
      const contents = contentsOf(value);
      const comment = value.comments?.join('; ');
      return { text: printEntry(value, list), ...(comment ? { comment } : {}), ...(contents ? { contents } : {}) };
    });
  return {
    name,
    kind: list.listKind,
    ...(list.isProtected ? { isProtected: true } : {}),
    ...(list.title === undefined ? {} : { title: list.title }),
    ...(source.kind === 'file' ? { file: source.path } : {}),
    ...(source.kind === 'dataset' ? { dataset: datasetOf(configuration, source.name) } : {}),
    entries: show(entries),
    exceptions: show(source.kind === 'inline' ? source.exceptions : []),
  };
}

/** @throws EditError unless it holds addresses */
export function protectList(list: ListStatement, isProtected: boolean): ListStatement {
  const { isProtected: _, ...bare } = list;
  if (!isProtected) return bare;
  if (list.listKind !== 'addresses')
    throw new EditError(
      'invalid-text',
      `The list ${list.name} holds ${list.listKind}; only one of addresses can be protected.`,
    );
  return { ...bare, isProtected: true };
}
