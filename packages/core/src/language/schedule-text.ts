/** Schedules: fence text to tree and back. */
import { IANAZone } from 'luxon';
import type { Cursor } from './cursor.js';
import { parseDate, printHours, readHours } from './measure.js';
import type { ScheduleStatement, WeeklyHours } from './tree.js';

export const DAYS = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const;

/** A time zone of the IANA database. One that does not exist is reported, and parsing goes on. */
export function parseZone(cursor: Cursor): string {
  const { kind, text, place } = cursor.token;
  if (kind !== 'bare') cursor.fail('unexpected', 'expected a time zone such as Europe/Oslo');
  cursor.next();
  if (!IANAZone.isValidZone(text))
    cursor.report(
      'unknown-zone',
      `Found "${text}", expected a time zone of the IANA database.`,
      place,
      'Write it as Area/City such as Europe/Oslo, or UTC.',
    );
  return text;
}

export function parseSchedule(cursor: Cursor): Omit<ScheduleStatement, 'kind' | 'comments' | 'place'> {
  const { name } = cursor.expectName('a schedule');
  cursor.expect('{', 'before the hours');
  const zone = cursor.accept('zone') ? parseZone(cursor) : undefined;
  const weekly: WeeklyHours[] = [];
  while (!cursor.sees('}', 'except')) weekly.push(parseWeeklyHours(cursor));
  if (weekly.length === 0)
    cursor.fail('missing-clause', 'expected hours', 'Write days and hours such as mon-fri 09:00-17:00.');
  const exceptions = cursor.accept('except') ? parseDates(cursor) : [];
  cursor.expect('}', 'after the hours');
  return { name, ...(zone === undefined ? {} : { zone }), weekly, exceptions };
}

function parseWeeklyHours(cursor: Cursor): WeeklyHours {
  const days = new Set(parseDays(cursor));
  while (cursor.accept(',')) parseDays(cursor).forEach((day) => days.add(day));
  const spans = [parseSpan(cursor)];
  while (cursor.accept(',')) spans.push(parseSpan(cursor));
  return { days: [...days].sort((a, b) => a - b), spans };
}

/** `mon` or `mon-fri`; a run may pass over the end of the week. */
function parseDays(cursor: Cursor): number[] {
  const [from, to = from] = cursor.token.text.split('-').map((word) => DAYS.indexOf(word as (typeof DAYS)[number]));
  if (
    cursor.token.kind !== 'bare' ||
    from === undefined ||
    from < 0 ||
    to! < 0 ||
    cursor.token.text.split('-').length > 2
  )
    cursor.fail('unexpected', `expected days such as mon-fri: ${DAYS.join(', ')}`);
  cursor.next();
  const length = ((to! - from + 7) % 7) + 1;
  return Array.from({ length }, (_, index) => ((from + index) % 7) + 1);
}

function parseSpan(cursor: Cursor): WeeklyHours['spans'][number] {
  const { kind, text } = cursor.token;
  const hours = kind === 'bare' ? readHours(text) : undefined;
  if (hours === undefined)
    cursor.fail('bad-value', 'expected hours such as 09:00-17:00', '24:00 can end hours, not begin them.');
  if (typeof hours === 'string')
    cursor.fail(
      'bad-value',
      'expected hours whose end differs from their start',
      'Write 00:00-24:00 for the whole day.',
    );
  cursor.next();
  return hours;
}

function parseDates(cursor: Cursor): string[] {
  const dates: string[] = [];
  do {
    const date = cursor.token.kind === 'bare' ? parseDate(cursor.token.text) : undefined;
    if (date === undefined) cursor.fail('bad-value', 'expected a date such as 2026-12-24');
    cursor.next();
    dates.push(date);
  } while (cursor.accept(','));
  return dates;
}

export function printSchedule({ name, zone, weekly, exceptions }: ScheduleStatement): string {
  return [
    `schedule ${name} {`,
    ...(zone === undefined ? [] : [`  zone ${zone}`]),
    ...weekly.map(({ days, spans }) => `  ${printDays(days)} ${spans.map(printHours).join(', ')}`),
    ...(exceptions.length > 0 ? [`  except ${exceptions.join(', ')}`] : []),
    '}',
  ].join('\n');
}

/** Days that follow one another, together. */
export function runsOf(days: readonly number[]): number[][] {
  const runs: number[][] = [];
  for (const day of days) {
    if (runs.at(-1)?.at(-1) === day - 1) runs.at(-1)!.push(day);
    else runs.push([day]);
  }
  return runs;
}

/** Runs of three and more days as `mon-wed`. */
function printDays(days: readonly number[]): string {
  return runsOf(days)
    .flatMap((run) =>
      run.length > 2 ? [`${DAYS[run[0]! - 1]}-${DAYS[run.at(-1)! - 1]}`] : run.map((day) => DAYS[day - 1]!),
    )
    .join(', ');
}
