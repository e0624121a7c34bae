import { REJECT_REASONS, type LogRecord, type RejectedLine } from '../request/record.js';
import { LogOptionsError, type ReaderOptions } from './lines/reader-options.js';
import { LOG_FORMATS, MAPPED_FORMATS, type LogFormat, type ReadLine } from './lines/line-parser.js';
import { LogReader } from './reader.js';
import { proposePattern } from './ncsa-pattern.js';
import { messageOf } from './formats/syslog.js';

/** How well one format fits the first lines of a log. */
export interface FormatFit {
  readonly format: LogFormat;
  readonly isInSyslog: boolean;
  readonly numAccepted: number;
  readonly numRejected: number;
  /** The first five lines that it would reject. */
  readonly rejected: readonly RejectedLine[];
  /** Whether some request names its host, or is not HTTP. */
  readonly namesHost: boolean;
}

/** What detection found; never a silent guess. */
export interface Detection {
  readonly numLines: number;
  /** The best fit, or undefined where no format takes at least half of the lines. */
  readonly best?: FormatFit;
  /** Whether no request names its host, so that it must be given. */
  readonly needsHost: boolean;
  /** One sentence for people. */
  readonly summary: string;
  /** What to do where no format fits. */
  readonly hint?: string;
  /** One that fits, where no format does. */
  readonly pattern?: string;
}

const LOOK_AT_LINES = 200;
const FORMATS_HINT = `Formats that can be read: ${Object.entries(LOG_FORMATS)
  .map(([id, name]) => `${id} (${name})`)
  .join(', ')}.`;

/**
 * @param start the first bytes of the log, enough for 200 lines; a line cut off at their end is not looked at unless it is the only one
 * @param options the options given for the log
 * @param chosen the format, if it is given
 * @throws LogOptionsError if the options contradict each other or do not fit the log
 */
export function detectFormat(
  start: Uint8Array,
  isWhole: boolean,
  options: ReaderOptions = {},
  chosen?: LogFormat,
): Detection {
  const end = isWhole ? start.length : start.lastIndexOf(0x0a) + 1 || start.length;
  const lines = start.subarray(0, end);
  if (lines.length === 0) return { numLines: 0, needsHost: false, summary: 'The log is empty.' };
  const problems = new Map<LogFormat, LogOptionsError>();
  const fits = candidatesFor(lines, options, chosen).flatMap(([format, isInSyslog]) => {
    try {
      // Entries of a HAR file end anywhere.
      const bytes = format === 'har' ? start : lines;
      return [measureFit(format, { ...options, isInSyslog }, bytes, isWhole || format !== 'har')];
    } catch (error) {
      if (!(error instanceof LogOptionsError)) throw error;
      problems.set(format, error);
      return [];
    }
  });
  // The one before wins a tie: the patterns of the two NCSA shapes can both take a line only where the client column is a host.
  const best = fits.length === 0 ? undefined : fits.reduce((a, b) => (b.numAccepted > a.numAccepted ? b : a));
  const numLines = Math.max(0, ...fits.map((fit) => fit.numAccepted + fit.numRejected));
  const proposed = chosen ? undefined : proposePattern(linesOf(lines).slice(0, LOOK_AT_LINES));
  const isKnown =
    best &&
    best.numAccepted > 0 &&
    best.numAccepted >= best.numRejected &&
    !(best.format.endsWith('with-host') && proposed?.isNoHost);
  if (!best || (!isKnown && !chosen)) {
    const separated = separatedAs(lines);
    const problem = best ? separated && problems.get(separated) : [...problems.values()][0];
    if (problem) throw problem;
    const rejected = fits.find(({ format }) => format === separated)?.rejected[0];
    if (proposed)
      return {
        numLines,
        needsHost: false,
        summary: `None of the formats fits: ${proposed.summary}`,
        hint: `Read it with --pattern '${proposed.pattern}'.`,
        pattern: proposed.pattern,
      };
    return {
      numLines,
      needsHost: false,
      summary: `None of the formats fits: ${looksLike(lines, rejected)}`,
      hint: FORMATS_HINT,
    };
  }
  const needsHost =
    best.numAccepted > 0 && !best.namesHost && (best.format !== 'ndjson' || options.mapping !== undefined);
  return { numLines: best.numAccepted + best.numRejected, best, needsHost, summary: summaryOf(best) };
}

/** Why a log that needs a host cannot be judged without one. */
export function describeMissingHost({ format }: FormatFit): string {
  return `The log names no host (${LOG_FORMATS[format]}), so no gate would cover any request.`;
}

function summaryOf({ format, isInSyslog, numAccepted, numRejected }: FormatFit): string {
  const rejects = numRejected === 0 ? 'none would be rejected' : `${numRejected} would be rejected`;
  const name = isInSyslog ? `syslog with ${LOG_FORMATS[format]} in it` : LOG_FORMATS[format];
  const [one, several] = format === 'har' ? ['entry', 'entries'] : ['line', 'lines'];
  const numLooked = numAccepted + numRejected;
  const text =
    numLooked === 1
      ? `its one ${one} ${numAccepted === 1 ? 'can be read' : 'would be rejected'}`
      : `of the first ${numLooked} ${several} ${numAccepted} can be read and ${rejects}`;
  return `Looks like ${name}: ${text}.`;
}

