import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { formatAddress, isInRange, parseAddress, Address, type AddressRange } from '../request/address.js';
import { isBelowDomain } from '../request/host.js';
import { createAddressSet } from './address-set.js';
import { parseCountryRows } from './country-rows.js';
import { createCountryTable, type CountryRange } from './country-table.js';
import { createDomainSet, type DomainEntry, type Reach } from './domain-set.js';

/** Small worlds, so that ranges overlap, nest and touch all the time. */
const point = fc.bigInt(0n, 40n);
const family = fc.constantFrom<4 | 6>(4, 6);
const range: fc.Arbitrary<AddressRange> = fc
  .record({ family, ends: fc.tuple(point, point) })
  .map(({ family: which, ends: [a, b] }) => ({ family: which, first: a < b ? a : b, last: a < b ? b : a }));
const address = fc.tuple(family, point).map(([which, value]) => Address.ofValue(which, value));

describe('an address set', () => {
  it('finds what a look at every range finds, the narrowest first', () => {
    fc.assert(
      fc.property(fc.array(range, { maxLength: 12 }), address, (ranges, requested) => {
        const holding = ranges.filter((addressRange) => isInRange(addressRange, requested));
        const narrowest = holding.reduce<bigint | undefined>(
          (size, addressRange) =>
            size === undefined || addressRange.last - addressRange.first < size
              ? addressRange.last - addressRange.first
              : size,
          undefined,
        );
        const item = createAddressSet(ranges).find(requested);
        expect(item && item.last - item.first).toBe(narrowest);
        if (item) expect(holding).toContain(item);
      }),
    );
  });
});

describe('a country table', () => {
  const rows = fc.array(
    fc.tuple(range, fc.constantFrom('NO', 'SE', 'DK')).map(([one, country]): CountryRange => ({ ...one, country })),
    { maxLength: 12 },
  );

  it('answers with the smallest range that holds the address, at equal size the later row', () => {
    fc.assert(
      fc.property(rows, address, (ranges, requested) => {
        const slow = ranges
          .filter((countryRange) => isInRange(countryRange, requested))
          .reduce<CountryRange | undefined>(
            (best, countryRange) =>
              best === undefined || countryRange.last - countryRange.first <= best.last - best.first
                ? countryRange
                : best,
            undefined,
          );
        expect(createCountryTable(ranges).find(requested).range).toEqual(slow);
      }),
      { numRuns: 300 },
    );
  });

  it('distinguishes private and local addresses from those of no country, unless a row holds them', () => {
    const table = createCountryTable(parseCountryRows('10.9.0.0/16,NO\n198.18.0.0/16,SE').ranges);
    const countryOf = (text: string): string => table.find(parseAddress(text)!).country;
    expect(
      [
        '10.9.1.1',
        '10.1.1.1',
        '100.64.0.1',
        '127.0.0.1',
        '::1',
        'fd00::1',
        'fe80::1',
        '198.18.0.1',
        '203.0.113.1',
        '2001:db8::1',
      ].map(countryOf),
    ).toEqual([
      'NO',
      'internal',
      'internal',
      'internal',
      'internal',
      'internal',
      'internal',
      'SE',
      'no-country',
      'no-country',
    ]);
  });

  it('is read from CSV in both shapes, and names every row that cannot be used', () => {
    const { ranges, problems } = parseCountryRows(
      'start,end,country\r\n"198.18.0.0","198.18.0.255","NO"\n2001:db8::/32,SE\n\n198.18.9.0,198.18.8.0,NO\n198.18.0.0,2001:db8::,NO\nx,198.18.0.1,NO\n198.18.0.0/33,NO\n198.18.0.0/16,Norway\n198.18.0.0\n',
    );
    expect(ranges.map((row) => `${formatAddress({ family: row.family, value: row.first })} ${row.country}`)).toEqual([
      '198.18.0.0 NO',
      '2001:db8:: SE',
    ]);
    expect(problems.map(({ line, message }) => `${line}: ${message}`)).toEqual([
      '5: the end 198.18.8.0 is before the start 198.18.9.0',
      '6: start and end are of different families',
      '7: "x" is no address',
      '8: "198.18.0.0/33" is no network such as 198.18.0.0/20',
      '9: expected a country code of two capital letters, found "Norway"',
      '10: expected "start,end,CC" or "cidr,CC", found 1 column(s)',
    ]);
  });
});

describe('a domain set', () => {
  const label = fc.constantFrom('a', 'b', 'c');
  const name = fc.array(label, { minLength: 1, maxLength: 4 }).map((labels) => labels.join('.'));
  const entry: fc.Arbitrary<DomainEntry> = fc.record({ name, reach: fc.constantFrom<Reach>('whole', 'below', 'only') });
  const covers = ({ name: domain, reach }: DomainEntry, host: string): boolean =>
    host === domain ? reach !== 'below' : reach !== 'only' && isBelowDomain(host, domain);

  it('finds what a look at every entry finds, the longest name first', () => {
    fc.assert(
      fc.property(fc.array(entry, { maxLength: 8 }), name, (entries, host) => {
        const longest = entries
          .filter((domainEntry) => covers(domainEntry, host))
          .reduce((length, domainEntry) => Math.max(length, domainEntry.name.length), -1);
        const item = createDomainSet(entries).find(host);
        expect(item ? item.name.length : -1).toBe(longest);
        if (item) expect(covers(item, host)).toBe(true);
      }),
    );
  });

  it('holds an address only as a whole', () => {
    const set = createDomainSet([
      { name: '4.7', reach: 'whole' },
      { name: '198.18.4.7', reach: 'whole' },
    ]);
    expect([set.find('198.18.4.7')?.name, set.find('198.18.5.4.7'), set.find('9.8.4.7')]).toEqual([
      '198.18.4.7',
      { name: '4.7', reach: 'whole' },
      undefined,
    ]);
  });
});
