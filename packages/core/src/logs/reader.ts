import type { LogRecord, RejectedLine, RejectReason } from '../request/record.js';
import { parseCombinedLine } from './combined.js';
import { LineSplitter, startOf, type Line } from './lines.js';
import { parseNdjsonLine } from './ndjson.js';

/** The log formats that can be read, with the names people know them by. */
export const LOG_FORMATS = {
  'combined': 'NCSA combined',
  'combined-with-host': 'NCSA combined with the host in front',
  'ndjson': 'NDJSON with OpenTelemetry attribute names',
} as const;
export type LogFormat = keyof typeof LOG_FORMATS;

export interface ReaderOptions {
  /** The host of every request, for formats that have no column for it. */
  readonly host?: string;
  readonly maxLineBytes?: number;
}

/** A record without its line number, or why there is none. */
export type ParsedLine = Omit<LogRecord, 'line'> | RejectReason;
type LineParser = (text: string, options: ReaderOptions) => ParsedLine;

const PARSERS: Record<LogFormat, LineParser> = {
  'combined': (text, options) => parseCombinedLine(text, false, options.host),
  'combined-with-host': (text) => parseCombinedLine(text, true),
  'ndjson': (text) => parseNdjsonLine(text),
};

export type ReadLine =
  | { readonly kind: 'record'; readonly record: LogRecord }
  | { readonly kind: 'rejected'; readonly rejected: RejectedLine };

/** Reads a log from pieces of its bytes. Every line comes out once, as a record or as a rejected line; empty lines are passed over. */
export class LogReader {
  readonly #splitter: LineSplitter;
  readonly #parse: LineParser;

  constructor(
    format: LogFormat,
    private readonly options: ReaderOptions = {},
  ) {
    this.#splitter = new LineSplitter(options.maxLineBytes);
    this.#parse = PARSERS[format];
  }

  push(piece: Uint8Array): ReadLine[] {
    return this.#read(this.#splitter.push(piece));
  }

  end(): ReadLine[] {
    return this.#read(this.#splitter.end());
  }

  #read(lines: readonly Line[]): ReadLine[] {
    const results: ReadLine[] = [];
    for (const line of lines) {
      if (line.text === '' && !line.isOverlong) continue;
      results.push(readLine(line, (text) => this.#parse(text, this.options)));
    }
    return results;
  }
}

function readLine(line: Line, parse: (text: string) => ParsedLine): ReadLine {
  const parsed = line.isOverlong ? 'overlong' : parse(line.text);
  if (typeof parsed !== 'string') return { kind: 'record', record: { line: line.number, ...parsed } };
  return { kind: 'rejected', rejected: { line: line.number, reason: parsed, start: startOf(line.text) } };
}
