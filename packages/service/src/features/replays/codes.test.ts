import { crc32 } from '@jadefence/core/binary';
import { describe, expect, it } from 'vitest';
import { packCodes, unpackCodes } from './codes.js';

describe('the codes of a chunk', () => {
  it.each([[[]], [[0]], [[0, 1, 65_535, 4_294_967_295]], [Array.from({ length: 65_536 }, (_, index) => index % 7)]])(
    'come back as they went in',
    async (codes) => {
      const bytes = await packCodes(Uint32Array.from(codes));
      expect([...(await unpackCodes(bytes, crc32(bytes)))]).toEqual(codes);
    },
  );

  it('are refused where a byte is another', async () => {
    const bytes = await packCodes(Uint32Array.from([1, 2, 3]));
    const checksum = crc32(bytes);
    bytes[3]! ^= 1;
    await expect(unpackCodes(bytes, checksum)).rejects.toThrow('the checksum does not fit');
  });
});
