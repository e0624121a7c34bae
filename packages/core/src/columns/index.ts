export { ChunkRows, COMMON_COLUMNS, type EncodedChunk, TIME_COLUMN } from './chunk.js';
export { DamagedColumnError } from './column.js';
export { SegmentDictionaries } from './segment-dictionaries.js';
