/** Blocks of memory of 2^n bytes. One that is released is given out again. */

const SMALLEST_BITS: u32 = 6;
const PAGE_BITS: u32 = 16;
/** The first free block of each size; a free block begins with where the next lies. */
const firstFree: usize = memory.data(32 << alignof<usize>());
let next: usize = (__heap_base + 63) & ~63;

function bitsOf(bytes: usize): u32 {
  const bits: u32 = 32 - clz<u32>(<u32>bytes - 1);
  return bits < SMALLEST_BITS ? SMALLEST_BITS : bits;
}

/** @returns where a block begins that holds so many bytes, whatever was in it before; traps where there is no memory */
export function allocate(bytes: usize): usize {
  const bits = bitsOf(bytes);
  const list = firstFree + bits * sizeof<usize>();
  const free = load<usize>(list);
  if (free !== 0) {
    store<usize>(list, load<usize>(free));
    return free;
  }
  const block = next;
  next += (<usize>1) << bits;
  const missing = <i32>((next + 0xffff) >> PAGE_BITS) - memory.size();
  if (missing > 0 && memory.grow(missing) < 0) unreachable();
  return block;
}

/** @param bytes as it was allocated with */
export function release(block: usize, bytes: usize): void {
  const list = firstFree + bitsOf(bytes) * sizeof<usize>();
  store<usize>(block, load<usize>(list));
  store<usize>(list, block);
}

/** Moves the first bytes of a block to a larger one. */
export function enlarge(block: usize, bytes: usize, largerBytes: usize): usize {
  const larger = allocate(largerBytes);
  memory.copy(larger, block, bytes);
  release(block, bytes);
  return larger;
}
