import type { Random } from '@jadefence/demo';

const ODD_BYTES = [0x00, 0x09, 0x0a, 0x0d, 0x20, 0x22, 0x27, 0x28, 0x2c, 0x5b, 0x5c, 0x7b, 0x7d, 0x80, 0xc3, 0xff];
const TOKENS = ['"', '\\"', '\\x', '\\u0000', '%00', '%', '../', '[', '{', '(', 'not ', '::', '255.255.255.256', '0/0'];
const NUMBERS = ['-1', '1e309', '99999999999999999999', '0x10', '00', '2147483648', 'NaN', '1.5'];
const MAX_STEPS = 4;
const MAX_REPEATS = 300;
const MAX_BYTES = 64 * 1024;

/** @param others what pieces are taken from. @returns a sample that a few random steps have changed */
export function mutate(random: Random, sample: Buffer, others: readonly Buffer[]): Buffer {
  let bytes = sample;
  for (let step = 0; step <= random.below(MAX_STEPS); step += 1) bytes = change(random, bytes, others);
  return bytes.subarray(0, MAX_BYTES);
}

function change(random: Random, bytes: Buffer, others: readonly Buffer[]): Buffer {
  const at = random.below(bytes.length + 1);
  const end = Math.min(bytes.length, at + random.below(40));
  const insert = (piece: string | Buffer): Buffer =>
    Buffer.concat([bytes.subarray(0, at), Buffer.from(piece as string), bytes.subarray(at)]);
  switch (random.below(9)) {
    case 0:
      return insert(Buffer.from([random.pick(ODD_BYTES)]));
    case 1:
      return insert(random.pick(TOKENS));
    case 2:
      return insert(random.pick(NUMBERS));
    case 3:
      return Buffer.concat([bytes.subarray(0, at), bytes.subarray(end)]);
    case 4:
      return bytes.subarray(0, at);
    case 5: {
      const repeated = Array.from({ length: random.below(MAX_REPEATS) }, () => bytes.subarray(at, end));
      return insert(Buffer.concat(repeated));
    }
    case 6: {
      const other = random.pick(others);
      return insert(other.subarray(random.below(other.length + 1)));
    }
    case 7: {
      const flipped = Buffer.from(bytes);
      if (at < flipped.length) flipped[at] = flipped[at]! ^ (1 << random.below(8));
      return flipped;
    }
    default: {
      const swapped = Buffer.from(bytes);
      if (at < swapped.length) swapped[at] = random.below(256);
      return swapped;
    }
  }
}
