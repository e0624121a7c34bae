import {
  addRejected,
  PEOPLE,
  LogReader,
  printCsvHeader,
  printCsvRow,
  Replay,
  summarize,
  toDecidedRecord,
  type LogFormat,
  type LogRecord,
  type People,
  type Tally,
} from '@jadefence/core';
import { Option, type Command } from 'commander';
import { Failure } from '../failure.js';
import { loadCountryTable } from '../files/load-reference.js';
import { loadCategoryFeeds } from '../files/load-reference.js';
import { loadRulebook } from '../files/load-fences.js';
import { openLog, parseFormat } from '../files/open-log.js';
import {
  isInTimeOrder,
  judgeChecked,
  judgeReordered,
  judgeSorted,
  type Batches,
  type JudgeRecord,
} from '../files/time-order.js';
import { LineWriter, ROWS_OUTPUT, say, writeJson, type Output, type Streams } from '../output.js';
import { suggestNearest } from '@jadefence/core';
import { renderSummary } from '../render/summary.js';

interface JudgeOptions {
  readonly fences: string;
  readonly countryTable?: string;
  readonly format?: LogFormat;
  readonly host?: string;
  readonly gate?: string;
  readonly people: People;
  readonly categoryFeed?: string[];
  readonly output: Output;
}

export function addJudge(program: Command, streams: Streams): void {
  program
    .command('judge')
    .description('Judge a log against fence files, with no service and no database')
    .argument('<log>', 'log file, or - for standard input')
    .requiredOption('--fences <path>', 'fence file, or folder of .fence files')
    .option('--country-table <file>', 'country table: CSV, statistics of a registry, or MMDB')
    .option('--format <format>', 'log format, instead of detecting it', parseFormat)
    .option('--host <host>', 'host of every request, where the log has no column for it')
    .option('--gate <name>', 'gate that judges every request, whatever its host')
    .addOption(
      new Option('--people <what>', 'what people do who are warned or asked').choices(PEOPLE).default('goes-on'),
    )
    .option(
      '--category-feed <file...>',
      'category feeds in order: CSV, CATEGORY=LIST, a folder or an archive; the first that knows a site answers',
    )
    .option(...ROWS_OUTPUT)
    .addHelpText(
      'after',
      `
Examples:
  jadefence judge access.log --fences ./fences
  jadefence judge access.log --fences ./fences --country-table countries.csv --output ndjson > decisions.ndjson
  gzip -dc access.log.gz | jadefence judge - --fences site.fence --host shop.example`,
    )
    .action((log: string, options: JudgeOptions) => judgeLog(log, options, streams));
}

async function judgeLog(path: string, options: JudgeOptions, streams: Streams): Promise<void> {
  const categories = options.categoryFeed && (await loadCategoryFeeds(options.categoryFeed, streams));
  const { rulebook } = await loadRulebook(options.fences, categories?.names);
  const gateNames = rulebook.gates.map(({ statement }) => statement.name);
  if (options.gate !== undefined && !gateNames.includes(options.gate)) {
    throw new Failure(
      `No gate is named "${options.gate}".`,
      2,
      suggestNearest(options.gate, gateNames) ?? `The gates are: ${gateNames.join(', ')}.`,
    );
  }
  const countries = options.countryTable ? await loadCountryTable(options.countryTable, streams) : undefined;
  const newReplay = (): Replay =>
    new Replay({ rulebook, countries, categories, gate: options.gate, people: options.people });
  let replay = newReplay();
  const writer = new LineWriter(streams.stdout);
  const print = { ndjson: JSON.stringify, csv: printCsvRow, table: undefined, json: undefined }[options.output];
  if (options.output === 'csv') await writer.write(printCsvHeader());
  const judge = (record: LogRecord): string | undefined => {
    const { decision } = replay.next(record);
    return print?.(toDecidedRecord(record, decision));
  };
  const log = new LogPasses(path, options, streams);
  let order: Order = 'as-it-comes';
  if (rulebook.isStateful) order = path === '-' ? 'reordered' : 'checked';
  if (order === 'checked' && print) order = (await isInTimeOrder(await log.open())) ? 'as-it-comes' : 'sorted';
  if (order === 'checked' && !(await judgeChecked(await log.open(replay.tally), judge))) {
    // Nothing is printed yet, so it can begin anew.
    replay = newReplay();
    order = 'sorted';
  }
  if (order === 'sorted') say(streams, `${path}: the lines are not in the order of time, so they are sorted first`);
  if (order !== 'checked')
    for await (const lines of judgeLines(await log.open(replay.tally), order, judge))
      for (const line of lines) await writer.write(line);
  await writer.flush();

  const summary = summarize(replay.tally, rulebook);
  if (options.output === 'json') writeJson(streams, summary);
  if (options.output === 'table')
    streams.stdout.write(renderSummary(summary, `${path} judged by ${options.fences}`, streams));
  if (print && summary.numRejected > 0)
    streams.stderr.write(`${summary.numRejected} lines rejected; --output table shows the first of them\n`);
}

/** How the lines come to be judged: rules that remember need the order of time. */
type Order = 'as-it-comes' | 'reordered' | 'sorted' | 'checked';

/** Judges in that order, and answers what to print in the order of the log. */
async function* judgeLines(
  records: Batches,
  order: Exclude<Order, 'checked'>,
  judge: JudgeRecord,
): AsyncGenerator<readonly string[]> {
  if (order === 'reordered') return yield* judgeReordered(records, judge);
  if (order === 'sorted') return yield* judgeSorted(records, judge);
  for await (const batch of records) yield batch.map(judge).filter((line) => line !== undefined);
}

/** Opens a log once or several times; its format is found, and told, the first time. */
class LogPasses {
  #format: LogFormat | undefined;

  constructor(
    private readonly path: string,
    private readonly options: Pick<JudgeOptions, 'format' | 'host' | 'gate'>,
    private readonly streams: Streams,
  ) {
    this.#format = options.format;
  }

  /** The records in batches, since waiting for each would cost more than judging it. @param tally counts rejected lines */
  async open(tally?: Tally): Promise<Batches> {
    const { host, gate } = this.options;
    const log = await openLog(this.path, this.#format, host !== undefined || gate !== undefined, this.streams);
    this.#format = log.format;
    const reader = new LogReader(log.format, { host });
    const accept = (lines: ReturnType<LogReader['push']>): LogRecord[] => {
      const batch: LogRecord[] = [];
      for (const line of lines) {
        if (line.kind === 'record') batch.push(line.record);
        else if (tally) addRejected(tally, line.rejected);
      }
      return batch;
    };
    return (async function* () {
      for await (const piece of log.pieces) yield accept(reader.push(piece));
      yield accept(reader.end());
    })();
  }
}
