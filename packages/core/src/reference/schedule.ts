import { DateTime } from 'luxon';

/** Weekly hours in the local time of a zone. Minutes count from midnight; an end below the start lies on the next day. */
export interface WeeklySpan {
  /** 1 is Monday, 7 is Sunday. */
  readonly day: number;
  readonly fromMinute: number;
  readonly toMinute: number;
}

export interface Schedule {
  /** Whether the instant lies in the hours. */
  contains(atUnixMs: number): boolean;
}

const DAY_MINUTES = 24 * 60;

/**
 * Hours are evaluated on the local wall clock, start included and end not, so a repeated hour is in both times, and an hour
 * that the clock passes over is in none.
 * @param exceptions dates (`2026-12-24`) whose spans, also those that run into the next day, are left out
 */
export function createSchedule(zone: string, spans: readonly WeeklySpan[], exceptions: ReadonlySet<string>): Schedule {
  return {
    contains(atUnixMs) {
      const local = DateTime.fromMillis(atUnixMs, { zone });
      const startOfMinute = local.hour * 60 + local.minute;
      const yesterday = local.minus({ days: 1 });
      const beginsOn = (date: DateTime, minute: number): boolean =>
        !exceptions.has(date.toISODate() ?? '') &&
        spans.some(({ day, fromMinute, toMinute }) => {
          const endMinute = toMinute > fromMinute ? toMinute : toMinute + DAY_MINUTES;
          return day === date.weekday && fromMinute <= minute && minute < endMinute;
        });
      return beginsOn(local, startOfMinute) || beginsOn(yesterday, startOfMinute + DAY_MINUTES);
    },
  };
}

/** The first instant after a date: midnight of the next day, or the first instant there is where the clock passes over it. */
export function endOfDate(date: string, zone: string): number {
  return DateTime.fromISO(date, { zone }).plus({ days: 1 }).startOf('day').toMillis();
}
