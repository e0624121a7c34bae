import { toASCII } from 'tr46';
import { formatAddress, parseAddress } from './address.js';

const PLAIN_NAME = /^[a-z0-9_-]{1,63}(\.[a-z0-9_-]{1,63})*$/;
/** Servers log `_` or `-` where a request names no host. */
const PLACEHOLDER = /^[_.-]+$/;
const MAX_NAME_LENGTH = 253;

/**
 * The normal form of a host: lower-case A-labels (UTS 46, underscore allowed) without one final dot, or an address in
 * its canonical text. `authority` may carry user information and a port, which are dropped.
 * @returns null when the text is no host (an empty label, a label over 63, a name over 253, other characters, or only `_` and `-`).
 */
export function normalizeHost(authority: string): string | null {
  const host = authority.slice(authority.lastIndexOf('@') + 1);
  const address = parseAddress(host);
  if (address !== undefined) return formatAddress(address);
  const colon = host.indexOf(':');
  if (colon >= 0 && !/^\d{0,5}$/.test(host.slice(colon + 1))) return null;
  const withoutPort = colon < 0 ? host : host.slice(0, colon);
  const name = withoutPort.endsWith('.') ? withoutPort.slice(0, -1) : withoutPort;
  if (PLACEHOLDER.test(name)) return null;
  if (PLAIN_NAME.test(name) && !name.includes('xn--')) return name.length <= MAX_NAME_LENGTH ? name : null;
  const ascii = toASCII(name, { checkBidi: true, checkJoiners: true });
  return ascii !== null && PLAIN_NAME.test(ascii) && ascii.length <= MAX_NAME_LENGTH ? ascii : null;
}

/** Whether a host in normal form is an address, which matches only as a whole. */
export function isAddressHost(host: string): boolean {
  // IPv4 ends with a digit and IPv6 has a colon; names rarely do.
  const last = host.charCodeAt(host.length - 1);
  return ((last >= 0x30 && last <= 0x39) || host.includes(':')) && parseAddress(host) !== undefined;
}

/** Whether `host` is `domain` or is below it. Both in normal form. */
export function isUnderDomain(host: string, domain: string): boolean {
  return host === domain || isBelowDomain(host, domain);
}

/** Whether `host` is below `domain` (and is not `domain` itself). Both in normal form. */
export function isBelowDomain(host: string, domain: string): boolean {
  return host.endsWith(domain) && host.charCodeAt(host.length - domain.length - 1) === 0x2e && !isAddressHost(host);
}
