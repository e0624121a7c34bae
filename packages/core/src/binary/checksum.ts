/** What a byte does to the value, by how many bytes follow it in the same step. */
const [T0, T1, T2, T3, T4, T5, T6, T7] = makeTables();

type Checksum = (bytes: Uint8Array) => number;
/** What Node has of this, several times as fast; browsers have nothing like it. */
interface Platform {
  readonly process?: { getBuiltinModule?(name: 'node:zlib'): { readonly crc32?: Checksum } };
}

/** CRC-32 as in ISO 3309 and gzip (RFC 1952, 8), an unsigned 32-bit number. */
export const crc32: Checksum = (globalThis as Platform).process?.getBuiltinModule?.('node:zlib').crc32 ?? crc32Anywhere;

/** The same where the platform does not have it: eight bytes at a time. */
export function crc32Anywhere(bytes: Uint8Array): number {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  let value = -1;
  let at = 0;
  for (; at + 8 <= bytes.length; at += 8) {
    const low = value ^ view.getInt32(at, true);
    const high = view.getInt32(at + 4, true);
    value =
      T7[low & 255]! ^
      T6[(low >>> 8) & 255]! ^
      T5[(low >>> 16) & 255]! ^
      T4[low >>> 24]! ^
      T3[high & 255]! ^
      T2[(high >>> 8) & 255]! ^
      T1[(high >>> 16) & 255]! ^
      T0[high >>> 24]!;
  }
  for (; at < bytes.length; at += 1) value = (value >>> 8) ^ T0[(value ^ bytes[at]!) & 255]!;
  return ~value >>> 0;
}

type Tables = readonly [Int32Array, Int32Array, Int32Array, Int32Array, Int32Array, Int32Array, Int32Array, Int32Array];

function makeTables(): Tables {
  const item = Int32Array.from({ length: 256 }, (_, byte) => {
    let value = byte;
    for (let bit = 0; bit < 8; bit += 1) value = value & 1 ? (value >>> 1) ^ 0xedb88320 : value >>> 1;
    return value;
  });
  const tables = [item];
  while (tables.length < 8) tables.push(tables.at(-1)!.map((value) => (value >>> 8) ^ item[value & 255]!));
  return tables as unknown as Tables;
}
