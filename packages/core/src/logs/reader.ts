import { FILE_ATTRIBUTE } from '../request/record.js';
import { parseHarEntry } from './formats/har.js';
import { HarSplitter } from './formats/har-entries.js';
import { countMarks, resolveMarks } from './lines/byte-marks.js';
import { createKeyValueParser } from './formats/key-value.js';
import { LogOptionsError, type ReaderOptions } from './lines/reader-options.js';
import { LOG_FORMATS, MAPPED_FORMATS, type LineParser, type LogFormat, type ReadLine } from './lines/line-parser.js';
import { LineSplitter, startOf, type Line, type Splitter } from './lines/lines.js';
import { Naming } from './naming/naming.js';
import { parseNcsaLine } from './formats/ncsa.js';
import { parseNdjsonLine } from './formats/ndjson.js';
import { createPatternParser } from './formats/pattern.js';
import { createSeparatedParser } from './formats/separated.js';
import { inSyslog } from './formats/syslog.js';
import { assertZone, TimeReader } from './naming/times.js';
import { W3cParser } from './formats/w3c.js';

/** Each makes a parser for one log. */
const PARSERS: Record<LogFormat, (options: ReaderOptions) => LineParser> = {
  'combined':
    ({ host }) =>
    (text) =>
      parseNcsaLine(text, 'combined', false, host),
  'combined-with-host':
    ({ host }) =>
    (text) =>
      parseNcsaLine(text, 'combined', true, host),
  'common':
    ({ host }) =>
    (text) =>
      parseNcsaLine(text, 'common', false, host),
  'common-with-host':
    ({ host }) =>
    (text) =>
      parseNcsaLine(text, 'common', true, host),
  'w3c': ({ host }) => {
    const parser = new W3cParser();
    return (text) => parser.parse(text, host);
  },
  'ndjson': ({ host, zone, mapping }) => {
    const naming = mapping && new Naming(mapping);
    const times = new TimeReader(zone);
    return (text, lineTime) => parseNdjsonLine(text, { host, times, naming, lineTime });
  },
  'csv': (options) => separatedParser('csv', options),
  'tsv': (options) => separatedParser('tsv', options),
  'har': () => (text) => parseHarEntry(text),
  'key-value': ({ host, zone, mapping }) => createKeyValueParser(new Naming(mapping), new TimeReader(zone), host),
  'pattern': ({ host, zone, pattern = '' }) => createPatternParser(pattern, new TimeReader(zone), host),
};

function separatedParser(kind: 'csv' | 'tsv', { host, zone, mapping, isInSyslog }: ReaderOptions): LineParser {
  return createSeparatedParser(kind, new Naming(mapping), new TimeReader(zone), host, isInSyslog === true);
}

/** @throws LogOptionsError if the options contradict each other */
function parserOf(format: LogFormat, options: ReaderOptions): LineParser {
  if ((format === 'pattern') !== (options.pattern !== undefined))
    throw new LogOptionsError(
      format === 'pattern'
        ? 'The format is that of a pattern, and none is given.'
        : `A pattern is given, and the format is ${format}.`,
      'Give a pattern with the format "pattern", or leave both out.',
    );
  if (options.mapping && !MAPPED_FORMATS.includes(format))
    throw new LogOptionsError(
      `--mapping cannot be used with ${LOG_FORMATS[format]}.`,
      `It does about ${MAPPED_FORMATS.join(', ')}.`,
    );
  if (options.isInSyslog && format === 'har')
    throw new LogOptionsError('HAR cannot be combined with --syslog.', 'Leave one of the two out.');
  // Also refused if every time of the format has a zone.
  if (options.zone !== undefined) assertZone(options.zone);
  const parser = PARSERS[format](options);
  return options.isInSyslog ? inSyslog(parser, options.year, options.zone) : parser;
}

/** What cuts the bytes of a log of this format into what is read one by one. */
export function createSplitter(format: LogFormat, { maxLineBytes, isInSyslog }: ReaderOptions): Splitter {
  return format === 'har'
    ? new HarSplitter(maxLineBytes)
    : new LineSplitter(maxLineBytes, format === 'csv' && !isInSyslog);
}

/** Reads a log from pieces of its bytes. Every line comes out once, as a record or as a rejected line; empty lines are passed over. */
export class LogReader {
  readonly #splitter: Splitter;
  readonly #read: (line: Line) => ReadLine | undefined;

  /**
   * @param file its name, where it is one of several, which its lines then bear
   * @throws LogOptionsError if the options contradict each other; every method throws it if they do not fit the log
   */
  constructor(format: LogFormat, options: ReaderOptions = {}, file?: string) {
    this.#splitter = createSplitter(format, options);
    const read = createLineReader(format, options);
    this.#read =
      file === undefined
        ? read
        : (line) => {
            const readLine = read(line);
            return readLine && markLine(readLine, file);
          };
  }

  push(piece: Uint8Array): ReadLine[] {
    const read: ReadLine[] = [];
    this.#splitter.split(piece, (line) => this.#take(line, read));
    return read;
  }

  /** @param isCut whether the log ended too early, so that a line without an end is no request */
  end(isCut = false): ReadLine[] {
    const read: ReadLine[] = [];
    this.#splitter.finish((line) => this.#take(line, read), isCut);
    return read;
  }

  /** All lines, in batches of one piece each. @param isCut called at the end: whether the log ended too early */
  async *readAll(
    pieces: AsyncIterable<Uint8Array>,
    isCut: () => boolean = () => false,
  ): AsyncGenerator<readonly ReadLine[]> {
    for await (const piece of pieces) yield this.push(piece);
    yield this.end(isCut());
  }

  #take(line: Line, read: ReadLine[]): void {
    const readLine = line.isEmpty ? undefined : this.#read(line);
    if (readLine) read.push(readLine);
  }
}

/** The line with the name of its file. */
export function markLine(read: ReadLine, file: string): ReadLine {
  if (read.kind === 'rejected') return { ...read, rejected: { ...read.rejected, file } };
  return { ...read, record: { ...read.record, attributes: { ...read.record.attributes, [FILE_ATTRIBUTE]: file } } };
}

/**
 * Reads the lines of one log in their order; undefined for one that is no request itself.
 * @throws LogOptionsError if the options contradict each other or a header does not fit the mapping
 */
export function createLineReader(format: LogFormat, options: ReaderOptions): (line: Line) => ReadLine | undefined {
  const parse = parserOf(format, options);
  return (line) => readLine(line, parse);
}

function readLine(line: Line, parse: LineParser): ReadLine | undefined {
  const numMarks = countMarks();
  const { text } = line;
  const isInvalid = text.includes('\ufffd');
  const parsed = line.isOverlong
    ? 'overlong'
    : line.isCut
      ? 'cut-off'
      : parse(isInvalid ? line.markedText : text, undefined);
  if (parsed === undefined) return undefined;
  if (typeof parsed !== 'string') {
    const { atUnixMs } = parsed;
    const attributes = countMarks() === numMarks ? parsed.attributes : resolveMarks(parsed.attributes);
    return { kind: 'record', record: { line: line.number, atUnixMs, attributes } };
  }
  return { kind: 'rejected', rejected: { line: line.number, reason: parsed, start: startOf(line.text) } };
}
