/** Lines of syslog (RFC 5424, RFC 3164) with the lines of a log in them. */
import type { RejectReason } from '../../request/record.js';
import { parseRfc3339 } from '../../request/time.js';
import { monthNumber } from '../../request/time.js';
import type { LineParser, ParsedLine } from '../lines/line-parser.js';
import { TimeReader } from '../naming/times.js';

const PRIORITY = String.raw`<\d{1,3}>`;
const STRUCTURED = String.raw`-|(?:\[[^\]"]*(?:"(?:[^"\\]|\\.)*"[^\]"]*)*\])+`;
const RFC_5424 = new RegExp(String.raw`^${PRIORITY}1 (\S+) \S+ \S+ \S+ \S+ (?:${STRUCTURED})(?: \ufeff?(.*))?$`, 's');
/** The name of a program and the number of its process. */
const TAG = String.raw`(?:[^\s:[]{1,48}(?:\[[^\]]{0,32}\])?: )?`;
const RFC_3164 = new RegExp(
  String.raw`^(?:${PRIORITY})?(?:([A-Z][a-z]{2}) (\d\d| ?\d) (\d\d):(\d\d):(\d\d)|(\d{4}-\d\d-\d\d[Tt]\S+)) \S+ ${TAG}(.*)$`,
  's',
);

/** The text that a line of syslog carries, and its time. */
interface Unwrapped {
  readonly message: string;
  readonly atUnixMs: number | RejectReason | undefined;
}

/**
 * A parser for the content of lines of syslog. The time of the header counts where the text in it has none.
 * @param year of the first line, where headers have none: each later one is taken to be near the one before it
 * @param zone IANA time zone of times without one (RFC 3164)
 */
export function inSyslog(parse: LineParser, year: number | undefined, zone: string | undefined): LineParser {
  const times = new TimeReader(zone);
  let lastUnixMs: number | undefined;
  const timeOf = ([, month, day, hour, minute, second]: readonly string[]): number | RejectReason => {
    if (year === undefined) return 'no-year';
    const at = (inYear: number): number | undefined =>
      times.readLocal(`${inYear}-${monthNumber(month!)}-${day!.trim().padStart(2, '0')}T${hour}:${minute}:${second}`);
    const near = lastUnixMs === undefined ? undefined : new Date(lastUnixMs).getUTCFullYear();
    const years = near === undefined ? [year] : [near - 1, near, near + 1];
    const candidates = years.map(at).filter((time) => time !== undefined);
    if (candidates.length === 0) return 'bad-time';
    const distance = (time: number): number => Math.abs(time - (lastUnixMs ?? time));
    return (lastUnixMs = candidates.reduce((a, b) => (distance(b) < distance(a) ? b : a)));
  };
  const unwrap = (text: string): Unwrapped | undefined => {
    const modern = RFC_5424.exec(text);
    if (modern) return { message: modern[2] ?? '', atUnixMs: parseRfc3339(modern[1]!) };
    const old = RFC_3164.exec(text);
    if (!old) return undefined;
    return { message: old[7]!, atUnixMs: old[6] === undefined ? timeOf(old) : parseRfc3339(old[6]) };
  };
  return (text): ParsedLine | undefined => {
    const line = unwrap(text);
    if (!line) return 'not-syslog';
    const { message, atUnixMs } = line;
    const parsed = parse(message, typeof atUnixMs === 'number' ? atUnixMs : undefined);
    return parsed === 'no-time' && typeof atUnixMs === 'string' ? atUnixMs : parsed;
  };
}

/** The text that a line of syslog carries; undefined where it is no line of syslog. */
export function messageOf(line: string): string | undefined {
  const modern = RFC_5424.exec(line);
  return modern ? (modern[2] ?? '') : RFC_3164.exec(line)?.[7];
}
