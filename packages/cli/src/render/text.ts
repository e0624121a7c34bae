import Table from 'cli-table3';
import pc from 'picocolors';
import type { Streams } from '../output.js';
import { own } from './terminal.js';

const DEFAULT_WIDTH = 110;

/** How wide a line may be. */
export function widthOf({ stdout }: Streams): number {
  return stdout.isTTY && stdout.columns ? stdout.columns : DEFAULT_WIDTH;
}

const COLOURS = ['bold', 'dim', 'red', 'green', 'yellow', 'blue', 'magenta', 'cyan', 'gray'] as const;
export type Colours = Record<(typeof COLOURS)[number], (text: string) => string>;

/** Colours, on a terminal only. */
export function coloursFor({ stdout, env }: Pick<Streams, 'stdout' | 'env'>): Colours {
  const colours = pc.createColors(stdout.isTTY === true && env['NO_COLOR'] === undefined);
  return Object.fromEntries(
    COLOURS.map((name) => {
      const [open, close] = colours[name]('|').split('|') as [string, string];
      const paint = (text: string): string => (open === '' ? text : `${own(open)}${text}${own(close)}`);
      return [name, paint];
    }),
  ) as Colours;
}

const PLAIN_FRAME = {
  'top': '',
  'top-mid': '',
  'top-left': '',
  'top-right': '',
  'bottom': '',
  'bottom-mid': '',
  'bottom-left': '',
  'bottom-right': '',
  'left': '',
  'left-mid': '',
  'mid': '',
  'mid-mid': '',
  'right': '',
  'right-mid': '',
  'middle': '  ',
};

/**
 * Columns without a frame; the head is the first row. Cells are strings that are already formatted.
 * @param lastWidth where given, the last column wraps at this width
 */
export function printTable(
  head: readonly string[],
  rows: readonly (readonly string[])[],
  alignRight: readonly number[] = [],
  lastWidth?: number,
): string {
  const table = new Table({
    ...(lastWidth === undefined
      ? {}
      : { colWidths: head.map((_, index) => (index === head.length - 1 ? lastWidth : null)), wordWrap: true }),
    chars: PLAIN_FRAME,
    style: { 'padding-left': 0, 'padding-right': 0, 'head': [], 'border': [] },
    colAligns: head.map((_, index) => (alignRight.includes(index) ? 'right' : 'left')),
  });
  table.push([...head]);
  for (const row of rows) table.push([...row]);
  return table
    .toString()
    .split('\n')
    .map((line) => line.trimEnd())
    .join('\n');
}

export function formatCount(count: number): string {
  return count.toLocaleString('en-US');
}

/** `1 line`, `2 lines`. */
/** @param plural where it is not the noun with an s */
export function countOf(count: number, noun: string, plural = `${noun}s`): string {
  return `${formatCount(count)} ${count === 1 ? noun : plural}`;
}

export function formatShare(share: number): string {
  const percent = share * 100;
  return percent > 0 && percent < 0.1 ? '<0.1%' : `${percent.toFixed(1)}%`;
}

/** `2026-10-10 13:55`, in UTC. @param at an instant as the service writes it (RFC 3339) */
export function formatMinute(at: string): string {
  return formatTime(Date.parse(at)).slice(0, -':36'.length);
}

/** `2026-10-10 13:55:36`, in UTC. */
export function formatTime(atUnixMs: number | null | undefined): string {
  return atUnixMs == null ? '-' : new Date(atUnixMs).toISOString().slice(0, 19).replace('T', ' ');
}

export function shorten(text: string, width: number): string {
  return text.length <= width ? text : `${text.slice(0, Math.max(1, width - 1))}…`;
}
