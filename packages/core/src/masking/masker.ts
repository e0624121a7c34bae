/** Masks what leaves the product about requests; rules always see the true values. */
import { formatAddress, formatRange, parseAddress, type Address } from '../request/address.js';
import type { Field } from '../request/field.js';
import { cookieOf, headerOf, queryValuesOf, usersOf } from '../request/fields.js';
import type { Attributes, AttributeValue } from '../request/record.js';
import { normalizeRequest, textOf, type Request } from '../request/request.js';
import { splitUrl } from '../request/url.js';
import { printMask, printMaskedField, type Mask, type MaskedField } from './masks.js';
import { replaceAddresses, Substitutions } from './substitutions.js';

export const HIDDEN = '***';

/** A keyed hash of a value: at least 16 lower-case hexadecimal digits, the same for the same value and key. */
export type Digest = (value: string) => string;

const PSEUDONYM_DIGITS = 12;
/** Bits of a shortened address. */
const SHORT_BITS = { 4: 24, 6: 48 } as const;

export class Masker {
  readonly #byField = new Map<string, Mask>();

  /** @param digest of the installation, or of one run; only pseudonyms need it */
  constructor(
    readonly masks: readonly Mask[],
    private readonly digest: Digest,
  ) {
    for (const mask of masks) this.#byField.set(keyOf(mask.field, mask.parameter), mask);
  }

  /** In words: `client=shorten, user=hide`. */
  describe(): string {
    return this.masks.map(printMask).join(', ');
  }

  isMasked(field: string, parameter?: string): boolean {
    return this.#byField.has(keyOf(field, parameter));
  }

  /** Whether a comparison with a field could find out a masked value. */
  hides(field: string, parameter?: string): boolean {
    if (this.isMasked(field, parameter)) return true;
    if (field === 'url') return this.isMasked('path');
    if (field === 'agent') return this.isMasked('header', 'user-agent');
    if (field === 'query' && parameter === undefined) return this.#hasAny('query');
    if (field === 'header') return this.#carriesMasked(parameter ?? '');
    return field === 'cookie' && this.isMasked('header', 'cookie');
  }

