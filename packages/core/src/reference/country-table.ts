import {
  formatRange,
  isInRange,
  parseAddress,
  parseNetwork,
  type Address,
  type AddressRange,
} from '../request/address.js';
import { toKey, upperBound, type Key } from './upper-bound.js';

/** An ISO 3166-1 code, or one of the two values for addresses that belong to no country. */
export type Country = string;
export const NO_COUNTRY = 'no-country';
export const INTERNAL = 'internal';

/** One row of a country table. */
export interface CountryRange extends AddressRange {
  readonly country: Country;
}

/** What a look-up found: the country, and the row that says so where one does. */
export interface CountryAnswer {
  readonly country: Country;
  readonly range?: CountryRange;
}

export interface CountryTable {
  readonly numRanges: number;
  /** Addresses never are unknown to a table: outside every row they are `internal` or `no-country`. */
  find(address: Address): CountryAnswer;
}

/** A row that cannot be used, with its 1-based line. */
export interface CountryRowProblem {
  readonly line: number;
  readonly message: string;
}

/** Loopback, link-local, private, shared and unique-local networks (RFC 6890, RFC 4193). */
const INTERNAL_NETWORKS: readonly AddressRange[] = [
  '10.0.0.0/8',
  '100.64.0.0/10',
  '127.0.0.0/8',
  '169.254.0.0/16',
  '172.16.0.0/12',
  '192.168.0.0/16',
  '::1/128',
  'fc00::/7',
  'fe80::/10',
].map((text) => parseNetwork(text)!);

/**
 * Reads a country table as CSV, rows `start,end,CC` or `cidr,CC`, quoted or not, a header line allowed.
 * @returns the usable rows in file order, and a problem for every other row.
 */
export function parseCountryCsv(text: string): { ranges: CountryRange[]; problems: CountryRowProblem[] } {
  const ranges: CountryRange[] = [];
  const problems: CountryRowProblem[] = [];
  text.split(/\r?\n/).forEach((row, index) => {
    if (row.trim() === '' || row.startsWith('#')) return;
    const parsed = parseCountryRow(row.split(',').map((cell) => cell.trim().replace(/^"(.*)"$/, '$1')));
    if (typeof parsed !== 'string') ranges.push(parsed);
    else if (index > 0 || /\d/.test(row)) problems.push({ line: index + 1, message: parsed });
  });
  return { ranges, problems };
}

function parseCountryRow(cells: string[]): CountryRange | string {
  const country = cells.at(-1)!;
  if (cells.length < 2 || cells.length > 3)
    return `expected "start,end,CC" or "cidr,CC", found ${cells.length} column(s)`;
  if (!/^[A-Z]{2}$/.test(country)) return `expected a country code of two capital letters, found "${country}"`;
  if (cells.length === 2) {
    const network = parseNetwork(cells[0]!);
    return network
      ? { family: network.family, first: network.first, last: network.last, country }
      : `"${cells[0]}" is no network such as 198.18.0.0/20`;
  }
  const [first, last] = [parseAddress(cells[0]!), parseAddress(cells[1]!)];
  if (!first || !last) return `"${first ? cells[1] : cells[0]}" is no address`;
  if (first.family !== last.family) return 'start and end are of different families';
  if (last.value < first.value) return `the end ${cells[1]} is before the start ${cells[0]}`;
  return { family: first.family, first: first.value, last: last.value, country };
}

/**
 * Builds a table whose look-up answers with the smallest range that contains the address; at equal size the later row.
 * Method: ranges are cut into disjoint pieces by one sweep per family, so that a look-up is one binary search.
 * Rejected: sorting by start and walking back, which is slow where one wide range holds thousands of narrow ones.
 */
export function createCountryTable(ranges: readonly CountryRange[]): CountryTable {
  const pieces = { 4: cutIntoPieces(ranges, 4), 6: cutIntoPieces(ranges, 6) };
  return {
    numRanges: ranges.length,
    find(address) {
      const { starts, owners } = pieces[address.family];
      const after = upperBound(starts, toKey(address.family, address.value));
      const range = after === 0 ? undefined : owners[after - 1];
      if (range !== undefined) return { country: range.country, range };
      return { country: INTERNAL_NETWORKS.some((network) => isInRange(network, address)) ? INTERNAL : NO_COUNTRY };
    },
  };
}

interface Pieces {
  /** First address of each piece, ascending; a piece ends where the next begins. */
  readonly starts: readonly Key[];
  /** The range that owns each piece, or undefined for a gap. */
  readonly owners: readonly (CountryRange | undefined)[];
}

function cutIntoPieces(ranges: readonly CountryRange[], family: 4 | 6): Pieces {
  const ofFamily = ranges.filter((range) => range.family === family);
  const rank = new Map(ofFamily.map((range, index) => [range, index]));
  const isBetter = (a: CountryRange, b: CountryRange): boolean => {
    const difference = a.last - a.first - (b.last - b.first);
    return difference < 0n || (difference === 0n && rank.get(a)! > rank.get(b)!);
  };
  const byStart = [...ofFamily].sort((a, b) => (a.first < b.first ? -1 : a.first > b.first ? 1 : 0));
  const edges = [...new Set(ofFamily.flatMap((range) => [range.first, range.last + 1n]))].sort((a, b) =>
    a < b ? -1 : 1,
  );
  const starts: Key[] = [];
  const owners: (CountryRange | undefined)[] = [];
  let open: CountryRange[] = [];
  let next = 0;
  for (const edge of edges) {
    open = open.filter((range) => range.last >= edge);
    for (; next < byStart.length && byStart[next]!.first === edge; next += 1) open.push(byStart[next]!);
    const owner = open.reduce<CountryRange | undefined>(
      (best, range) => (best && !isBetter(range, best) ? best : range),
      undefined,
    );
    if (owners.length > 0 && owners.at(-1) === owner) continue;
    starts.push(toKey(family, edge));
    owners.push(owner);
  }
  return { starts, owners };
}

/** The row that decided, in words: `198.18.32.0/20 is NO`. */
export function describeCountryAnswer({ country, range }: CountryAnswer): string {
  if (range) return `${formatRange(range)} is ${country}`;
  return country === INTERNAL ? 'a private or local address, in no country' : 'no range of the country table holds it';
}
