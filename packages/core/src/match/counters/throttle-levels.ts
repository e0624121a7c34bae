/** Levels of throttles, kept for speed: the same meaning as the interpreter's state, written apart from it. */
import type { StoredState } from '../../decide/state.js';

/** Numbers while they are safe; beyond, big integers. */
interface Level {
  level: number | bigint;
  atUnixMs: number;
  fullFromUnixMs: number;
}

type StoredLevel = readonly [string, NonNullable<StoredState['levels']>[number][1]];

export interface Rate {
  readonly bytesPerSecond: number;
  readonly burstBytes: number;
}

export class ThrottleLevels {
  readonly #levels = new Map<string, Level>();

  constructor(stored: StoredState['levels'] = []) {
    for (const [key, { level, atUnixMs, fullFromUnixMs }] of stored)
      this.#levels.set(key, { level: narrow(BigInt(level)), atUnixMs, fullFromUnixMs });
  }

  get size(): number {
    return this.#levels.size;
  }

  has(key: string): boolean {
    return this.#levels.has(key);
  }

  /** @returns how long the bytes would wait, in milliseconds */
  take(key: string, atUnixMs: number, bytes: number, { bytesPerSecond, burstBytes }: Rate): number {
    const full = burstBytes * 1000;
    let known = this.#levels.get(key);
    if (!known) this.#levels.set(key, (known = { level: full, atUnixMs, fullFromUnixMs: 0 }));
    const grown = plus(known.level, times(bytesPerSecond, Math.max(0, atUnixMs - known.atUnixMs)));
    const level = plus(grown < full ? grown : full, times(-1000, bytes));
    known.level = level;
    known.atUnixMs = atUnixMs;
    known.fullFromUnixMs = toSafe(plus(atUnixMs, divideUp(plus(full, times(-1, level)), bytesPerSecond)));
    return level < 0 ? toSafe(divideUp(times(-1, level), bytesPerSecond)) : 0;
  }

  /** Releases what is full again. */
  sweep(atUnixMs: number): void {
    for (const [key, { fullFromUnixMs }] of this.#levels) if (fullFromUnixMs <= atUnixMs) this.#levels.delete(key);
  }

  /** What can still matter after a time. */
  *stored(afterUnixMs: number): Generator<StoredLevel> {
    for (const [key, { level, atUnixMs, fullFromUnixMs }] of this.#levels)
      if (fullFromUnixMs > afterUnixMs) yield [key, { level: String(level), atUnixMs, fullFromUnixMs }];
  }
}

type Whole = number | bigint;

function narrow(value: bigint): Whole {
  const number = Number(value);
  return Number.isSafeInteger(number) ? number : value;
}

function plus(a: Whole, b: Whole): Whole {
  if (typeof a === 'number' && typeof b === 'number') {
    const sum = a + b;
    if (Number.isSafeInteger(sum)) return sum;
  }
  return narrow(BigInt(a) + BigInt(b));
}

function times(a: Whole, b: Whole): Whole {
  if (typeof a === 'number' && typeof b === 'number') {
    const product = a * b;
    if (Number.isSafeInteger(product)) return product === 0 ? 0 : product;
  }
  return narrow(BigInt(a) * BigInt(b));
}

/** @param dividend 0 or more */
function divideUp(dividend: Whole, divisor: number): Whole {
  if (typeof dividend === 'bigint') return narrow((dividend + BigInt(divisor) - 1n) / BigInt(divisor));
  const rest = dividend % divisor;
  return (dividend - rest) / divisor + (rest > 0 ? 1 : 0);
}

function toSafe(value: Whole): number {
  return typeof value === 'number' ? value : Number.MAX_SAFE_INTEGER;
}
