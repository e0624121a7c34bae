/** Durations and sizes as they are written: one whole number and a unit. */

const DURATION_UNITS = { s: 1000, m: 60_000, h: 3_600_000, d: 86_400_000 } as const;

/** Reads `30m`. @returns milliseconds, or undefined where it is no duration of at least one unit */
export function parseDuration(text: string): number | undefined {
  const [, digits, unit] = /^([1-9]\d{0,8})([smhd])$/.exec(text) ?? [];
  return digits === undefined ? undefined : Number(digits) * DURATION_UNITS[unit as keyof typeof DURATION_UNITS];
}

/** In the largest unit that leaves a whole number. */
export function printDuration(durationMs: number): string {
  const unit = (['d', 'h', 'm', 's'] as const).find((candidate) => durationMs % DURATION_UNITS[candidate] === 0) ?? 's';
  return `${durationMs / DURATION_UNITS[unit]}${unit}`;
}

const UNIT_WORDS = { s: 'second', m: 'minute', h: 'hour', d: 'day' } as const;

/** `30 minutes`, for sentences. */
export function describeDuration(durationMs: number): string {
  const text = printDuration(durationMs);
  const count = Number(text.slice(0, -1));
  const word = UNIT_WORDS[text.at(-1) as keyof typeof UNIT_WORDS];
  return `${count} ${word}${count === 1 ? '' : 's'}`;
}

const BYTE_UNITS: readonly (readonly [string, number])[] = [
  ['GB', 1000 ** 3],
  ['GiB', 1024 ** 3],
  ['MB', 1000 ** 2],
  ['MiB', 1024 ** 2],
  ['kB', 1000],
  ['KiB', 1024],
];

const SIZE = /^([1-9]\d{0,15})(GB|GiB|MB|MiB|kB|KiB)?$/;

/** Reads `10MB` or `512`. @returns bytes, or undefined where it is no size of at least one byte, or no safe whole number */
export function parseBytes(text: string): number | undefined {
  const [, digits, unit] = SIZE.exec(text) ?? [];
  if (digits === undefined) return undefined;
  const bytes = Number(digits) * (BYTE_UNITS.find(([name]) => name === unit)?.[1] ?? 1);
  return Number.isSafeInteger(bytes) ? bytes : undefined;
}

/** In the first unit that leaves a whole number. */
export function printBytes(bytes: number): string {
  const item = bytes > 0 ? BYTE_UNITS.find(([, factor]) => bytes % factor === 0) : undefined;
  return item ? `${bytes / item[1]}${item[0]}` : String(bytes);
}

/** Reads `2026-12-24`. @returns the text, or undefined where there is no such day */
export function parseDate(text: string): string | undefined {
  const [, year, month, day] = /^(\d{4})-(\d{2})-(\d{2})$/.exec(text) ?? [];
  if (year === undefined) return undefined;
  const date = new Date(Date.UTC(Number(year), Number(month) - 1, Number(day)));
  return date.toISOString().startsWith(text) ? text : undefined;
}

/** An instant as RFC 3339 in UTC, without a fraction where it is a whole second. */
export function printInstant(atUnixMs: number): string {
  return new Date(atUnixMs).toISOString().replace('.000Z', 'Z');
}

/** Hours of a day in minutes from midnight. */
export interface Hours {
  readonly fromMinute: number;
  readonly toMinute: number;
}

/** Reads `09:00-17:00`. @returns undefined where the text is no hours at all, and what is wrong with hours that cannot be */
export function readHours(text: string): Hours | string | undefined {
  const match = /^([01]\d|2[0-3]):([0-5]\d)-([01]\d|2[0-4]):([0-5]\d)$/.exec(text);
  if (!match) return undefined;
  const fromMinute = Number(match[1]) * 60 + Number(match[2]);
  const toMinute = Number(match[3]) * 60 + Number(match[4]);
  if (toMinute > 1440) return undefined;
  if (fromMinute === toMinute) return `Found "${text}", expected hours whose end differs from their start.`;
  return { fromMinute, toMinute };
}

/** `09:00-17:00`. */
export function printHours({ fromMinute, toMinute }: Hours): string {
  return `${printTime(fromMinute)}-${printTime(toMinute)}`;
}

function printTime(minute: number): string {
  return `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;
}
