/**
 * What earlier requests leave behind, kept for speed: the same meaning as the interpreter's state, written apart from it.
 * Counters are found by two numbers and lie in arrays, their times in rings of one large array; their keys are text only
 * where they are handed over.
 */
import type { StoredState } from '../../decide/state.js';
import { engineBounds } from '../../bounds.js';
import { ThrottleLevels, type Rate } from './throttle-levels.js';
import { growFloats, growWords } from '../../arrays/grow.js';

/** More keys than may be kept alive at once. */
export class TooManyKeysError extends Error {
  constructor(readonly maxKeys: number) {
    super(
      `The rules keep more than ${maxKeys.toLocaleString('en')} counters and holds alive at once. Count by fewer keys or over a shorter time.`,
    );
  }
}

export const DEFAULT_MAX_KEYS = 5_000_000;
const NEVER = Number.MIN_SAFE_INTEGER;

export interface Window {
  readonly max: number;
  readonly windowMs: number;
  readonly holdMs: number | undefined;
}

type StoredCounter = StoredState['counters'][number][1];

/** The text of a key by the number of its limit and its own. */
export type KeyNames = (limit: number, key: number) => string;

/**
 * A counter is a record of four places in one array, half a line of the cache: from when on nothing of it matters any
 * more; two times; and, in the room of one, a whole number: how many times there are, as -1 - n, or where a ring of more
 * begins. Most counters never have more than two times. Of a ring the first of the two is its oldest time.
 */
const RECORD = 4;
const QUIET_FROM = 0;
const TIMES = 1;
const INLINE_TIMES = 2;
/** From the beginning of the record, in whole numbers. */
const RING = 6;

/**
 * A ring begins with three whole numbers in the room of two places: its first, how many, and its room, a power of two.
 * A full one moves to one of twice the size; released ones are reused.
 */
const RING_PLACES = 2;
const RING_HEAD = 0;
const RING_SIZE = 1;
const RING_ROOM = 2;

const NONE = -1;

/**
 * The number of a counter, by limit and key. Keys are numbered as they are first seen, so that those of busy
 * clients lie together: a page of places for each thousand of them that has some, in one array.
 */
class CounterIndex {
  /** By limit, where the pages of its keys begin; less than 0 for those that are not there. */
  readonly #pages: Int32Array[] = [];
  readonly #pageBits = engineBounds().pageBits;
  readonly #pageKeys = 1 << this.#pageBits;
  #places = new Int32Array(this.#pageKeys);
  #size = 0;

  /** @returns less than 0 where there is none */
  get(limit: number, key: number): number {
    const pages = this.#pages[limit];
    const page = key >>> this.#pageBits;
    if (pages === undefined || page >= pages.length) return NONE;
    const start = pages[page]!;
    return start < 0 ? NONE : this.#places[start + (key & (this.#pageKeys - 1))]!;
  }

  /** For a counter that is there. */
  clear(limit: number, key: number): void {
    this.#places[this.#pages[limit]![key >>> this.#pageBits]! + (key & (this.#pageKeys - 1))] = NONE;
  }

