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

function fromIpv4(bits: number | undefined): Address | undefined {
  return bits === undefined ? undefined : { family: 4, value: BigInt(bits >>> 0) };
}

/**
 * @returns the bits of the address as a signed 32-bit number, which engines pass on without an allocation, or undefined
 * when the text is not four plain decimals
 */
export function parseIpv4(text: string): number | undefined {
  const { length } = text;
  if (length < 7 || length > 15) return undefined;
  let value = 0;
  // -1 before the first digit of an octet.
  let octet = -1;
  let dots = 0;
  for (let at = 0; at < length; at += 1) {
    const digit = text.charCodeAt(at) - 0x30;
    if (digit >= 0 && digit <= 9) {
      if (octet === 0) return undefined;
      octet = octet < 0 ? digit : octet * 10 + digit;
      if (octet > 255) return undefined;
    } else {
      if (digit !== -2 || octet < 0) return undefined;
      value = (value << 8) | octet;
      octet = -1;
      dots += 1;
    }
  }
  return dots === 3 && octet >= 0 ? (value << 8) | octet : undefined;
}

const words = new Uint32Array(4);

function parseIpv6(text: string): Address | undefined {
  const zone = text.indexOf('%');
  if (!parseIpv6Words(zone < 0 ? text : text.slice(0, zone), words)) return undefined;
  if (words[0] === 0 && words[1] === 0 && words[2] === 0xffff) return fromIpv4(words[3]);
  return { family: 6, value: fromWords(words[0]!, words[1]!, words[2]!, words[3]!) };
}

export function fromWords(w0: number, w1: number, w2: number, w3: number): bigint {
  return (BigInt(w0) << 96n) | (BigInt(w1) << 64n) | (BigInt(w2) << 32n) | BigInt(w3);
}

const HEX_DIGITS = Int8Array.from({ length: 256 }, (_, code) =>
  code < 128 ? '0123456789abcdef'.indexOf(String.fromCharCode(code).toLowerCase()) : -1,
);
const COLON = 0x3a;

/**
 * Reads the text of an IPv6 address (RFC 4291, 2.2), its last two groups as four decimals where they are so, into four
 * words of 32 bits. Method: one pass, writing groups as they come; those behind `::` are then moved to the end.
 * @returns false where the text is no such address; the words are then undefined
 */
export function parseIpv6Words(text: string, into: Uint32Array): boolean {
  const { length } = text;
  if (length < 2 || length > 45) return false;
  let count = 0;
  let gap = -1;
  let at = 0;
  // The group before, of which a word is made when the next is read.
  let high = 0;
  if (text.charCodeAt(0) === COLON) {
    if (text.charCodeAt(1) !== COLON) return false;
    gap = 0;
    at = 2;
  }
  while (at < length) {
    if (count === 8) return false;
    const start = at;
    let value = 0;
    let code = 0;
    for (; at < length; at += 1) {
      code = text.charCodeAt(at);
      // Beyond 255 there is nothing in the table, which is no digit either.
      const digit = HEX_DIGITS[code] ?? -1;
      if (digit < 0) break;
      value = (value << 4) | digit;
    }
    if (at === start || at - start > 4) return false;
    if (at < length && code === 0x2e) {
      const tail = count > 6 ? undefined : parseIpv4(text.slice(start));
      if (tail === undefined) return false;
      // Two groups; an odd one before them is completed by the first.
      if (count & 1) into[count >> 1] = (high << 16) | (tail >>> 16);
      into[(count + 1) >> 1] = count & 1 ? tail << 16 : tail;
      count += 2;
      break;
    }
    if (count & 1) into[count >> 1] = (high << 16) | value;
    else {
      high = value;
      into[count >> 1] = value << 16;
    }
    count += 1;
    if (at === length) break;
    if (code !== COLON || at + 1 === length) return false;
    at += 1;
    if (text.charCodeAt(at) === COLON) {
      if (gap >= 0) return false;
      gap = count;
      at += 1;
    }
  }
  if (gap < 0) return count === 8;
  if (count === 8) return false;
  openGap(into, count, gap);
  return true;
}

/** Moves the groups from `gap` on to the end, the last first, and leaves zeros where they were. */
function openGap(into: Uint32Array, count: number, gap: number): void {
  for (let word = (count + 1) >> 1; word < 4; word += 1) into[word] = 0;
  const distance = 8 - count;
  for (let from = count - 1; from >= gap; from -= 1) {
    const word = from >> 1;
    const group = from & 1 ? into[word]! & 0xffff : into[word]! >>> 16;
    into[word] = from & 1 ? into[word]! & 0xffff_0000 : into[word]! & 0xffff;
    const to = from + distance;
    into[to >> 1] = to & 1 ? into[to >> 1]! | group : into[to >> 1]! | (group << 16);
  }
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
