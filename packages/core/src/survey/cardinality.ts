/** How many different values were seen. */
export interface DistinctCount {
  readonly count: number;
  readonly isExact: boolean;
}

const KEPT_HASHES = 65_536;
const HASH_RANGE = 2 ** 53;

/**
 * Counts different values by their hashes. Exact until 131,072 of them; then the smallest 65,536 hashes estimate the
 * number (k minimum values, Bar-Yossef et al. 2002), within about 0.4%.
 */
export class CardinalityEstimator {
  readonly #hashes = new Set<number>();
  #limit = HASH_RANGE;

  constructor(private readonly keptHashes = KEPT_HASHES) {}

  add(value: string): void {
    const hash = hash53(value);
    if (hash >= this.#limit) return;
    this.#hashes.add(hash);
    if (this.#hashes.size > 2 * this.keptHashes) this.#keepSmallest();
  }

  #keepSmallest(): void {
    const sorted = Float64Array.from(this.#hashes).sort();
    this.#limit = sorted[this.keptHashes]!;
    this.#hashes.clear();
    for (const hash of sorted.subarray(0, this.keptHashes)) this.#hashes.add(hash);
  }

  result(): DistinctCount {
    if (this.#limit === HASH_RANGE) return { count: this.#hashes.size, isExact: true };
    return { count: Math.round((this.#hashes.size * HASH_RANGE) / this.#limit), isExact: false };
  }
}

/** A 53-bit hash of a text (two multiplicative 32-bit lanes, mixed as in MurmurHash3). Not for secrets. */
function hash53(text: string): number {
  let low = 0xdeadbeef;
  let high = 0x41c6ce57;
  for (let index = 0; index < text.length; index += 1) {
    const code = text.charCodeAt(index);
    low = Math.imul(low ^ code, 2_654_435_761);
    high = Math.imul(high ^ code, 1_597_334_677);
  }
  low = Math.imul(low ^ (low >>> 16), 2_246_822_507) ^ Math.imul(high ^ (high >>> 13), 3_266_489_909);
  high = Math.imul(high ^ (high >>> 16), 2_246_822_507) ^ Math.imul(low ^ (low >>> 13), 3_266_489_909);
  return 4_294_967_296 * (2_097_151 & high) + (low >>> 0);
}
