import ipaddr from 'ipaddr.js';

/** An IPv4 or IPv6 address. IPv4-mapped IPv6 addresses are IPv4; zones, ports and brackets are gone. */
export interface Address {
  readonly family: Family;
  /** The address as an unsigned number: below 2^32 for IPv4, below 2^128 for IPv6. */
  readonly value: bigint;
}

export type Family = 4 | 6;

/** All addresses of one family from `first` to `last`, both included. */
export interface AddressRange {
  readonly family: Family;
  readonly first: bigint;
  readonly last: bigint;
}

/** A network as written: its range, and whether bits beyond the prefix were set in the text. */
export interface Network extends AddressRange {
  readonly prefixBits: number;
  readonly hadHostBits: boolean;
}

export const FAMILY_BITS = { 4: 32, 6: 128 } as const;
const MAPPED_FIRST = 0xffff_0000_0000n;
const MAPPED_LAST = 0xffff_ffff_ffffn;

/**
 * Reads an address in any of the spellings found in logs: `198.18.4.7`, `198.18.4.7:443`, `2001:db8::7`,
 * `[2001:db8::7]:443`, `fe80::7%eth0`. IPv4 is four decimals without leading zeros.
 * @returns undefined when the text is no address.
 */
export function parseAddress(text: string): Address | undefined {
  const colon = text.indexOf(':');
  if (colon < 0) return fromIpv4(parseIpv4(text));
  if (text.startsWith('[')) {
    const close = text.indexOf(']');
    if (close < 0 || !isPortSuffix(text.slice(close + 1))) return undefined;
    return parseIpv6(text.slice(1, close));
  }
  if (colon === text.lastIndexOf(':') && text.indexOf('.') < colon && text.includes('.')) {
    return isPortSuffix(text.slice(colon)) ? fromIpv4(parseIpv4(text.slice(0, colon))) : undefined;
  }
  return parseIpv6(text);
}

function isPortSuffix(text: string): boolean {
  return text === '' || /^:\d{1,5}$/.test(text);
}

function fromIpv4(value: number | undefined): Address | undefined {
  return value === undefined ? undefined : { family: 4, value: BigInt(value) };
}

/** @returns the address as an unsigned 32-bit number, or undefined when the text is not four plain decimals. */
function parseIpv4(text: string): number | undefined {
  if (text.length < 7 || text.length > 15) return undefined;
  let value = 0;
  let octet = -1;
  let dots = 0;
  for (let index = 0; index < text.length; index += 1) {
    const code = text.charCodeAt(index);
    if (code === 0x2e) {
      if (octet < 0) return undefined;
      value = value * 256 + octet;
      octet = -1;
      dots += 1;
    } else {
      const digit = code - 0x30;
      if (digit < 0 || digit > 9 || octet === 0) return undefined;
      octet = octet < 0 ? digit : octet * 10 + digit;
      if (octet > 255) return undefined;
    }
  }
  return dots === 3 && octet >= 0 ? value * 256 + octet : undefined;
}

function parseIpv6(text: string): Address | undefined {
  const zone = text.indexOf('%');
  let digits = zone < 0 ? text : text.slice(0, zone);
  const dot = digits.indexOf('.');
  if (dot >= 0) {
    // The library reads octal in the dotted tail; ours are four plain decimals everywhere.
    const start = digits.lastIndexOf(':') + 1;
    const tail = parseIpv4(digits.slice(start));
    if (tail === undefined) return undefined;
    digits = `${digits.slice(0, start)}${(tail >>> 16).toString(16)}:${(tail & 0xffff).toString(16)}`;
  }
  if (!/^[0-9a-fA-F:]{2,39}$/.test(digits) || !ipaddr.IPv6.isValid(digits)) return undefined;
  const value = ipaddr.IPv6.parse(digits).parts.reduce((sum, part) => (sum << 16n) | BigInt(part), 0n);
  return unmap({ family: 6, value });
}

function unmap(address: Address): Address {
  if (address.value < MAPPED_FIRST || address.value > MAPPED_LAST) return address;
  return { family: 4, value: address.value - MAPPED_FIRST };
}

/** The address as text: dotted decimals, or IPv6 in the form of RFC 5952. */
export function formatAddress({ family, value }: Address): string {
  if (family === 4) {
    const bits = Number(value);
    return `${bits >>> 24}.${(bits >>> 16) & 255}.${(bits >>> 8) & 255}.${bits & 255}`;
  }
  const parts = Array.from({ length: 8 }, (_, index) => Number((value >> BigInt(112 - 16 * index)) & 0xffffn));
  return new ipaddr.IPv6(parts).toRFC5952String();
}

/**
 * Reads `ADDRESS/PREFIX` (RFC 4632 and its IPv6 counterpart), clearing host bits. A network inside the IPv4-mapped
 * block is the IPv4 network.
 * @returns undefined when the text is no network.
 */
export function parseNetwork(text: string): Network | undefined {
  const slash = text.indexOf('/');
  const length = text.slice(slash + 1);
  const written = slash < 0 ? undefined : parseAddress(text.slice(0, slash));
  if (written === undefined || !/^(0|[1-9]\d{0,2})$/.test(length)) return undefined;
  const writtenAsMapped = written.family === 4 && text.includes(':');
  const prefixBits = Number(length) - (writtenAsMapped ? 96 : 0);
  if (prefixBits > FAMILY_BITS[written.family] || prefixBits < 0) return undefined;
  const hostMask = (1n << BigInt(FAMILY_BITS[written.family] - prefixBits)) - 1n;
  const hostBits = written.value & hostMask;
  const first = written.value - hostBits;
  return { family: written.family, first, last: first + hostMask, prefixBits, hadHostBits: hostBits !== 0n };
}

/** The range as its shortest text: one address, a network where it is one, else `first - last`. */
export function formatRange({ family, first, last }: AddressRange): string {
  const from = formatAddress({ family, value: first });
  if (first === last) return from;
  const size = last - first + 1n;
  const isNetwork = (size & (size - 1n)) === 0n && first % size === 0n;
  if (isNetwork) return `${from}/${FAMILY_BITS[family] - (size.toString(2).length - 1)}`;
  return `${from} - ${formatAddress({ family, value: last })}`;
}

export function isInRange(range: AddressRange, address: Address): boolean {
  return range.family === address.family && range.first <= address.value && address.value <= range.last;
}
