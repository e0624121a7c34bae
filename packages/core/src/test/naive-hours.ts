import type { ScheduleStatement } from '../language/tree.js';

/** Whether an instant lies in the hours, by the platform's own calendar. */
export function isInHours({ weekly, exceptions }: ScheduleStatement, t: number, zone: string): boolean {
  const { date, day, minute } = localTime(t, zone);
  const yesterday = new Date(Date.parse(`${date}T12:00:00Z`) - 86_400_000).toISOString().slice(0, 10);
  return weekly.some(({ days, spans }) =>
    spans.some(({ fromMinute, toMinute }) => {
      const isSameDay = fromMinute < toMinute;
      if (days.includes(day) && !exceptions.includes(date) && minute >= fromMinute && (!isSameDay || minute < toMinute))
        return true;
      const dayBefore = day === 1 ? 7 : day - 1;
      return !isSameDay && days.includes(dayBefore) && !exceptions.includes(yesterday) && minute < toMinute;
    }),
  );
}

export function localTime(t: number, zone: string): { date: string; day: number; minute: number } {
  const parts = new Intl.DateTimeFormat('en-CA', {
    timeZone: zone,
    hourCycle: 'h23',
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
  }).formatToParts(t);
  const part = (type: string): string => parts.find((eachPart) => eachPart.type === type)!.value;
  const date = `${part('year')}-${part('month')}-${part('day')}`;
  const day = new Date(`${date}T12:00:00Z`).getUTCDay() || 7;
  return { date, day, minute: Number(part('hour')) * 60 + Number(part('minute')) };
}
