import type { LogRecord, RejectedLine, RejectReason } from '../request/record.js';
import { LineSplitter, startOf, type Line } from './lines.js';
import { parseNcsaLine } from './ncsa.js';
import { parseNdjsonLine } from './ndjson.js';
import { W3cParser } from './w3c.js';

/** The log formats that can be read, with the names people know them by. */
export const LOG_FORMATS = {
  'combined': 'NCSA combined',
  'combined-with-host': 'NCSA combined with the host in front',
  'common': 'NCSA common',
  'common-with-host': 'NCSA common with the host in front',
  'w3c': 'W3C extended',
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
/** @returns undefined for a line that says something about others and is no request itself */
type LineParser = (text: string, options: ReaderOptions) => ParsedLine | undefined;

/** Each makes a parser for one log. */
const PARSERS: Record<LogFormat, () => LineParser> = {
  'combined': () => (text, options) => parseNcsaLine(text, 'combined', false, options.host),
  'combined-with-host': () => (text) => parseNcsaLine(text, 'combined', true),
  'common': () => (text, options) => parseNcsaLine(text, 'common', false, options.host),
  'common-with-host': () => (text) => parseNcsaLine(text, 'common', true),
  'w3c': () => {
    const parser = new W3cParser();
    return (text, options) => parser.parse(text, options.host);
  },
  'ndjson': () => (text) => parseNdjsonLine(text),
};

/** Formats that never have a column for the host, so that it must be said. */
export const FORMATS_WITHOUT_HOST: readonly LogFormat[] = ['combined', 'common'];

export type ReadLine =
  | { readonly kind: 'record'; readonly record: LogRecord }
  | { readonly kind: 'rejected'; readonly rejected: RejectedLine };

/** Reads a log from pieces of its bytes. Every line comes out once, as a record or as a rejected line; empty lines are passed over. */
export class LogReader {
  readonly #splitter: LineSplitter;
  readonly #read: (line: Line) => ReadLine | undefined;

  constructor(format: LogFormat, options: ReaderOptions = {}) {
    this.#splitter = new LineSplitter(options.maxLineBytes);
    this.#read = createLineReader(format, options);
  }

  push(piece: Uint8Array): ReadLine[] {
    const read: ReadLine[] = [];
    this.#splitter.split(piece, (line) => this.#take(line, read));
    return read;
  }

  end(): ReadLine[] {
    const read: ReadLine[] = [];
    this.#splitter.finish((line) => this.#take(line, read));
    return read;
  }

  #take(line: Line, read: ReadLine[]): void {
    const one = line.isEmpty ? undefined : this.#read(line);
    if (one) read.push(one);
  }
}

/** Reads the lines of one log in their order. @returns undefined for a line that is no request itself */
export function createLineReader(format: LogFormat, options: ReaderOptions): (line: Line) => ReadLine | undefined {
  const parse = PARSERS[format]();
  return (line) => readLine(line, (text) => parse(text, options));
}

function readLine(line: Line, parse: (text: string) => ParsedLine | undefined): ReadLine | undefined {
  const parsed = line.isOverlong ? 'overlong' : parse(line.text);
  if (parsed === undefined) return undefined;
  if (typeof parsed !== 'string') return { kind: 'record', record: { line: line.number, ...parsed } };
  return { kind: 'rejected', rejected: { line: line.number, reason: parsed, start: startOf(line.text) } };
}
