import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DamagedTableError } from '../binary/damaged.js';
import { Address, formatRange, parseAddress, parseNetwork } from '../request/address.js';
import { parseCountryRows } from './country-rows.js';
import { createCountryTable, describeCountryAnswer, encodeCountryTable, measureCountryTable } from './country-table.js';

const rangesOf = (text: string) => parseCountryRows(text).ranges;
const networkOf = (text: string) => {
  const { family, first, last } = parseNetwork(text)!;
  return { family, first, last };
};

describe('a stored country table', () => {
  const value4 = fc.bigInt(0n, (1n << 32n) - 1n);
  const value6 = fc.bigInt(0n, (1n << 128n) - 1n);
  const ends = fc.oneof(
    fc.record({ family: fc.constant<4>(4), ends: fc.tuple(value4, value4) }),
    fc.record({ family: fc.constant<6>(6), ends: fc.tuple(value6, value6) }),
    // Whole families and their ends, where an end runs over.
    fc.record({ family: fc.constant<4>(4), ends: fc.constant<[bigint, bigint]>([0n, (1n << 32n) - 1n]) }),
    fc.record({ family: fc.constant<6>(6), ends: fc.constant<[bigint, bigint]>([1n, (1n << 128n) - 1n]) }),
  );
  const row = fc.record({ ends, country: fc.constantFrom('NO', 'SE', 'AA', 'ZZ') }).map(({ ends: one, country }) => {
    const [a, b] = one.ends;
    return { family: one.family, first: a < b ? a : b, last: a < b ? b : a, country };
  });

  it('answers from the whole width of both families as its rows do', () => {
    fc.assert(
      fc.property(fc.array(row, { maxLength: 12 }), fc.nat(), fc.boolean(), (ranges, pick, isLast) => {
        const table = createCountryTable(encodeCountryTable(ranges));
        const around = ranges.length > 0 ? ranges[pick % ranges.length]! : undefined;
        const requested = around
          ? Address.ofValue(around.family, isLast ? around.last : around.first)
          : Address.ofIpv4(pick);
        const holding = ranges.filter(
          ({ family, first, last }) =>
            family === requested.family && first <= requested.value && requested.value <= last,
        );
        const slow = holding.reduce<(typeof ranges)[number] | undefined>(
          (best, item) => (!best || item.last - item.first <= best.last - best.first ? item : best),
          undefined,
        );
        const countryAnswer = table.find(requested);
        expect(countryAnswer.range).toEqual(slow);
        expect(table.countryOf(requested)).toBe(countryAnswer.country);
      }),
      { numRuns: 300 },
    );
  });

  it('finds a country by every spelling of an address', () => {
    const table = createCountryTable(rangesOf('198.18.0.0/16,NO\n2001:db8::/32,SE'));
    const spellings = ['198.18.0.7', '198.18.0.7:443', '::ffff:198.18.0.7', '::ffff:c612:7', '[2001:db8::1]:80'];
    expect(
      [...spellings, '2001:db8::1%eth0', '10.0.0.1', '203.0.113.1'].map((text) => table.countryOf(parseAddress(text)!)),
    ).toEqual(['NO', 'NO', 'NO', 'NO', 'SE', 'SE', 'internal', 'no-country']);
  });

  it('lets corrections beat it, the narrowest first, and returns the row that decided', () => {
    const table = createCountryTable(rangesOf('198.18.0.0/16,NO'), {
      source: 'table.csv',
      corrections: [
        { ...networkOf('198.18.4.0/24'), country: 'SE' },
        { ...networkOf('198.18.4.9/32'), country: 'no-country' },
      ],
    });
    const say = (text: string): string => describeCountryAnswer(table.find(parseAddress(text)!));
    expect(['198.18.4.7', '198.18.4.9', '198.18.5.1', '203.0.113.1'].map(say)).toEqual([
      '198.18.4.0/24 is SE by a correction',
      '198.18.4.9 is no-country by a correction',
      '198.18.0.0/16 is NO in table.csv',
      'no range of the country table holds it',
    ]);
    expect(table.countryOf(parseAddress('198.18.4.9')!)).toBe('no-country');
  });

  it('counts an address once, for the row that decides about it', () => {
    const buffer = encodeCountryTable(
      rangesOf('198.18.0.0/24,NO\n198.18.0.128/25,SE\n198.18.0.0/25,NO\n2001:db8::/32,SE'),
    );
    expect(measureCountryTable(buffer)).toEqual([
      { country: 'NO', numRanges: 2, addresses4: '128', addresses6: '0' },
      { country: 'SE', numRanges: 2, addresses4: '128', addresses6: String(1n << 96n) },
    ]);
  });

  it('is refused if its bytes are damaged, with the reason', () => {
    const buffer = encodeCountryTable(rangesOf('198.18.0.0/24,NO')) as ArrayBuffer;
    const damage = (at: number, length = buffer.byteLength): ArrayBuffer => {
      const bytes = new Uint8Array(buffer.slice(0, length));
      if (at >= 0) bytes[at]! ^= 1;
      return bytes.buffer;
    };
    const refusal = (bytes: ArrayBuffer): string => {
      try {
        createCountryTable(bytes);
        return 'accepted';
      } catch (error) {
        expect(error).toBeInstanceOf(DamagedTableError);
        return (error as Error).message;
      }
    };
    expect([damage(0), damage(4), damage(buffer.byteLength - 1), damage(-1, 8)].map(refusal)).toEqual([
      'the bytes do not begin as a table of ranges',
      'the table of ranges has version 0, expected 1',
      'the checksum of the table of ranges does not fit its bytes',
      'the bytes are too few for a table of ranges',
    ]);
  });
});

