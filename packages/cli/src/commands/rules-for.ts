import type { ReplayPolicy } from '@jadefence/contract';
import { rulesFor, type RulesAtGate } from '@jadefence/core/explain';
import { parseAddress } from '@jadefence/core/request';
import { suggestNearest } from '@jadefence/core/text';
import { InvalidArgumentError, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { loadRulebook } from '../files/load-fences.js';
import { loadCategoryFeeds, loadCountryTable } from '../files/load-reference.js';
import { printRecord, RECORD_FORMATS, type OneOutput, type Streams } from '../output.js';
import { coloursFor } from '../render/text.js';
import { connect } from '../service.js';
import { parseAgainst } from './revision.js';

interface RulesForOptions {
  readonly user?: string;
  readonly at?: string;
  readonly gate?: string;
  readonly against?: ReplayPolicy;
  readonly fences?: string;
  readonly countryTable?: string;
  readonly categoryFeed?: string[];
  readonly output: OneOutput;
}

export function addRulesFor(program: Command, streams: Streams): void {
  program
    .command('rules-for')
    .description('List the rules that can apply to a client')
    .argument('<client>', 'address of the client')
    .option('--user <name>', 'who is signed in')
    .option('--at <time>', 'when, as 2026-10-12T10:00:00Z (default: any time)', parseTime)
    .option('--gate <name>', 'only this gate')
    .option('--against <what>', 'draft, or the number of a revision, without --fences', parseAgainst)
    .option('--fences <path>', 'fence file or folder; the service has the rules if absent')
    .option('--country-table <file>', 'country table: CSV, statistics of a registry, or MMDB; with --fences')
    .option('--category-feed <file...>', 'category feeds in order; with --fences')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
Each rule comes with what a request of the client still needs for it to match.

Examples:
  jadefence rules-for 198.18.4.7
  jadefence rules-for 198.18.4.7 --user kari --at 2026-10-12T10:00:00Z --gate studio`,
    )
    .action((client: string, options: RulesForOptions) => showRules(client, options, streams));
}

function parseTime(text: string): string {
  if (!/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}/.test(text) || Number.isNaN(Date.parse(text)))
    throw new InvalidArgumentError('Expected a time such as 2026-10-12T10:00:00Z.');
  return text;
}

async function showRules(client: string, options: RulesForOptions, streams: Streams): Promise<void> {
  const { user, at, gate, against, fences } = options;
  const gates =
    fences === undefined
      ? await (await connect(streams)).rulesFor({ client, user, at, gate, against })
      : await findLocally(client, options, fences, streams);
  printRecord(streams, options.output, gates, gates.map((one) => renderGate(one, streams)).join('\n\n'));
}

async function findLocally(
  text: string,
  { user, at, gate, categoryFeed, countryTable }: RulesForOptions,
  fences: string,
  streams: Streams,
): Promise<RulesAtGate[]> {
  const client = parseAddress(text);
  if (!client) throw new Failure(`Found "${text}", expected an address such as 198.18.4.7.`, EXIT.wrongInput);
  const categories = categoryFeed && (await loadCategoryFeeds(categoryFeed, streams));
  const { rulebook } = await loadRulebook(fences, streams, categories?.names);
  const gates = rulebook.gates.map(({ statement }) => statement.name);
  if (gate !== undefined && !gates.includes(gate))
    throw new Failure(
      `No gate is named "${gate}".`,
      EXIT.wrongInput,
      suggestNearest(gate, gates) ?? `The gates are: ${gates.join(', ')}.`,
    );
  const countries = countryTable ? await loadCountryTable(countryTable, streams) : undefined;
  const known = { client, user, ...(at === undefined ? {} : { atUnixMs: Date.parse(at) }) };
  return rulesFor({ rulebook, countries, categories }, known, gate);
}

function renderGate({ gate, country, rules }: RulesAtGate, streams: Streams): string {
  const colours = coloursFor(streams);
  const from = country === undefined ? '' : country === null ? ', no country' : `, from ${country}`;
  const lines = rules.flatMap(({ rule, state, isFenceInTrial, sentence, needs, hours, takesAll }) => {
    const isTrial = state === 'trial' || isFenceInTrial;
    const when = [needs ?? 'nothing else', ...(hours === undefined ? [] : [hours])].join(' ');
    return [
      `  ${rule}${isTrial ? colours.yellow(' in trial') : ''}: ${sentence}`,
      `    needs: ${when}${takesAll ? '; takes all that get here' : ''}`,
    ];
  });
  const none = '  No rule can apply.';
  return [colours.bold(`Gate ${gate}${from}`), ...(lines.length === 0 ? [none] : lines)].join('\n');
}
