/** Options of what replays a log, or judges it. */
import type { ReplayRequest } from '@jadefence/contract';
import { HELD_BEHAVIOURS, type HeldBehaviour } from '@jadefence/core/decide';
import { BREAKDOWNS } from '@jadefence/core/replay';
import { InvalidArgumentError, Option, type Command } from 'commander';

/** Which requests of a stored log are judged, and how. */
export interface ScopeOptions {
  readonly gate?: string;
  readonly held: HeldBehaviour;
  readonly from?: number;
  readonly to?: number;
}

export function addScopeOptions(command: Command): Command {
  return command
    .option('--gate <name>', 'gate that judges every request, whatever its host')
    .addOption(peopleOption())
    .option(
      '--from <time>',
      'only requests from this time on (RFC 3339, or a date: from its beginning in UTC)',
      parseTime,
    )
    .option('--to <time>', 'only requests before this time', parseTime);
}

/** The same as the service takes it. */
export function scopeOf({
  gate,
  held,
  from,
  to,
}: ScopeOptions): Pick<ReplayRequest, 'gate' | 'held' | 'fromUnixMs' | 'toUnixMs'> {
  return { gate, held, fromUnixMs: from, toUnixMs: to };
}

export function peopleOption(): Option {
  return new Option('--held <what>', 'assume that held users continue, or stop')
    .choices(HELD_BEHAVIOURS)
    .default('continue');
}

/** What the requests of a log are counted by, in addition to the rules. */
export function byOption(): Option {
  return new Option(
    '--by <what...>',
    'count requests by these, too; the status is the one that the log recorded',
  ).choices(BREAKDOWNS);
}

/** @returns milliseconds since the epoch. @throws InvalidArgumentError */
function parseTime(text: string): number {
  const isDate = /^\d{4}-\d{2}-\d{2}$/.test(text);
  const isTime = /^\d{4}-\d{2}-\d{2}[Tt ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?([Zz]|[+-]\d{2}:\d{2})$/.test(text);
  const time = isDate || isTime ? Date.parse(text) : Number.NaN;
  if (Number.isNaN(time)) throw new InvalidArgumentError('Expected a time such as 2026-10-12T08:00:00Z, or a date.');
  return time;
}
