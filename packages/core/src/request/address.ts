export type Family = 4 | 6;

/**
 * An IPv4 or IPv6 address. IPv4-mapped IPv6 addresses are IPv4; zones, ports and brackets are gone. It is kept as four
 * words of 32 bits, the highest first and each signed, which engines pass on without an allocation; IPv4 has the last.
 */
export class Address {
  private constructor(
    readonly family: Family,
    readonly word0: number,
    readonly word1: number,
    readonly word2: number,
    readonly word3: number,
  ) {}

  /** @param bits of the address, signed or not */
  static ofIpv4(bits: number): Address {
    return new Address(4, 0, 0, 0, bits | 0);
  }

  /** @param words four, the highest first; those of an IPv4-mapped address give the IPv4 address */
  static ofIpv6(words: Uint32Array): Address {
    if (words[0] === 0 && words[1] === 0 && words[2] === 0xffff) return Address.ofIpv4(words[3]!);
    return new Address(6, words[0]! | 0, words[1]! | 0, words[2]! | 0, words[3]! | 0);
  }

  /** @param value as `value` gives it */
  static ofValue(family: Family, value: bigint): Address {
    const word = (shift: bigint): number => Number((value >> shift) & 0xffff_ffffn) | 0;
    return new Address(family, word(96n), word(64n), word(32n), word(0n));
  }

  /** The address as an unsigned number: below 2^32 for IPv4, below 2^128 for IPv6. */
  get value(): bigint {
    if (this.family === 4) return BigInt(this.word3 >>> 0);
    return fromWords(this.word0 >>> 0, this.word1 >>> 0, this.word2 >>> 0, this.word3 >>> 0);
  }

  /** The same as `value`, an ordinary number for IPv4, which compares four times as fast as a big integer. */
  get key(): number | bigint {
    return this.family === 4 ? this.word3 >>> 0 : this.value;
  }

  /** The address with all but its first bits zero. */
  keepBits(bits4: number, bits6: number): Address {
    if (this.family === 4) return Address.ofIpv4(this.word3 & maskOf(bits4));
    return new Address(
      6,
      this.word0 & maskOf(bits6),
      this.word1 & maskOf(bits6 - 32),
      this.word2 & maskOf(bits6 - 64),
      this.word3 & maskOf(bits6 - 96),
    );
  }
}

/** A mask of the first bits of a word, all of them from 32 on and none below one. */
function maskOf(bits: number): number {
  return bits >= 32 ? -1 : bits <= 0 ? 0 : -1 << (32 - bits);
}

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
    // RFC 3986, 3.2.3: the port after the colon may be empty.
    const after = text.slice(close + 1);
    if (close < 0 || (after !== ':' && !isPortSuffix(after))) return undefined;
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
  return bits === undefined ? undefined : Address.ofIpv4(bits);
}

/**
 * @returns the bits of the address as a signed 32-bit number, which engines pass on without an allocation, or undefined
 * when the text is not four plain decimals
 */
export function parseIpv4(text: string): number | undefined {
  const { length } = text;
  if (length < 7 || length > 15) return undefined;
  let value = 0;
  let at = 0;
  for (let dotsLeft = 3; ; dotsLeft -= 1) {
    let octet = text.charCodeAt(at) - ZERO;
    if (octet >>> 0 > 9) return undefined;
    at += 1;
    // At the end there is no digit and no dot.
    let code = at < length ? text.charCodeAt(at) : 0;
    if (code >= ZERO && code <= NINE) {
      if (octet === 0) return undefined;
      octet = octet * 10 + code - ZERO;
      at += 1;
      code = at < length ? text.charCodeAt(at) : 0;
      if (code >= ZERO && code <= NINE) {
        octet = octet * 10 + code - ZERO;
        if (octet > 255) return undefined;
        at += 1;
        code = at < length ? text.charCodeAt(at) : 0;
      }
    }
    value = (value << 8) | octet;
    if (dotsLeft === 0) return at === length ? value : undefined;
    at += 1;
    if (code !== DOT || at === length) return undefined;
  }
}

const ZERO = 0x30;
const NINE = 0x39;
const DOT = 0x2e;

const words = new Uint32Array(4);

function parseIpv6(text: string): Address | undefined {
  const zone = text.indexOf('%');
  return parseIpv6Words(zone < 0 ? text : text.slice(0, zone), words) ? Address.ofIpv6(words) : undefined;
}

export function fromWords(w0: number, w1: number, w2: number, w3: number): bigint {
  return (BigInt(w0) << 96n) | (BigInt(w1) << 64n) | (BigInt(w2) << 32n) | BigInt(w3);
}

