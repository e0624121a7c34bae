import {
  ADVICE_PATH,
  adviseLimit,
  NoLimitError,
  PeakCounters,
  writeCountingRules,
  type LimitAdvice,
  type LimitSubject,
} from '@jadefence/core/advice';
import { checkFences } from '@jadefence/core/check';
import { DEFAULT_MAX_KEYS, TooManyKeysError } from '@jadefence/core/match';
import { listAll, type LimitAdviceRequest } from '@jadefence/contract';
import { InvalidArgumentError, Option, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { readFenceSources } from '../files/load-fences.js';
import { loadCategoryFeeds, loadCountryTable } from '../files/load-reference.js';
import { openLog } from '../files/open-log.js';
import { addReadingOptions, orFailLater, readingOf, type ReadingOptions } from '../files/reading.js';
import { LogJudge, startImport } from '../judging/judge-log.js';
import { parseWhole, writeJson, type Streams } from '../output.js';
import { printCsvRow } from '../render/csv.js';
import { describeDiagnostics } from '../render/diagnostics.js';
import { renderLimitAdvice } from '../render/limit-advice.js';
import { connect } from '../service.js';
import { findLog } from './replay.js';

interface LimitAdviceOptions extends ReadingOptions {
  readonly rule?: string;
  readonly by?: string;
  readonly within?: string;
  readonly when?: string;
  readonly gate?: string;
  readonly spare?: string;
  readonly share?: number;
  readonly count?: number[];
  readonly fences?: string;
  readonly countryTable?: string;
  readonly categoryFeed?: string[];
  readonly output: 'table' | 'json' | 'csv';
}

export function addLimitAdvice(program: Command, streams: Streams): void {
  const command = program
    .command('limit-advice')
    .description('Find out from a log which count is right for a limit')
    .argument('<log...>', 'number or name of a stored log; with --fences log files')
    .option('--rule <fence/name>', 'a rule that limits, with all that is before it')
    .option('--by <keys>', 'or else what is counted by, as in a rule: client,method')
    .option('--within <duration>', 'and the window: 30s, 5m, 1h')
    .option('--when <condition>', 'only requests that satisfy this condition count')
    .option('--spare <list>', 'suggest a count that stops no client of this list of addresses')
    .option('--share <part>', 'suggest a count that stops at most this part of the keys, such as 0.001', parseShare)
    .option('--count <number...>', 'counts to look at, in addition to round ones', collectCount)
    .option('--gate <name>', 'only requests of this gate count')
    .option('--fences <path>', 'without a service: fence file, or folder of .fence files')
    .option('--country-table <file>', 'for files: country table (CSV, statistics of a registry, or MMDB)')
    .option('--category-feed <file...>', 'for files: category feeds, in order');
  addReadingOptions(command)
    .option('--host <host>', 'for files: host of every request, if the log has no column')
    .addOption(
      new Option('--output <format>', 'csv: one line a count').choices(['table', 'json', 'csv']).default('table'),
    )
    .addHelpText(
      'after',
      `
Examples:
  jadefence limit-advice 1 --rule shop/login-attempts
  jadefence limit-advice access.log --by client,method --within 5m --when "path under /login" --spare office
  jadefence limit-advice access.log --fences ./fences --by client --within 1m --output json`,
    )
    .action((log: string[], options: LimitAdviceOptions) => advise(log, options, streams));
}

function parseShare(text: string): number {
  const share = Number(text);
  if (text.trim() === '' || !(share >= 0 && share <= 1))
    throw new InvalidArgumentError('Expected a part from 0 to 1, such as 0.001.');
  return share;
}

function collectCount(text: string, before: number[] = []): number[] {
  const count = parseWhole(text);
  if (count < 1 || count > 1_000_000) throw new InvalidArgumentError('Expected a count from 1 to 1000000.');
  return [...before, count];
}

async function advise(logs: readonly string[], options: LimitAdviceOptions, streams: Streams): Promise<void> {
  subjectOf(options);
  const advice =
    options.fences === undefined
      ? await adviseStored(logs, options, streams)
      : await adviseFiles(logs, options.fences, options, streams);
  if (options.output === 'json') return writeJson(streams, advice);
  if (options.output === 'table') {
    streams.stdout.write(`${renderLimitAdvice(advice, streams)}\n`);
    return;
  }
  const lines = advice.thresholds.map(({ count, keys, requests }) => printCsvRow([count, keys, requests].map(String)));
  streams.stdout.write(`${['count,keys,requests', ...lines].join('\n')}\n`);
}

/** @throws Failure unless a rule or a limit is given */
function subjectOf({ rule, by, within, when, gate }: LimitAdviceOptions): LimitSubject {
  if (rule !== undefined && by === undefined && within === undefined && when === undefined && gate === undefined)
    return { rule };
  if (rule === undefined && by !== undefined && within !== undefined)
    return { by, within, ...(when === undefined ? {} : { when }), ...(gate === undefined ? {} : { gate }) };
  throw new Failure(
    'Give a rule that limits, or keys and a window.',
    EXIT.wrongInput,
    'As --rule shop/login-attempts, or --by client --within 5m.',
  );
}

async function adviseStored(
  [text, ...more]: readonly string[],
  options: LimitAdviceOptions,
  streams: Streams,
): Promise<LimitAdvice> {
  if (more.length > 0)
    throw new Failure('Give one stored log; several files that are one log need --fences.', EXIT.wrongInput);
  const client = await connect(streams);
  const log = findLog(await listAll(client.logs), text!);
  const { spare, share, count } = options;
  const request: LimitAdviceRequest = { ...subjectOf(options), spare, share, counts: count };
  return client.limitAdvice(log.id, request);
}

async function adviseFiles(
  paths: readonly string[],
  fences: string,
  options: LimitAdviceOptions,
  streams: Streams,
): Promise<LimitAdvice> {
  const categories = options.categoryFeed && (await loadCategoryFeeds(options.categoryFeed, streams));
  const { fenceFiles, namedFiles } = await readFenceSources(fences);
  const outside = { categories: categories?.names };
  const { files, diagnostics } = checkFences(fenceFiles, namedFiles, outside);
  if (diagnostics.length > 0) throw new Failure(describeDiagnostics(diagnostics).join('\n'));
  const rules = orFailure(() =>
    writeCountingRules(
      files.flatMap(({ statements }) => statements),
      subjectOf(options),
      options.spare,
    ),
  );
  const counting = checkFences([{ path: ADVICE_PATH, text: rules.text }], namedFiles, outside);
  if (!counting.rulebook) throw new Failure(describeDiagnostics(counting.diagnostics).join('\n'));
  const countries = options.countryTable ? await loadCountryTable(options.countryTable, streams) : undefined;
  const log = await openLog(paths, await readingOf(options), options.host !== undefined, streams);
  const followed = new Set([rules.counted, ...(rules.spared === undefined ? [] : [rules.spared])]);
  // Where the log turns out not to be in the order of time, it is counted again.
  let counters = new PeakCounters(followed, DEFAULT_MAX_KEYS);
  const context = { rulebook: counting.rulebook, countries, categories };
  const judge = new LogJudge(context, undefined, DEFAULT_MAX_KEYS, () => {
    counters = new PeakCounters(followed, DEFAULT_MAX_KEYS);
    return counters;
  });
  const imported = startImport(log);
  try {
    await orFailLater(paths, async () => {
      const names = log.files.map(({ name }) => name);
      for await (const line of judge.judgeFiles(imported, names)) streams.stdout.write(line);
    });
  } catch (error) {
    if (!(error instanceof TooManyKeysError)) throw error;
    throw new Failure(error.message, EXIT.wrongInput, 'Count by fewer keys, or a narrower condition.');
  } finally {
    await imported.return(undefined);
  }
  const { share, count: counts } = options;
  return adviseLimit(counters, rules, judge.tally.rules[rules.counted]?.blind ?? 0, { share, counts });
}

function orFailure<T>(work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (!(error instanceof NoLimitError)) throw error;
    const lines = [error.message, ...describeDiagnostics(error.diagnostics)];
    throw new Failure(lines.join('\n'), EXIT.wrongInput, error.hint);
  }
}
