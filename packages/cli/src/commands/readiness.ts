import type { FenceReadiness } from '@jadefence/contract';
import { suggestNearest } from '@jadefence/core/text';
import { assessReadiness, countTrial, type Readiness } from '@jadefence/core/traffic';
import { InvalidArgumentError, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { loadContext } from '../files/load-context.js';
import { addReadingOptions, type ReadingOptions } from '../files/reading.js';
import { withDecidedFiles } from '../judging/decide-files.js';
import { printRecord, RECORD_FORMATS, type OneOutput, type Streams } from '../output.js';
import { coloursFor, countOf, formatCount, formatShare, printTable } from '../render/text.js';
import { connect } from '../service.js';

const SHOWN_CLIENTS = 20;
const SHOWN_COUNTRIES = 10;

interface ReadinessOptions extends ReadingOptions {
  readonly replay?: readonly number[];
  readonly log?: readonly string[];
  readonly fences?: string;
  readonly countryTable?: string;
  readonly categoryFeed?: string[];
  readonly output: OneOutput;
}

export function addReadiness(fence: Command, streams: Streams): void {
  const command = fence
    .command('readiness')
    .description('Show what enforcing a fence in trial would stop')
    .argument('<name>', 'name of the fence')
    .option('--replay <number...>', 'these replays (default: the latest of each log)', collectNumbers)
    .option('--fences <path>', 'without a service: fence file, or folder of .fence files')
    .option('--log <file...>', 'with --fences: log files, added up')
    .option('--country-table <file>', 'for files: country table (CSV, statistics of a registry, or MMDB)')
    .option('--category-feed <file...>', 'for files: category feeds, in order');
  addReadingOptions(command)
    .option('--host <host>', 'for files: host of every request, if the log has no column')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
Adds up what the trials of the fence would have stopped, and points out the clients that are probably legitimate: of a
protected list, signed in, or with many requests that pass. Ends with 1 where it is not ready.

Examples:
  jadefence fence readiness tout-watch
  jadefence fence readiness originals-watch --replay 3 --replay 4
  jadefence fence readiness originals-watch --fences ./fences --log monday.log tuesday.log`,
    )
    .action(async (name: string, options: ReadinessOptions) => {
      const { replay, output, fences, log } = options;
      if ((fences === undefined) !== (log === undefined) || (log !== undefined && replay !== undefined))
        throw new Failure(
          'Give log files together with --fences, and no --replay.',
          EXIT.wrongInput,
          'As --fences ./fences --log monday.log tuesday.log.',
        );
      const readiness: Shown =
        fences === undefined
          ? await (await connect(streams)).readiness(name, { replays: replay })
          : await readinessOfFiles(name, { ...options, fences, log: log! }, streams);
      printRecord(streams, output, readiness, renderReadiness(readiness, streams));
      if (readiness.verdict === 'look' || readiness.verdict === 'untried')
        throw new Failure(`The fence ${name} is not ready to be enforced.`, EXIT.checkFailed);
    });
}

/** Each file is judged by itself, as each log of a service is. */
async function readinessOfFiles(
  name: string,
  { log, ...options }: ReadinessOptions & { readonly fences: string; readonly log: readonly string[] },
  streams: Streams,
): Promise<Readiness> {
  const { context } = await loadContext(options, streams);
  const { fences } = context.rulebook;
  const fence = fences.find((one) => one.name === name);
  if (!fence)
    throw new Failure(
      `There is no fence "${name}".`,
      EXIT.wrongInput,
      suggestNearest(
        name,
        fences.map((one) => one.name),
      ) ?? `The fences are: ${fences.map((one) => one.name).join(', ')}.`,
    );
  const counters = [];
  for (const path of log)
    counters.push(await withDecidedFiles([path], context, options, streams, (decided) => countTrial(decided, name)));
  return assessReadiness(fence, context.rulebook, counters);
}

/** Of a service with the replays that were added up. */
type Shown = Readiness & Partial<FenceReadiness>;

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

function renderReadiness(readiness: Shown, streams: Streams): string {
  const { fence, title, verdict, reasons, replays = [], numEarlier = 0 } = readiness;
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
function tablesOf({ rules, clients, numClients, countries, days }: Readiness): string[] {
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
