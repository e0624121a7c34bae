/**
 * Of large reference data, values of each class: what lies within something that rules name, and one of each country and
 * of each set of categories outside of it. Gone through once for all gates.
 */
import type { EvaluationContext } from '../../decide/interpreter.js';
import type { Value } from '../../language/tree.js';
import type { Categories } from '../../reference/categories.js';
import type { CountryTable } from '../../reference/country-table.js';
import {
  type Address,
  FAMILY_BITS,
  formatAddress,
  parseAddress,
  type AddressRange,
  type Family,
} from '../../request/address.js';
import { literalsOf } from './values.js';

export interface Samples {
  /** Addresses, as text. */
  readonly addresses: readonly string[];
  readonly hosts: readonly string[];
}

/** What all lists and conditions name: everything that a rule could compare. */
export function sampleReferenceData({ rulebook, countries, categories }: EvaluationContext): Samples {
  const comparisons = [...rulebook.lookups.keys()].map((comparison) => ({ comparison }));
  const ofGates = rulebook.gates.flatMap(({ statement: { hosts, clients } }) => [...hosts, ...clients]);
  const values = [...literalsOf(comparisons, rulebook.lists).values, ...ofGates];
  return {
    addresses: countries ? sampleCountries(countries, values) : [],
    hosts: categories ? sampleCategories(categories, values) : [],
  };
}

interface Interval {
  readonly first: bigint;
  last: bigint;
}

function sampleCountries(countries: CountryTable, values: readonly Value[]): string[] {
  const named = { 4: mergeRanges(values, 4), 6: mergeRanges(values, 6) };
  const found = new Set<string>();
  const seen = new Set<string>();
  const add = (family: Family, value: bigint): void => {
    if (value >= 1n << BigInt(FAMILY_BITS[family])) return;
    const isNamed = contains(named[family], value);
    const text = isNamed ? formatAddress({ family, value }) : undefined;
    const country = text === undefined ? countries.countryOf(addressOf(family, value)) : '';
    const key = `${family} ${country}`;
    if (text === undefined && seen.has(key)) return;
    seen.add(key);
    found.add(text ?? formatAddress({ family, value }));
  };
  for (const { family, first, last } of countries.ranges()) {
    add(family, first);
    add(family, last + 1n);
  }
  return [...found];
}

function addressOf(family: Family, value: bigint): Address {
  return parseAddress(formatAddress({ family, value }))!;
}

function mergeRanges(values: readonly Value[], family: Family): Interval[] {
  const ranges = values
    .flatMap((value): AddressRange[] =>
      value.kind === 'addresses' && value.range.family === family ? [value.range] : [],
    )
    .sort((a, b) => (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  const merged: Interval[] = [];
  for (const { first, last } of ranges) {
    const before = merged.at(-1);
    if (before && first <= before.last + 1n) before.last = last > before.last ? last : before.last;
    else merged.push({ first, last });
  }
  return merged;
}

function contains(intervals: readonly Interval[], value: bigint): boolean {
  let low = 0;
  let high = intervals.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (intervals[middle]!.first <= value) low = middle + 1;
    else high = middle;
  }
  return low > 0 && value <= intervals[low - 1]!.last;
}

/** What was found in feeds, which take a second a million to go through, so that a review after an edit need not. */
interface FeedSamples {
  /** A host of each set of categories. */
  readonly hosts: readonly string[];
  /** By a name that rules name, the hosts of it and below. */
  readonly byName: Map<string, string[]>;
}

const samplesOf = new WeakMap<Categories, FeedSamples>();

function sampleCategories(categories: Categories, values: readonly Value[]): string[] {
  const names = new Set(
    values.flatMap((value) =>
      value.kind === 'domain'
        ? [value.entry.name]
        : value.kind === 'url'
          ? [value.host]
          : value.kind === 'text'
            ? [value.text]
            : [],
    ),
  );
  const before = samplesOf.get(categories);
  const missing = [...names].filter((name) => !before?.byName.has(name));
  const samples = before && missing.length === 0 ? before : goThrough(categories, missing, before);
  samplesOf.set(categories, samples);
  return [...new Set([...names].flatMap((name) => samples.byName.get(name)!).concat(samples.hosts))];
}

/** Adds the hosts of names to what was found before. */
function goThrough(categories: Categories, names: readonly string[], before?: FeedSamples): FeedSamples {
  const added = new Map<string, string[]>(names.map((name) => [name, []]));
  const noteNamed = (host: string): void => {
    for (let at = 0; ;) {
      added.get(host.slice(at))?.push(host);
      const dot = host.indexOf('.', at);
      if (dot < 0) return;
      at = dot + 1;
    }
  };
  const hosts: string[] = [];
  const seenRows = new Set<number>();
  const seenSets = new Set<string>();
  const known = new Set<number>();
  for (const { host, value } of categories.entries()) {
    if (added.size > 0) noteNamed(host);
    if (before) continue;
    // A host of several rows may have another set of categories.
    const hash = hashOf(host);
    const isRepeated = seenRows.has(hash);
    seenRows.add(hash);
    if (!isRepeated && known.has(value)) continue;
    known.add(value);
    const key = categories.find(host, null).categories.join(' ');
    if (!seenSets.has(key)) hosts.push(host);
    seenSets.add(key);
  }
  return { hosts: before?.hosts ?? hosts, byName: new Map([...(before?.byName ?? []), ...added]) };
}

function hashOf(text: string): number {
  let hash = 0x811c9dc5;
  for (let at = 0; at < text.length; at += 1) hash = Math.imul(hash ^ text.charCodeAt(at), 0x01000193);
  return hash;
}
