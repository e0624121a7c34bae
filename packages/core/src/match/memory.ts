/**
 * What earlier requests leave behind, kept for speed: the same meaning as the interpreter's state, written apart from it.
 * Counters are found by two numbers and lie in arrays, their times in rings of one large array; their keys are text only
 * where they are handed over.
 */
import type { StoredState } from '../decide/state.js';
import { doubled } from './groups.js';
import { ABSENT, PairMap } from './pair-map.js';

/** More keys than may be kept alive at once. */
export class TooManyKeysError extends Error {
  constructor(readonly maxKeys: number) {
    super(
      `The rules keep more than ${maxKeys.toLocaleString('en')} counters and holds alive at once. Count by fewer keys or over a shorter time, or raise the limit on keys.`,
    );
  }
}

export const DEFAULT_MAX_KEYS = 5_000_000;
const NEVER = Number.MIN_SAFE_INTEGER;
const FIRST_ROOM = 4;
const FIRST_COUNTERS = 1024;
const MIN_SWEEP_KEYS = 1024;
/** Counters move together where at least one in so many has gone quiet. */
const MIN_QUIET_SHARE = 8;

export interface Window {
  readonly max: number;
  readonly windowMs: number;
  readonly holdMs: number | undefined;
}

type StoredCounter = StoredState['counters'][number][1];

/** The text of a key by the number of its limit and its own. */
export type KeyNames = (limit: number, key: number) => string;

export class Memory {
  /** What was handed over by text and not asked for yet. */
  readonly #waiting: Map<string, StoredCounter>;
  readonly #holds: Map<string, number>;
  #names: KeyNames = () => '';
  /** The index of a counter by limit and key. */
  #indexOf = new PairMap();
  #numCounters = 0;
  #limits = new Int32Array(FIRST_COUNTERS);
  #keys = new Int32Array(FIRST_COUNTERS);
  /** The times of counted requests that can still matter, a ring each: where it lies, its room, its first, how many. */
  #stamps = new Float64Array(FIRST_COUNTERS * FIRST_ROOM);
  #numStamps = 0;
  #starts = new Int32Array(FIRST_COUNTERS);
  #rooms = new Int32Array(FIRST_COUNTERS);
  #heads = new Int32Array(FIRST_COUNTERS);
  #sizes = new Int32Array(FIRST_COUNTERS);
  #heldUntil = new Float64Array(FIRST_COUNTERS);
  /** From then on nothing of a counter matters any more. */
  #quietFrom = new Float64Array(FIRST_COUNTERS);
  #sweepAtKeys = MIN_SWEEP_KEYS;

  /** @param maxKeys how many counters and holds may be alive at once */
  constructor(
    stored: StoredState = { counters: [], holds: [] },
    private readonly maxKeys = DEFAULT_MAX_KEYS,
  ) {
    this.#waiting = new Map(stored.counters);
    this.#holds = new Map(stored.holds);
  }

  get numKeys(): number {
    return this.#waiting.size + this.#numCounters + this.#holds.size;
  }

  /** Those of whoever counts from here on; numbers of before are let go of. */
  useNames(names: KeyNames): void {
    this.forgetNumbers();
    this.#names = names;
  }

