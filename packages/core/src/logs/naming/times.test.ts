import { describe, expect, it } from 'vitest';
import { TimeReader } from './times.js';

describe('times', () => {
  const oslo = new TimeReader('Europe/Oslo');
  it.each<[string | number, string | undefined]>([
    ['2026-10-12 12:00:00', '2026-10-12T10:00:00.000Z'],
    ['2026-12-12T12:00:00,25', '2026-12-12T11:00:00.250Z'],
    // The clock passes over half past two in March, and shows it twice in October.
    ['2026-03-29 02:30:00', '2026-03-29T01:30:00.000Z'],
    ['2026-10-25 02:30:00', '2026-10-25T00:30:00.000Z'],
    ['2026-10-12T12:00:00Z', '2026-10-12T12:00:00.000Z'],
    ['12/Oct/2026:12:00:00 -0330', '2026-10-12T15:30:00.000Z'],
    // A load balancer names no zone.
    ['12/Oct/2026:12:00:00.250', '2026-10-12T10:00:00.250Z'],
    ['12/Okt/2026:12:00:00', undefined],
    [1_791_799_200, '2026-10-12T10:00:00.000Z'],
    ['1791799200.5', '2026-10-12T10:00:00.500Z'],
    ['1791799200123456', '2026-10-12T10:00:00.123Z'],
    ['2026-13-12 12:00:00', undefined],
    ['2026-02-30 12:00:00', undefined],
    ['12:00', undefined],
  ])('%j is %s', (written, expected) => {
    const time = oslo.read(written);
    expect(time === undefined ? undefined : new Date(time).toISOString()).toBe(expected);
  });
});
