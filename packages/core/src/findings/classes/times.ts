import { DateTime } from 'luxon';
import type { Statement, WeeklyHours } from '../../language/tree.js';

const DAYS = 8;
/** So many ends of rules have hours looked for behind them. */
const MAX_ENDS = 50;

/**
 * Instants from now on, among which there is one of each set of rules that are live together: the beginning and the end of
 * every span of a schedule in a week from now, from each date that a schedule leaves out, and from each end of a rule.
 * @param zone the IANA time zone of schedules without one
 * @param ends of rules, in milliseconds since the epoch, as `nowUnixMs`
 */
export function reviewTimes(
  statements: readonly Statement[],
  zone: string,
  ends: readonly number[],
  nowUnixMs: number,
): number[] {
  const schedules = statements.filter((statement) => statement.kind === 'schedule');
  const later = [...new Set(ends)].filter((end) => end > nowUnixMs).sort((a, b) => a - b);
  const times = new Set([nowUnixMs, ...later, ...later.map((end) => end - 1)]);
  for (const { zone: own = zone, weekly, exceptions } of schedules) {
    const minutes = boundaryMinutes(weekly);
    const starts = [
      ...[nowUnixMs, ...later.slice(0, MAX_ENDS)].map((from) => DateTime.fromMillis(from, { zone: own })),
      ...exceptions.map((date) => DateTime.fromISO(date, { zone: own })),
    ];
    for (const start of starts)
      for (let day = -1; day < DAYS; day += 1)
        for (const minute of minutes) {
          const at = start.plus({ days: day }).startOf('day').plus({ minutes: minute }).toMillis();
          if (at >= nowUnixMs) times.add(at);
        }
  }
  return [...times].sort((a, b) => a - b);
}

function boundaryMinutes(weekly: readonly WeeklyHours[]): number[] {
  return [
    ...new Set([
      0,
      ...weekly.flatMap(({ spans }) => spans.flatMap(({ fromMinute, toMinute }) => [fromMinute, toMinute])),
    ]),
  ];
}
