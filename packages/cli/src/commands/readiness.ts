import type { FenceReadiness } from '@jadefence/contract';
import { InvalidArgumentError, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { printRecord, RECORD_FORMATS, type OneOutput, type Streams } from '../output.js';
import { coloursFor, countOf, formatCount, formatShare, printTable } from '../render/text.js';
import { connect } from '../service.js';

const SHOWN_CLIENTS = 20;
const SHOWN_COUNTRIES = 10;

export function addReadiness(fence: Command, streams: Streams): void {
  fence
    .command('readiness')
    .description('Show what enforcing a fence in trial would stop')
    .argument('<name>', 'name of the fence')
    .option('--replay <number...>', 'these replays (default: the latest of each log)', collectNumbers)
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
Adds up what the trials of the fence would have stopped, and points out the clients that are probably legitimate: of a
protected list, signed in, or with many requests that pass. Ends with 1 where it is not ready.

Examples:
  jadefence fence readiness tout-watch
  jadefence fence readiness originals-watch --replay 3 --replay 4`,
    )
    .action(async (name: string, { replay, output }: { replay?: readonly number[]; output: OneOutput }) => {
      const readiness = await (await connect(streams)).readiness(name, { replays: replay });
      printRecord(streams, output, readiness, renderReadiness(readiness, streams));
      if (readiness.verdict === 'look' || readiness.verdict === 'untried')
        throw new Failure(`The fence ${name} is not ready to be enforced.`, EXIT.checkFailed);
    });
}

function collectNumbers(text: string, before: readonly number[] = []): number[] {
  if (!/^[1-9]\d{0,8}$/.test(text)) throw new InvalidArgumentError('Expected the number of a replay.');
  return [...before, Number(text)];
}

const VERDICT_TEXTS = {
  'ready': 'Ready to be enforced.',
  'look': 'Not ready: look at these clients first.',
  'untried': 'Never tried.',
  'nothing-in-trial': 'Nothing is in trial.',
} as const;

function renderReadiness(readiness: FenceReadiness, streams: Streams): string {
  const { fence, title, verdict, reasons, replays, numEarlier } = readiness;
  const colours = coloursFor(streams);
  const colour = verdict === 'ready' ? colours.green : colours.yellow;
  const parts = [
    [
      `${colours.bold(`Fence ${fence}`)}${title === undefined ? '' : ` (${title})`}`,
      colour(VERDICT_TEXTS[verdict]),
      ...reasons.map((reason) => `  ${reason}`),
    ].join('\n'),
  ];
  if (numEarlier > 0)
    parts.push(
      `${countOf(numEarlier, 'replay')} by an earlier form of the fence ${numEarlier === 1 ? 'is' : 'are'} left out.`,
    );
  if (verdict === 'untried') parts.push(`Replay a log by the draft: jadefence replay start LOG --against draft`);
  for (const table of tablesOf(readiness)) parts.push(table);
  if (replays.length > 0)
    parts.push(
      [
        'Added up:',
        ...replays.map(
          ({ id, name, logName, requests }) =>
            `  replay ${id}${name === null ? '' : ` (${name})`} of ${logName}: ${countOf(requests, 'request')} at its gates`,
        ),
      ].join('\n'),
    );
  return parts.join('\n\n');
}

/** By rule, client, country and day; none without a row. */
function tablesOf({ rules, clients, numClients, countries, days }: FenceReadiness): string[] {
  const table = (heads: readonly string[], rows: readonly string[][], figures: readonly number[]): string[] =>
    rows.length === 0 ? [] : [printTable(heads, rows, figures)];
  const more = numClients > SHOWN_CLIENTS ? `\n${formatCount(numClients - SHOWN_CLIENTS)} clients more` : '';
  return [
    ...table(
      ['rule', 'would stop', 'that pass today', 'clients'],
      rules.map((one) => [
        one.rule ?? 'otherwise',
        formatCount(one.wouldStop),
        formatCount(one.newlyStopped),
        formatCount(one.clients),
      ]),
      [1, 2, 3],
    ),
    ...table(
      ['client', 'country', 'would be stopped', 'passes', 'probably legitimate'],
      clients
        .slice(0, SHOWN_CLIENTS)
        .map((one) => [
          one.client,
          one.country ?? '',
          formatCount(one.newlyStopped),
          formatCount(one.passing),
          one.reasons.join(' '),
        ]),
      [2, 3],
    ).map((text) => text + more),
    ...table(
      ['country', 'would be stopped', 'clients'],
      countries
        .slice(0, SHOWN_COUNTRIES)
        .map((one) => [one.country ?? 'none or unknown', formatCount(one.newlyStopped), formatCount(one.clients)]),
      [1, 2],
    ),
    ...table(
      ['day (UTC)', 'requests', 'would be stopped', ''],
      days.map(({ day, requests, newlyStopped }) => [
        day,
        formatCount(requests),
        formatCount(newlyStopped),
        formatShare(newlyStopped / requests),
      ]),
      [1, 2, 3],
    ),
  ];
}
