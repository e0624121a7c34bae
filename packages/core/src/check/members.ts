import { formatRange, type Address, type AddressRange } from '../request/address.js';
import { invariant } from '../request/invariant.js';
import { createAddressSet } from '../reference/address-set.js';
import type { Dataset } from '../reference/dataset.js';
import { createDomainSet, formatDomainEntry, isCloser, type DomainEntry } from '../reference/domain-set.js';
import type { ListKind } from '../language/fields.js';
import type { InlineEntries, Value } from '../language/tree.js';
import { REGIONS } from '../reference/regions.js';
import { createDatasetUrls, createUrlMembers, type UrlMembers } from './url-members.js';

/** Why a value is in a set: the entry that covers it, and the lists it was found through, outermost first. */
export interface Membership {
  readonly entry: CoveringEntry;
  readonly through: readonly string[];
}

export type CoveringEntry = AddressRange | DomainEntry | string;

/** An entry as it is written. */
export function formatEntry(entry: CoveringEntry): string {
  if (typeof entry === 'string') return entry;
  return 'reach' in entry ? formatDomainEntry(entry) : formatRange(entry);
}

/** A set of addresses, countries, domains, categories or applications, made of literals and lists. */
export interface Members {
  /** @returns the entry that covers the value, or undefined. Addresses are looked up by `Address`, the others by text. */
  find(value: Address | string): Membership | undefined;
}

/** A list whose members are known: its own entries, the lists inside it, and what is taken out again. */
export interface ResolvedList {
  readonly name: string;
  readonly kind: ListKind;
  /** Its clients are never to be stopped. */
  readonly isProtected?: true;
  readonly source: InlineEntries;
  readonly members: Members;
  /** Of a list of urls, which is looked up by host and path. */
  readonly urls?: UrlMembers;
  /** Own entries and those of lists inside it, exceptions not deducted. */
  readonly numEntries: number;
  /** A region of the world, which is built in. */
  readonly isBuiltIn?: boolean;
}

type OwnLookup = (value: Address | string) => CoveringEntry | undefined;
const DIRECTLY: readonly string[] = [];

/** @param lists the lists that `values` may name, all resolved */
export function createMembers(
  kind: ListKind,
  values: readonly Value[],
  lists: ReadonlyMap<string, ResolvedList>,
): Members {
  const findOwn = createOwnLookup(kind, values);
  const nested = values.flatMap((value) => (isListName(value, lists) ? [listNamed(lists, value.name)] : []));
  return {
    find(value) {
      const direct = findOwn(value);
      let best: Membership | undefined = direct === undefined ? undefined : { entry: direct, through: DIRECTLY };
      for (const list of nested) {
        // Of domains the closest entry answers, wherever it is written; of other kinds the first.
        if (best && kind !== 'domains') break;
        const membership = list.members.find(value);
        if (!membership || (best && !isCloser(membership.entry as DomainEntry, best.entry as DomainEntry))) continue;
        best = { entry: membership.entry, through: [list.name, ...membership.through] };
      }
      return best;
    },
  };
}

/** Whether a value refers to a list: a word does if a list has that name. */
export function isListName(
  value: Value,
  lists: { has(name: string): boolean },
): value is Value & { readonly kind: 'list' | 'word' } {
  return value.kind === 'list' || (value.kind === 'word' && lists.has(value.name));
}

export function listNamed(lists: ReadonlyMap<string, ResolvedList>, name: string): ResolvedList {
  const list = lists.get(name);
  invariant(list, `list ${name} was not resolved before it was used`);
  return list;
}

function createOwnLookup(kind: ListKind, values: readonly Value[]): OwnLookup {
  if (kind === 'addresses') {
    const set = createAddressSet(values.flatMap((value) => (value.kind === 'addresses' ? [value.range] : [])));
    return (value) => (typeof value === 'string' ? undefined : set.find(value));
  }
  if (kind === 'countries') {
    const codes = new Set(values.flatMap((value) => (value.kind === 'country' ? [value.code] : [])));
    return (value) => (typeof value === 'string' && codes.has(value) ? value : undefined);
  }
  if (kind === 'categories' || kind === 'applications') {
    const names = new Set(values.flatMap((value) => (value.kind === 'word' ? [value.name] : [])));
    return (value) => (typeof value === 'string' && names.has(value) ? value : undefined);
  }
  const set = createDomainSet(values.flatMap((value) => (value.kind === 'domain' ? [value.entry] : [])));
  return (value) => (typeof value === 'string' ? set.find(value) : undefined);
}

/** A list whose entries are a dataset. */
export function resolveDataset(name: string, dataset: Dataset): ResolvedList {
  const { kind, numEntries } = dataset;
  const find = (value: Address | string): CoveringEntry | undefined =>
    typeof value === 'string' ? dataset.findDomain(value) : dataset.findAddress(value);
  return {
    name,
    kind,
    source: { kind: 'inline', entries: [], exceptions: [] },
    members: {
      find(value) {
        const entry = find(value);
        return entry === undefined ? undefined : { entry, through: DIRECTLY };
      },
    },
    ...(kind === 'urls' ? { urls: createDatasetUrls(dataset) } : {}),
    numEntries,
  };
}

/** @param lists the nested lists, all resolved */
export function resolveList(
  name: string,
  kind: ListKind,
  source: InlineEntries,
  lists: ReadonlyMap<string, ResolvedList>,
): ResolvedList {
  const entries = createMembers(kind, source.entries, lists);
  const exceptions = createMembers(kind, source.exceptions, lists);
  return {
    name,
    kind,
    source,
    members: { find: (value) => (exceptions.find(value) ? undefined : entries.find(value)) },
    ...(kind === 'urls' ? { urls: createUrlMembers(source, lists) } : {}),
    numEntries: source.entries.reduce(
      (sum, value) => sum + (isListName(value, lists) ? listNamed(lists, value.name).numEntries : 1),
      0,
    ),
  };
}

/** The regions of the world as lists of countries. */
export function resolveRegions(): ReadonlyMap<string, ResolvedList> {
  regionLists ??= new Map(
    [...REGIONS].map(([name, { countries }]) => {
      const place = { file: 'built-in', line: 1, column: 1 };
      const entries = countries.map((code): Value => ({ kind: 'country', code, place }));
      const source = { kind: 'inline', entries, exceptions: [] } as const;
      return [name, { ...resolveList(name, 'countries', source, new Map()), isBuiltIn: true }];
    }),
  );
  return regionLists;
}
let regionLists: ReadonlyMap<string, ResolvedList> | undefined;
