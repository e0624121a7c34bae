/**
 * What earlier requests leave behind, kept for speed: the same meaning as the interpreter's state, written apart from it.
 * Counters are found by two numbers and lie in arrays, their times in rings of one large array; their keys are text only
 * where they are handed over.
 */
import type { StoredState } from '../decide/state.js';
import { grownFloats, grownWords } from '../columns/grown.js';

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
const FIRST_COUNTERS = 1024;
/** Below this many keys nothing is swept: it would cost more than it frees. */
const MIN_SWEEP_KEYS = 131_072;

export interface Window {
  readonly max: number;
  readonly windowMs: number;
  readonly holdMs: number | undefined;
}

type StoredCounter = StoredState['counters'][number][1];

/** The text of a key by the number of its limit and its own. */
export type KeyNames = (limit: number, key: number) => string;

/**
 * A counter is a record of eight places in one array, so that a count touches little: the end of its hold, from when on
 * nothing of it matters any more, four whole numbers about its ring in the room of two, and a ring of four. A ring that
 * needs more lies elsewhere, and has twice the room each time; where the first ring was, its oldest time stands then. What
 * is let go of is given out again.
 */
const RECORD = 8;
const HELD_UNTIL = 0;
const QUIET_FROM = 1;
const INLINE_RING = 4;
/** Of a ring that lies elsewhere. */
const OLDEST = 4;
/** Of the whole numbers, from the beginning of the record: where the ring begins, its room, its first, how many. */
const RING_START = 4;
const RING_ROOM = 5;
const RING_HEAD = 6;
const RING_SIZE = 7;
const FIRST_ROOM = 4;

const PAGE_BITS = 10;
const PAGE_KEYS = 1 << PAGE_BITS;
const NO_RECORD = -1;

/**
 * Where the record of a counter begins, by limit and key. Keys are numbered as they are first seen, so that those of busy
 * clients lie together: a page of places for each thousand of them that has some, in one array.
 */
class RecordPlaces {
  /** By limit, where the pages of its keys begin; less than 0 for those that are not there. */
  readonly #pages: Int32Array[] = [];
  #places = new Int32Array(PAGE_KEYS);
  #size = 0;

  /** @returns less than 0 where there is none */
  get(limit: number, key: number): number {
    const pages = this.#pages[limit];
    const page = key >>> PAGE_BITS;
    if (pages === undefined || page >= pages.length) return NO_RECORD;
    const start = pages[page]!;
    return start < 0 ? NO_RECORD : this.#places[start + (key & (PAGE_KEYS - 1))]!;
  }

  /** For a counter that is there. */
  forget(limit: number, key: number): void {
    this.#places[this.#pages[limit]![key >>> PAGE_BITS]! + (key & (PAGE_KEYS - 1))] = NO_RECORD;
  }

