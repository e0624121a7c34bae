import fc from 'fast-check';
import ipaddr from 'ipaddr.js';
import { describe, expect, it } from 'vitest';
import { Address, formatAddress, formatRange, parseAddress, parseIpv6Words, parseNetwork } from './address.js';

const show = (text: string): string | undefined => {
  const address = parseAddress(text);
  return address && formatAddress(address);
};

describe('the text of an IPv6 address', () => {
  const group = fc.stringMatching(/^[0-9a-fA-F]{0,5}$/);
  const near = fc.array(fc.oneof(group, fc.constantFrom('', ':', '198.18.4.7', '1.2.3', 'g')), { maxLength: 10 });

  it('is read as a library reads it', () => {
    const words = new Uint32Array(4);
    fc.assert(
      fc.property(
        fc.oneof(
          near.map((parts) => parts.join(':')),
          fc.ipV6(),
        ),
        (text) => {
          // The library reads four decimals behind the last colon as groups.
          const digits = text.replace(/(?<=:)\d+\.\d+\.\d+\.\d+$/, (tail) => {
            const four = show(tail) === tail ? Number(parseAddress(tail)!.value) : undefined;
            return four === undefined ? 'x' : `${(four >>> 16).toString(16)}:${(four & 0xffff).toString(16)}`;
          });
          const isValid = /^[0-9a-fA-F:]{2,39}$/.test(digits) && ipaddr.IPv6.isValid(digits);
          expect(parseIpv6Words(text, words)).toBe(isValid);
          if (!isValid) return;
          const { parts } = ipaddr.IPv6.parse(digits);
          expect([...words]).toEqual([0, 2, 4, 6].map((at) => parts[at]! * 0x10000 + parts[at + 1]!));
        },
      ),
      { numRuns: 2000 },
    );
  });

  it('is written as a library writes it', () => {
    const someZeros = fc.array(fc.oneof(fc.constant(0), fc.integer({ min: 0, max: 0xffff })), {
      minLength: 8,
      maxLength: 8,
    });
    fc.assert(
      fc.property(someZeros, (parts) => {
        const value = parts.reduce((sum, part) => (sum << 16n) | BigInt(part), 0n);
        expect(formatAddress({ family: 6, value })).toBe(new ipaddr.IPv6(parts).toRFC5952String());
      }),
      { numRuns: 2000 },
    );
  });
});

describe('an address', () => {
  it.each([
    ['198.18.4.7', '198.18.4.7'],
    ['198.18.4.7:443', '198.18.4.7'],
    ['2001:DB8:0:0:1:0:0:1', '2001:db8::1:0:0:1'],
    ['[2001:db8::7]:8443', '2001:db8::7'],
    ['[2001:db8::7]', '2001:db8::7'],
    ['fe80::7%eth0', 'fe80::7'],
    ['::ffff:198.18.4.7', '198.18.4.7'],
    ['::ffff:c612:407', '198.18.4.7'],
    ['::', '::'],
  ])('%s is %s', (text, expected) => expect(show(text)).toBe(expected));

  it.each([
    '',
    '198.18.4',
    '198.18.4.07',
    '198.18.4.256',
    '198.18.4.7.1',
    '0x7f.0.0.1',
    '198.18.4.7:x',
    '2001:db8::1::2',
    '[2001:db8::7',
    '2001:db8',
    '::ffff:198.18.04.7',
    'host.example',
    '1.2.3.4, 5.6.7.8',
    ' 198.18.4.7',
  ])('"%s" is none', (text) => expect(parseAddress(text)).toBeUndefined());

  it('survives being written and read again, and keeps the bits of its network', () => {
    const address = fc.oneof(
      fc.bigInt(0n, 2n ** 32n - 1n).map((value) => Address.ofValue(4, value)),
      fc.bigInt(2n ** 48n, 2n ** 128n - 1n).map((value) => Address.ofValue(6, value)),
    );
    fc.assert(
      fc.property(address, fc.nat(32), fc.nat(128), (item, bits4, bits6) => {
        expect(parseAddress(formatAddress(item))).toEqual(item);
        const network = parseNetwork(`${formatAddress(item)}/${item.family === 4 ? bits4 : bits6}`)!;
        expect(item.keepBits(bits4, bits6).value).toBe(network.first);
      }),
    );
  });
});

describe('a network', () => {
  it.each([
    ['198.18.4.7/24', '198.18.4.0/24', true],
    ['198.18.4.0/24', '198.18.4.0/24', false],
    ['0.0.0.0/0', '0.0.0.0/0', false],
    ['2001:db8:4::1/48', '2001:db8:4::/48', true],
    ['::ffff:198.18.0.0/112', '198.18.0.0/16', false],
  ])('%s is %s', (text, expected, hadHostBits) => {
    const network = parseNetwork(text)!;
    expect([formatRange(network), network.hadHostBits]).toEqual([expected, hadHostBits]);
  });

  it.each(['198.18.4.0', '198.18.4.0/33', '198.18.4.0/024', '198.18.4.0/', '2001:db8::/129', '::ffff:198.18.0.0/90'])(
    '"%s" is none',
    (text) => expect(parseNetwork(text)).toBeUndefined(),
  );

  it('that is no power of two is written as a range', () => {
    expect(formatRange({ family: 4, first: 0xc6120000n, last: 0xc6120002n })).toBe('198.18.0.0 - 198.18.0.2');
  });
});
