/** What the formats have in common: their names, and what each makes of a line. */
import type { LogRecord, RejectedLine, RejectReason } from '../../request/record.js';

/** The log formats that can be read, with the names people know them by. */
export const LOG_FORMATS = {
  'combined': 'NCSA combined',
  'combined-with-host': 'NCSA combined with the host in front',
  'common': 'NCSA common',
  'common-with-host': 'NCSA common with the host in front',
  'w3c': 'W3C extended',
  'ndjson': 'NDJSON',
  'csv': 'CSV with a header',
  'tsv': 'TSV with a header',
  'har': 'HAR 1.2',
  'key-value': 'text with key=value pairs',
  'pattern': 'lines of a pattern',
} as const;
export type LogFormat = keyof typeof LOG_FORMATS;

/** Formats whose values have names, so that a mapping can translate them. */
export const MAPPED_FORMATS: readonly LogFormat[] = ['ndjson', 'csv', 'tsv', 'key-value'];

/** A record without its line number, or why there is none. */
export type ParsedLine = Omit<LogRecord, 'line'> | RejectReason;
/**
 * @param lineTime of the wrapping line, for lines without a time
 * @returns undefined for a line of metadata
 */
export type LineParser = (text: string, lineTime: number | undefined) => ParsedLine | undefined;

/** A line that was read, with its number. */
export type ReadLine =
  /** With the bytes of its line, where they are kept. */
  | { readonly kind: 'record'; readonly record: LogRecord; readonly bytes?: Uint8Array }
  | { readonly kind: 'rejected'; readonly rejected: RejectedLine };
