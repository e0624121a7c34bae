/** Replaces the true values of one request wherever they occur in text. */
import { formatAddress, parseAddress, type Address } from '../request/address.js';

/** What could be an IPv4 or IPv6 address; of the latter a mapped one, too. */
const ADDRESS_LIKE = new RegExp(
  [
    String.raw`(?<![\w.])\d{1,3}(?:\.\d{1,3}){3}(?!\w|\.\d)`,
    String.raw`(?<![\w.:])[0-9a-fA-F]{0,4}(?::[0-9a-fA-F]{0,4}){2,7}(?:(?<=:)\d{1,3}(?:\.\d{1,3}){3})?(?![\w:]|\.\d)`,
  ].join('|'),
  'g',
);

/** Values shorter than this are replaced only where they are all of a text. */
const MIN_INSIDE = 2;

export class Substitutions {
  readonly #addresses = new Map<string, string>();
  readonly #texts = new Map<string, string>();
  #pattern: RegExp | undefined;

  /** The first mask of an address counts. */
  addAddress(address: Address, masked: string): void {
    const text = formatAddress(address);
    if (this.#addresses.has(text)) return;
    this.#addresses.set(text, masked);
    if (text.includes(':')) this.addText(encodeURIComponent(text), masked);
  }

  /** Also as URLs and forms escape it. */
  addText(text: string, masked: string): void {
    if (text === '' || this.#texts.has(text)) return;
    this.#texts.set(text, masked);
    const escaped = escapeOf(text);
    for (const form of [escaped, escaped.replaceAll('%20', '+')]) if (form !== text) this.#texts.set(form, masked);
    this.#pattern = undefined;
  }

  get isEmpty(): boolean {
    return this.#addresses.size + this.#texts.size === 0;
  }

  apply(text: string): string {
    const whole = this.#texts.get(text);
    if (whole !== undefined) return whole;
    const masked = this.#addresses.size > 0 ? replaceAddresses(text, (address) => this.#maskedAddress(address)) : text;
    this.#pattern ??= patternOf([...this.#texts.keys()]);
    return this.#pattern ? masked.replace(this.#pattern, (found) => this.#texts.get(found)!) : masked;
  }

  #maskedAddress(address: Address): string | undefined {
    return this.#addresses.get(formatAddress(address));
  }

  /** All texts of a value of JSON, the names of its properties included. */
  applyDeep<T>(value: T): T {
    return this.isEmpty ? value : (mapTexts(value, (text) => this.apply(text)) as T);
  }
}

/** Replaces addresses, however they are written; those for which `masked` returns undefined stay. */
export function replaceAddresses(text: string, masked: (address: Address) => string | undefined): string {
  return text.replace(ADDRESS_LIKE, (found) => {
    const address = parseAddress(found);
    return (address && masked(address)) ?? found;
  });
}

/** Maps every text of a value of JSON, the names of its properties included. */
export function mapTexts(value: unknown, map: (text: string) => string): unknown {
  if (typeof value === 'string') return map(value);
  if (Array.isArray(value)) return value.map((item) => mapTexts(item, map));
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([name, item]) => [map(name), mapTexts(item, map)]));
}

function escapeOf(text: string): string {
  // A lone surrogate has no escape; it is in no URL either.
  return /\p{Cs}/u.test(text) ? text : encodeURIComponent(text);
}

/** The longest first, and no part of a longer word. */
function patternOf(texts: readonly string[]): RegExp | undefined {
  const inside = texts.filter((text) => text.length >= MIN_INSIDE).sort((a, b) => b.length - a.length);
  if (inside.length === 0) return undefined;
  const all = inside.map((text) => text.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&')).join('|');
  return new RegExp(`(?<![\\p{L}\\p{N}])(?:${all})(?![\\p{L}\\p{N}])`, 'gu');
}
