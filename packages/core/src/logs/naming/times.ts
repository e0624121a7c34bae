/** Times as logs write them, whichever way. */
import { DateTime, IANAZone } from 'luxon';
import type { AttributeValue } from '../../request/record.js';
import { monthNumber, parseEpoch, parseNcsaTime, parseRfc3339 } from '../../request/time.js';
import { LogOptionsError } from '../lines/reader-options.js';

const EPOCH = /^\d{10,19}(\.\d+)?$/;
const LOCAL = /^\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}:\d{2}(?:[.,]\d+)?$/;

/** @throws LayoutError where there is no such IANA time zone */
export function assertZone(zone: string): void {
  if (!IANAZone.isValidZone(zone))
    throw new LogOptionsError(`There is no time zone "${zone}".`, 'Write it as Area/City such as Europe/Oslo, or UTC.');
}

/** `12/Oct/2026:10:00:00.123`, as load balancers write it. */
const NCSA_LOCAL = /^(\d{2})\/([A-Z][a-z]{2})\/(\d{4}):(\d{2}:\d{2}:\d{2}(?:\.\d+)?)$/;

export class TimeReader {
  /** @param zone IANA time zone of times without one */
  constructor(private readonly zone: string = 'UTC') {}

  /**
   * Reads RFC 3339, the time of the NCSA formats, a date and a time without a zone, or a number since the epoch.
   * @returns whole milliseconds since the epoch; undefined where it is none of them
   */
  read(value: AttributeValue): number | undefined {
    if (typeof value === 'number') return parseEpoch(String(value));
    if (typeof value !== 'string') return undefined;
    if (EPOCH.test(value)) return parseEpoch(value);
    if (LOCAL.test(value)) return this.#local(value.replace(',', '.').replace(' ', 'T'));
    const [, day, month, year, clock] = NCSA_LOCAL.exec(value) ?? [];
    if (day !== undefined) return this.#local(`${year}-${monthNumber(month!)}-${day}T${clock}`);
    return parseRfc3339(value) ?? parseNcsaTime(value);
  }

  /** Reads the wall-clock time `YYYY-MM-DDTHH:MM:SS` in the zone. @returns whole milliseconds since the epoch */
  readLocal(text: string): number | undefined {
    return this.#local(text);
  }

  /** A time that the clock passes over is the one an hour later; of a repeated one, the first is meant. */
  #local(text: string): number | undefined {
    if (this.zone === 'UTC') return parseRfc3339(`${text}Z`);
    const time = DateTime.fromISO(text, { zone: this.zone });
    return time.isValid ? Math.min(...time.getPossibleOffsets().map((dateTime) => dateTime.toMillis())) : undefined;
  }
}
