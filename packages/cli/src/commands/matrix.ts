import type { MatrixQuery, ReplayPolicy } from '@jadefence/contract';
import { fillMatrix, labelOf, MatrixError, type Matrix, type MatrixCell } from '@jadefence/core/expectations';
import { isStop } from '@jadefence/core/decide';
import { requestOfApplication } from '@jadefence/core/findings';
import { InvalidArgumentError, Option, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { loadRulebook } from '../files/load-fences.js';
import { loadCategoryFeeds, loadCountryTable } from '../files/load-reference.js';
import { logMessage, writeJson, type Streams } from '../output.js';
import { printCsvRow } from '../render/csv.js';
import { coloursFor, printTable } from '../render/text.js';
import { connect } from '../service.js';
import { parseAgainst } from './revision.js';

interface MatrixOptions {
  readonly clients: string[];
  readonly to: string[];
  readonly at?: string[];
  readonly method?: string;
  readonly against?: ReplayPolicy;
  readonly fences?: string;
  readonly countryTable?: string;
  readonly categoryFeed?: string[];
  readonly output: 'table' | 'json' | 'csv' | 'fence';
}

export function addMatrix(program: Command, streams: Streams): void {
  program
    .command('matrix')
    .description('Judge each of some clients at each of some destinations')
    .requiredOption('--clients <client...>', 'addresses, user@address, or names of lists of addresses')
    .requiredOption('--to <url...>', 'URLs or hosts (https unless they have a scheme), or names of applications')
    .option('--at <time...>', 'times, as 2026-10-12T10:00:00Z (default: now)', collectTime)
    .option('--method <method>', 'HTTP method (default: GET)')
    .option('--against <what>', 'draft, or the number of a revision, without --fences', parseAgainst)
    .option('--fences <path>', 'fence file or folder; the service judges if absent')
    .option('--country-table <file>', 'country table: CSV, statistics of a registry, or MMDB; with --fences')
    .option('--category-feed <file...>', 'category feeds in order; with --fences')
    .addOption(
      new Option('--output <format>', 'fence: each cell as an expectation')
        .choices(['table', 'json', 'csv', 'fence'])
        .default('table'),
    )
    .addHelpText(
      'after',
      `
Examples:
  jadefence matrix --clients head-office 198.19.96.12 --to tickets.larkmoor.example/login studio.larkmoor.example
  jadefence matrix --clients trusted --to studio.larkmoor.example --at 2026-10-12T10:00:00Z 2026-10-12T23:00:00Z
  jadefence matrix --clients 198.18.40.9 kari@198.18.4.7 --to picture-archive ssh games.example
  jadefence matrix --clients trusted --to collection.larkmoor.example --output fence > expectations.fence`,
    )
    .action((options: MatrixOptions) => showMatrix(options, streams));
}

function collectTime(text: string, before: string[] = []): string[] {
  if (
    !/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:\d{2})$/.test(text) ||
    Number.isNaN(Date.parse(text))
  )
    throw new InvalidArgumentError('Expected a time such as 2026-10-12T10:00:00Z.');
  return [...before, text];
}

async function showMatrix(options: MatrixOptions, streams: Streams): Promise<void> {
  const { clients, to, at, method, against, fences, output } = options;
  const query: MatrixQuery = { clients, to, at, method, against };
  const matrix =
    fences === undefined ? await (await connect(streams)).matrix(query) : await fillLocally(options, fences, streams);
  if (output === 'json') return writeJson(streams, matrix);
  if (output === 'fence') {
    const lines = matrix.cells.flatMap(({ expectation }) => expectation ?? []);
    streams.stdout.write(lines.map((line) => `${line}\n`).join(''));
    return;
  }
  if (output === 'csv') streams.stdout.write(`${printCsv(matrix).join('\n')}\n`);
  else streams.stdout.write(`${renderMatrix(matrix, streams)}\n`);
  for (const warning of matrix.warnings) logMessage(streams, warning);
}

async function fillLocally(options: MatrixOptions, fences: string, streams: Streams): Promise<Matrix> {
  const categories = options.categoryFeed && (await loadCategoryFeeds(options.categoryFeed, streams));
  const { rulebook } = await loadRulebook(fences, streams, categories?.names);
  const countries = options.countryTable ? await loadCountryTable(options.countryTable, streams) : undefined;
  const atUnixMs = options.at?.map((time) => Date.parse(time)) ?? [Date.now()];
  try {
    return fillMatrix({ rulebook, countries, categories }, { ...options, atUnixMs }, requestOfApplication);
  } catch (error) {
    if (!(error instanceof MatrixError)) throw error;
    throw new Failure(error.message, EXIT.wrongInput, error.hint);
  }
}

/** A table for each time, of clients by destinations. */
function renderMatrix({ clients, to, atUnixMs, cells }: Matrix, streams: Streams): string {
  const colours = coloursFor(streams);
  const cellText = ({ outcome, decidedBy }: MatrixCell): string =>
    (isStop(outcome) ? colours.red : colours.green)(`${outcome} by ${decidedBy.replace(/^rule /, '')}`);
  return atUnixMs
    .map((time, at) => {
      const rows = clients.map((client, row) => [
        labelOf(client),
        ...to.map((_, column) =>
          cellText(cells.find((cell) => cell.client === row && cell.to === column && cell.at === at)!),
        ),
      ]);
      const title = `At ${new Date(time).toISOString().replace('.000Z', 'Z')}`;
      return `${colours.bold(title)}\n${printTable(['client', ...to], rows)}`;
    })
    .join('\n\n');
}

function printCsv({ clients, to, atUnixMs, cells }: Matrix): string[] {
  const line = ({ client, to: column, at, outcome, status, gate, fence, rule }: MatrixCell): string => {
    const { client: address, user, list } = clients[client]!;
    const values = [address, user, list, to[column], new Date(atUnixMs[at]!).toISOString(), outcome, status, gate];
    return printCsvRow([...values, fence, rule].map((value) => (value === undefined ? '' : String(value))));
  };
  return ['client,user,list,to,time,outcome,status,gate,fence,rule', ...cells.map(line)];
}
