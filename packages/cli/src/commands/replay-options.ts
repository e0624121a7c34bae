/** Options of what replays a log, or judges it. */
import { BREAKDOWNS, PEOPLE } from '@jadefence/core';
import { InvalidArgumentError, Option } from 'commander';

export function peopleOption(): Option {
  return new Option('--people <what>', 'what people do who are warned or asked').choices(PEOPLE).default('goes-on');
}

/** What the requests of a log are counted by, beside the rules. */
export function byOption(): Option {
  return new Option('--by <what...>', 'count requests by these, too').choices(BREAKDOWNS);
}

/** @returns milliseconds since the epoch. @throws InvalidArgumentError */
export function parseTime(text: string): number {
  const isDate = /^\d{4}-\d{2}-\d{2}$/.test(text);
  const isTime = /^\d{4}-\d{2}-\d{2}[Tt ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?([Zz]|[+-]\d{2}:\d{2})$/.test(text);
  const time = isDate || isTime ? Date.parse(text) : Number.NaN;
  if (Number.isNaN(time)) throw new InvalidArgumentError('Expected a time such as 2026-10-12T08:00:00Z, or a date.');
  return time;
}
