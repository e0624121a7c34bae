/** Countries and categories for the reference loops, in plain arrays and Maps. */
import type { Scenery } from './fixtures.js';

export interface ReferenceData {
  countryOf(client: string): string;
  categoryOf(host: string): string;
}

export function createReferenceData({ countries, categories }: Scenery): ReferenceData {
  const firsts = Float64Array.from(countries, ({ first }) => first);
  const categoryOf = new Map(categories);
  return {
    countryOf(client) {
      const address = readAddress(client);
      if (typeof address === 'bigint') return 'no-country';
      let low = 0;
      let high = firsts.length;
      while (low < high) {
        const middle = (low + high) >>> 1;
        if (firsts[middle]! <= address) low = middle + 1;
        else high = middle;
      }
      const row = countries[low - 1];
      return row && address <= row.last ? row.country : 'no-country';
    },
    categoryOf(host) {
      const exact = categoryOf.get(host);
      if (exact !== undefined) return exact;
      for (let dot = host.indexOf('.'); dot >= 0; dot = host.indexOf('.', dot + 1)) {
        const text = categoryOf.get(host.slice(dot + 1));
        if (text !== undefined) return text;
      }
      return 'uncategorised';
    },
  };
}

/** An IPv4 address as a number, an IPv6 address (with one `::`) as a bigint. */
export function readAddress(text: string): number | bigint {
  if (!text.includes(':')) {
    const [a, b, c, d] = text.split('.') as [string, string, string, string];
    return Number(a) * 16_777_216 + Number(b) * 65_536 + Number(c) * 256 + Number(d);
  }
  const [head, tail] = text.split('::') as [string, string?];
  const before = head === '' ? [] : head.split(':');
  const after = tail === undefined || tail === '' ? [] : tail.split(':');
  const groups = [...before, ...Array<string>(8 - before.length - after.length).fill('0'), ...after];
  return groups.reduce((sum, group) => (sum << 16n) | BigInt(parseInt(group, 16)), 0n);
}
