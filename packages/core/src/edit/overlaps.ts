import type { DomainEntry } from '../reference/domain-set.js';
import type { Value } from '../language/tree.js';
import type { AddressRange } from '../request/address.js';

/** Addresses are found by blocks of so many trailing bits, each range by the smallest of which it spans few. */
const BLOCK_SHIFTS = { 4: [8n, 16n, 24n], 6: [64n, 80n, 96n, 112n, 120n] } as const;
const MAX_BLOCKS = 256n;

interface Kept<T> {
  readonly text: string;
  readonly one: T;
}

/** Finds the entries of a list that hold something which another entry holds, too. */
export class OverlapIndex {
  readonly #byBlock = new Map<string, Kept<AddressRange>[]>();
  /** All that are found by blocks of a size. */
  readonly #bySize = new Map<string, Kept<AddressRange>[]>();
  /** Domains by their name and by the name of everything above them. */
  readonly #byName = new Map<string, Kept<DomainEntry>[]>();
  readonly #below = new Map<string, Kept<DomainEntry>[]>();

  /** @param text the entry as it is written, which is what `find` answers */
  add(text: string, entry: Value): void {
    if (entry.kind === 'addresses') {
      const kept = { text, one: entry.range };
      const { family } = entry.range;
      const shift = BLOCK_SHIFTS[family].find((value) => numBlocks(entry.range, value) <= MAX_BLOCKS)!;
      put(this.#bySize, `${family} ${shift}`, kept);
      for (const block of blocksOf(entry.range, shift)) put(this.#byBlock, block, kept);
    } else if (entry.kind === 'domain') {
      const kept = { text, one: entry.entry };
      put(this.#byName, entry.entry.name, kept);
      for (const above of namesAbove(entry.entry.name)) put(this.#below, above, kept);
    }
  }

  /** @returns the texts of entries that overlap, each once, in no order that means anything */
  find(entry: Value, isStillThere: (text: string) => boolean): string[] {
    const item = entry.kind === 'addresses' ? this.#findRanges(entry.range) : this.#findDomains(entry);
    return [...new Set(item)].filter(isStillThere);
  }

  #findRanges(range: AddressRange): string[] {
    const candidates = BLOCK_SHIFTS[range.family].flatMap((shift) => {
      const ofSize = this.#bySize.get(`${range.family} ${shift}`) ?? [];
      return ofSize.length > 0 && numBlocks(range, shift) <= MAX_BLOCKS
        ? blocksOf(range, shift).flatMap((block) => this.#byBlock.get(block) ?? [])
        : ofSize;
    });
    return candidates.filter(({ one }) => doOverlap(one, range)).map(({ text }) => text);
  }

  #findDomains(value: Value): string[] {
    if (value.kind !== 'domain') return [];
    const { name, reach } = value.entry;
    const same = (this.#byName.get(name) ?? []).filter(
      ({ one }) => !(one.reach === 'only' && reach === 'below') && !(one.reach === 'below' && reach === 'only'),
    );
    const above = namesAbove(name).flatMap((item) => this.#byName.get(item) ?? []);
    const below = reach === 'only' ? [] : (this.#below.get(name) ?? []);
    return [...same, ...above.filter(({ one }) => one.reach !== 'only'), ...below].map(({ text }) => text);
  }
}

function doOverlap(a: AddressRange, b: AddressRange): boolean {
  return a.family === b.family && a.first <= b.last && b.first <= a.last;
}

function numBlocks({ first, last }: AddressRange, shift: bigint): bigint {
  return (last >> shift) - (first >> shift) + 1n;
}

/** The blocks that a range lies in. */
function blocksOf(range: AddressRange, shift: bigint): string[] {
  const from = range.first >> shift;
  return Array.from(
    { length: Number(numBlocks(range, shift)) },
    (_, index) => `${range.family} ${shift} ${from + BigInt(index)}`,
  );
}

function namesAbove(name: string): string[] {
  const labels = name.split('.');
  return labels.slice(1).map((_, index) => labels.slice(index + 1).join('.'));
}

function put<T>(map: Map<string, T[]>, key: string, value: T): void {
  const there = map.get(key);
  if (there) there.push(value);
  else map.set(key, [value]);
}
