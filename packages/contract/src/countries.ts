import type { CountryShare } from '@jadefence/core/reference';
import type { FreshnessInfo } from './sources.js';
import type { DatasetInfo } from './datasets.js';

/** The active country table, by country. */
export interface Countries {
  readonly table: DatasetInfo | null;
  readonly freshness: FreshnessInfo;
  readonly countries: readonly (CountryShare & {
    readonly name: string;
    /** Requests of the given log, by the client's country. */
    readonly requests?: number;
  })[];
  /** Requests of the log from no country, from private addresses, or from unknown clients. */
  readonly elsewhere?: Readonly<Record<string, number>>;
  /** All requests of the given log. */
  readonly requests?: number;
}

/** What is known of an address, or of each address of a name. */
export interface CountryLookup {
  readonly requested: string;
  /** The errors of the draft, where it has some: which lists and rules see the addresses is then not known. */
  readonly unavailable?: readonly string[];
  readonly addresses: readonly AddressLookup[];
}

export interface AddressLookup {
  readonly address: string;
  readonly country: string;
  readonly countryName: string;
  /** The row, and the table or correction that decided. */
  readonly evidence: string;
  readonly range?: string;
  readonly isCorrected: boolean;
  /** Lists of the draft that hold the address or its country, with the entry. */
  readonly lists: readonly { readonly list: string; readonly entry: string; readonly through: readonly string[] }[];
  /** Outbound gates whose clients hold the address. */
  readonly gates: readonly string[];
  /** Rules with a comparison that is true of the address or its country. */
  readonly rules: readonly { readonly rule: string; readonly gates: readonly string[]; readonly comparison: string }[];
}
