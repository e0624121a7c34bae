/** As logs write them, in English. */
export const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

/** @returns the number of a month in two digits; 00 for an unknown name */
export function monthNumber(name: string): string {
  return String(MONTHS.indexOf(name) + 1).padStart(2, '0');
}

/**
 * Reads `10/Oct/2026:13:55:36 +0200`.
 * @returns whole milliseconds since the epoch, or undefined when it is no such time.
 */
export function parseNcsaTime(text: string): number | undefined {
  const match = /^(\d{2})\/([A-Z][a-z]{2})\/(\d{4}):(\d{2}):(\d{2}):(\d{2}) ([+-])(\d{2})(\d{2})$/.exec(text);
  const month = match ? MONTHS.indexOf(match[2]!) : -1;
  if (!match || month < 0) return undefined;
  const [day, , year, hour, minute, second] = match.slice(1).map(Number);
  const zoneMinutes = (match[7] === '-' ? -1 : 1) * (Number(match[8]) * 60 + Number(match[9]));
  return utcTime(year!, month, day!, hour!, minute!, second!, 0, zoneMinutes);
}

/** Reads RFC 3339 (`2026-10-10T13:55:36.123Z`), fractions of a millisecond cut off. */
export function parseRfc3339(text: string): number | undefined {
  const match = /^(\d{4})-(\d{2})-(\d{2})[Tt ](\d{2}):(\d{2}):(\d{2})(?:\.(\d+))?(?:[Zz]|([+-])(\d{2}):(\d{2}))$/.exec(
    text,
  );
  if (!match) return undefined;
  const [year, month, day, hour, minute, second] = match.slice(1, 7).map(Number);
  const millisecond = Number((match[7] ?? '').slice(0, 3).padEnd(3, '0'));
  const zoneMinutes =
    match[8] === undefined ? 0 : (match[8] === '-' ? -1 : 1) * (Number(match[9]) * 60 + Number(match[10]));
  return utcTime(year!, month! - 1, day!, hour!, minute!, second!, millisecond, zoneMinutes);
}

/** @param zoneMinutes how far the written time is ahead of UTC */
function utcTime(
  year: number,
  month: number,
  day: number,
  hour: number,
  minute: number,
  second: number,
  millisecond: number,
  zoneMinutes: number,
): number | undefined {
  // A leap second is written as 60 and shown as the second that follows, as Unix time does.
  if (month > 11 || month < 0 || day < 1 || day > daysIn(year, month) || hour > 23 || minute > 59 || second > 60)
    return undefined;
  if (Math.abs(zoneMinutes) >= 24 * 60) return undefined;
  return Date.UTC(year, month, day, hour, minute, second, millisecond) - zoneMinutes * 60_000;
}

function daysIn(year: number, month: number): number {
  return new Date(Date.UTC(year, month + 1, 0)).getUTCDate();
}

/** Digits of a time since the epoch in seconds, and those that each finer unit adds. */
const SECONDS_DIGITS = 10;

/**
 * Reads a decimal number of seconds, milliseconds, microseconds or nanoseconds since the epoch. The number of its digits
 * decides which one, for times from 2001 to 2286. It is read as text: a double has too few digits for nanoseconds.
 * @returns whole milliseconds, rounded down; undefined where the text is no such number
 */
export function parseEpoch(text: string): number | undefined {
  const [, whole, fraction = ''] = /^(\d{10,19})(?:\.(\d+))?$/.exec(text) ?? [];
  if (whole === undefined || whole.startsWith('0')) return undefined;
  if (whole.length === SECONDS_DIGITS) return Number(`${whole}${fraction.slice(0, 3).padEnd(3, '0')}`);
  const dropped = Math.floor((whole.length - SECONDS_DIGITS - 1) / 3) * 3;
  return Number(whole.slice(0, whole.length - dropped));
}