  set(limit: number, key: number, counter: number): void {
    const page = key >>> this.#pageBits;
    let pages = (this.#pages[limit] ??= new Int32Array(16).fill(NONE));
    while (page >= pages.length) pages = growWords(pages).fill(NONE, pages.length);
    this.#pages[limit] = pages;
    if (pages[page]! < 0) {
      pages[page] = this.#size;
      this.#size += this.#pageKeys;
      while (this.#size > this.#places.length) this.#places = growWords(this.#places);
      this.#places.fill(NONE, this.#size - this.#pageKeys, this.#size);
    }
    this.#places[pages[page]! + (key & (this.#pageKeys - 1))] = counter;
  }
}

export class CounterStore {
  /** State handed over as text and not used yet. */
  readonly #waiting: Map<string, StoredCounter>;
  readonly #holds: Map<string, number>;
  readonly #levels: ThrottleLevels;
  #names: KeyNames = () => '';
  readonly #bounds = engineBounds();
  #places = new CounterIndex();
  /** By counter, its limit and its key; the limit of a released one is `NONE`. */
  #named = new Int32Array(this.#bounds.counters * 2);
  #records = new Float64Array(this.#bounds.counters * RECORD);
  #recordInts = new Int32Array(this.#records.buffer);
  /** All counters, and the released ones among them. */
  #numCounters = 0;
  #freeCounters: number[] = [];
  /** Until when a counter is held, where its limit holds. */
  readonly #heldUntil = new Map<number, number>();
  #rings = new Float64Array(this.#bounds.counters);
  #ringInts = new Int32Array(this.#rings.buffer);
  #numRingPlaces = 0;
  /** Where rings are free, by the power of two that is their room. */
  #freeRings: number[][] = [];
  #sweepAtKeys = this.#bounds.sweptKeys;
  #latestUnixMs = Number.NEGATIVE_INFINITY;
  /** How many requests lay in the window that ended with the latest one, as far as its limit needs to know. */
  protected latestCount = 0;

  /** @param maxKeys how many counters and holds may be alive at once */
  constructor(
    stored: StoredState = { counters: [], holds: [] },
    private readonly maxKeys = DEFAULT_MAX_KEYS,
  ) {
    this.#waiting = new Map(stored.counters);
    this.#holds = new Map(stored.holds);
    this.#levels = new ThrottleLevels(stored.levels);
  }

  get numKeys(): number {
    return this.#waiting.size + this.#numCounters - this.#freeCounters.length + this.#holds.size + this.#levels.size;
  }

  /** Names keys from here on; earlier numbers are released. */
  setKeyNames(names: KeyNames): void {
    this.spillToText();
    this.#names = names;
  }

  /** What can still matter to requests that come later. */
  store(): StoredState {
    return { counters: [...this.counters()], holds: [...this.holds()], levels: [...this.levels()] };
  }

  /** Its counters one by one, for callers that cannot hold all of them. */
  *counters(): Generator<readonly [string, StoredCounter]> {
    for (const counter of this.#waiting) if (counter[1].quietFromUnixMs > this.#latestUnixMs) yield counter;
    for (let counter = 0; counter < this.#numCounters; counter += 1)
      if (this.#isAlive(counter) && this.#records[counter * RECORD + QUIET_FROM]! > this.#latestUnixMs)
        yield this.#storedAt(counter);
  }

  /** Its holds: their keys, and until when. */
  *holds(): Generator<readonly [string, number]> {
    for (const hold of this.#holds) if (hold[1] > this.#latestUnixMs) yield hold;
  }

  /** The levels of its throttles. */
  levels(): Generator<readonly [string, NonNullable<StoredState['levels']>[number][1]]> {
    return this.#levels.stored(this.#latestUnixMs);
  }

  #isAlive(counter: number): boolean {
    return this.#named[counter * 2] !== NONE;
  }

  #storedAt(counter: number): readonly [string, StoredCounter] {
    return [
      this.#names(this.#named[counter * 2]!, this.#named[counter * 2 + 1]!),
      {
        stampsUnixMs: this.#stampsOf(counter),
        heldUntilUnixMs: this.#heldUntil.get(counter) ?? NEVER,
        quietFromUnixMs: this.#records[counter * RECORD + QUIET_FROM]!,
      },
    ];
  }

  #stampsOf(counter: number): number[] {
    const record = counter * RECORD;
    const ring = this.#recordInts[record * 2 + RING]!;
    if (ring < 0) return [...this.#records.subarray(record + TIMES, record + TIMES - 1 - ring)];
    const [head, size, room] = this.#ringInts.subarray(ring * 2, ring * 2 + RING_ROOM + 1);
    return Array.from({ length: size! }, (_, at) => this.#rings[ring + RING_PLACES + ((head! + at) % room!)]!);
  }

  /** The numbers of keys are about to mean something else. */
  spillToText(): void {
    for (let counter = 0; counter < this.#numCounters; counter += 1)
      if (this.#isAlive(counter)) this.#waiting.set(...this.#storedAt(counter));
    this.#places = new CounterIndex();
    this.#numCounters = 0;
    this.#freeCounters = [];
    this.#heldUntil.clear();
    this.#numRingPlaces = 0;
    this.#freeRings = [];
  }

  /** Counts a request. @returns whether more than `max` lie in the window that ends with it, or a hold is active */
  count(limit: number, key: number, atUnixMs: number, { max, windowMs, holdMs }: Window): boolean {
    if (this.numKeys >= this.#sweepAtKeys) this.#sweep(atUnixMs);
    this.#latestUnixMs = atUnixMs;
    let counter = this.#places.get(limit, key);
    if (counter < 0) counter = this.#begin(limit, key);
    const record = counter * RECORD;
    const isInline = this.#recordInts[record * 2 + RING]! < 0;
    const before = atUnixMs - windowMs;
    const size = isInline
      ? this.#countInline(record, atUnixMs, before, max)
      : this.#countInRing(record, atUnixMs, before, max);
    this.latestCount = size;
    const isFull = size > max;
    if (holdMs === undefined && this.#heldUntil.size === 0) {
      this.#records[record + QUIET_FROM] = atUnixMs + windowMs;
      return isFull;
    }
    let heldUntil = this.#heldUntil.get(counter) ?? NEVER;
    const isHeld = atUnixMs < heldUntil;
    if (isFull && !isHeld && holdMs !== undefined) this.#heldUntil.set(counter, (heldUntil = atUnixMs + holdMs));
    this.#records[record + QUIET_FROM] = Math.max(atUnixMs + windowMs, heldUntil);
    return isFull || isHeld;
  }

  /** @returns how many times there are, of more than the limit only the latest: others lie in no later window that overflows */
  #countInline(record: number, atUnixMs: number, before: number, max: number): number {
    const records = this.#records;
    let size = -1 - this.#recordInts[record * 2 + RING]!;
    while (size > 0 && (size > max || records[record + TIMES]! <= before)) {
      records[record + TIMES] = records[record + TIMES + 1]!;
      size -= 1;
    }
    if (size === INLINE_TIMES)
      this.#beginRing(record, [records[record + TIMES]!, records[record + TIMES + 1]!, atUnixMs]);
    else {
      records[record + TIMES + size] = atUnixMs;
      this.#recordInts[record * 2 + RING] = -2 - size;
    }
    return size + 1;
  }

  /** The same of a counter that has a ring. */
  #countInRing(record: number, atUnixMs: number, before: number, max: number): number {
    const ring = this.#recordInts[record * 2 + RING]!;
    const ints = ring * 2;
    const start = ring + RING_PLACES;
    const room = this.#ringInts[ints + RING_ROOM]!;
    let head = this.#ringInts[ints + RING_HEAD]!;
    let size = this.#ringInts[ints + RING_SIZE]!;
    if (size > 0 && (size > max || this.#records[record + TIMES]! <= before)) {
      do {
        head = (head + 1) & (room - 1);
        size -= 1;
      } while (size > 0 && (size > max || this.#rings[start + head]! <= before));
      this.#ringInts[ints + RING_HEAD] = head;
      this.#records[record + TIMES] = size > 0 ? this.#rings[start + head]! : atUnixMs;
    }
    if (size === room) this.#growRing(record, atUnixMs);
    else {
      this.#rings[start + ((head + size) & (room - 1))] = atUnixMs;
      this.#ringInts[ints + RING_SIZE] = size + 1;
    }
    return size + 1;
  }

  /** A counter for a key that was not counted yet, or was handed over by its text. */
  #begin(limit: number, key: number): number {
    const text = this.#waiting.size > 0 ? this.#names(limit, key) : undefined;
    const stored = text === undefined ? undefined : this.#waiting.get(text);
    if (stored) this.#waiting.delete(text!);
    else if (this.numKeys >= this.maxKeys) throw new TooManyKeysError(this.maxKeys);
    const counter = this.#freeCounters.pop() ?? this.#addCounter();
    this.#named[counter * 2] = limit;
    this.#named[counter * 2 + 1] = key;
    this.#places.set(limit, key, counter);
    this.#recordInts[counter * RECORD * 2 + RING] = -1;
    if (stored) this.#restore(counter, stored);
    return counter;
  }

  #addCounter(): number {
    const counter = this.#numCounters++;
    if (this.#numCounters * 2 > this.#named.length) {
      this.#named = growWords(this.#named);
      this.#records = growFloats(this.#records);
      this.#recordInts = new Int32Array(this.#records.buffer);
    }
    return counter;
  }

  #restore(counter: number, { stampsUnixMs, heldUntilUnixMs, quietFromUnixMs }: StoredCounter): void {
    const record = counter * RECORD;
    this.#records[record + QUIET_FROM] = quietFromUnixMs;
    if (heldUntilUnixMs !== NEVER) this.#heldUntil.set(counter, heldUntilUnixMs);
    if (stampsUnixMs.length > INLINE_TIMES) this.#beginRing(record, stampsUnixMs);
    else {
      this.#records.set(stampsUnixMs, record + TIMES);
      this.#recordInts[record * 2 + RING] = -1 - stampsUnixMs.length;
    }
  }

  /** Gives a counter a ring. */
  #beginRing(record: number, stampsUnixMs: readonly number[]): void {
    let room = this.#bounds.ringRoom;
    while (room < stampsUnixMs.length) room *= 2;
    const ring = this.#allocateRing(room);
    this.#rings.set(stampsUnixMs, ring + RING_PLACES);
    this.#ringInts[ring * 2 + RING_HEAD] = 0;
    this.#ringInts[ring * 2 + RING_SIZE] = stampsUnixMs.length;
    this.#recordInts[record * 2 + RING] = ring;
    this.#records[record + TIMES] = stampsUnixMs[0]!;
  }

  /** Adds a time to a full ring. */
  #growRing(record: number, atUnixMs: number): void {
    const ring = this.#recordInts[record * 2 + RING]!;
    const start = ring + RING_PLACES;
    const head = this.#ringInts[ring * 2 + RING_HEAD]!;
    const room = this.#ringInts[ring * 2 + RING_ROOM]!;
    const to = this.#allocateRing(room * 2);
    const toStart = to + RING_PLACES;
    this.#rings.copyWithin(toStart, start + head, start + room);
    this.#rings.copyWithin(toStart + room - head, start, start + head);
    this.#rings[toStart + room] = atUnixMs;
    this.#ringInts[to * 2 + RING_HEAD] = 0;
    this.#ringInts[to * 2 + RING_SIZE] = room + 1;
    this.#recordInts[record * 2 + RING] = to;
    this.#freeRing(ring);
  }

  /** @param room a power of two */
  #allocateRing(room: number): number {
    const free = this.#freeRings[Math.log2(room)]?.pop();
    if (free !== undefined) return free;
    const ring = this.#numRingPlaces;
    this.#numRingPlaces += RING_PLACES + room;
    while (this.#numRingPlaces > this.#rings.length) {
      this.#rings = growFloats(this.#rings);
      this.#ringInts = new Int32Array(this.#rings.buffer);
    }
    this.#ringInts[ring * 2 + RING_ROOM] = room;
    return ring;
  }

  #freeRing(ring: number): void {
    (this.#freeRings[Math.log2(this.#ringInts[ring * 2 + RING_ROOM]!)] ??= []).push(ring);
  }

  /** Whether a hold is active, during which the user may continue; otherwise one begins with the next request. */
  checkGrace(key: string, atUnixMs: number, holdMs: number): boolean {
    if (this.numKeys >= this.#sweepAtKeys) this.#sweep(atUnixMs);
    this.#latestUnixMs = atUnixMs;
    if (atUnixMs < (this.#holds.get(key) ?? NEVER)) return true;
    if (!this.#holds.has(key) && this.numKeys >= this.maxKeys) throw new TooManyKeysError(this.maxKeys);
    this.#holds.set(key, atUnixMs + holdMs);
    return false;
  }

  /** Lets bytes pass at a rate. @returns how long they would wait, in milliseconds */
  throttle(key: string, atUnixMs: number, bytes: number, rate: Rate): number {
    if (this.numKeys >= this.#sweepAtKeys) this.#sweep(atUnixMs);
    this.#latestUnixMs = atUnixMs;
    if (!this.#levels.has(key) && this.numKeys >= this.maxKeys) throw new TooManyKeysError(this.maxKeys);
    return this.#levels.take(key, atUnixMs, bytes, rate);
  }

  /** Releases what has gone quiet. */
  #sweep(atUnixMs: number): void {
    for (const [key, { quietFromUnixMs }] of this.#waiting) if (quietFromUnixMs <= atUnixMs) this.#waiting.delete(key);
    for (const [key, until] of this.#holds) if (until <= atUnixMs) this.#holds.delete(key);
    this.#levels.sweep(atUnixMs);
    for (let counter = 0; counter < this.#numCounters; counter += 1)
      if (this.#records[counter * RECORD + QUIET_FROM]! <= atUnixMs && this.#isAlive(counter)) this.#release(counter);
    this.#sweepAtKeys = Math.max(this.#bounds.sweptKeys, this.numKeys * 2);
  }

  #release(counter: number): void {
    this.#places.clear(this.#named[counter * 2]!, this.#named[counter * 2 + 1]!);
    this.#named[counter * 2] = NONE;
    this.#freeCounters.push(counter);
    this.#heldUntil.delete(counter);
    const ring = this.#recordInts[counter * RECORD * 2 + RING]!;
    if (ring >= 0) this.#freeRing(ring);
  }
}
