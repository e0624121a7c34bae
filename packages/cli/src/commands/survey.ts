import { LogReader, SurveyBuilder, type LogFormat } from '@jadefence/core';
import type { Command } from 'commander';
import { loadCountryTable } from '../files/load-reference.js';
import { openLog, parseFormat } from '../files/open-log.js';
import { ONE_OUTPUT, writeJson, type OneOutput, type Streams } from '../output.js';
import { renderSurvey } from '../render/survey.js';

interface SurveyOptions {
  readonly countryTable?: string;
  readonly format?: LogFormat;
  readonly output: OneOutput;
}

export function addSurvey(program: Command, streams: Streams): void {
  program
    .command('survey')
    .description('Look at a log with no rules at all, and get three rules to begin from')
    .argument('<log>', 'log file, or - for standard input')
    .option('--country-table <file>', 'country table: CSV, statistics of a registry, or MMDB')
    .option('--format <format>', 'log format, instead of detecting it', parseFormat)
    .option(...ONE_OUTPUT)
    .addHelpText(
      'after',
      `
Examples:
  jadefence survey access.log
  jadefence survey access.log.gz --country-table countries.csv
  gzip -dc access.log.gz | jadefence survey - --output json`,
    )
    .action((log: string, options: SurveyOptions) => surveyLog(log, options, streams));
}

async function surveyLog(
  path: string,
  { countryTable, format: chosen, output }: SurveyOptions,
  streams: Streams,
): Promise<void> {
  const countries = countryTable ? await loadCountryTable(countryTable, streams) : undefined;
  const { format, pieces } = await openLog(path, chosen, true, streams);
  const reader = new LogReader(format);
  const builder = new SurveyBuilder(countries);
  const take = (lines: ReturnType<LogReader['push']>): void => {
    for (const line of lines) {
      if (line.kind === 'record') builder.add(line.record);
      else builder.addRejected(line.rejected);
    }
  };
  for await (const piece of pieces) take(reader.push(piece));
  take(reader.end());
  const survey = builder.finish();
  if (output === 'json') return writeJson(streams, survey);
  streams.stdout.write(renderSurvey(survey, path, countryTable, format, streams));
}
