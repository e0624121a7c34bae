import { Random } from './random.js';

export interface LogOptions {
  /** Ordinary requests; the planted events come on top. */
  readonly requests: number;
  readonly seed: number;
}

/** Midnight, UTC, of the day of every demo log. */
export const DAY_START_UNIX_MS = Date.UTC(2026, 9, 12);
const MINUTES = 1440;

/** One line of a made-up log. */
export interface LogLine<E extends string> {
  readonly text: string;
  /** The planted event that the line belongs to. */
  readonly label?: E;
}

/** Something that happens within a minute. */
interface Happening<E extends string> {
  /** 0 to 60, with fractions. */
  readonly second: number;
  readonly label?: E;
}

/** What makes the log of a day. */
export interface Day<H extends Happening<E>, E extends string> {
  /** How busy a minute is, against the others. */
  weightOf(minute: number): number;
  ordinary(minute: number, random: Random): H;
  planted(minute: number, random: Random): H[];
  print(happening: H, minute: number, random: Random): string;
  /** Lines that no reader should take, by the minute in which they come; their label is `malformed`. */
  readonly malformed: Readonly<Record<number, string>>;
}

/** The lines of a day in the order of time, minute by minute, so that a log of any size streams. */
export function* generateDay<H extends Happening<E>, E extends string>(
  { requests, seed }: LogOptions,
  day: Day<H, E>,
): Generator<LogLine<E | 'malformed'>> {
  const random = new Random(seed);
  const weights = Array.from({ length: MINUTES }, (_, minute) => day.weightOf(minute));
  const total = weights.reduce((sum, weight) => sum + weight, 0);
  let owed = 0;
  for (let minute = 0; minute < MINUTES; minute += 1) {
    owed += (requests * weights[minute]!) / total;
    const happenings = Array.from({ length: Math.floor(owed) }, () => day.ordinary(minute, random));
    owed -= happenings.length;
    happenings.push(...day.planted(minute, random));
    happenings.sort((a, b) => a.second - b.second);
    for (const happening of happenings)
      yield { text: day.print(happening, minute, random), ...(happening.label ? { label: happening.label } : {}) };
    const malformed = day.malformed[minute];
    if (malformed !== undefined) yield { text: malformed, label: 'malformed' };
  }
}
