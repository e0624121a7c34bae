export { crc32 } from './checksum.js';
export { fromZigzag, LebReader, LebWriter, toZigzag } from './leb.js';
