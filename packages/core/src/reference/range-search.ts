/**
 * Finds, among ascending starts of addresses, the last at or below one. Waiting for memory is what a lookup does, so
 * what is searched has as few bytes as can be: of a start, only the bits behind those that led to it. Measured and
 * rejected: a direct table over 24 bits (32 MB more, no faster from text), searches without branches (slower, since
 * guesses fetch ahead), blocks of addresses at once.
 */

/** What finds an IPv4 address: halving, below an index of the top 16 bits. */
export interface Ipv4Index {
  /** For each value of the top 16 bits, how many starts are below it. */
  readonly index: Uint32Array;
  /** The lower 16 bits of each start. */
  readonly lower: Uint16Array;
}

/** @param starts ascending */
export function buildIpv4Index(starts: Uint32Array): Ipv4Index {
  const index = new Uint32Array(0x10001);
  for (const start of starts) index[(start >>> 16) + 1]! += 1;
  for (let at = 0; at < 0x10000; at += 1) index[at + 1]! += index[at]!;
  return { index, lower: Uint16Array.from(starts) };
}

/** @returns the number of the last start at or below the address, or -1 */
export function findIpv4({ index, lower }: Ipv4Index, bits: number): number {
  const top = bits >>> 16;
  const key = bits & 0xffff;
  let low = index[top]!;
  let high = index[top + 1]!;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (lower[middle]! <= key) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

/**
 * What finds an IPv6 address: a tree of slots, since starts crowd below a few prefixes. The first list has a slot for each
 * value of the top 16 bits; below one that is in use, the list has a slot for each value of the next 10 or more. Where
 * many starts share one, they are divided evenly by their distance from the lowest. The few that are left are halved.
 */
export interface Ipv6Index {
  /** How many starts are below the slot, or `IS_NODE` and the place of the node that divides it. A list ends by one more. */
  readonly slots: Uint32Array;
  /** Nodes, each in the words that `LOW` to `NUM_SLOTS` name. */
  readonly nodes: Uint32Array;
  /** Of each start, the 32 bits behind the first 26. */
  readonly keys: Uint32Array;
  /** Of each start, the next bits up to 64, above a bit that marks further ones. */
  readonly tails: Uint8Array;
  /** Four words each, the highest first. */
  readonly starts: Uint32Array;
}

const BITS_ABOVE_KEY = 26;
const BITS_OF_TAIL = 6;
const IS_NODE = 0x8000_0000;
/** How many starts are below the node. */
const LOW = 0;
/** Its lowest key. */
const BASE = 1;
/** How far right of the distance from the lowest key the number of a slot is. */
const SHIFT = 2;
/** Where its list of slots is. */
const SLOTS = 3;
const NUM_SLOTS = 4;
/** So many starts are halved, not divided. */
const FEW_STARTS = 64;

/** @param starts ascending, four words each, the highest first */
export function buildIpv6Index(starts: Uint32Array): Ipv6Index {
  const length = starts.length / 4;
  const keys = Uint32Array.from({ length }, (_, nth) => keyOf(starts[4 * nth]!, starts[4 * nth + 1]!));
  const tails = Uint8Array.from({ length }, (_, nth) => tailOf(starts, 4 * nth));
  const [slots, nodes]: [number[], number[]] = [[], []];
  /** Adds a list of slots; `slotOf` ascends. */
  const addSlots = (from: number, to: number, numSlots: number, slotOf: (nth: number) => number): number => {
    const at = slots.length;
    for (let slot = 0, nth = from; slot <= numSlots; slot += 1) {
      while (nth < to && slotOf(nth) < slot) nth += 1;
      slots.push(nth);
    }
    return at;
  };
  /** Divides the slots of a list that hold more than so many starts. */
  const divideSlots = (at: number, numSlots: number, few: number, divide: (low: number, high: number) => number) => {
    for (let slot = at, low = slots[at]!; slot < at + numSlots; slot += 1) {
      const high = slots[slot + 1]!;
      if (high - low > few) slots[slot] = divide(low, high);
      low = high;
    }
  };
  const addNode = (low: number, high: number, base: number, shift: number, numSlots: number, keyAt: KeyAt): number => {
    const node = nodes.length;
    nodes.push(
      low,
      base,
      shift,
      addSlots(low, high, numSlots, (nth) => (keyAt(nth) - base) >>> shift),
      numSlots,
    );
    divideSlots(nodes[node + SLOTS]!, numSlots, FEW_STARTS, divideKeys);
    return (IS_NODE | node) >>> 0;
  };
  const divideKeys = (low: number, high: number): number => {
    const [base, last] = [keys[low]!, keys[high - 1]!];
    // Keys that are all the same are distinguished by what is behind them.
    if (base === last) return low;
    const shift = Math.max(0, 32 - Math.clz32(last - base) - slotBits(high - low));
    return addNode(low, high, base, shift, ((last - base) >>> shift) + 1, (nth) => keys[nth]!);
  };
  const divideTop = (low: number, high: number): number => {
    const bits = Math.min(16, Math.max(BITS_ABOVE_KEY - 16, slotBits(high - low)));
    return addNode(low, high, 0, 16 - bits, 1 << bits, (nth) => starts[4 * nth]! & 0xffff);
  };
  addSlots(0, length, 0x10000, (nth) => starts[4 * nth]! >>> 16);
  divideSlots(0, 0x10000, 0, divideTop);
  return { slots: Uint32Array.from(slots), nodes: Uint32Array.from(nodes), keys, tails, starts };
}

type KeyAt = (nth: number) => number;

/** The bits of as many slots as there are starts, or of half as many. */
function slotBits(numStarts: number): number {
  return 31 - Math.clz32(numStarts);
}

/** @returns the number of the last start at or below the address of four words, or -1 */
export function findIpv6({ slots, nodes, keys, tails, starts }: Ipv6Index, words: Uint32Array): number {
  const w0 = words[0]!;
  const key = keyOf(w0, words[1]!);
  let low = slots[w0 >>> 16]!;
  if (low < IS_NODE) return low - 1;
  const top = low & ~IS_NODE;
  let slot = nodes[top + SLOTS]! + ((w0 & 0xffff) >>> nodes[top + SHIFT]!);
  low = slots[slot]!;
  let high = lowOf(nodes, slots[slot + 1]!);
  while (low >= IS_NODE) {
    const node = low & ~IS_NODE;
    const base = nodes[node + BASE]!;
    if (key < base) return nodes[node + LOW]! - 1;
    const nth = (key - base) >>> nodes[node + SHIFT]!;
    if (nth >= nodes[node + NUM_SLOTS]!) return high - 1;
    slot = nodes[node + SLOTS]! + nth;
    low = slots[slot]!;
    high = lowOf(nodes, slots[slot + 1]!);
  }
  while (low < high) {
    const middle = (low + high) >>> 1;
    const match = keys[middle]!;
    if (match < key || (match === key && !isTailBelow(words, tails[middle]!, starts, 4 * middle))) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

function lowOf(nodes: Uint32Array, slot: number): number {
  return slot < IS_NODE ? slot : nodes[(slot & ~IS_NODE) + LOW]!;
}

function keyOf(w0: number, w1: number): number {
  return ((w0 << BITS_ABOVE_KEY) | (w1 >>> BITS_OF_TAIL)) >>> 0;
}

function tailOf(words: Uint32Array, at: number): number {
  const goesOn = words[at + 2] !== 0 || words[at + 3] !== 0;
  return ((words[at + 1]! & ((1 << BITS_OF_TAIL) - 1)) << 1) | (goesOn ? 1 : 0);
}

/** Whether an address is below a start with the same key. */
function isTailBelow(words: Uint32Array, tail: number, starts: Uint32Array, at: number): boolean {
  const ours = tailOf(words, 0);
  if (ours >>> 1 !== tail >>> 1) return ours < tail;
  if ((tail & 1) === 0) return false;
  return words[2] === starts[at + 2] ? words[3]! < starts[at + 3]! : words[2]! < starts[at + 2]!;
}
