/** A log of which every request is decided, gone through as often as an answer needs. */
import type { ChunkRows } from '../columns/chunk.js';
import type { Ruling } from '../decide/decision.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import type { RowSequence } from '../replay/replay-chunk.js';

/** Some rows of a log. */
export interface DecidedChunk {
  /** Its number in the log. */
  readonly chunk: number;
  readonly rows: ChunkRows;
  /** Of each row its ruling, or `NOT_JUDGED`. */
  readonly codes: Uint32Array;
}

/** Rows in the order of their time, after those of the segment before. */
export interface DecidedSegment {
  readonly chunks: readonly DecidedChunk[];
  /** By index of these chunks; absent where it is one whole chunk in its own order. */
  readonly sequence?: RowSequence;
}

export interface DecidedLog {
  /** What the requests were judged by. */
  readonly context: EvaluationContext;
  /** By code. */
  readonly rulings: readonly Ruling[];
  /** Names of request headers that the log has, other than those that are fields. */
  headers(): Promise<readonly string[]>;
  /** The chunks in the order of the log. @param attributes at least these of each row are there */
  chunks(attributes: readonly string[]): AsyncIterable<DecidedChunk>;
  segments(attributes: readonly string[]): AsyncIterable<DecidedSegment>;
}

/** Rows of a log by the number of their chunk, ascending. */
export type RowsByChunk = ReadonlyMap<number, Uint32Array>;

/** What a row is for: to be stopped, to be spared, or neither. */
export const OTHER = 0;
export const CHOSEN = 1;
export const SPARED = 2;

/** Headers that are fields: rules can test more of them than whether they are there. */
const FIELDS = new Set(['host', 'user-agent', 'cookie']);
const PREFIX = 'http.request.header.';

/** The names of headers among attributes, sorted. */
export function headerNames(attributes: Iterable<string>): string[] {
  const names = [...attributes].flatMap((name) => (name.startsWith(PREFIX) ? [name.slice(PREFIX.length)] : []));
  return [...new Set(names)].filter((name) => !FIELDS.has(name)).sort();
}
