import {
  addRejected,
  LogReader,
  printCsvHeader,
  printCsvRow,
  Replay,
  summarize,
  toDecidedRecord,
  type LogFormat,
} from '@jadefence/core';
import type { Command } from 'commander';
import { Failure } from '../failure.js';
import { loadCountryTable } from '../files/load-country-table.js';
import { loadRulebook } from '../files/load-fences.js';
import { openLog, parseFormat } from '../files/open-log.js';
import { LineWriter, ROWS_OUTPUT, writeJson, type Output, type Streams } from '../output.js';
import { suggestNearest } from '@jadefence/core';
import { renderSummary } from '../render/summary.js';

interface JudgeOptions {
  readonly fences: string;
  readonly countryTable?: string;
  readonly format?: LogFormat;
  readonly host?: string;
  readonly gate?: string;
  readonly output: Output;
}

export function addJudge(program: Command, streams: Streams): void {
  program
    .command('judge')
    .description('Judge a log against fence files, with no service and no database')
    .argument('<log>', 'log file, or - for standard input')
    .requiredOption('--fences <path>', 'fence file, or folder of .fence files')
    .option('--country-table <file>', 'country table as CSV: start,end,CC or cidr,CC')
    .option('--format <format>', 'log format, instead of detecting it', parseFormat)
    .option('--host <host>', 'host of every request, where the log has no column for it')
    .option('--gate <name>', 'gate that judges every request, whatever its host')
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
  const { rulebook } = await loadRulebook(options.fences);
  const gateNames = rulebook.gates.map(({ statement }) => statement.name);
  if (options.gate !== undefined && !gateNames.includes(options.gate)) {
    throw new Failure(
      `No gate is named "${options.gate}".`,
      2,
      suggestNearest(options.gate, gateNames) ?? `The gates are: ${gateNames.join(', ')}.`,
    );
  }
  const countries = options.countryTable ? await loadCountryTable(options.countryTable, streams) : undefined;
  const { format, pieces } = await openLog(
    path,
    options.format,
    options.host !== undefined || options.gate !== undefined,
    streams,
  );
  const reader = new LogReader(format, { host: options.host });
  const replay = new Replay({ rulebook, countries, gate: options.gate });
  const writer = new LineWriter(streams.stdout);
  const print = { ndjson: JSON.stringify, csv: printCsvRow, table: undefined, json: undefined }[options.output];
  if (options.output === 'csv') await writer.write(printCsvHeader());

  const judgeLines = async (lines: ReturnType<LogReader['push']>): Promise<void> => {
    for (const line of lines) {
      if (line.kind === 'rejected') {
        addRejected(replay.tally, line.rejected);
        continue;
      }
      const { decision } = replay.next(line.record);
      if (print) await writer.write(print(toDecidedRecord(line.record, decision)));
    }
  };
  for await (const piece of pieces) await judgeLines(reader.push(piece));
  await judgeLines(reader.end());
  await writer.flush();

  const summary = summarize(replay.tally, rulebook);
  if (options.output === 'json') writeJson(streams, summary);
  if (options.output === 'table')
    streams.stdout.write(renderSummary(summary, `${path} judged by ${options.fences}`, streams));
  if (print && summary.numRejected > 0)
    streams.stderr.write(`${summary.numRejected} lines rejected; --output table shows the first of them\n`);
}
