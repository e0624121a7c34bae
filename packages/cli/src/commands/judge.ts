import type { EvaluationContext, HeldBehaviour } from '@jadefence/core/decide';
import { suggestNearest } from '@jadefence/core/text';
import { QUICK_BOUNDS, reviewRules } from '@jadefence/core/findings';
import type { Statement } from '@jadefence/core/language';
import { DEFAULT_MAX_KEYS, TooManyKeysError } from '@jadefence/core/match';
import { summarize, type BreakdownName } from '@jadefence/core/replay';
import type { Imported } from '@jadefence/files';
import type { Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { loadCategoryFeeds, loadCountryTable } from '../files/load-reference.js';
import { loadRulebook } from '../files/load-fences.js';
import { openLog, type OpenLog } from '../files/open-log.js';
import { addReadingOptions, orFailLater, readingOf, type ReadingOptions } from '../files/reading.js';
import { LogJudge, startImport, type PrintRecord } from '../judging/judge-log.js';
import { ProtectedWatch } from '../judging/protected-watch.js';
import {
  LineWriter,
  nameOfPath,
  parseWhole,
  TABLE_FORMATS,
  logMessage,
  writeJson,
  type Output,
  type Streams,
} from '../output.js';
import { byOption, peopleOption } from './replay-options.js';
import { renderSummary } from '../render/summary.js';
import { countOf } from '../render/text.js';
import { printDecisionHeader, printDecisionRow } from '../render/csv.js';

interface JudgeOptions extends ReadingOptions {
  readonly fences: string;
  readonly countryTable?: string;
  readonly gate?: string;
  readonly held: HeldBehaviour;
  readonly maxLimitKeys: number;
  readonly by?: readonly BreakdownName[];
  readonly protect?: readonly string[];
  readonly categoryFeed?: string[];
  readonly output: Output;
}

export function addJudge(program: Command, streams: Streams): void {
  const command = program
    .command('judge')
    .description('Judge a log against fence files, without a service')
    .argument('<log...>', 'log file, several that are one log, or - for standard input')
    .requiredOption('--fences <path>', 'fence file, or folder of .fence files')
    .option('--country-table <file>', 'country table: CSV, statistics of a registry, or MMDB');
  addReadingOptions(command)
    .option('--host <host>', 'host of every request, if the log has no column')
    .option('--gate <name>', 'gate that judges every request, whatever its host')
    .addOption(peopleOption())
    .option('--category-feed <file...>', 'category feeds in order: CSV, CATEGORY=LIST, a folder or an archive')
    .addOption(byOption())
    .option('--protect <list...>', 'exit 1 if a client of these lists of addresses is stopped')
    .option('--max-limit-keys <number>', 'counters and holds that may be alive at once', parseWhole, DEFAULT_MAX_KEYS)
    .option(...TABLE_FORMATS)
    .addHelpText(
      'after',
      `
Examples:
  jadefence judge access.log --fences ./fences
  jadefence judge access.log --fences ./fences --country-table countries.csv --output ndjson > decisions.ndjson
  jadefence judge access.log --fences ./fences --by host client
  jadefence judge access.log access.log.1.gz --fences ./fences
  jadefence judge access.log --fences ./fences --protect office monitoring
  gzip -dc access.log.gz | jadefence judge - --fences site.fence --host shop.example`,
    )
    .action((log: string[], options: JudgeOptions) => judgeLog(log, options, streams));
}

async function judgeLog(paths: readonly string[], options: JudgeOptions, streams: Streams): Promise<void> {
  // Feeds take a while, so the log is read meanwhile; without them, errors of the fences are reported first.
  const early = options.categoryFeed ? undefined : await loadJudge(options, streams);
  const knowsHost = options.host !== undefined || options.gate !== undefined;
  const log = await openLog(paths, await readingOf(options), knowsHost, streams);
  // Who is shown each decision of standard input is shown it as the line comes.
  const imported = paths.includes('-') && printOf(options) ? undefined : startImport(log);
  try {
    const loaded = early ?? (await loadJudge(options, streams));
    await judgeOpened({ log, imported, ...loaded }, paths, options, streams);
  } finally {
    await imported?.return(undefined);
  }
}

/** How each decision is printed; undefined where only counts are. */
function printOf({ output }: JudgeOptions): PrintRecord | undefined {
  return { ndjson: JSON.stringify, csv: printDecisionRow, table: undefined, json: undefined }[output];
}

interface LoadedJudge {
  readonly context: EvaluationContext;
  /** Of the fences. */
  readonly statements: readonly Statement[];
}

interface OpenedLog extends LoadedJudge {
  readonly log: OpenLog;
  /** Its chunks; absent where it is judged line by line. */
  readonly imported: AsyncGenerator<Imported> | undefined;
}

async function judgeOpened(
  { log, imported, context, statements }: OpenedLog,
  paths: readonly string[],
  options: JudgeOptions,
  streams: Streams,
): Promise<void> {
  const { output } = options;
  const print = printOf(options);
  const watch = options.protect && new ProtectedWatch(context.rulebook, options.protect);
  const judging = new LogJudge(context, watch ? watch.around(print) : print, options.maxLimitKeys);
  const writer = new LineWriter(streams.data);
  if (output === 'csv') await writer.write(printDecisionHeader());
  if (!imported) await writer.flush();
  await orFailLater(paths, async () => {
    const names = log.files.map(({ name }) => name);
    const write = async (line: string): Promise<void> => {
      if (print) await writer.write(line);
    };
    if (imported) for await (const line of judging.judgeFiles(imported, names)) await write(line);
    else
      for await (const lines of judging.judgeStream(log)) {
        for (const line of lines) await write(line);
        await writer.flush();
      }
  }).catch((error: unknown) => {
    if (!(error instanceof TooManyKeysError)) throw error;
    throw new Failure(error.message, EXIT.wrongInput, 'Or allow more with --max-limit-keys, where there is memory.');
  });
  await writer.flush();
  if (judging.wasReordered)
    logMessage(
      streams,
      `${paths.map(nameOfPath).join(' ')}: the lines are not in the order of time, so they were put into it first`,
    );

  const summary = summarize(judging.tally, context.rulebook);
  if (output === 'json') writeJson(streams, summary);
  if (output === 'table')
    streams.stdout.write(
      renderSummary(summary, `${paths.map(nameOfPath).join(' ')} judged by ${options.fences}`, streams, options.by),
    );
  if (output === 'table') reportFindings(context, statements, streams);
  if (print && summary.numRejected > 0)
    streams.stderr.write(`${countOf(summary.numRejected, 'line')} rejected; --output table shows the first of them\n`);
  watch?.refuseStops();
}

/** How many findings a review of the rules has, and the worst of them. */
function reportFindings(
  { rulebook, countries, categories }: EvaluationContext,
  statements: readonly Statement[],
  streams: Streams,
): void {
  const { findings } = reviewRules({
    statements,
    rulebook,
    nowUnixMs: Date.now(),
    referenceData: { countries, categories },
    bounds: QUICK_BOUNDS,
  });
  const [worst] = findings;
  if (!worst || worst.level === 'note') return;
  const counts = (['error', 'warning'] as const).flatMap((level) => {
    const count = findings.filter((finding) => finding.level === level).length;
    return count === 0 ? [] : [countOf(count, level)];
  });
  logMessage(
    streams,
    `The review of the rules has ${counts.join(' and ')}: ${worst.message} [${worst.id}] See jadefence review.`,
  );
}

/** What the log is judged by. @throws Failure where something of it cannot be used */
async function loadJudge(options: JudgeOptions, streams: Streams): Promise<LoadedJudge> {
  const { gate, held } = options;
  const categories = options.categoryFeed && (await loadCategoryFeeds(options.categoryFeed, streams));
  const { rulebook, files } = await loadRulebook(options.fences, streams, categories?.names);
  const gateNames = rulebook.gates.map(({ statement }) => statement.name);
  if (gate !== undefined && !gateNames.includes(gate)) {
    throw new Failure(
      `No gate is named "${gate}".`,
      EXIT.wrongInput,
      suggestNearest(gate, gateNames) ?? `The gates are: ${gateNames.join(', ')}.`,
    );
  }
  const countries = options.countryTable ? await loadCountryTable(options.countryTable, streams) : undefined;
  return {
    context: { rulebook, countries, categories, gate, held },
    statements: files.flatMap(({ statements }) => statements),
  };
}
