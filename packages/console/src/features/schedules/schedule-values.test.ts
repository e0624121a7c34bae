import { expect, it } from 'vitest';
import { NEW_SCHEDULE, readSchedule, weekOf, writeSchedule, type ScheduleValues } from './schedule-values.js';

const NIGHTS: ScheduleValues = {
  name: 'nights',
  zone: 'Europe/Oslo',
  weekly: [
    { days: [1, 2, 3, 4, 5], from: '22:00', to: '06:00' },
    { days: [6, 7], from: '12:30', to: '00:00' },
  ],
  exceptions: ['2026-12-24'],
};

it('a schedule is written and read back as it was', () => {
  expect(readSchedule(writeSchedule(NIGHTS))).toEqual(NIGHTS);
  expect(weekOf(NIGHTS)[1]).toEqual({ days: [6, 7], spans: [{ fromMinute: 750, toMinute: 1440 }] });
});

it('hours that share their days come apart', () => {
  const read = readSchedule('schedule day { mon-tue 08:00-12:00, 13:00-17:00 }');
  expect('weekly' in read && read.weekly.map(({ days, from, to }) => [days, from, to])).toEqual([
    [[1, 2], '08:00', '12:00'],
    [[1, 2], '13:00', '17:00'],
  ]);
});

it('what is wrong is reported, and a statement of another kind is', () => {
  expect(readSchedule(writeSchedule(NEW_SCHEDULE))).toEqual({ problem: expect.stringContaining('expected') as string });
  expect(readSchedule('zone Europe/Oslo')).toEqual({ problem: 'Found a zone, expected a schedule.' });
  expect(readSchedule('schedule a { zone Europe/Oslp mon 22:00-06:00 }')).toEqual({
    problem: expect.stringContaining('Europe/Oslp') as string,
  });
});