const NO_DIGIT = 16;
/** By the last byte of a character; at most 15 for the digits. */
const HEX_DIGITS = Uint8Array.from({ length: 256 }, (_, code) => {
  const digit = '0123456789abcdef'.indexOf(String.fromCharCode(code).toLowerCase());
  return digit < 0 ? NO_DIGIT : digit;
});
const COLON = 0x3a;

/** The groups of the address that is read, and room for those that `::` abbreviates. */
const groups = new Uint16Array(16);

/**
 * Reads the text of an IPv6 address (RFC 4291, 2.2), its last two groups as four decimals where they are so, into four
 * words of 32 bits. Method: one loop over the characters, since reading them is most of the time, writing groups as they
 * come; those behind `::` are then moved to the end.
 * @returns false where the text is no such address; the words are then undefined
 */
export function parseIpv6Words(text: string, into: Uint32Array): boolean {
  const { length } = text;
  if (length < 2 || length > 45) return false;
  let count = 0;
  let gap = -1;
  let group = 0;
  let groupStart = 0;
  let allCodes = 0;
  for (let at = 0; at < length; at += 1) {
    const code = text.charCodeAt(at);
    const digit = HEX_DIGITS[code & 0xff]!;
    allCodes |= code;
    if (digit < NO_DIGIT) {
      group = (group << 4) | digit;
      continue;
    }
    const numDigits = at - groupStart;
    if (code === DOT && numDigits < 4 && count < 7) {
      const tail = parseIpv4(text.slice(groupStart));
      return tail !== undefined && writeGroups(appendTail(tail, count), gap, into);
    }
    if (code !== COLON || numDigits > 4 || count === 8) return false;
    groupStart = at + 1;
    if (numDigits > 0) {
      groups[count++] = group;
      group = 0;
      continue;
    }
    // Where no group is before a colon, `::` is, and once at most; the first of two that begin the text is passed over.
    if (at === 0) {
      if (text.charCodeAt(1) !== COLON) return false;
    } else if (gap >= 0) return false;
    else gap = count;
  }
  const numDigits = length - groupStart;
  if (numDigits > 4 || allCodes > 0x7f || (numDigits === 0 && gap !== count)) return false;
  if (numDigits > 0) groups[count++] = group;
  return writeGroups(count, gap, into);
}

function appendTail(tail: number, count: number): number {
  groups[count] = tail >>> 16;
  groups[count + 1] = tail;
  return count + 2;
}

/** Makes words of the groups: those from `gap` on go to the end, the last first, and zeros where they were. */
function writeGroups(count: number, gap: number, into: Uint32Array): boolean {
  if (gap < 0 ? count !== 8 : count > 7) return false;
  if (gap >= 0) {
    let to = 7;
    for (let from = count - 1; from >= gap; from -= 1, to -= 1) groups[to] = groups[from]!;
    for (; to >= gap; to -= 1) groups[to] = 0;
  }
  into[0] = (groups[0]! << 16) | groups[1]!;
  into[1] = (groups[2]! << 16) | groups[3]!;
  into[2] = (groups[4]! << 16) | groups[5]!;
  into[3] = (groups[6]! << 16) | groups[7]!;
  return true;
}

/** @param bits of the address, signed or not */
export function formatIpv4(bits: number): string {
  return `${bits >>> 24}.${(bits >>> 16) & 255}.${(bits >>> 8) & 255}.${bits & 255}`;
}

/** The address as text: dotted decimals, or IPv6 in the form of RFC 5952. */
export function formatAddress({ family, value }: Pick<Address, 'family' | 'value'>): string {
  return family === 4 ? formatIpv4(Number(value)) : formatIpv6(value);
}

/** In the form of RFC 5952: the longest run of two zeros or more, the first of equals, is `::`. */
function formatIpv6(value: bigint): string {
  for (let word = 0; word < 4; word += 1) {
    const bits = Number(BigInt.asUintN(32, value >> BigInt(96 - 32 * word)));
    groups[2 * word] = bits >>> 16;
    groups[2 * word + 1] = bits;
  }
  let gap = 8;
  let gapLength = 1;
  for (let from = 0; from < 8; from += 1) {
    let to = from;
    while (to < 8 && groups[to] === 0) to += 1;
    if (to - from > gapLength) [gap, gapLength] = [from, to - from];
    from = to;
  }
  let text = '';
  for (let at = 0; at < 8; at += 1) {
    if (at === gap) {
      text += '::';
      at += gapLength - 1;
    } else text += `${at === 0 || at === gap + gapLength ? '' : ':'}${groups[at]!.toString(16)}`;
  }
  return text;
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

export function isInRange(range: AddressRange, { family, value }: Address): boolean {
  return range.family === family && range.first <= value && value <= range.last;
}
