import {
  createCategories,
  createCountryTable,
  HostTable,
  type CategoryEntry,
  type CategoryFeed,
  type Categories,
  type CountryRange,
  type CountryTable,
  type RangeTable,
} from '@jadefence/core/reference';

/** What decisions depend on besides the fences, in a form that can be sent to a thread; large tables are shared. */
export interface SharedReferenceData {
  readonly countryTable?: { readonly buffer: SharedArrayBuffer; readonly name: string };
  readonly countryCorrections: readonly CountryRange[];
  readonly feeds: readonly {
    readonly name: string;
    readonly categories: readonly string[];
    readonly buffer: SharedArrayBuffer;
  }[];
  readonly categoryCorrections: readonly CategoryEntry[];
}

export interface PreparedReferenceData {
  readonly countries?: CountryTable;
  readonly categories?: Categories;
}

/** What was opened before, so that it need not be checked again. */
export interface OpenedTables {
  readonly countryTable?: RangeTable;
  readonly feeds: readonly CategoryFeed[];
}

/** Corrections apply over a table or feed; without any they change nothing, since everything else would become known. */
export function openReferenceData(shared: SharedReferenceData, opened?: OpenedTables): PreparedReferenceData {
  const { countryTable, countryCorrections, feeds, categoryCorrections } = shared;
  const openedFeeds = opened?.feeds ?? feeds.map(({ buffer, ...feed }) => ({ ...feed, table: new HostTable(buffer) }));
  return {
    ...(countryTable
      ? {
          countries: createCountryTable(opened?.countryTable ?? countryTable.buffer, {
            corrections: countryCorrections,
            source: countryTable.name,
          }),
        }
      : {}),
    ...(feeds.length > 0 ? { categories: createCategories(openedFeeds, categoryCorrections) } : {}),
  };
}
