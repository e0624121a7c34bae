/** What earlier requests leave behind for later ones: counted requests of limits, and holds. */

/** The requests that a limit counted under one key. */
interface Counter {
  /** Times of counted requests that still matter, ascending, at most one more than the limit lets pass. */
  readonly stampsUnixMs: number[];
  heldUntilUnixMs: number;
  /** From then on nothing here matters any more. */
  quietFromUnixMs: number;
}

/** A state as plain data, so that a later part of a log can be judged elsewhere. */
export interface StoredState {
  readonly counters: readonly (readonly [string, Counter])[];
  readonly holds: readonly (readonly [string, number])[];
  /** Absent in states of earlier releases. */
  readonly levels?: readonly (readonly [string, StoredLevel])[];
}

/** How many bytes a throttle lets pass at once, at a time. */
export interface StoredLevel {
  /** Thousandths of a byte, a whole number in decimal digits; below 0 where bytes would be waiting. */
  readonly level: string;
  readonly atUnixMs: number;
  /** From then on it is full again, and need not be kept. */
  readonly fullFromUnixMs: number;
}

interface Level extends Omit<StoredLevel, 'level'> {
  readonly level: bigint;
}

/** What a limit made of one request. */
export interface Count {
  /** Counted requests in the window, this one included, at most one more than the limit. */
  readonly counted: number;
  readonly isTripped: boolean;
  readonly heldUntilUnixMs?: number;
}

/** Before every time; finite, so that a state survives JSON. */
const NEVER = Number.MIN_SAFE_INTEGER;
/** Below this many keys nothing is swept: the sweep would cost more than it frees. */
const MIN_SWEEP_KEYS = 1024;

/**
 * Exact sliding windows and holds in the time of the log. Requests must come in order of time. A key that has gone quiet
 * is released at the next sweep, which comes when the number of keys has doubled, so that memory follows what is
 * inside the windows.
 */
export class State {
  readonly #counters = new Map<string, Counter>();
  /** The end of each hold. */
  readonly #holds = new Map<string, number>();
  readonly #levels = new Map<string, Level>();
  #sweepAtKeys = MIN_SWEEP_KEYS;

  constructor(stored: StoredState = { counters: [], holds: [] }) {
    for (const [key, counter] of stored.counters)
      this.#counters.set(key, { ...counter, stampsUnixMs: [...counter.stampsUnixMs] });
    for (const [key, until] of stored.holds) this.#holds.set(key, until);
    for (const [key, { level, ...times }] of stored.levels ?? [])
      this.#levels.set(key, { level: BigInt(level), ...times });
  }

  store(): StoredState {
    const levels = [...this.#levels].map(
      ([key, { level, ...times }]) => [key, { level: String(level), ...times }] as const,
    );
    return { counters: [...this.#counters], holds: [...this.#holds], levels };
  }

  /** Counts a request and returns whether more than `max` lie in the window that ends with it, or a hold is active. */
  count(key: string, atUnixMs: number, limit: { max: number; windowMs: number; holdMs?: number }): Count {
    this.#sweep(atUnixMs);
    let counter = this.#counters.get(key);
    if (!counter) {
      counter = { stampsUnixMs: [], heldUntilUnixMs: NEVER, quietFromUnixMs: 0 };
      this.#counters.set(key, counter);
    }
    const { stampsUnixMs } = counter;
    while (stampsUnixMs.length > 0 && stampsUnixMs[0]! <= atUnixMs - limit.windowMs) stampsUnixMs.shift();
    stampsUnixMs.push(atUnixMs);
    // Of more than the limit only the latest can still be inside a later window that overflows.
    if (stampsUnixMs.length > limit.max + 1) stampsUnixMs.shift();
    const isFull = stampsUnixMs.length > limit.max;
    const isHeld = atUnixMs < counter.heldUntilUnixMs;
    if (isFull && !isHeld && limit.holdMs !== undefined) counter.heldUntilUnixMs = atUnixMs + limit.holdMs;
    counter.quietFromUnixMs = Math.max(atUnixMs + limit.windowMs, counter.heldUntilUnixMs);
    return {
      counted: stampsUnixMs.length,
      isTripped: isFull || isHeld,
      ...(atUnixMs < counter.heldUntilUnixMs ? { heldUntilUnixMs: counter.heldUntilUnixMs } : {}),
    };
  }

  /** Whether a hold is active, during which the user may continue; otherwise one begins with the next request. */
  passesHold(key: string, atUnixMs: number, holdMs: number): boolean {
    this.#sweep(atUnixMs);
    if (atUnixMs < (this.#holds.get(key) ?? NEVER)) return true;
    this.#holds.set(key, atUnixMs + holdMs);
    return false;
  }

  /**
   * Lets the bytes of a request pass, as a bucket that fills with time: its level is full at first, grows by the rate up to the
   * burst, and the bytes are taken from it.
   * @returns how long they would wait, whole milliseconds rounded up; 0 where they pass at once
   */
  throttle(key: string, atUnixMs: number, bytes: number, rate: { bytesPerSecond: number; burstBytes: number }): number {
    this.#sweep(atUnixMs);
    // A byte a second is a thousandth of a byte a millisecond.
    const perMs = BigInt(rate.bytesPerSecond);
    const full = BigInt(rate.burstBytes) * 1000n;
    const before = this.#levels.get(key);
    const grown = before ? before.level + perMs * BigInt(Math.max(0, atUnixMs - before.atUnixMs)) : full;
    const level = (grown < full ? grown : full) - BigInt(bytes) * 1000n;
    const fullFromUnixMs = toSafe(BigInt(atUnixMs) + divideUp(full - level, perMs));
    this.#levels.set(key, { level, atUnixMs, fullFromUnixMs });
    return level < 0n ? toSafe(divideUp(-level, perMs)) : 0;
  }

  get numKeys(): number {
    return this.#counters.size + this.#holds.size + this.#levels.size;
  }

  #sweep(atUnixMs: number): void {
    if (this.numKeys < this.#sweepAtKeys) return;
    for (const [key, { quietFromUnixMs }] of this.#counters)
      if (quietFromUnixMs <= atUnixMs) this.#counters.delete(key);
    for (const [key, until] of this.#holds) if (until <= atUnixMs) this.#holds.delete(key);
    for (const [key, { fullFromUnixMs }] of this.#levels) if (fullFromUnixMs <= atUnixMs) this.#levels.delete(key);
    this.#sweepAtKeys = Math.max(MIN_SWEEP_KEYS, this.numKeys * 2);
  }
}

/** @param dividend 0 or more */
function divideUp(dividend: bigint, divisor: bigint): bigint {
  return (dividend + divisor - 1n) / divisor;
}

/** The nearest number that counts whole ones exactly. */
function toSafe(value: bigint): number {
  return Number(value > MAX_SAFE ? MAX_SAFE : value);
}

const MAX_SAFE = BigInt(Number.MAX_SAFE_INTEGER);
