import { formatRange, parseNetwork, type Address, type AddressRange } from '../request/address.js';
import { createRangeTable, RangeTable, type RangeRow } from './range-table.js';

/** An ISO 3166-1 code, or one of the two values for addresses that belong to no country. */
export type Country = string;
export const NO_COUNTRY = 'no-country';
export const INTERNAL = 'internal';

/** One row of a country table. */
export interface CountryRange extends AddressRange {
  readonly country: Country;
}

/** What a lookup found: the country, and the row that decided, if any. */
export interface CountryAnswer {
  readonly country: Country;
  readonly range?: CountryRange;
  /** A correction decided, not the table. */
  readonly isCorrected: boolean;
  /** What the table is called. */
  readonly source?: string;
}

/** What a table holds of one country. An address counts for the row that decides about it. */
export interface CountryShare {
  readonly country: Country;
  readonly numRanges: number;
  /** Decimal, since there are more of IPv6 than a number can hold. */
  readonly addresses4: string;
  readonly addresses6: string;
}

export interface CountryTable {
  readonly numRanges: number;
  /** Addresses never are unknown to a table: outside every row they are `internal` or `no-country`. */
  find(address: Address): CountryAnswer;
  /** The country without evidence, which is much faster. */
  countryOf(address: Address): Country;
  /** Every range that decides about some addresses: those of corrections, of the table, and of internal networks. */
  ranges(): Iterable<AddressRange>;
}

/** Loopback, link-local, private, shared and unique-local networks (RFC 6890, RFC 4193). */
export const INTERNAL_NETWORKS: readonly AddressRange[] = [
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

const CODE_A = 0x41;
const LETTERS = 26;
/** Codes above those of two letters. */
const SPECIAL = [NO_COUNTRY, INTERNAL];
const NUM_LETTER_CODES = LETTERS * LETTERS;

function toValue(country: Country): number {
  const special = SPECIAL.indexOf(country);
  if (special >= 0) return NUM_LETTER_CODES + special;
  return (country.charCodeAt(0) - CODE_A) * LETTERS + country.charCodeAt(1) - CODE_A;
}

const COUNTRIES: readonly Country[] = [
  ...Array.from({ length: NUM_LETTER_CODES }, (_, value) =>
    String.fromCharCode(CODE_A + Math.floor(value / LETTERS), CODE_A + (value % LETTERS)),
  ),
  ...SPECIAL,
];

/** The stored form of a country table. */
export function encodeCountryTable(ranges: readonly CountryRange[]): ArrayBufferLike {
  return createRangeTable(ranges.map(toRow)).buffer;
}

function toRow({ family, first, last, country }: CountryRange): RangeRow {
  return { family, first, last, value: toValue(country) };
}

export interface CountryTableOptions {
  /** Apply over the table: the narrowest one that contains an address wins over the table. */
  readonly corrections?: readonly CountryRange[];
  /** What the table is called, for evidence. */
  readonly source?: string;
}

/**
 * A table whose lookup answers with the smallest range that contains the address; at equal size the later row.
 * @param ranges rows, their stored form, which may be shared, or what was read from it. @throws DamagedTableError
 */
export function createCountryTable(
  ranges: readonly CountryRange[] | ArrayBufferLike | RangeTable,
  { corrections = [], source }: CountryTableOptions = {},
): CountryTable {
  const table = openTable(ranges);
  const corrected = corrections.length > 0 ? createRangeTable(corrections.map(toRow)) : undefined;
  const answer = (row: RangeRow, isCorrected: boolean): CountryAnswer => {
    const { value, ...range } = row;
    const country = COUNTRIES[value]!;
    return { country, range: { ...range, country }, isCorrected, ...(source === undefined ? {} : { source }) };
  };
  const find = (address: Address): CountryAnswer => {
    const correction = corrected?.find(address);
    if (correction) return answer(correction, true);
    const row = table.find(address);
    return row ? answer(row, false) : { country: outside(address), isCorrected: false };
  };
  return {
    numRanges: table.numRanges,
    find,
    countryOf(address) {
      const fromCorrection = corrected?.findValue(address) ?? -1;
      const value = fromCorrection >= 0 ? fromCorrection : table.findValue(address);
      return value >= 0 ? COUNTRIES[value]! : outside(address);
    },
    *ranges() {
      yield* INTERNAL_NETWORKS;
      if (corrected) yield* corrected.rows();
      yield* table.rows();
    },
  };
}

function openTable(ranges: readonly CountryRange[] | ArrayBufferLike | RangeTable): RangeTable {
  if (ranges instanceof RangeTable) return ranges;
  if ('byteLength' in ranges) return new RangeTable(ranges);
  return createRangeTable(ranges.map(toRow));
}

const internal = createRangeTable(INTERNAL_NETWORKS.map((network) => ({ ...network, value: 0 })));

function outside(address: Address): Country {
  return internal.findValue(address) >= 0 ? INTERNAL : NO_COUNTRY;
}

/** What the stored form of a table holds, by country, sorted by code. */
export function measureCountryTable(ranges: ArrayBufferLike | RangeTable): CountryShare[] {
  const table = openTable(ranges);
  const numRanges = new Map<number, number>();
  for (const { value } of table.rows()) numRanges.set(value, (numRanges.get(value) ?? 0) + 1);
  const addresses = table.countAddresses();
  return [...numRanges]
    .map(([value, ranges]) => ({
      country: COUNTRIES[value]!,
      numRanges: ranges,
      addresses4: String(addresses.get(value)?.four ?? 0n),
      addresses6: String(addresses.get(value)?.six ?? 0n),
    }))
    .sort((a, b) => (a.country < b.country ? -1 : 1));
}

/** The row that decided, in words: `198.18.32.0/20 is NO`. */
export function describeCountryAnswer({ country, range, isCorrected, source }: CountryAnswer): string {
  if (range && isCorrected) return `${formatRange(range)} is ${country} by a correction`;
  if (range) return `${formatRange(range)} is ${country}${source === undefined ? '' : ` in ${source}`}`;
  return country === INTERNAL ? 'a private or local address, in no country' : 'no range of the country table holds it';
}

/** A number of addresses for people: IPv6 counts are unreadably long, so they are shown as a power of two. */
export function formatAddressCount(digits: string): string {
  const count = BigInt(digits);
  if (count < 1_000_000_000_000n) return Number(count).toLocaleString('en');
  const power = count.toString(2).length - 1;
  return `${count === 1n << BigInt(power) ? '' : '~'}2^${power}`;
}
