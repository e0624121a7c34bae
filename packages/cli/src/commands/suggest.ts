import { readFile } from 'node:fs/promises';
import { listAll, type RuleSuggestions } from '@jadefence/contract';
import { checkFilter } from '@jadefence/core/check';
import { filterChunk } from '@jadefence/core/replay';
import { suggestRules, type DecidedLog, type RowsByChunk } from '@jadefence/core/traffic';
import type { Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { editDraft } from '../edit-draft.js';
import { addReadingOptions, type ReadingOptions } from '../files/reading.js';
import { loadContext } from '../files/load-context.js';
import { lineCondition } from '../files/lines-file.js';
import { withDecidedFiles } from '../judging/decide-files.js';
import { parseWhole, printRecord, RECORD_FORMATS, type OneOutput, type Streams } from '../output.js';
import { describeDiagnostics } from '../render/diagnostics.js';
import { coloursFor, countOf, formatCount, formatShare } from '../render/text.js';
import { connect } from '../service.js';
import { findLog } from './replay.js';

interface SuggestOptions extends ReadingOptions {
  readonly stop?: string;
  readonly stopLines?: string;
  readonly spare?: string;
  readonly replay?: number;
  readonly add?: number;
  readonly fences?: string;
  readonly countryTable?: string;
  readonly categoryFeed?: string[];
  readonly output: OneOutput;
}

/** As a service has them, or from files, without a place in a draft. */
type Found = Pick<RuleSuggestions, 'chosen' | 'spared' | 'rules'>;

export function addSuggest(program: Command, streams: Streams): void {
  const command = program
    .command('suggest')
    .description('Suggest rules that stop chosen requests')
    .argument('<log...>', 'name or number of a stored log that was replayed; with --fences log files')
    .option('--stop <condition>', 'requests to stop, as a filter of decisions')
    .option('--stop-lines <file>', 'or those of these lines of the log, by their numbers')
    .option('--spare <condition>', 'requests to spare (default: all others)')
    .option('--replay <number>', 'of this replay (default: the latest of the log)', parseWhole)
    .option('--add <number>', 'put the suggestion with this number into the draft, on trial', parseWhole)
    .option('--fences <path>', 'without a service: fence file, or folder of .fence files')
    .option('--country-table <file>', 'for files: country table (CSV, statistics of a registry, or MMDB)')
    .option('--category-feed <file...>', 'for files: category feeds, in order');
  addReadingOptions(command)
    .option('--host <host>', 'for files: host of every request, if the log has no column')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
Up to three comparisons are combined, and limits are tried where clients come often; what each rule stops, and what it
stops besides, is counted over the whole log. A file of lines has a number at the beginning of each line, or is NDJSON of
decisions.

Examples:
  jadefence suggest 1 --stop 'recorded status = 401 and time >= 2026-10-12T04:00:00Z'
  jadefence suggest 1 --stop 'agent contains "picture-grabber"' --spare 'client in trusted' --add 1
  grep -n wp-login access.log > lines.txt; jadefence suggest 1 --stop-lines lines.txt
  jadefence suggest access.log --fences ./fences --stop 'recorded status = 401'`,
    )
    .action((logs: string[], options: SuggestOptions) => suggest(logs, options, streams));
}

async function suggest(logs: readonly string[], options: SuggestOptions, streams: Streams): Promise<void> {
  const { add, output } = options;
  const stop = await chosenBy(options);
  const found =
    options.fences === undefined
      ? await suggestStored(logs, stop, options, streams)
      : await suggestFiles(logs, stop, { ...options, fences: options.fences }, streams);
  if (add === undefined) return printRecord(streams, output, found, render(found, streams));
  const edits = found.rules[add - 1]?.edits;
  if (!edits)
    throw new Failure(`There is no suggestion ${add} with a place in the draft; there are ${found.rules.length}.`);
  await editDraft(edits, output, streams);
}

/** The filter of what is to be stopped. @throws Failure unless it is given in one way */
async function chosenBy({ stop, stopLines }: SuggestOptions): Promise<string> {
  if (stop !== undefined && stopLines === undefined) return stop;
  if (stop !== undefined || stopLines === undefined)
    throw new Failure(
      'Choose the requests to stop by a filter, or by their lines.',
      EXIT.wrongInput,
      `As --stop 'agent contains "grabber"', or --stop-lines lines.txt.`,
    );
  const text = await readFile(stopLines, 'utf8').catch(({ code }: NodeJS.ErrnoException) => {
    throw new Failure(`The lines "${stopLines}" cannot be read (${code}).`, EXIT.wrongInput);
  });
  return lineCondition(text, stopLines);
}

async function suggestStored(
  [name, ...more]: readonly string[],
  stop: string,
  { spare, replay }: SuggestOptions,
  streams: Streams,
): Promise<Found> {
  if (more.length > 0)
    throw new Failure('Give one stored log; several files that are one log need --fences.', EXIT.wrongInput);
  const client = await connect(streams);
  const log = findLog(await listAll(client.logs), name!);
  const id =
    replay ?? (await listAll(client.replays)).find(({ logId, state }) => logId === log.id && state === 'done')?.id;
  if (id === undefined)
    throw new Failure(
      `The log ${log.name} was not replayed.`,
      EXIT.wrongInput,
      `Replay it first: jadefence replay start ${log.id}.`,
    );
  return client.suggestRules(id, { stop, ...(spare === undefined ? {} : { spare }) });
}

async function suggestFiles(
  paths: readonly string[],
  stop: string,
  options: SuggestOptions & { readonly fences: string },
  streams: Streams,
): Promise<Found> {
  const { spare, add, replay } = options;
  if (add !== undefined || replay !== undefined)
    throw new Failure('--add and --replay need a service.', EXIT.wrongInput, 'Leave them out, or leave out --fences.');
  const { context } = await loadContext(options, streams);
  return withDecidedFiles(paths, context, options, streams, async (log) => {
    const { gates, rules, ...totals } = await suggestRules(log, {
      chosen: await matching(log, stop, '--stop'),
      ...(spare === undefined ? {} : { spared: await matching(log, spare, '--spare') }),
    });
    if (gates.size === 0)
      throw new Failure('No request that a gate covers is to be stopped.', EXIT.wrongInput, 'Choose others.');
    const withText = rules.map((rule) => ({
      ...rule,
      text: `rule suggested trial ${rule.action} when ${rule.condition}`,
    }));
    return { ...totals, rules: withText };
  });
}

async function matching(log: DecidedLog, where: string, option: string): Promise<RowsByChunk> {
  const { filter, diagnostics } = checkFilter(where, log.context.rulebook);
  if (!filter) throw new Failure([`${option}:`, ...describeDiagnostics(diagnostics)].join('\n'), EXIT.wrongInput);
  const found = new Map<number, Uint32Array>();
  for await (const { chunk, rows, codes } of log.chunks([]))
    found.set(chunk, filterChunk(filter, log.context, rows, codes, log.rulings));
  return found;
}

function render({ chosen, spared, rules }: Found, streams: Streams): string {
  const colours = coloursFor(streams);
  const head = `${countOf(chosen, 'request')} to stop, ${formatCount(spared)} to spare.`;
  if (rules.length === 0) return `${head}\nNothing was found that these have in common.`;
  const lines = rules.map(({ action, condition, stopped, collateral, clients }, at) => {
    const besides =
      collateral === 0
        ? 'nothing besides'
        : `besides ${formatCount(collateral)} (${formatShare(collateral / spared)}), of ${clients
            .slice(0, 3)
            .map((one) => one.client)
            .join(', ')}${clients.length > 3 ? ' ...' : ''}`;
    return `${colours.bold(String(at + 1))}  ${action} when ${condition}\n   stops ${formatCount(stopped)} (${formatShare(stopped / chosen)}), ${besides}`;
  });
  return [head, ...lines].join('\n');
}
