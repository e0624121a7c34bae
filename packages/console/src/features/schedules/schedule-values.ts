import { parseFences, type WeeklyHours } from '@jadefence/core/language';

/** A schedule as its form holds it. */
export interface ScheduleValues {
  readonly name: string;
  /** An IANA zone; empty for the one of the rules. */
  readonly zone: string;
  readonly weekly: readonly HoursValues[];
  /** Dates such as `2026-12-24`. */
  readonly exceptions: readonly string[];
}

/** Hours of some days, `09:00` to `17:00`; an end that is not later lies on the next day. */
export interface HoursValues {
  /** 1 is Monday. */
  readonly days: readonly number[];
  readonly from: string;
  readonly to: string;
}

export const DAY_NAMES = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const;

export const NEW_SCHEDULE: ScheduleValues = {
  name: '',
  zone: '',
  weekly: [{ days: [1, 2, 3, 4, 5], from: '09:00', to: '17:00' }],
  exceptions: [],
};

/** The schedule as fence text; what is not right in a field is not right in the text. */
export function writeSchedule({ name, zone, weekly, exceptions }: ScheduleValues): string {
  const hours = weekly.map(({ days, from, to }) => {
    const words = [...days].sort((a, b) => a - b).map((day) => DAY_NAMES[day - 1]);
    // A field of a form cannot hold the end of the day.
    return `  ${words.join(',')} ${from}-${to === '00:00' ? '24:00' : to}`;
  });
  return [
    `schedule ${name} {`,
    ...(zone === '' ? [] : [`  zone ${zone}`]),
    ...hours,
    ...(exceptions.length > 0 ? [`  except ${exceptions.join(', ')}`] : []),
    '}',
  ].join('\n');
}

/** @returns the schedule, or what is wrong with the text */
export function readSchedule(text: string): ScheduleValues | { readonly problem: string } {
  const { file, diagnostics } = parseFences(text, 'schedule');
  const [diagnostic] = diagnostics;
  if (diagnostic) return { problem: `${diagnostic.message} ${diagnostic.hint ?? ''}`.trim() };
  const [statement, ...others] = file.statements;
  if (statement?.kind !== 'schedule' || others.length > 0)
    return {
      problem: `Found ${others.length > 0 ? 'several statements' : `a ${statement?.kind ?? 'blank text'}`}, expected a schedule.`,
    };
  const { name, zone = '', weekly, exceptions } = statement;
  return { name, zone, weekly: weekly.flatMap(hoursOf), exceptions };
}

function hoursOf({ days, spans }: WeeklyHours): HoursValues[] {
  return spans.map(({ fromMinute, toMinute }) => ({ days, from: clock(fromMinute), to: clock(toMinute % 1440) }));
}

function clock(minute: number): string {
  return `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;
}

/** The hours as the picture of the week takes them; half-written ones are left out. */
export function weekOf({ weekly }: ScheduleValues): WeeklyHours[] {
  return weekly.flatMap(({ days, from, to }) => {
    const [fromMinute, toMinute] = [from, to].map((text) => {
      const [hour, minute] = text.split(':').map(Number);
      return hour! * 60 + minute!;
    }) as [number, number];
    return Number.isNaN(fromMinute + toMinute) ? [] : [{ days, spans: [{ fromMinute, toMinute: toMinute || 1440 }] }];
  });
}
