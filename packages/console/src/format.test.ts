import { afterEach, expect, it, vi } from 'vitest';

const START = Date.UTC(2026, 9, 12, 13, 55, 36);

afterEach(() => vi.resetModules());

async function formatIn(times: 'utc' | 'local') {
  vi.stubGlobal('localStorage', { getItem: () => JSON.stringify({ times }) });
  return import('./format.js');
}

it('times are shown in UTC, or in the zone of the reader, and read back as they are shown', async () => {
  const utc = await formatIn('utc');
  expect([utc.zoneName(), utc.formatTime(START), utc.formatTime(null)]).toEqual(['UTC', '2026-10-12 13:55:36', '–']);
  expect(utc.parseTime('2026-10-12T13:55:36')).toBe(START);
  vi.resetModules();
  const offset = vi.spyOn(Date.prototype, 'getTimezoneOffset').mockReturnValue(-120);
  const local = await formatIn('local');
  expect([local.formatTime(START), local.formatClock(START)]).toEqual(['2026-10-12 15:55:36', '15:55']);
  offset.mockRestore();
  expect(local.parseTime(local.formatTime(START).replace(' ', 'T'))).toBe(START);
});

it('counts and shares are written as people read them', async () => {
  const { countOf, formatShare } = await formatIn('utc');
  expect([countOf(1, 'entry', 'entries'), countOf(1200, 'request')]).toEqual(['1 entry', '1,200 requests']);
  expect([formatShare(0), formatShare(0.0004), formatShare(0.125)]).toEqual(['0.0%', '<0.1%', '12.5%']);
});