  set(limit: number, key: number, record: number): void {
    const page = key >>> PAGE_BITS;
    let pages = (this.#pages[limit] ??= new Int32Array(16).fill(NO_RECORD));
    while (page >= pages.length) pages = grownWords(pages).fill(NO_RECORD, pages.length);
    this.#pages[limit] = pages;
    if (pages[page]! < 0) {
      pages[page] = this.#size;
      this.#size += PAGE_KEYS;
      while (this.#size > this.#places.length) this.#places = grownWords(this.#places);
      this.#places.fill(NO_RECORD, this.#size - PAGE_KEYS, this.#size);
    }
    this.#places[pages[page]! + (key & (PAGE_KEYS - 1))] = record;
  }
}

export class Memory {
  /** What was handed over by text and not asked for yet. */
  readonly #waiting: Map<string, StoredCounter>;
  readonly #holds: Map<string, number>;
  #names: KeyNames = () => '';
  #records = new RecordPlaces();
  /** Of each counter its limit, its key and its record. */
  #counters = new Int32Array(FIRST_COUNTERS * 3);
  #numCounters = 0;
  #data = new Float64Array(FIRST_COUNTERS * RECORD);
  #ints = new Int32Array(this.#data.buffer);
  #dataSize = 0;
  /** Where places are free, by the power of two that they are. */
  #free: number[][] = [];
  #sweepAtKeys = MIN_SWEEP_KEYS;
  #latestUnixMs = Number.NEGATIVE_INFINITY;

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

  /** What can still matter to requests that come later. */
  store(): StoredState {
    return { counters: [...this.counters()], holds: [...this.holds()] };
  }

  /** Its counters one by one, for whoever cannot have all of them at once. */
  *counters(): Generator<readonly [string, StoredCounter]> {
    for (const counter of this.#waiting) if (counter[1].quietFromUnixMs > this.#latestUnixMs) yield counter;
    for (let index = 0; index < this.#numCounters; index += 1)
      if (this.#data[this.#counters[index * 3 + 2]! + QUIET_FROM]! > this.#latestUnixMs) yield this.#storedAt(index);
  }

  /** Its holds: their keys, and until when. */
  *holds(): Generator<readonly [string, number]> {
    for (const hold of this.#holds) if (hold[1] > this.#latestUnixMs) yield hold;
  }

  #storedAt(index: number): readonly [string, StoredCounter] {
    const record = this.#counters[index * 3 + 2]!;
    return [
      this.#names(this.#counters[index * 3]!, this.#counters[index * 3 + 1]!),
      {
        stampsUnixMs: this.#stampsOf(record),
        heldUntilUnixMs: this.#data[record + HELD_UNTIL]!,
        quietFromUnixMs: this.#data[record + QUIET_FROM]!,
      },
    ];
  }

  #stampsOf(record: number): number[] {
    const [start, room, head, size] = this.#ints.subarray(record * 2 + RING_START, record * 2 + RING_SIZE + 1);
    return Array.from({ length: size! }, (_, at) => this.#data[start! + ((head! + at) % room!)]!);
  }

  /** The numbers of keys are about to mean something else. */
  forgetNumbers(): void {
    for (let index = 0; index < this.#numCounters; index += 1) this.#waiting.set(...this.#storedAt(index));
    this.#records = new RecordPlaces();
    this.#numCounters = 0;
    this.#dataSize = 0;
    this.#free = [];
  }

  /** Counts a request. @returns whether more than `max` lie in the window that ends with it, or a hold stands */
  count(limit: number, key: number, atUnixMs: number, { max, windowMs, holdMs }: Window): boolean {
    if (this.numKeys >= this.#sweepAtKeys) this.#sweep(atUnixMs);
    this.#latestUnixMs = atUnixMs;
    let record = this.#records.get(limit, key);
    if (record < 0) record = this.#begin(limit, key);
    const ring = record * 2;
    const start = this.#ints[ring + RING_START]!;
    const room = this.#ints[ring + RING_ROOM]!;
    let head = this.#ints[ring + RING_HEAD]!;
    let size = this.#ints[ring + RING_SIZE]!;
    const before = atUnixMs - windowMs;
    // Of more than the limit only the latest can still lie in a later window that overflows.
    if (size > 0 && (size > max || this.#data[room > FIRST_ROOM ? record + OLDEST : start + head]! <= before)) {
      do {
        head = head + 1 === room ? 0 : head + 1;
        size -= 1;
      } while (size > 0 && (size > max || this.#data[start + head]! <= before));
      if (room > FIRST_ROOM) this.#data[record + OLDEST] = size > 0 ? this.#data[start + head]! : atUnixMs;
    }
    this.#ints[ring + RING_HEAD] = head;
    this.#ints[ring + RING_SIZE] = size + 1;
    if (size === room) this.#push(record, atUnixMs);
    else this.#data[start + (head + size < room ? head + size : head + size - room)] = atUnixMs;
    const isFull = size + 1 > max;
    let heldUntil = this.#data[record + HELD_UNTIL]!;
    const isHeld = atUnixMs < heldUntil;
    if (isFull && !isHeld && holdMs !== undefined) this.#data[record + HELD_UNTIL] = heldUntil = atUnixMs + holdMs;
    this.#data[record + QUIET_FROM] = Math.max(atUnixMs + windowMs, heldUntil);
    return isFull || isHeld;
  }

  /** A counter for a key that was not counted yet, or was handed over by its text. */
  #begin(limit: number, key: number): number {
    const text = this.#waiting.size > 0 ? this.#names(limit, key) : undefined;
    const stored = text === undefined ? undefined : this.#waiting.get(text);
    if (stored) this.#waiting.delete(text!);
    else if (this.numKeys >= this.maxKeys) throw new TooManyKeysError(this.maxKeys);
    return this.#add(limit, key, stored ?? EMPTY_COUNTER);
  }

  #add(limit: number, key: number, { stampsUnixMs, heldUntilUnixMs, quietFromUnixMs }: StoredCounter): number {
    const record = this.#allot(RECORD);
    const index = this.#numCounters++;
    if (index * 3 === this.#counters.length) this.#counters = grownWords(this.#counters);
    this.#counters[index * 3] = limit;
    this.#counters[index * 3 + 1] = key;
    this.#counters[index * 3 + 2] = record;
    this.#records.set(limit, key, record);
    this.#data[record + HELD_UNTIL] = heldUntilUnixMs;
    this.#data[record + QUIET_FROM] = quietFromUnixMs;
    let room = FIRST_ROOM;
    while (room < stampsUnixMs.length) room *= 2;
    const start = room === FIRST_ROOM ? record + INLINE_RING : this.#allot(room);
    this.#data.set(stampsUnixMs, start);
    if (room > FIRST_ROOM) this.#data[record + OLDEST] = stampsUnixMs[0]!;
    this.#ints[record * 2 + RING_START] = start;
    this.#ints[record * 2 + RING_ROOM] = room;
    this.#ints[record * 2 + RING_HEAD] = 0;
    this.#ints[record * 2 + RING_SIZE] = stampsUnixMs.length;
    return record;
  }

  /** @param places a power of two */
  #allot(places: number): number {
    const free = this.#free[Math.log2(places)]?.pop();
    if (free !== undefined) return free;
    const start = this.#dataSize;
    this.#dataSize += places;
    while (this.#dataSize > this.#data.length) {
      this.#data = grownFloats(this.#data);
      this.#ints = new Int32Array(this.#data.buffer);
    }
    return start;
  }

  #letGo(start: number, places: number): void {
    (this.#free[Math.log2(places)] ??= []).push(start);
  }

  /** Adds a time to a full ring, which moves to one of twice the room. */
  #push(record: number, atUnixMs: number): void {
    const ring = record * 2;
    const [start, room, head] = this.#ints.subarray(ring + RING_START, ring + RING_SIZE) as unknown as [
      number,
      number,
      number,
    ];
    const to = this.#allot(room * 2);
    this.#data.copyWithin(to, start + head, start + room);
    this.#data.copyWithin(to + room - head, start, start + head);
    this.#data[to + room] = atUnixMs;
    this.#data[record + OLDEST] = this.#data[to]!;
    if (room > FIRST_ROOM) this.#letGo(start, room);
    this.#ints[ring + RING_START] = to;
    this.#ints[ring + RING_ROOM] = room * 2;
    this.#ints[ring + RING_HEAD] = 0;
  }

  /** Whether a hold stands, in which a person may go on; where none does, one begins with the next request. */
  passesHold(key: string, atUnixMs: number, holdMs: number): boolean {
    if (this.numKeys >= this.#sweepAtKeys) this.#sweep(atUnixMs);
    this.#latestUnixMs = atUnixMs;
    if (atUnixMs < (this.#holds.get(key) ?? NEVER)) return true;
    if (!this.#holds.has(key) && this.numKeys >= this.maxKeys) throw new TooManyKeysError(this.maxKeys);
    this.#holds.set(key, atUnixMs + holdMs);
    return false;
  }

  /** Lets go of what has gone quiet. */
  #sweep(atUnixMs: number): void {
    for (const [key, { quietFromUnixMs }] of this.#waiting) if (quietFromUnixMs <= atUnixMs) this.#waiting.delete(key);
    for (const [key, until] of this.#holds) if (until <= atUnixMs) this.#holds.delete(key);
    let numKept = 0;
    for (let at = 0; at < this.#numCounters * 3; at += 3) {
      const record = this.#counters[at + 2]!;
      if (this.#data[record + QUIET_FROM]! <= atUnixMs)
        this.#forget(this.#counters[at]!, this.#counters[at + 1]!, record);
      else this.#counters.copyWithin(numKept++ * 3, at, at + 3);
    }
    this.#numCounters = numKept;
    this.#sweepAtKeys = Math.max(MIN_SWEEP_KEYS, this.numKeys * 2);
  }

  #forget(limit: number, key: number, record: number): void {
    this.#records.forget(limit, key);
    const room = this.#ints[record * 2 + RING_ROOM]!;
    if (room > FIRST_ROOM) this.#letGo(this.#ints[record * 2 + RING_START]!, room);
    this.#letGo(record, RECORD);
  }
}

const EMPTY_COUNTER: StoredCounter = { stampsUnixMs: [], heldUntilUnixMs: NEVER, quietFromUnixMs: 0 };
