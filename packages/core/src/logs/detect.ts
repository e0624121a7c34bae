import type { LogRecord, RejectedLine } from '../request/record.js';
import { LOG_FORMATS, LogReader, type LogFormat, type ReadLine } from './reader.js';

/** How well one format fits the first lines of a log. */
export interface FormatFit {
  readonly format: LogFormat;
  readonly numAccepted: number;
  readonly numRejected: number;
  /** The first five lines that it would reject. */
  readonly rejected: readonly RejectedLine[];
  /** Whether some request says which host is asked for, or is no HTTP. */
  readonly namesHost: boolean;
}

/** What detection found; never a silent guess. */
export interface Detection {
  readonly numLines: number;
  /** The best fit, or undefined where no format takes at least half of the lines. */
  readonly best?: FormatFit;
  /** Whether the format has no column for the host, so that it must be said. */
  readonly needsHost: boolean;
  /** One sentence for people. */
  readonly summary: string;
}

const LOOK_AT_LINES = 200;

/** @param start the first bytes of the log, enough for 200 lines; a line cut off at their end is not looked at unless it is the only one */
export function detectFormat(start: Uint8Array, isWhole: boolean): Detection {
  const end = isWhole ? start.length : start.lastIndexOf(0x0a) + 1 || start.length;
  const fits = (Object.keys(LOG_FORMATS) as LogFormat[]).map((format) => measureFit(format, start.subarray(0, end)));
  const numLines = Math.max(...fits.map((fit) => fit.numAccepted + fit.numRejected));
  // The line before wins a tie: the patterns of the two NCSA shapes can both take a line only where the client column is a host.
  const best = fits.reduce((a, b) => (b.numAccepted > a.numAccepted ? b : a));
  if (numLines === 0) return { numLines, needsHost: false, summary: 'The log is empty.' };
  const numLooked = best.numAccepted + best.numRejected;
  if (best.numAccepted === 0 || best.numAccepted * 2 < numLooked)
    return { numLines, needsHost: false, summary: `None of the formats fits: ${looksLike(start.subarray(0, end))}` };
  const rejects = best.numRejected === 0 ? 'none would be rejected' : `${best.numRejected} would be rejected`;
  const summary = `Looks like ${LOG_FORMATS[best.format]}: of the first ${numLooked} lines ${best.numAccepted} can be read and ${rejects}.`;
  return { numLines: numLooked, best, needsHost: best.format !== 'ndjson' && !best.namesHost, summary };
}

function measureFit(format: LogFormat, bytes: Uint8Array): FormatFit {
  const reader = new LogReader(format);
  const results: ReadLine[] = [];
  const pieceBytes = 65_536;
  for (let at = 0; at < bytes.length && results.length < LOOK_AT_LINES; at += pieceBytes)
    results.push(...reader.push(bytes.subarray(at, at + pieceBytes)));
  if (results.length < LOOK_AT_LINES) results.push(...reader.end());
  const looked = results.slice(0, LOOK_AT_LINES);
  const rejected = looked.flatMap((result) => (result.kind === 'rejected' ? [result.rejected] : []));
  return {
    format,
    numAccepted: looked.length - rejected.length,
    numRejected: rejected.length,
    rejected: rejected.slice(0, 5),
    namesHost: looked.some((result) => result.kind === 'record' && saysHost(result.record)),
  };
}

function saysHost({ attributes }: LogRecord): boolean {
  return attributes['http.request.header.host'] != null || attributes['url.full'] != null;
}

/** What a log that no format takes looks like, in words. */
function looksLike(bytes: Uint8Array): string {
  const text = new TextDecoder().decode(bytes.subarray(0, 4096));
  const firstLine = text.split(/\r?\n/, 1)[0]!.slice(0, 120);
  if (bytes.subarray(0, 4096).includes(0)) return 'the file is not text.';
  if (/^#(Fields|Version|Software|Date):/.test(text))
    return 'it begins as a W3C extended log, but its lines do not have the columns that a line "#Fields:" before them says.';
  if (/^\s*\{\s*"log"\s*:/.test(text)) return 'this is a HAR file, which is not read yet.';
  if (/^\s*[[{]/.test(text))
    return `it is JSON, but not one record with a timestamp on each line. It begins: ${firstLine}`;
  if (/^<\d{1,3}>|^[A-Z][a-z]{2} [ \d]\d \d\d:/.test(text))
    return `these are syslog lines, which are not read yet. It begins: ${firstLine}`;
  if (/\[\d{2}\/[A-Z][a-z]{2}\/\d{4}:/.test(firstLine))
    return `it has the time of an NCSA log, but not the columns of combined (client - user [time] "request" status bytes "referer" "agent"). It begins: ${firstLine}`;
  if (firstLine.split(',').length > 3) return `this seems to be CSV, which is not read yet. It begins: ${firstLine}`;
  return `it begins: ${firstLine}`;
}
