import {
  explainRequest,
  makeUpRecord,
  normalizeRequest,
  renderExplanation,
  suggestNearest,
  type Explanation,
} from '@jadefence/core';
import { InvalidArgumentError, type Command } from 'commander';
import { Failure } from '../failure.js';
import { loadCountryTable } from '../files/load-country-table.js';
import { loadRulebook } from '../files/load-fences.js';
import { ONE_OUTPUT, writeOne, type OneOutput, type Streams } from '../output.js';
import { connect } from '../service.js';

interface TryOptions {
  readonly client: string;
  readonly url: string;
  readonly method?: string;
  readonly at?: string;
  readonly fences?: string;
  readonly countryTable?: string;
  readonly gate?: string;
  readonly output: OneOutput;
}

export function addTry(program: Command, streams: Streams): void {
  program
    .command('try')
    .description('See what would happen to one request, and why')
    .requiredOption('--client <address>', 'address of the client')
    .requiredOption('--url <url>', 'what is asked for; https unless it says')
    .option('--method <method>', 'HTTP method (default: GET)')
    .option('--at <time>', 'when, as 2026-10-12T10:00:00Z (default: now)', parseTime)
    .option('--fences <path>', 'fence file or folder; without it the draft of the service judges')
    .option('--country-table <file>', 'country table as CSV, with --fences')
    .option('--gate <name>', 'gate that judges, whatever the host, with --fences')
    .option(...ONE_OUTPUT)
    .addHelpText(
      'after',
      `
Examples:
  jadefence try --client 198.18.4.7 --url https://studio.larkmoor.example/ --fences demo/fences
  jadefence try --client 198.18.90.7 --url tickets.larkmoor.example/login --method POST --output json`,
    )
    .action(async (options: TryOptions) => {
      const explanation =
        options.fences === undefined
          ? await tryOnService(options, streams)
          : await tryLocally(options, options.fences, streams);
      writeOne(streams, options.output, explanation, renderExplanation(explanation));
    });
}

function parseTime(text: string): string {
  if (
    !/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:\d{2})$/.test(text) ||
    Number.isNaN(Date.parse(text))
  )
    throw new InvalidArgumentError('Expected a time such as 2026-10-12T10:00:00Z.');
  return text;
}

async function tryOnService(
  { client, url, method, at, countryTable, gate }: TryOptions,
  streams: Streams,
): Promise<Explanation> {
  if (countryTable !== undefined || gate !== undefined)
    throw new Failure(
      `--${countryTable === undefined ? 'gate' : 'country-table'} goes with --fences.`,
      2,
      'The service judges with its own draft and country table.',
    );
  return (await connect(streams)).tryRequest({ client, url, method, at });
}

async function tryLocally(
  { client, url, method, at, countryTable, gate }: TryOptions,
  fences: string,
  streams: Streams,
): Promise<Explanation> {
  const { rulebook } = await loadRulebook(fences);
  const gateNames = rulebook.gates.map(({ statement }) => statement.name);
  if (gate !== undefined && !gateNames.includes(gate))
    throw new Failure(`No gate is named "${gate}".`, 2, suggestNearest(gate, gateNames));
  const countries = countryTable === undefined ? undefined : await loadCountryTable(countryTable, streams);
  const { record, problems } = makeUpRecord({
    client,
    url,
    method,
    atUnixMs: at === undefined ? Date.now() : Date.parse(at),
  });
  if (!record) throw new Failure(problems.map(({ message }) => message).join('\n'));
  return explainRequest({ rulebook, countries, gate }, normalizeRequest(record));
}
