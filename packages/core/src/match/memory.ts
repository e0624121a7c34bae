/**
 * What earlier requests leave behind, kept for speed: the same meaning as the interpreter's state, written apart from it.
 * Counters are found by two numbers; their keys are text only where they are handed over.
 */
import type { StoredState } from '../decide/state.js';
import { ABSENT, PairMap } from './pair-map.js';

/** More keys than a replay may keep alive at once. */
export class TooManyKeysError extends Error {
  constructor(readonly maxKeys: number) {
    super(`The rules keep more than ${maxKeys.toLocaleString('en')} counters and holds at once.`);
  }
}

export const DEFAULT_MAX_KEYS = 5_000_000;
const NEVER = Number.MIN_SAFE_INTEGER;
const FIRST_STAMPS = 4;
const MIN_SWEEP_KEYS = 1024;

interface Counter {
  readonly key: string;
  /** Times of counted requests that can still matter, a ring: at most one more than the limit lets pass. */
  stamps: Float64Array;
  head: number;
  numStamps: number;
  heldUntilUnixMs: number;
  /** From then on nothing here matters any more. */
  quietFromUnixMs: number;
  isForgotten: boolean;
}

export interface Window {
  readonly max: number;
  readonly windowMs: number;
  readonly holdMs: number | undefined;
}

export class Memory {
  readonly #counters = new Map<string, Counter>();
  readonly #holds = new Map<string, number>();
  /** Counters by the number of their limit and of their key, while those numbers stand. */
  #numbered = new PairMap();
  #found: Counter[] = [];
  #sweepAtKeys = MIN_SWEEP_KEYS;

  constructor(
    stored: StoredState = { counters: [], holds: [] },
    private readonly maxKeys = DEFAULT_MAX_KEYS,
  ) {
    for (const [key, { stampsUnixMs, heldUntilUnixMs, quietFromUnixMs }] of stored.counters) {
      const stamps = Float64Array.from(stampsUnixMs);
      this.#counters.set(key, {
        key,
        stamps: stamps.length > 0 ? stamps : new Float64Array(FIRST_STAMPS),
        head: 0,
        numStamps: stamps.length,
        heldUntilUnixMs,
        quietFromUnixMs,
        isForgotten: false,
      });
    }
    for (const [key, until] of stored.holds) this.#holds.set(key, until);
  }

  get numKeys(): number {
    return this.#counters.size + this.#holds.size;
  }

  store(): StoredState {
    return {
      counters: [...this.#counters.values()].map((counter) => [
        counter.key,
        {
          stampsUnixMs: Array.from(
            { length: counter.numStamps },
            (_, at) => counter.stamps[(counter.head + at) % counter.stamps.length]!,
          ),
          heldUntilUnixMs: counter.heldUntilUnixMs,
          quietFromUnixMs: counter.quietFromUnixMs,
        },
      ]),
      holds: [...this.#holds],
    };
  }

  /** The numbers of keys mean something else from now on. */
  forgetNumbers(): void {
    this.#numbered = new PairMap();
    this.#found = [];
  }

  /**
   * Counts a request. @returns whether more than `max` lie in the window that ends with it, or a hold stands
   * @param textOf the key as text, asked where the numbers are new
   */
  count(limit: number, keyNumber: number, textOf: () => string, atUnixMs: number, window: Window): boolean {
    if (this.numKeys >= this.#sweepAtKeys) this.#sweep(atUnixMs);
    const counter = this.#counterFor(limit, keyNumber, textOf);
    const { max, windowMs, holdMs } = window;
    const before = atUnixMs - windowMs;
    while (counter.numStamps > 0 && counter.stamps[counter.head]! <= before) dropFirst(counter);
    push(counter, atUnixMs);
    // Of more than the limit only the latest can still lie in a later window that overflows.
    if (counter.numStamps > max + 1) dropFirst(counter);
    const isFull = counter.numStamps > max;
    const isHeld = atUnixMs < counter.heldUntilUnixMs;
    if (isFull && !isHeld && holdMs !== undefined) counter.heldUntilUnixMs = atUnixMs + holdMs;
    counter.quietFromUnixMs = Math.max(atUnixMs + windowMs, counter.heldUntilUnixMs);
    return isFull || isHeld;
  }

  #counterFor(limit: number, keyNumber: number, textOf: () => string): Counter {
    const number = this.#numbered.get(limit, keyNumber);
    if (number !== ABSENT) {
      const counter = this.#found[number]!;
      if (!counter.isForgotten) return counter;
      // It was swept while its number stood: it begins again, as if it had never been.
      Object.assign(counter, { numStamps: 0, heldUntilUnixMs: NEVER, isForgotten: false });
      this.#keep(counter);
      return counter;
    }
    const key = textOf();
    let counter = this.#counters.get(key);
    if (!counter) {
      counter = {
        key,
        stamps: new Float64Array(FIRST_STAMPS),
        head: 0,
        numStamps: 0,
        heldUntilUnixMs: NEVER,
        quietFromUnixMs: 0,
        isForgotten: false,
      };
      this.#keep(counter);
    }
    this.#numbered.add(limit, keyNumber, this.#found.push(counter) - 1);
    return counter;
  }

  #keep(counter: Counter): void {
    if (this.numKeys >= this.maxKeys) throw new TooManyKeysError(this.maxKeys);
    this.#counters.set(counter.key, counter);
  }

  /** Whether a hold stands, in which a person may go on; where none does, one begins with the next request. */
  passesHold(key: string, atUnixMs: number, holdMs: number): boolean {
    if (this.numKeys >= this.#sweepAtKeys) this.#sweep(atUnixMs);
    if (atUnixMs < (this.#holds.get(key) ?? NEVER)) return true;
    if (this.numKeys >= this.maxKeys) throw new TooManyKeysError(this.maxKeys);
    this.#holds.set(key, atUnixMs + holdMs);
    return false;
  }

  #sweep(atUnixMs: number): void {
    for (const [key, counter] of this.#counters) {
      if (counter.quietFromUnixMs > atUnixMs) continue;
      counter.isForgotten = true;
      counter.stamps = new Float64Array(FIRST_STAMPS);
      counter.head = 0;
      this.#counters.delete(key);
    }
    for (const [key, until] of this.#holds) if (until <= atUnixMs) this.#holds.delete(key);
    this.#sweepAtKeys = Math.max(MIN_SWEEP_KEYS, this.numKeys * 2);
  }
}

function push(counter: Counter, atUnixMs: number): void {
  const { stamps, head, numStamps } = counter;
  if (numStamps < stamps.length) {
    const at = head + numStamps;
    stamps[at < stamps.length ? at : at - stamps.length] = atUnixMs;
  } else {
    const larger = new Float64Array(stamps.length * 2);
    larger.set(stamps.subarray(head));
    larger.set(stamps.subarray(0, head), stamps.length - head);
    larger[numStamps] = atUnixMs;
    counter.stamps = larger;
    counter.head = 0;
  }
  counter.numStamps += 1;
}

function dropFirst(counter: Counter): void {
  counter.head = counter.head + 1 === counter.stamps.length ? 0 : counter.head + 1;
  counter.numStamps -= 1;
}
