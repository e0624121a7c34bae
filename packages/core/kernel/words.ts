/** Bytes, eight at a time; up to seven beyond the last are read and do not count. */

function restOf(at: usize, bytes: usize): u64 {
  return load<u64>(at) & (((<u64>1) << (bytes << 3)) - 1);
}

/** A number that differs for most values, all bits of which are mixed. */
export function hashOf(kind: u32, start: usize, end: usize): u32 {
  let hash: u64 = (<u64>kind) ^ ((<u64>(end - start)) << 32);
  let at = start;
  for (; at + 8 <= end; at += 8) {
    hash = (hash ^ load<u64>(at)) * 0x9e3779b97f4a7c15;
    hash ^= hash >> 32;
  }
  if (at < end) {
    hash = (hash ^ restOf(at, end - at)) * 0x9e3779b97f4a7c15;
    hash ^= hash >> 32;
  }
  hash *= 0xd6e8feb86659fd93;
  return (<u32>(hash >> 32)) ^ (<u32>hash);
}

export function areSame(one: usize, other: usize, bytes: usize): bool {
  let at: usize = 0;
  for (; at + 8 <= bytes; at += 8) if (load<u64>(one + at) !== load<u64>(other + at)) return false;
  return at === bytes || restOf(one + at, bytes - at) === restOf(other + at, bytes - at);
}

/** Writes up to seven bytes beyond the last, too. */
export function copyTo(to: usize, from: usize, bytes: usize): void {
  for (let at: usize = 0; at < bytes; at += 8) store<u64>(to + at, load<u64>(from + at));
}
