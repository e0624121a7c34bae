import { appearance } from './appearance.js';

const MINUTE_MS = 60_000;
const counts = new Intl.NumberFormat('en');

export function formatCount(count: number): string {
  return counts.format(count);
}

/** `1 line`, `2 lines`. @param plural where it is not the noun with an s */
export function countOf(count: number, noun: string, plural = `${noun}s`): string {
  return `${formatCount(count)} ${count === 1 ? noun : plural}`;
}

/** A share from 0 to 1 as per cent. */
export function formatShare(share: number): string {
  const percent = share * 100;
  return percent > 0 && percent < 0.1 ? '<0.1%' : `${percent.toFixed(1)}%`;
}

/** The name of the zone that times are shown in. */
export function zoneName(): string {
  return appearance().times === 'utc' ? 'UTC' : Intl.DateTimeFormat().resolvedOptions().timeZone;
}

/** `2026-10-12 13:55:36`, in the zone that is chosen. */
export function formatTime(atUnixMs: number | null | undefined): string {
  if (atUnixMs == null) return '–';
  const shiftMinutes = appearance().times === 'utc' ? 0 : new Date(atUnixMs).getTimezoneOffset();
  return new Date(atUnixMs - shiftMinutes * MINUTE_MS).toISOString().slice(0, 19).replace('T', ' ');
}

/** Milliseconds since the epoch of `2026-10-12T13:55:36` in the zone that is chosen. */
export function parseTime(text: string): number | undefined {
  const atUnixMs = Date.parse(appearance().times === 'utc' ? `${text}Z` : text);
  return Number.isNaN(atUnixMs) ? undefined : atUnixMs;
}

/** `2026-10-12 13:55`. @param at an instant as the service writes it (RFC 3339) */
export function formatMinute(at: string): string {
  return formatTime(Date.parse(at)).slice(0, -':36'.length);
}

/** `13:55`. */
export function formatClock(atUnixMs: number): string {
  return formatTime(atUnixMs).slice(11, 16);
}
