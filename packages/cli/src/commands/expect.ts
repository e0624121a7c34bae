import type { EvaluationContext } from '@jadefence/core/decide';
import { coverByExpectations, runExpectations, type ExpectationResult } from '@jadefence/core/expectations';
import { Option, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { loadCategoryFeeds } from '../files/load-reference.js';
import { loadCountryTable } from '../files/load-reference.js';
import { loadRulebook } from '../files/load-fences.js';
import { logMessage, printRecord, writeJson, type Streams } from '../output.js';
import { coloursFor, formatCount } from '../render/text.js';
import { renderUse } from './rule-use.js';
import { connect } from '../service.js';

interface ExpectOptions {
  readonly fences?: string;
  readonly countryTable?: string;
  readonly categoryFeed?: string[];
  readonly coverage: boolean;
  readonly output: 'table' | 'json' | 'junit';
}

export function addExpect(program: Command, streams: Streams): void {
  program
    .command('expect')
    .description('Run expectations (exit 1 if one is not met)')
    .option('--fences <path>', 'fence file or folder; the draft of the service if absent')
    .option('--country-table <file>', 'country table: CSV, statistics of a registry, or MMDB; with --fences')
    .option(
      '--category-feed <file...>',
      'category feeds in order: CSV, CATEGORY=LIST, a folder or an archive; with --fences',
    )
    .option('--coverage', 'show which rules no expectation decides, and which expectations repeat others', false)
    .addOption(new Option('--output <output>', 'what is printed').choices(['table', 'json', 'junit']).default('table'))
    .addHelpText(
      'after',
      `
Examples:
  jadefence expect --fences ./fences --country-table countries.csv
  jadefence expect --output junit > expectations.xml`,
    )
    .action((options: ExpectOptions) => expectAll(options, streams));
}

async function expectAll(options: ExpectOptions, streams: Streams): Promise<void> {
  if (options.coverage) return showCoverage(options, streams);
  const results =
    options.fences === undefined
      ? await (await connect(streams)).expectations()
      : await expectLocally(options.fences, options, streams);
  if (options.output === 'json') writeJson(streams, results);
  else if (options.output === 'junit') {
    // Only here, since the library would delay every command.
    const { printJunit } = await import('../render/junit.js');
    streams.stdout.write(printJunit(results));
  } else if (results.length > 0) streams.stdout.write(`${renderResults(results, streams)}\n`);
  if (results.length === 0) logMessage(streams, 'The rules hold no expectation.');
  const numFailed = results.filter(({ isMet }) => !isMet).length;
  if (numFailed > 0)
    throw new Failure(
      `${numFailed} of ${results.length} ${results.length === 1 ? 'expectation is' : 'expectations are'} not met.`,
      EXIT.checkFailed,
    );
}

async function expectLocally(path: string, options: ExpectOptions, streams: Streams): Promise<ExpectationResult[]> {
  return runExpectations(await contextOf(path, options, streams));
}

async function contextOf(path: string, options: ExpectOptions, streams: Streams): Promise<EvaluationContext> {
  const categories = options.categoryFeed && (await loadCategoryFeeds(options.categoryFeed, streams));
  const { rulebook } = await loadRulebook(path, streams, categories?.names);
  const countries = options.countryTable ? await loadCountryTable(options.countryTable, streams) : undefined;
  return { rulebook, countries, categories };
}

async function showCoverage(options: ExpectOptions, streams: Streams): Promise<void> {
  if (options.output === 'junit') throw new Failure('--coverage has no JUnit XML.', EXIT.wrongInput);
  if (options.fences === undefined) {
    const use = await (await connect(streams)).ruleUse();
    return printRecord(streams, options.output, use, renderUse(use));
  }
  const coverage = coverByExpectations(await contextOf(options.fences, options, streams));
  const missing = coverage.rules.filter(({ expectations }) => expectations === 0);
  const lines = [
    ...coverage.rules.map(({ rule, expectations }) => `${rule}: ${formatCount(expectations)}`),
    ...(missing.length > 0 ? [`No expectation decides ${missing.map(({ rule }) => rule).join(', ')}.`] : []),
    ...coverage.repeats.map(({ text, of }) => `${text}\n  repeats ${of}`),
  ];
  printRecord(streams, options.output, coverage, lines.join('\n'));
}

/** A line for each, and why for those that are not met. */
export function renderResults(results: readonly ExpectationResult[], streams: Streams): string {
  const colours = coloursFor(streams);
  return results
    .map(({ isMet, sentence, file, line, failure }) =>
      isMet
        ? `${colours.green('met')}      ${sentence}`
        : `${colours.red('not met')}  ${sentence}\n         ${failure} (${file}:${line})`,
    )
    .join('\n');
}
