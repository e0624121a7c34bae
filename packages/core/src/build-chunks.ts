/** What a thread needs that builds chunks of lines that another reads. */
export type { EncodedChunk } from './columns/chunk.js';
export { ChunkBuilder } from './logs/chunk-builder.js';
export { LogOptionsError } from './logs/reader-options.js';
export type { ParsedLines } from './logs/log-parser.js';
export type { ParsedRows } from './logs/ncsa-fields.js';
