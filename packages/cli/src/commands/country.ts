import type { AddressLookup, Countries, DatasetInfo } from '@jadefence/contract';
import { listAll } from '@jadefence/contract';
import { formatAddressCount } from '@jadefence/core/reference';
import type { Command } from 'commander';
import {
  RECORD_FORMATS,
  parseWhole,
  TABLE_FORMATS,
  logMessage,
  writeJson,
  printRecord,
  writeRows,
  type OneOutput,
  type Output,
  type Streams,
} from '../output.js';
import {
  describeEffect,
  describeFreshness,
  importReference,
  nameOfFiles,
  activateDataset,
  type ImportOptions,
} from '../reference.js';
import { countOf, formatCount, formatMinute, printTable } from '../render/text.js';
import { connect } from '../service.js';
import { addCorrect } from './correct.js';
import { addRefresh } from './refresh.js';
import { findLog } from './replay.js';

export function addCountry(country: Command, streams: Streams): void {
  country
    .command('list')
    .description('List imported country tables, latest first')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence country list')
    .action(({ output }: { output: Output }) => listTables(output, streams));
  country
    .command('show')
    .description('Show the active country table')
    .option('--log <log>', 'count the requests of a log by country, too')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence country show\n  jadefence country show --log day.log')
    .action((options: { log?: string; output: Output }) => showTable(options, streams));
  country
    .command('lookup')
    .description('Show the country of an address and the affected rules')
    .argument('<address>', 'address, or a name that is resolved')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence country lookup 198.18.32.7\n  jadefence country lookup shop.example',
    )
    .action((requested: string, { output }: { output: OneOutput }) => lookup(requested, output, streams));
  country
    .command('import')
    .description('Import a country table')
    .argument(
      '<file...>',
      'rows start,end,CC or cidr,CC, statistics of the registries (several files make one table), or MMDB; also as gzip',
    )
    .option('--name <name>', 'name of the table (default: the name of the file)')
    .option('--yes', 'confirm a large change', false)
    .option('--no-replay', 'activate without replaying the latest log')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence country import countries.csv\n  jadefence country import delegated-*.txt --name registries',
    )
    .action(async (paths: string[], { name, ...options }: ImportOptions & { name?: string }) =>
      importReference(
        await connect(streams),
        paths,
        { kind: 'country', name: name ?? nameOfFiles(paths) },
        options,
        streams,
      ),
    );
  country
    .command('use')
    .description('Activate a country table')
    .argument('<number>', 'number of the table', parseWhole)
    .option('--yes', 'skip the confirmation', false)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence country use 2')
    .action(async (id: number, options: { yes: boolean; output: OneOutput }) =>
      activateDataset(await connect(streams), id, options, streams),
    );
  addCorrect(country, 'country', streams);
  addRefresh(country, 'country', streams);
}

async function listTables(output: Output, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const tables = await listAll((page) => client.datasets('country', page));
  writeRows(streams, output, tables, {
    columns: {
      'number': (dataset) => String(dataset.id),
      'table': (dataset) => dataset.name,
      'ranges': (dataset) => formatCount(dataset.numEntries),
      'imported (UTC)': (dataset) => formatMinute(dataset.importedAt),
      'state': stateOf,
      'effect': (dataset) => (dataset.effect ? describeEffect(dataset.effect) : ''),
    },
    figures: ['number', 'ranges'],
    empty: 'There is no country table yet. Import one with jadefence country import FILE.',
  });
}

export function stateOf({ isActive, state, waitsFor }: DatasetInfo): string {
  if (isActive) return 'active';
  if (state === 'checking') return 'being replayed';
  return waitsFor === null ? 'kept' : 'waits for a yes';
}

async function showTable({ log, output }: { log?: string; output: Output }, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const logId = log === undefined ? undefined : findLog(await listAll(client.logs), log).id;
  const countries = await client.countries(logId);
  if (output === 'json') return writeJson(streams, countries);
  if (output === 'table') for (const line of headLines(countries)) logMessage(streams, line);
  writeRows(streams, output, countries.countries, {
    columns: {
      'code': (item) => item.country,
      'country': (item) => item.name,
      'ranges': (item) => formatCount(item.numRanges),
      'IPv4 addresses': (item) => formatAddressCount(item.addresses4),
      'IPv6 addresses': (item) => formatAddressCount(item.addresses6),
      ...(logId === undefined ? {} : { requests: (item: { requests?: number }) => formatCount(item.requests ?? 0) }),
    },
    figures: ['ranges', 'IPv4 addresses', 'IPv6 addresses', 'requests'],
    empty: 'There is no country table yet. Import one with jadefence country import FILE.',
  });
}

function headLines({ table, freshness, elsewhere }: Countries): string[] {
  const others = Object.entries(elsewhere ?? {}).map(([code, count]) => `${formatCount(count)} ${code}`);
  return [
    ...(table
      ? [
          `${table.name}, ${countOf(table.numEntries, 'range')}, SHA-256 ${table.sha256.slice(0, 12)}`,
          describeFreshness(freshness),
        ]
      : []),
    ...(others.length > 0 ? [`Requests from elsewhere: ${others.join(', ')}`] : []),
  ];
}

async function lookup(requested: string, output: OneOutput, streams: Streams): Promise<void> {
  const answer = await (await connect(streams)).lookupCountry(requested);
  const text = answer.addresses.map(renderAddress).join('\n\n');
  printRecord(streams, output, answer, [text, ...describeBlindness(answer.unavailable)].join('\n'));
}

/** Why lists, gates and rules are not shown. */
function describeBlindness(errors: readonly string[] = []): string[] {
  if (errors.length === 0) return [];
  return [
    '\nLists, gates and rules cannot be shown, because the draft has errors:',
    ...errors.map((error) => `  ${error}`),
  ];
}

function renderAddress({ address, country, countryName, evidence, lists, gates, rules }: AddressLookup): string {
  const rows = [
    ['country', country === countryName ? country : `${country} (${countryName})`],
    ['because', evidence],
    ...lists.map(({ list, entry, through }) => [
      'in list',
      `${list}, by ${entry}${through.length > 0 ? ` through ${through.join(', ')}` : ''}`,
    ]),
    ...gates.map((gate) => ['goes out at', gate]),
    ...rules.map(({ rule, comparison, gates: at }) => [
      'seen by',
      `${rule}: ${comparison}${at.length > 0 ? ` (at ${at.join(', ')})` : ' (at no gate)'}`,
    ]),
  ];
  return printTable(['address', address], rows);
}
