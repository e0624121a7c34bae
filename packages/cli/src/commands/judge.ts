import type { EvaluationContext } from '@jadefence/core/decide';
import { QUICK_BOUNDS, reviewRules } from '@jadefence/core/findings';
import { maskCounts, type Masker } from '@jadefence/core/masking';
import type { Statement } from '@jadefence/core/language';
import { DEFAULT_MAX_KEYS, TooManyKeysError } from '@jadefence/core/match';
import { summarize, type BreakdownName } from '@jadefence/core/replay';
import { reviewTraffic, type TrafficFinding } from '@jadefence/core/traffic';
import type { Imported } from '@jadefence/files';
import type { Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { loadContext, type JudgingContext, type JudgingOptions } from '../files/load-context.js';
import { addMaskOptions, maskerOf, type MaskOptions } from '../files/mask-option.js';
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
import { renderTrafficFinding } from '../render/traffic-finding.js';
import { renderSummary } from '../render/summary.js';
import { countOf } from '../render/text.js';
import { printDecisionHeader, printDecisionRow } from '../render/csv.js';

interface JudgeOptions extends ReadingOptions, JudgingOptions, MaskOptions {
  readonly maxLimitKeys: number;
  readonly by?: readonly BreakdownName[];
  readonly protect?: readonly string[];
  readonly findings?: true;
  readonly output: Output;
}

export function addJudge(program: Command, streams: Streams): void {
  const command = program
    .command('judge')
    .description('Judge a log against fence files, without a service')
    .argument('<log...>', 'log file, several that are one log, or - for standard input')
    .requiredOption('--fences <path>', 'fence file, or folder of .fence files')
    .option('--country-table <file>', 'country table: CSV, statistics of a registry, or MMDB');
  addMaskOptions(addReadingOptions(command))
    .option('--host <host>', 'host of every request, if the log has no column')
    .option('--gate <name>', 'gate that judges every request, whatever its host')
    .addOption(peopleOption())
    .option('--category-feed <file...>', 'category feeds in order: CSV, CATEGORY=LIST, a folder or an archive')
    .addOption(byOption())
    .option('--protect <list...>', 'exit 1 if a client of these lists of addresses is stopped')
    .option('--findings', 'also show what the decisions show to be probably wrong')
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
  jadefence judge access.log --fences ./fences --country-table countries.csv --findings
  jadefence judge access.log --fences ./fences --mask client=shorten,user=hide --output ndjson
  gzip -dc access.log.gz | jadefence judge - --fences site.fence --host shop.example`,
    )
    .action((log: string[], options: JudgeOptions) => judgeLog(log, options, streams));
}

async function judgeLog(paths: readonly string[], options: JudgeOptions, streams: Streams): Promise<void> {
  // Feeds take a while, so the log is read meanwhile; without them, errors of the fences are reported first.
  const early = options.categoryFeed ? undefined : await loadContext(options, streams);
  const masker = await maskerOf(options);
  const knowsHost = options.host !== undefined || options.gate !== undefined;
  const log = await openLog(paths, await readingOf(options), knowsHost, streams);
  // Who is shown each decision of standard input is shown it as the line comes.
  const imported = paths.includes('-') && printOf(options) ? undefined : startImport(log);
  try {
    const loaded = early ?? (await loadContext(options, streams));
    await judgeOpened({ log, imported, masker, ...loaded }, paths, options, streams);
  } finally {
    await imported?.return(undefined);
  }
}

/** How each decision is printed; undefined where only counts are. */
function printOf({ output }: JudgeOptions): PrintRecord | undefined {
  return { ndjson: JSON.stringify, csv: printDecisionRow, table: undefined, json: undefined }[output];
}

/** Prints records without what is masked. */
function masked(print: PrintRecord | undefined, masker: Masker | undefined): PrintRecord | undefined {
  return print && masker ? (record) => print(masker.attributes(record)) : print;
}

interface OpenedLog extends JudgingContext {
  readonly log: OpenLog;
  /** Its chunks; absent where it is judged line by line. */
  readonly imported: AsyncGenerator<Imported> | undefined;
  /** Of what is shown; rules see true values. */
  readonly masker: Masker | undefined;
}

async function judgeOpened(
  { log, imported, masker, context, statements }: OpenedLog,
  paths: readonly string[],
  options: JudgeOptions,
  streams: Streams,
): Promise<void> {
  const { output } = options;
  const print = masked(printOf(options), masker);
  if (options.findings && masker?.hasTexts)
    throw new Failure(
      '--findings names values that --mask hides.',
      EXIT.wrongInput,
      'Leave out one of them, or mask only client and peer.',
    );
  if (options.findings && (print || options.protect))
    throw new Failure(
      '--findings shows what all decisions have in common, not each of them.',
      EXIT.wrongInput,
      'Leave out --findings, or --protect, and write a table or JSON.',
    );
  const watch = options.protect && new ProtectedWatch(context.rulebook, options.protect, masker);
  const judging = new LogJudge(context, watch ? watch.around(print) : print, options.maxLimitKeys);
  const writer = new LineWriter(streams.data);
  if (output === 'csv') await writer.write(printDecisionHeader());
  if (!imported) await writer.flush();
  let findings: readonly TrafficFinding[] | undefined;
  await orFailLater(paths, async () => {
    const names = log.files.map(({ name }) => name);
    if (options.findings && imported) {
      findings = await findingsOf(judging, imported, names);
      return;
    }
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

  const counted = summarize(judging.tally, context.rulebook);
  const summary = masker ? maskCounts(counted, masker) : counted;
  if (masker && findings) findings = maskCounts(findings, masker);
  if (output === 'json') writeJson(streams, { ...summary, ...(findings ? { findings } : {}) });
  if (output === 'table')
    streams.stdout.write(
      renderSummary(summary, `${paths.map(nameOfPath).join(' ')} judged by ${options.fences}`, streams, options.by),
    );
  if (output === 'table' && findings?.length)
    streams.stdout.write(`\n${findings.map((one) => renderTrafficFinding(one, streams)).join('\n')}\n`);
  if (output === 'table') reportFindings(context, statements, streams);
  if (print && summary.numRejected > 0)
    streams.stderr.write(`${countOf(summary.numRejected, 'line')} rejected; --output table shows the first of them\n`);
  watch?.refuseStops();
}

async function findingsOf(
  judging: LogJudge,
  imported: AsyncGenerator<Imported>,
  names: readonly string[],
): Promise<readonly TrafficFinding[]> {
  const decided = await judging.decide(imported, names);
  try {
    return await reviewTraffic(decided, judging.tally);
  } finally {
    await decided.remove();
  }
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