  store(): StoredState {
    return { counters: [...this.#waiting, ...this.#storedCounters()], holds: [...this.#holds] };
  }

  *#storedCounters(): Generator<[string, StoredCounter]> {
    for (let index = 0; index < this.#numCounters; index += 1) {
      const [start, room, head] = [this.#starts[index]!, this.#rooms[index]!, this.#heads[index]!];
      yield [
        this.#names(this.#limits[index]!, this.#keys[index]!),
        {
          stampsUnixMs: Array.from(
            { length: this.#sizes[index]! },
            (_, at) => this.#stamps[start + ((head + at) % room)]!,
          ),
          heldUntilUnixMs: this.#heldUntil[index]!,
          quietFromUnixMs: this.#quietFrom[index]!,
        },
      ];
    }
  }

  /** The numbers of keys are about to mean something else. */
  forgetNumbers(): void {
    for (const [key, counter] of this.#storedCounters()) this.#waiting.set(key, counter);
    this.#indexOf = new PairMap();
    this.#numCounters = 0;
    this.#numStamps = 0;
  }

  /** Counts a request. @returns whether more than `max` lie in the window that ends with it, or a hold stands */
  count(limit: number, key: number, atUnixMs: number, { max, windowMs, holdMs }: Window): boolean {
    if (this.numKeys >= this.#sweepAtKeys) this.#sweep(atUnixMs);
    let index = this.#indexOf.get(limit, key);
    if (index === ABSENT) index = this.#begin(limit, key);
    const start = this.#starts[index]!;
    let room = this.#rooms[index]!;
    let head = this.#heads[index]!;
    let size = this.#sizes[index]!;
    const before = atUnixMs - windowMs;
    while (size > 0 && this.#stamps[start + head]! <= before) {
      head = head + 1 === room ? 0 : head + 1;
      size -= 1;
    }
    // Of more than the limit only the latest can still lie in a later window that overflows.
    if (size > max) {
      head = head + 1 === room ? 0 : head + 1;
      size -= 1;
    }
    this.#heads[index] = head;
    this.#sizes[index] = size;
    if (size === room) {
      this.#widen(index);
      room = this.#rooms[index]!;
      head = 0;
    }
    const at = head + size;
    this.#stamps[this.#starts[index]! + (at < room ? at : at - room)] = atUnixMs;
    this.#sizes[index] = size + 1;
    const isFull = size + 1 > max;
    let heldUntil = this.#heldUntil[index]!;
    const isHeld = atUnixMs < heldUntil;
    if (isFull && !isHeld && holdMs !== undefined) this.#heldUntil[index] = heldUntil = atUnixMs + holdMs;
    this.#quietFrom[index] = Math.max(atUnixMs + windowMs, heldUntil);
    return isFull || isHeld;
  }

  /** A counter for a key that was not counted yet, or was handed over by its text. */
  #begin(limit: number, key: number): number {
    const text = this.#waiting.size > 0 ? this.#names(limit, key) : undefined;
    const stored = text === undefined ? undefined : this.#waiting.get(text);
    if (stored) this.#waiting.delete(text!);
    else if (this.numKeys >= this.maxKeys) throw new TooManyKeysError(this.maxKeys);
    const index = this.#numCounters++;
    if (index === this.#limits.length) this.#grow();
    this.#limits[index] = limit;
    this.#keys[index] = key;
    this.#indexOf.add(limit, key, index);
    const stamps = stored?.stampsUnixMs ?? [];
    this.#place(index, Math.max(FIRST_ROOM, stamps.length));
    this.#stamps.set(stamps, this.#starts[index]!);
    this.#sizes[index] = stamps.length;
    this.#heldUntil[index] = stored?.heldUntilUnixMs ?? NEVER;
    return index;
  }

  /** An empty ring. */
  #place(index: number, room: number): void {
    while (this.#numStamps + room > this.#stamps.length) this.#stamps = doubledFloats(this.#stamps);
    this.#starts[index] = this.#numStamps;
    this.#rooms[index] = room;
    this.#heads[index] = 0;
    this.#numStamps += room;
  }

  /** A ring of twice the room; the old one lies idle until the next sweep. */
  #widen(index: number): void {
    const [start, room, head] = [this.#starts[index]!, this.#rooms[index]!, this.#heads[index]!];
    this.#place(index, room * 2);
    const to = this.#starts[index]!;
    this.#stamps.copyWithin(to, start + head, start + room);
    this.#stamps.copyWithin(to + room - head, start, start + head);
  }

  #grow(): void {
    this.#limits = doubled(this.#limits);
    this.#keys = doubled(this.#keys);
    this.#starts = doubled(this.#starts);
    this.#rooms = doubled(this.#rooms);
    this.#heads = doubled(this.#heads);
    this.#sizes = doubled(this.#sizes);
    this.#heldUntil = doubledFloats(this.#heldUntil);
    this.#quietFrom = doubledFloats(this.#quietFrom);
  }

  /** Whether a hold stands, in which a person may go on; where none does, one begins with the next request. */
  passesHold(key: string, atUnixMs: number, holdMs: number): boolean {
    if (this.numKeys >= this.#sweepAtKeys) this.#sweep(atUnixMs);
    if (atUnixMs < (this.#holds.get(key) ?? NEVER)) return true;
    if (!this.#holds.has(key) && this.numKeys >= this.maxKeys) throw new TooManyKeysError(this.maxKeys);
    this.#holds.set(key, atUnixMs + holdMs);
    return false;
  }

  /** Lets go of what has gone quiet; the others move together. */
  #sweep(atUnixMs: number): void {
    for (const [key, { quietFromUnixMs }] of this.#waiting) if (quietFromUnixMs <= atUnixMs) this.#waiting.delete(key);
    for (const [key, until] of this.#holds) if (until <= atUnixMs) this.#holds.delete(key);
    this.#sweepCounters(atUnixMs);
    this.#sweepAtKeys = Math.max(MIN_SWEEP_KEYS, this.numKeys * 2);
  }

  #sweepCounters(atUnixMs: number): void {
    let numQuiet = 0;
    for (let index = 0; index < this.#numCounters; index += 1) if (this.#quietFrom[index]! <= atUnixMs) numQuiet += 1;
    if (numQuiet * MIN_QUIET_SHARE < this.#numCounters) return;
    const stamps = this.#stamps;
    const numCounters = this.#numCounters;
    this.#stamps = new Float64Array(stamps.length);
    this.#numStamps = 0;
    this.#numCounters = 0;
    this.#indexOf = new PairMap();
    for (let from = 0; from < numCounters; from += 1) {
      if (this.#quietFrom[from]! <= atUnixMs) continue;
      const [start, room, head, size] = [
        this.#starts[from]!,
        this.#rooms[from]!,
        this.#heads[from]!,
        this.#sizes[from]!,
      ];
      const to = this.#numCounters++;
      this.#limits[to] = this.#limits[from]!;
      this.#keys[to] = this.#keys[from]!;
      this.#heldUntil[to] = this.#heldUntil[from]!;
      this.#quietFrom[to] = this.#quietFrom[from]!;
      this.#indexOf.add(this.#limits[to]!, this.#keys[to]!, to);
      this.#place(to, room);
      for (let at = 0; at < size; at += 1) this.#stamps[this.#starts[to]! + at] = stamps[start + ((head + at) % room)]!;
      this.#sizes[to] = size;
    }
  }
}

function doubledFloats(array: Float64Array): Float64Array<ArrayBuffer> {
  const larger = new Float64Array(array.length * 2);
  larger.set(array);
  return larger;
}
