/** What a thread needs that builds chunks of lines that another reads. */
export type { EncodedChunk } from './columns/chunk.js';
export { ChunkBuilder } from './logs/import/chunk-builder.js';
export { LogOptionsError } from './logs/lines/reader-options.js';
export type { ParsedLines } from './logs/import/log-parser.js';
export type { ParsedRows } from './logs/import/ncsa-fields.js';
