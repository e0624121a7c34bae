const TABLE = Uint32Array.from({ length: 256 }, (_, byte) => {
  let value = byte;
  for (let bit = 0; bit < 8; bit += 1) value = value & 1 ? (value >>> 1) ^ 0xedb88320 : value >>> 1;
  return value;
});

/** CRC-32 as in ISO 3309 and gzip (RFC 1952, 8), an unsigned 32-bit number. */
export function crc32(bytes: Uint8Array): number {
  let value = 0xffffffff;
  for (let at = 0; at < bytes.length; at += 1) value = (value >>> 8) ^ TABLE[(value ^ bytes[at]!) & 255]!;
  return (value ^ 0xffffffff) >>> 0;
}
