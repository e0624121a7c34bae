import { SurveyBuilder } from '@jadefence/core/survey';
import type { Command } from 'commander';
import { loadCountryTable } from '../files/load-reference.js';
import { openLog } from '../files/open-log.js';
import { addReadingOptions, orFailLater, readingOf, type ReadingOptions } from '../files/reading.js';
import { RECORD_FORMATS, nameOfPath, writeJson, type OneOutput, type Streams } from '../output.js';
import { renderSurvey } from '../render/survey.js';

interface SurveyOptions extends ReadingOptions {
  readonly countryTable?: string;
  readonly output: OneOutput;
}

export function addSurvey(program: Command, streams: Streams): void {
  const survey = program
    .command('survey')
    .description('Summarise a log and suggest rules')
    .argument('<log...>', 'log file, several that are one log, or - for standard input')
    .option('--country-table <file>', 'country table: CSV, statistics of a registry, or MMDB');
  addReadingOptions(survey)
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
Examples:
  jadefence survey access.log
  jadefence survey access.log.gz --country-table countries.csv
  gzip -dc access.log.gz | jadefence survey - --output json`,
    )
    .action((log: string[], options: SurveyOptions) => surveyLog(log, options, streams));
}

async function surveyLog(paths: readonly string[], options: SurveyOptions, streams: Streams): Promise<void> {
  const { countryTable, output } = options;
  const countries = countryTable ? await loadCountryTable(countryTable, streams) : undefined;
  const log = await openLog(paths, await readingOf(options), true, streams);
  const builder = new SurveyBuilder(countries);
  await orFailLater(paths, async () => {
    for await (const lines of log.lines())
      for (const line of lines) {
        if (line.kind === 'record') builder.add(line.record);
        else builder.addRejected(line.rejected);
      }
  });
  const survey = builder.finish();
  if (output === 'json') return writeJson(streams, survey);
  streams.stdout.write(renderSurvey(survey, paths.map(nameOfPath).join(' '), countryTable, log.format, streams));
}