describe('rows of a country table', () => {
  it('may be statistics of the registries, of which only what is given out counts', () => {
    const { ranges, problems } = parseCountryRows(
      [
        '2|registry|20260101|4|19830101|20260101|+0100',
        'registry|*|ipv4|*|2|summary',
        'registry|NO|ipv4|198.18.0.0|768|20200101|allocated|x',
        'registry|SE|ipv6|2001:db8::|32|20200101|assigned',
        'registry|SE|asn|64500|1|20200101|assigned',
        'registry||ipv4|198.18.128.0|256||available',
        'registry|SE|ipv4|198.18.9.0|x|20200101|allocated',
        'registry|SE|ipv4|255.255.255.0|512|20200101|allocated',
        'registry|SE|ipv4|2001:db8::|512|20200101|allocated',
        'registry|sweden|ipv4|198.18.0.0|512|20200101|allocated',
        'registry|SE|ipv6|2001:db8::|129|20200101|assigned',
        'registry|SE|other|2001:db8::|129|20200101|assigned',
      ].join('\n'),
    );
    expect(ranges.map((range) => `${formatRange(range)} ${range.country}`)).toEqual([
      '198.18.0.0 - 198.18.2.255 NO',
      '2001:db8::/32 SE',
    ]);
    expect(problems.map(({ line, message }) => `${line}: ${message}`)).toEqual([
      '7: expected a number of addresses or a prefix length, found "x"',
      '8: 512 addresses from 255.255.255.0 on are more than there are',
      '9: "2001:db8::" is no ipv4 address',
      '10: expected a country code of two capital letters, found "sweden"',
      '11: "129" is no prefix length of IPv6',
      '12: expected "registry|cc|type|start|value|date|status" with the type ipv4, ipv6 or asn',
    ]);
  });

  it('that overlap between countries are reported and used; unassigned codes are refused, those left to users are not', () => {
    const { ranges, problems } = parseCountryRows(
      '198.18.0.0/16,NO\n198.18.1.0/24,SE\n198.18.2.0/24,NO\n198.18.1.255,198.18.3.0,DK\n203.0.113.0/24,XK\n203.0.113.0/24,QQ\n192.0.2.0/24,JJ',
    );
    expect(ranges).toHaveLength(6);
    expect(problems.map(({ line, message, isUsed }) => `${line}: ${message} ${isUsed}`)).toEqual([
      '7: "JJ" is no country code of ISO 3166-1 false',
      '2: 198.18.1.0/24 is SE and overlaps 198.18.0.0/16 (line 1), which is NO; the narrower range decides true',
      '4: 198.18.1.255 - 198.18.3.0 is DK and overlaps 198.18.0.0/16 (line 1), which is NO; the narrower range decides true',
      '6: 203.0.113.0/24 is QQ and overlaps 203.0.113.0/24 (line 5), which is XK; the later row decides true',
    ]);
  });

  it('that all overlap are reported, however many there are', () => {
    const rows = Array.from({ length: 130_000 }, (_, nth) => `198.18.${nth % 256}.0/24,SE`);
    expect(parseCountryRows(['198.18.0.0/15,NO', ...rows].join('\n')).problems).toHaveLength(rows.length);
  });
});
