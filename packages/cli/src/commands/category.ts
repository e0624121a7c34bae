import type { CategoryLookup } from '@jadefence/contract';
import type { Command } from 'commander';
import {
  RECORD_FORMATS,
  TABLE_FORMATS,
  parseWhole,
  logMessage,
  writeJson,
  printRecord,
  writeRows,
  type OneOutput,
  type Output,
  type Streams,
} from '../output.js';
import { describeFreshness, importReference, nameOfFiles, activateDataset, type ImportOptions } from '../reference.js';
import { formatCount, formatMinute, printTable } from '../render/text.js';
import { connect } from '../service.js';
import { addCorrect } from './correct.js';
import { addRefresh } from './refresh.js';

export function addCategory(category: Command, streams: Streams): void {
  category
    .command('list')
    .description('List categories with their entries')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence category list')
    .action(({ output }: { output: Output }) => listCategories(output, streams));
  category
    .command('show')
    .description('Show the feeds in order')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence category show')
    .action(({ output }: { output: Output }) => showFeeds(output, streams));
  category
    .command('lookup')
    .description('Show the categories of a domain or URL by feed')
    .argument('<site>', 'domain or URL')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence category lookup shop.example/play')
    .action(async (site: string, { output }: { output: OneOutput }) => {
      const answer = await (await connect(streams)).lookupCategory(site);
      printRecord(streams, output, answer, renderLookup(answer));
    });
  category
    .command('import')
    .description('Import a category feed')
    .argument(
      '<path...>',
      'lines domain-or-url,category; a list or hosts file with --category; a folder or .tar.gz of lists named by their category',
    )
    .option('--name <name>', 'name of the feed (default: the name of the file); the same name replaces it')
    .option('--category <name>', 'category for lines without one')
    .option('--yes', 'confirm a large change', false)
    .option('--no-replay', 'activate without replaying the latest log')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence category import sites.csv\n  jadefence category import ads.txt --category ads --name ads',
    )
    .action(
      async (
        paths: string[],
        { name, category: of, ...options }: ImportOptions & { name?: string; category?: string },
      ) =>
        importReference(
          await connect(streams),
          paths,
          { kind: 'category', name: name ?? nameOfFiles(paths), ...(of === undefined ? {} : { category: of }) },
          options,
          streams,
        ),
    );
  addFeedChanges(category, streams);
  addCorrect(category, 'category', streams);
  addRefresh(category, 'category', streams);
}

/** The order of the feeds. */
function addFeedChanges(category: Command, streams: Streams): void {
  category
    .command('order')
    .description('Set the order of the feeds')
    .argument('<feed...>', 'every feed once')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence category order ours.csv theirs.csv')
    .action(async (names: string[], { output }: { output: OneOutput }) => {
      const overview = await (await connect(streams)).orderFeeds(names);
      printRecord(streams, output, overview, `Feed order: ${names.join(', ')}.`);
    });
  category
    .command('remove')
    .description('Remove a feed; replays keep its data')
    .argument('<feed>', 'name of the feed')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence category remove theirs.csv')
    .action(async (name: string, { output }: { output: OneOutput }) => {
      await (await connect(streams)).removeFeed(name);
      printRecord(streams, output, { removed: name }, `Removed category feed ${name}.`);
    });
  category
    .command('use')
    .description('Activate an import of a feed')
    .argument('<number>', 'number of the dataset', parseWhole)
    .option('--yes', 'skip the confirmation', false)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence category use 7')
    .action(async (id: number, options: { yes: boolean; output: OneOutput }) =>
      activateDataset(await connect(streams), id, options, streams),
    );
}

async function listCategories(output: Output, streams: Streams): Promise<void> {
  const { categories } = await (await connect(streams)).categories();
  writeRows(streams, output, categories, {
    columns: {
      category: (item) => item.name,
      entries: (item) => formatCount(item.numEntries),
      feeds: (item) => item.feeds.join(', '),
    },
    figures: ['entries'],
    empty: 'There is no category feed yet. Import one with jadefence category import FILE.',
  });
}

async function showFeeds(output: Output, streams: Streams): Promise<void> {
  const { feeds } = await (await connect(streams)).categories();
  if (output === 'json') return writeJson(streams, feeds);
  writeRows(streams, output, feeds, {
    columns: {
      'feed': (feed) => feed.name,
      'entries': (feed) => formatCount(feed.dataset.numEntries),
      'categories': (feed) => formatCount(feed.dataset.categories?.length ?? 0),
      'dataset': (feed) => String(feed.dataset.id),
      'imported (UTC)': (feed) => formatMinute(feed.dataset.importedAt),
      'freshness': (feed) => describeFreshness(feed.freshness),
    },
    figures: ['entries', 'categories', 'dataset'],
    empty: 'There is no category feed yet. Import one with jadefence category import FILE.',
  });
  if (output === 'table' && feeds.length > 1) logMessage(streams, 'The first that knows a request decides.');
}

function renderLookup({ requested, categories, evidence, answers, site }: CategoryLookup): string {
  const rows = [
    ['categories', categories.join(', ')],
    ['because', evidence],
    ['site', site ?? 'none'],
    ...answers.map(({ feed, isCorrected, categories: settings, entry }) => [
      isCorrected ? 'correction' : feed!,
      `${settings.join(', ')} by ${entry}`,
    ]),
  ];
  return printTable(['site', requested], rows);
}
