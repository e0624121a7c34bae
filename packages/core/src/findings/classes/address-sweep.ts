/**
 * Addresses, one of each class that ranges and countries distinguish: all ends of ranges are gone through in their order, and
 * an address is kept where what holds it was not seen before. To describe each end by itself takes seconds where lists
 * are long.
 */
import { isListName, listNamed } from '../../check/members.js';
import type { Value } from '../../language/tree.js';
import type { CountryTable } from '../../reference/country-table.js';
import { Address, FAMILY_BITS, formatAddress, type Family } from '../../request/address.js';
import type { Atom } from './recording-partitions.js';
import type { Lists } from './values.js';

/** Ranges that hold an address together: those of a list, of its exceptions, or of one comparison. */
export interface RangeOwner {
  /** The same key has the same ranges. */
  readonly key: string | object;
  readonly values: readonly Value[];
}

/** What the comparisons of an axis name, each list and its exceptions by themselves. */
export function rangeOwnersOf(comparisons: readonly Atom['comparison'][], lists: Lists): RangeOwner[] {
  const owners: RangeOwner[] = [];
  const seen = new Set<string>();
  const collect = (key: string | object, values: readonly Value[]): void => {
    owners.push({ key, values });
    for (const value of values) {
      if (!isListName(value, lists) || seen.has(value.name)) continue;
      seen.add(value.name);
      const { source } = listNamed(lists, value.name);
      collect(`list ${value.name}`, source.entries);
      collect(`except ${value.name}`, source.exceptions);
    }
  };
  for (const comparison of comparisons) collect(comparison, comparison.values);
  return owners.filter(({ values }) => values.some(({ kind }) => kind === 'addresses'));
}

export type Position = number | bigint;

/** An end of a range of one owner: where it begins, or the first behind it. */
interface RangeEnd {
  readonly at: Position;
  readonly owner: number;
  readonly step: 1 | -1;
}

/** Where the country of addresses changes, ascending from 0, and the country from there on. */
interface CountrySegments {
  readonly firsts: readonly Position[];
  readonly countries: readonly string[];
}

const EVERYWHERE: CountrySegments = { firsts: [0], countries: [''] };
const FAMILIES = [4, 6] as const;

/** Of one review: the same ranges are gone through once. */
export class AddressSweep {
  readonly #found = new Map<string, readonly string[]>();
  readonly #numbers = new Map<string | object, number>();

  constructor(private readonly countries: CountryTable | undefined) {}

  /** An address, as text, of each class but those that only \`0.0.0.0\` or \`::\` begins. */
  addressesOf(owners: readonly RangeOwner[], usesCountry: boolean): readonly string[] {
    const memo = `${usesCountry} ${owners.map(({ key }) => this.#numberOf(key)).join(' ')}`;
    let found = this.#found.get(memo);
    if (!found) {
      const segments = usesCountry && this.countries ? segmentsOf(this.countries) : undefined;
      found = FAMILIES.flatMap((family) => sweep(family, endsOf(owners, family), segments?.[family] ?? EVERYWHERE));
      this.#found.set(memo, found);
    }
    return found;
  }

  #numberOf(key: string | object): number {
    let number = this.#numbers.get(key);
    if (number === undefined) this.#numbers.set(key, (number = this.#numbers.size));
    return number;
  }
}

function endsOf(owners: readonly RangeOwner[], family: Family): RangeEnd[] {
  const ends: RangeEnd[] = [];
  owners.forEach(({ values }, owner) => {
    for (const value of values) {
      if (value.kind !== 'addresses' || value.range.family !== family) continue;
      const { first, last } = value.range;
      ends.push({ at: positionOf(family, first), owner, step: 1 });
      ends.push({ at: positionOf(family, last + 1n), owner, step: -1 });
    }
  });
  return ends.sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0));
}

function sweep(family: Family, ends: readonly RangeEnd[], { firsts, countries }: CountrySegments): string[] {
  const found: string[] = [];
  const seen = new Set<string>();
  const limit = positionOf(family, 1n << BigInt(FAMILY_BITS[family]));
  const open = new Map<number, number>();
  let held = '';
  for (let next = 0, segment = -1; next < ends.length || segment + 1 < firsts.length;) {
    const end = ends[next]?.at ?? limit;
    const border = firsts[segment + 1] ?? limit;
    const at = end < border ? end : border;
    if (at >= limit) break;
    if (border <= at) segment += 1;
    if (end <= at) {
      for (; next < ends.length && ends[next]!.at === at; next += 1) note(open, ends[next]!);
      held = [...open.keys()].sort((a, b) => a - b).join(' ');
    }
    const key = `${held} ${countries[segment]!}`;
    // The first of all addresses is the worst example.
    if (seen.has(key) || BigInt(at) === 0n) continue;
    seen.add(key);
    found.push(formatAddress({ family, value: BigInt(at) }));
  }
  return found;
}

function note(open: Map<number, number>, { owner, step }: RangeEnd): void {
  const count = (open.get(owner) ?? 0) + step;
  if (count > 0) open.set(owner, count);
  else open.delete(owner);
}

/** IPv4 as ordinary numbers, which compare faster. */
export function positionOf(family: Family, value: bigint): Position {
  return family === 4 ? Number(value) : value;
}

const segmentsByTable = new WeakMap<CountryTable, Readonly<Record<Family, CountrySegments>>>();

function segmentsOf(countries: CountryTable): Readonly<Record<Family, CountrySegments>> {
  let segments = segmentsByTable.get(countries);
  if (!segments) {
    const positions: Record<Family, Position[]> = { 4: [0], 6: [0n] };
    for (const { family, first, last } of countries.ranges())
      positions[family].push(positionOf(family, first), positionOf(family, last + 1n));
    segments = { 4: toSegments(countries, 4, positions[4]), 6: toSegments(countries, 6, positions[6]) };
    segmentsByTable.set(countries, segments);
  }
  return segments;
}

function toSegments(table: CountryTable, family: Family, positions: readonly Position[]): CountrySegments {
  const limit = positionOf(family, 1n << BigInt(FAMILY_BITS[family]));
  const sorted = positions.filter((at) => at < limit).sort((a, b) => (a < b ? -1 : a > b ? 1 : 0));
  const firsts: Position[] = [];
  const countries: string[] = [];
  for (const at of sorted) {
    if (at === firsts.at(-1)) continue;
    const country = table.countryOf(Address.ofValue(family, BigInt(at)));
    if (country === countries.at(-1)) continue;
    firsts.push(at);
    countries.push(country);
  }
  return { firsts, countries };
}
