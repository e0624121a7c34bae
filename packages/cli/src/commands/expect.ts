import { runExpectations, type ExpectationResult } from '@jadefence/core/expectations';
import { Option, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { loadCategoryFeeds } from '../files/load-reference.js';
import { loadCountryTable } from '../files/load-reference.js';
import { loadRulebook } from '../files/load-fences.js';
import { logMessage, writeJson, type Streams } from '../output.js';
import { coloursFor } from '../render/text.js';
import { connect } from '../service.js';

interface ExpectOptions {
  readonly fences?: string;
  readonly countryTable?: string;
  readonly categoryFeed?: string[];
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
  const categories = options.categoryFeed && (await loadCategoryFeeds(options.categoryFeed, streams));
  const { rulebook } = await loadRulebook(path, streams, categories?.names);
  const countries = options.countryTable ? await loadCountryTable(options.countryTable, streams) : undefined;
  return runExpectations({ rulebook, countries, categories });
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
