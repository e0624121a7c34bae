import { describe, expect, it } from 'vitest';
import { createSchedule, endOfDate, type WeeklySpan } from './schedule.js';

const span = (day: number, from: string, to: string): WeeklySpan => {
  const minute = (text: string): number => Number(text.slice(0, 2)) * 60 + Number(text.slice(3));
  return { day, fromMinute: minute(from), toMinute: minute(to) };
};
const [MON, FRI, SAT, SUN] = [1, 5, 6, 7];

describe('hours', () => {
  const isIn = (spans: WeeklySpan[], zone: string, at: string, exceptions: string[] = []): boolean =>
    createSchedule(zone, spans, new Set(exceptions)).contains(Date.parse(at));

  it.each<[string, string, boolean]>([
    ['at their first moment', '2026-10-12T07:00:00.000Z', true],
    ['at their last millisecond', '2026-10-12T09:59:59.999Z', true],
    ['at their end', '2026-10-12T10:00:00.000Z', false],
    ['a millisecond before', '2026-10-12T06:59:59.999Z', false],
    ['on another day', '2026-10-13T08:00:00.000Z', false],
  ])('of a Monday morning in Oslo, %s', (_, at, expected) =>
    expect(isIn([span(MON!, '09:00', '12:00')], 'Europe/Oslo', at)).toBe(expected),
  );

  it.each<[string, boolean]>([
    ['2026-10-16T20:00:00Z', true],
    ['2026-10-16T23:59:00Z', true],
    ['2026-10-17T03:59:00Z', true],
    ['2026-10-17T04:00:00Z', false],
    ['2026-10-16T03:00:00Z', false],
  ])('of a Friday night that ends on Saturday morning, at %s: %s', (at, expected) =>
    expect(isIn([span(FRI!, '22:00', '06:00')], 'Europe/Oslo', at)).toBe(expected),
  );

  it('of a night are left out with the date on which it begins, not with the date on which it ends', () => {
    const night = [span(FRI!, '22:00', '06:00')];
    expect(isIn(night, 'UTC', '2026-10-17T01:00:00Z', ['2026-10-16'])).toBe(false);
    expect(isIn(night, 'UTC', '2026-10-17T01:00:00Z', ['2026-10-17'])).toBe(true);
  });

  it('that reach midnight as 24:00 end with the day', () => {
    const late = [span(SAT!, '20:00', '24:00')];
    expect(isIn(late, 'UTC', '2026-10-17T23:59:59Z')).toBe(true);
    expect(isIn(late, 'UTC', '2026-10-18T00:00:00Z')).toBe(false);
  });

  it('are on the wall clock: 02:30 comes twice when summer time ends, and not at all when it begins', () => {
    const small = [span(SUN!, '02:15', '02:45')];
    const times = (day: string): string[] =>
      Array.from({ length: 24 }, (_, hour) => `${day}T${String(hour).padStart(2, '0')}:30:00Z`).filter((at) =>
        isIn(small, 'Europe/Oslo', at),
      );
    expect(times('2026-10-25')).toEqual(['2026-10-25T00:30:00Z', '2026-10-25T01:30:00Z']);
    expect(times('2026-03-29')).toEqual([]);
    expect(times('2026-10-18')).toEqual(['2026-10-18T00:30:00Z']);
  });

  it('of a zone across the date line lie on its own days', () => {
    expect(isIn([span(MON!, '00:00', '01:00')], 'Pacific/Auckland', '2026-10-11T11:30:00Z')).toBe(true);
    expect(isIn([span(SUN!, '23:00', '24:00')], 'Pacific/Honolulu', '2026-10-12T09:30:00Z')).toBe(true);
  });
});

describe('the end of a date', () => {
  it.each([
    ['2026-10-12', 'UTC', '2026-10-13T00:00:00.000Z'],
    ['2026-10-12', 'Europe/Oslo', '2026-10-12T22:00:00.000Z'],
    // That day has 25 hours, and the one in March 23.
    ['2026-10-25', 'Europe/Oslo', '2026-10-25T23:00:00.000Z'],
    ['2026-03-29', 'Europe/Oslo', '2026-03-29T22:00:00.000Z'],
    ['2026-12-31', 'America/New_York', '2027-01-01T05:00:00.000Z'],
    // Midnight does not exist there on the day after: the clock goes from 23:59 to 01:00.
    ['2026-09-05', 'America/Santiago', '2026-09-06T04:00:00.000Z'],
  ])('%s in %s is %s', (date, zone, expected) => expect(new Date(endOfDate(date, zone)).toISOString()).toBe(expected));
});