  /** Headers that carry addresses, cookies or the URL. */
  #carriesMasked(header: string): boolean {
    if (header === 'cookie') return this.#hasAny('cookie');
    return (this.isMasked('client') || this.isMasked('peer')) && ADDRESS_HEADERS.test(header);
  }

  #hasAny(field: MaskedField): boolean {
    return this.masks.some((mask) => mask.field === field);
  }

  /** Whether anything but addresses is masked. */
  get hasTexts(): boolean {
    return this.masks.some(({ field }) => !isAddress(field));
  }

  /** Whether a field, as conditions write it, is text that is masked. */
  hidesText(field: string): boolean {
    return this.#textMask(field) !== undefined;
  }

  /** A text of a field, as conditions write it. */
  shownAs(field: string, value: string): string {
    const mask = this.#textMask(field);
    return mask ? this.text(mask.field, mask.parameter, value) : value;
  }

  #textMask(field: string): Mask | undefined {
    return this.masks.find((mask) => !isAddress(mask.field) && printMaskedField(mask) === field);
  }

  /** The address of a client, or else of a peer, as it is shown. */
  address(field: 'client' | 'peer', address: Address): string {
    const mask = this.#byField.get(field);
    if (!mask) return formatAddress(address);
    if (mask.method === 'hide') return HIDDEN;
    return mask.method === 'shorten' ? shortened(address) : this.#addressPseudonym(address);
  }

  /** What a filter compares in place of an address; unknown where it is hidden. */
  addressSeen(field: 'client' | 'peer', address: Field<Address>): Field<Address> {
    const mask = this.#byField.get(field);
    if (!mask || !address) return address;
    if (mask.method === 'hide') return undefined;
    return mask.method === 'shorten'
      ? address.keepBits(SHORT_BITS[4], SHORT_BITS[6])
      : parseAddress(this.#addressPseudonym(address));
  }

  /** In the range for discarding (RFC 6666), in which no request comes from. */
  #addressPseudonym(address: Address): string {
    const digits = this.digest(formatAddress(address)).slice(0, 16);
    return formatAddress(parseAddress(`100::${digits.match(/.{4}/g)!.join(':')}`)!);
  }

  /** A value of a field that is text. */
  text(field: MaskedField, parameter: string | undefined, value: string): string {
    const mask = this.#byField.get(keyOf(field, parameter));
    if (!mask) return value;
    const masked = mask.method === 'pseudonym' ? this.#textPseudonym(value) : HIDDEN;
    return field === 'path' ? `/${masked}` : masked;
  }

  #textPseudonym(value: string): string {
    return `masked-${this.digest(value).slice(0, PSEUDONYM_DIGITS)}`;
  }

  /** Text that is not about one request: addresses in it, wherever they come from. */
  anyAddresses(text: string): string {
    const field = this.isMasked('client') ? 'client' : 'peer';
    return this.isMasked(field) ? replaceAddresses(text, (address) => this.address(field, address)) : text;
  }

  /** The masked values of a request, to be replaced wherever they occur. */
  substitutionsFor(attributes: Attributes): Substitutions {
    const request = normalizeRequest({ line: 0, atUnixMs: 0, attributes });
    const found = new Substitutions();
    const { client, peer } = request;
    const judged = textOf(attributes['jade.client']);
    const resolved = judged == null ? undefined : parseAddress(judged);
    if (this.isMasked('client'))
      for (const address of [resolved, client]) if (address) found.addAddress(address, this.address('client', address));
    if (this.isMasked('peer') && peer) found.addAddress(peer, this.address('peer', peer));
    for (const { field, parameter } of this.masks)
      for (const value of textsOf(request, field, parameter))
        if (value !== '/') found.addText(value, this.text(field, parameter, value));
    return found;
  }

  /**
   * A record, or a record with its decision, with all that is masked: the fields themselves, and their values in
   * other attributes. Names and order stay.
   */
  attributes<T extends Attributes>(attributes: T): T {
    const substitutions = this.substitutionsFor(attributes);
    return Object.fromEntries(
      Object.entries(attributes).map(([name, value]) => [
        name,
        value == null ? value : mapAttribute(value, (text) => this.#attributeText(name, text, substitutions)),
      ]),
    ) as unknown as T;
  }

  #attributeText(name: string, text: string, substitutions: Substitutions): string {
    if (name === 'client.address' || name === 'jade.client') return this.#addressText('client', text, substitutions);
    if (name === 'network.peer.address') return this.#addressText('peer', text, substitutions);
    // The first bytes may hold any of it.
    if (name === 'jade.payload') return HIDDEN;
    if (name === 'user.name')
      return this.isMasked('user') ? this.text('user', undefined, text) : substitutions.apply(text);
    if (name.startsWith(HEADER_PREFIX) || name === 'user_agent.original')
      return this.#headerText(
        name === 'user_agent.original' ? 'user-agent' : name.slice(HEADER_PREFIX.length),
        text,
        substitutions,
      );
    if (name === 'url.path')
      return this.isMasked('path') ? this.text('path', undefined, text) : substitutions.apply(text);
    if (name === 'url.query') return substitutions.apply(this.#query(text));
    if (name === 'url.full') return this.#url(text, substitutions);
    return substitutions.apply(text);
  }

  #addressText(field: 'client' | 'peer', text: string, substitutions: Substitutions): string {
    if (!this.isMasked(field)) return substitutions.apply(text);
    const address = parseAddress(text);
    return address ? this.address(field, address) : HIDDEN;
  }

  #headerText(header: string, text: string, substitutions: Substitutions): string {
    if (this.isMasked('header', header)) return this.text('header', header, text);
    if (header === 'cookie') return substitutions.apply(this.#cookies(text));
    // Every client that is named there, also by a proxy that is not trusted.
    return substitutions.apply(ADDRESS_HEADERS.test(header) ? this.anyAddresses(text) : text);
  }

  #cookies(text: string): string {
    return text.replace(/([^=;]+)=([^;]*)/g, (pair, name: string, value: string) =>
      this.isMasked('cookie', name.trim()) ? `${name}=${this.text('cookie', name.trim(), value.trim())}` : pair,
    );
  }

  #query(text: string): string {
    return text.replace(/([^=&]*)=([^&]*)/g, (pair, name: string, value: string) => {
      const decoded = decodeName(name);
      return this.isMasked('query', decoded) ? `${name}=${this.text('query', decoded, decodeName(value))}` : pair;
    });
  }

  #url(text: string, substitutions: Substitutions): string {
    const parts = splitUrl(text);
    if (!parts) return substitutions.apply(text);
    const { scheme, authority, path, query } = parts;
    const start = substitutions.apply(`${scheme}://${authority}`);
    const masked = this.isMasked('path') ? this.text('path', undefined, path) : substitutions.apply(path);
    return `${start}${masked}${query === undefined ? '' : `?${substitutions.apply(this.#query(query))}`}`;
  }
}

function isAddress(field: MaskedField): boolean {
  return field === 'client' || field === 'peer';
}

const HEADER_PREFIX = 'http.request.header.';
const ADDRESS_HEADERS = /^(?:x-forwarded-for|forwarded|x-real-ip|true-client-ip|via|.*client.*|.*-ip)$/;

function keyOf(field: string, parameter: string | undefined): string {
  return parameter === undefined ? field : `${field} ${parameter}`;
}

function textsOf(request: Request, field: MaskedField, parameter: string | undefined): readonly string[] {
  switch (field) {
    case 'client':
    case 'peer':
      return [];
    case 'user':
      return usersOf(request) ?? [];
    case 'path':
      return [request.path, textOf(request.attributes['url.path'])].filter((path) => path != null);
    case 'header':
      return headerOf(request, parameter!) ?? [];
    case 'query':
      return queryValuesOf(request, parameter!) ?? [];
    case 'cookie':
      return cookieOf(request, parameter!) ?? [];
  }
}

function shortened(address: Address): string {
  const { family } = address;
  const bits = SHORT_BITS[family];
  const first = address.keepBits(SHORT_BITS[4], SHORT_BITS[6]).value;
  return formatRange({ family, first, last: first + (1n << BigInt((family === 4 ? 32 : 128) - bits)) - 1n });
}

function decodeName(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '));
  } catch {
    return text;
  }
}

function mapAttribute(value: AttributeValue, map: (text: string) => string): AttributeValue {
  if (typeof value === 'string') return map(value);
  if (Array.isArray(value)) return (value as readonly AttributeValue[]).map((item) => mapAttribute(item, map));
  if (typeof value !== 'object') return value;
  return Object.fromEntries(
    Object.entries(value as Record<string, AttributeValue | null>).map(([name, item]) => [
      name,
      item === null ? null : mapAttribute(item, map),
    ]),
  );
}