/** The formats that are tried, each as it is, and within syslog where the lines look like that. */
function candidatesFor(
  lines: Uint8Array,
  options: ReaderOptions,
  chosen: LogFormat | undefined,
): [format: LogFormat, isInSyslog: boolean][] {
  const all = (Object.keys(LOG_FORMATS) as LogFormat[]).filter((format) => format !== 'pattern');
  const named = options.mapping ? all.filter((format) => MAPPED_FORMATS.includes(format)) : all;
  const formats: LogFormat[] = chosen ? [chosen] : options.pattern === undefined ? named : ['pattern'];
  const first =
    new TextDecoder()
      .decode(lines.subarray(0, 4096))
      .split(/\r?\n/)
      .find((line) => line !== '') ?? '';
  const message = messageOf(first);
  const isWrapped = options.isInSyslog ?? message !== undefined;
  const ways = options.isInSyslog === undefined && isWrapped ? [true, false] : [isWrapped];
  return ways.flatMap((isInSyslog) =>
    formats
      .filter((format) => !isInSyslog || chosen !== undefined || canBeInSyslog(format, message ?? ''))
      .map((format): [LogFormat, boolean] => [format, isInSyslog]),
  );
}

/** Whether the first text in lines of syslog can begin a log of the format. Any text is a header of one column. */
function canBeInSyslog(format: LogFormat, message: string): boolean {
  if (format === 'har') return false;
  const marks = { csv: /[,;]/, tsv: /\t/ };
  return (format !== 'csv' && format !== 'tsv') || (marks[format].test(message) && !message.startsWith('#'));
}

function linesOf(bytes: Uint8Array): string[] {
  const text = new TextDecoder().decode(bytes.subarray(0, 65_536));
  const lines = text.split(/\r?\n/);
  if (bytes.length > 65_536 || text.endsWith('\n')) lines.pop();
  return lines.filter((line) => line !== '');
}

function measureFit(format: LogFormat, options: ReaderOptions, bytes: Uint8Array, isWhole: boolean): FormatFit {
  const reader = new LogReader(format, options);
  const results: ReadLine[] = [];
  const pieceBytes = 65_536;
  for (let at = 0; at < bytes.length && results.length < LOOK_AT_LINES; at += pieceBytes)
    for (const line of reader.push(bytes.subarray(at, at + pieceBytes))) results.push(line);
  if (results.length < LOOK_AT_LINES && isWhole) for (const line of reader.end()) results.push(line);
  const looked = results.slice(0, LOOK_AT_LINES);
  const rejected = looked.flatMap((result) => (result.kind === 'rejected' ? [result.rejected] : []));
  return {
    format,
    isInSyslog: options.isInSyslog === true,
    numAccepted: looked.length - rejected.length,
    numRejected: rejected.length,
    rejected: rejected.slice(0, 5),
    namesHost: looked.some((result) => result.kind === 'record' && namesHost(result.record)),
  };
}

const HOST_ATTRIBUTES = [
  'http.request.header.host',
  'url.full',
  'server.address',
  'destination.address',
  'tls.client.server_name',
];

function namesHost({ attributes }: LogRecord): boolean {
  // `-`, `_` and the like are what servers write in place of one.
  return HOST_ATTRIBUTES.some((name) => /[a-z\d]/i.test([attributes[name]].flat().join('')));
}

/** Whether a log seems to have a header and rows, and which mark is between the cells. */
function separatedAs(bytes: Uint8Array): 'csv' | 'tsv' | undefined {
  const text = new TextDecoder().decode(bytes.subarray(0, 4096));
  const [header = '', row = ''] = text.split(/\r?\n/);
  const separator = [',', ';', '\t'].find((name) => header.split(name).length > 2);
  if (separator === undefined || /^\s*[[{]/.test(text) || !row.includes(separator)) return undefined;
  return separator === '\t' ? 'tsv' : 'csv';
}

/**
 * What a log that no format takes looks like, in words.
 * @param rejected its first line, where it seems to be one of rows under a header
 */
function looksLike(bytes: Uint8Array, rejected: RejectedLine | undefined): string {
  const text = new TextDecoder().decode(bytes.subarray(0, 4096));
  const firstLine = text.split(/\r?\n/, 1)[0]!.slice(0, 120);
  if (bytes.subarray(0, 4096).includes(0)) return 'the file is not text.';
  if (/^#(Fields|Version|Software|Date):/.test(text))
    return 'it begins as a W3C extended log, but its lines do not have the columns of the line "#Fields:" before them.';
  if (/^\s*[[{]/.test(text))
    return `it is JSON, but neither HAR nor one record with a timestamp on each line; a mapping translates other names. It begins: ${firstLine}`;
  if (/^<\d{1,3}>|^[A-Z][a-z]{2} {1,2}\d{1,2} \d\d:/.test(text))
    return `these are lines of syslog, and their content needs a pattern or a mapping, or a year where their times have none. It begins: ${firstLine}`;
  if (/\[\d{2}\/[A-Z][a-z]{2}\/\d{4}:/.test(firstLine))
    return `it has the time of an NCSA log, but not the columns of combined (client - user [time] "request" status bytes "referer" "agent"); a pattern describes the columns. It begins: ${firstLine}`;
  if (rejected)
    return `it has a header and rows, but of line ${rejected.line} ${REJECT_REASONS[rejected.reason]}. It begins: ${firstLine}`;
  return `it begins: ${firstLine}`;
}
