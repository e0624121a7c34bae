/** Country tables as text: rows `start,end,CC` or `cidr,CC`, and the delegated-extended statistics of the registries. */
import { FAMILY_BITS, formatRange, parseAddress, parseNetwork, type AddressRange } from '../request/address.js';
import type { CountryRange } from './country-table.js';
import { isCountryCode } from './country-codes.js';

/** A row that cannot be used, or one that overlaps another of another country, with its 1-based line. */
export interface CountryRowProblem {
  /** Where there are several files. */
  readonly file?: string;
  readonly line: number;
  readonly message: string;
  /** The row is used; where it overlaps, the narrower range decides. */
  readonly isUsed: boolean;
}

export interface CountryRows {
  readonly ranges: CountryRange[];
  readonly problems: CountryRowProblem[];
}

/** One of several files of rows. */
export interface CountryText {
  /** Absent where it is the only one. */
  readonly file?: string;
  readonly text: string;
}

interface FieldPosition {
  readonly file?: string;
  readonly line: number;
}

/**
 * Reads rows of either shape, also mixed, quoted or not; a header line and `#` comments are allowed.
 * @returns the usable rows in file order, and a problem for every other row and every overlap between countries
 */
export function parseCountryRows(text: string): CountryRows {
  return parseCountryTexts([{ text }]);
}

/** The rows of several files as those of one table, whose later files come later. */
export function parseCountryTexts(texts: readonly CountryText[]): CountryRows {
  const ranges: CountryRange[] = [];
  const places: FieldPosition[] = [];
  const problems: CountryRowProblem[] = [];
  for (const { file, text } of texts) {
    let line = 0;
    for (let start = 0; start < text.length;) {
      const end = text.indexOf('\n', start);
      const row = text.slice(start, end < 0 ? text.length : end).trim();
      start = end < 0 ? text.length : end + 1;
      line += 1;
      if (row === '' || row.startsWith('#')) continue;
      const parsed = row.includes('|') ? parseStatistics(row) : parseCsvRow(row);
      if (parsed === undefined) continue;
      const place = { ...(file === undefined ? {} : { file }), line };
      if (typeof parsed !== 'string') {
        ranges.push(parsed);
        places.push(place);
      } else if (line > 1 || /\d/.test(row)) problems.push({ ...place, message: parsed, isUsed: false });
    }
  }
  return { ranges, problems: problems.concat(findOverlaps(ranges, places)) };
}

function parseCsvRow(row: string): CountryRange | string {
  const cells = row.split(',').map((cell) => cell.trim().replace(/^"(.*)"$/, '$1'));
  const country = cells.at(-1)!;
  if (cells.length < 2 || cells.length > 3)
    return `expected "start,end,CC" or "cidr,CC", found ${cells.length} column(s)`;
  const wrongCode = checkCode(country);
  if (wrongCode) return wrongCode;
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

function checkCode(country: string): string | undefined {
  if (!/^[A-Z]{2}$/.test(country)) return `expected a country code of two capital letters, found "${country}"`;
  return isCountryCode(country) ? undefined : `"${country}" is no country code of ISO 3166-1`;
}

/**
 * A line `registry|cc|type|start|value|date|status...`: value counts addresses of IPv4 and is a prefix length of IPv6.
 * @returns undefined for lines that give no addresses to a country: the version, summaries, numbers of networks, and what
 * is reserved or available
 */
function parseStatistics(row: string): CountryRange | string | undefined {
  const [, country, type, start, value, , status] = row.split('|');
  if (row.endsWith('|summary') || /^[\d.]+\|/.test(row) || type === 'asn') return undefined;
  if (status === 'available' || status === 'reserved') return undefined;
  if ((type !== 'ipv4' && type !== 'ipv6') || start === undefined || value === undefined || country === undefined)
    return 'expected "registry|cc|type|start|value|date|status" with the type ipv4, ipv6 or asn';
  const wrongCode = checkCode(country);
  if (wrongCode) return wrongCode;
  const address = parseAddress(start);
  if (!address || address.family !== (type === 'ipv4' ? 4 : 6)) return `"${start}" is no ${type} address`;
  if (!/^[1-9]\d{0,9}$/.test(value)) return `expected a number of addresses or a prefix length, found "${value}"`;
  if (type === 'ipv6') {
    const network = parseNetwork(`${start}/${value}`);
    return network
      ? { family: 6, first: network.first, last: network.last, country }
      : `"${value}" is no prefix length of IPv6`;
  }
  const last = address.value + BigInt(value) - 1n;
  if (last >= 1n << BigInt(FAMILY_BITS[4])) return `${value} addresses from ${start} on are more than there are`;
  return { family: 4, first: address.value, last, country };
}

/** Where a row overlaps an earlier-starting one of another country; a sweep that remembers the widest end so far. */
function findOverlaps(ranges: readonly CountryRange[], places: readonly FieldPosition[]): CountryRowProblem[] {
  const problems: CountryRowProblem[] = [];
  for (const family of [4, 6] as const) {
    const order = ranges
      .map((_, index) => index)
      .filter((index) => ranges[index]!.family === family)
      .sort((a, b) => compareStarts(ranges[a]!, ranges[b]!) || a - b);
    let widest: number | undefined;
    for (const index of order) {
      const [range, before] = [ranges[index]!, widest === undefined ? undefined : ranges[widest]!];
      if (before && before.last >= range.first && before.country !== range.country) {
        const decides = sizeOf(range) === sizeOf(before) ? 'the later row decides' : 'the narrower range decides';
        problems.push({
          ...places[index]!,
          message: `${formatRange(range)} is ${range.country} and overlaps ${formatRange(before)} (${textOf(places[widest!]!)}), which is ${before.country}; ${decides}`,
          isUsed: true,
        });
      }
      if (!before || range.last > before.last) widest = index;
    }
  }
  return problems;
}

function textOf({ file, line }: FieldPosition): string {
  return `${file === undefined ? '' : `${file} `}line ${line}`;
}

function sizeOf({ first, last }: AddressRange): bigint {
  return last - first;
}

function compareStarts(a: AddressRange, b: AddressRange): number {
  return a.first < b.first ? -1 : a.first > b.first ? 1 : 0;
}
