import {
  explainRequest,
  renderExplanation,
  renderShownPage,
  whyNot,
  type Explanation,
  type WhyNot,
} from '@jadefence/core/explain';
import { suggestNearest } from '@jadefence/core/text';
import { buildSyntheticRecord, normalizeRequest } from '@jadefence/core/request';
import { InvalidArgumentError, type Command } from 'commander';
import { Failure } from '../cli-error.js';
import { loadCategoryFeeds, loadCountryTable } from '../files/load-reference.js';
import { loadRulebook } from '../files/load-fences.js';
import { RECORD_FORMATS, printRecord, type OneOutput, type Streams } from '../output.js';
import { connect } from '../service.js';
import { parseAgainst } from './revision.js';
import type { ReplayPolicy, Tried } from '@jadefence/contract';

interface HeaderOption {
  readonly name: string;
  readonly value: string;
}

function collectHeader(text: string, others: readonly HeaderOption[] = []): HeaderOption[] {
  const colon = text.indexOf(':');
  if (colon <= 0) throw new InvalidArgumentError('Expected a header such as "X-Forwarded-For: 198.18.4.7".');
  return [...others, { name: text.slice(0, colon).trim(), value: text.slice(colon + 1).trim() }];
}

interface TryOptions {
  readonly header?: readonly HeaderOption[];
  readonly user?: string;
  readonly peer?: string;
  readonly against?: ReplayPolicy;
  readonly client: string;
  readonly url: string;
  readonly method?: string;
  readonly at?: string;
  readonly fences?: string;
  readonly countryTable?: string;
  readonly categoryFeed?: readonly string[];
  readonly gate?: string;
  readonly whyNot?: string;
  readonly output: OneOutput;
}

export function addTry(program: Command, streams: Streams): void {
  program
    .command('try')
    .description('Try one request and explain the decision')
    .option('--client <address>', 'address of the client')
    .option('--url <url>', 'URL to request; https unless given')
    .allowExcessArguments(true)
    .option('--method <method>', 'HTTP method (default: GET)')
    .option('--at <time>', 'when, as 2026-10-12T10:00:00Z (default: now)', parseTime)
    .option('--fences <path>', 'fence file or folder; the service judges if absent')
    .option('--country-table <file>', 'country table: CSV, statistics of a registry, or MMDB; with --fences')
    .option(
      '--category-feed <file...>',
      'category feeds in order: CSV, CATEGORY=LIST, a folder or an archive; with --fences',
    )
    .option('--gate <name>', 'gate that judges, whatever the host')
    .option('--header <name: value>', 'a header of the request (repeatable)', collectHeader)
    .option('--user <name>', 'who is signed in')
    .option('--peer <address>', 'address of the peer, if not the client')
    .option('--against <what>', 'draft, or the number of a revision, without --fences', parseAgainst)
    .option('--why-not <fence/rule>', 'what would have to be different so that this rule decides')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
Examples:
  jadefence try --client 198.18.4.7 --url https://studio.larkmoor.example/ --fences demo/fences
  jadefence try --client 198.18.90.7 --url tickets.larkmoor.example/login --method POST --output json`,
    )
    .action(async (given: Omit<TryOptions, 'client' | 'url'> & Partial<TryOptions>, command: Command) => {
      const options = wholeOptions(given, command.args);
      const explanation =
        options.fences === undefined
          ? await tryOnService(options, streams)
          : await tryLocally(options, options.fences, streams);
      printRecord(
        streams,
        options.output,
        explanation,
        [renderExplanation(explanation), ...judgedBy(explanation), ...whyNotLines(explanation.whyNot)].join('\n'),
      );
    });
}

/** @throws Failure where the client or the URL is not given, or an argument has no option */
function wholeOptions(
  given: Partial<TryOptions> & { readonly output: OneOutput },
  rest: readonly string[],
): TryOptions {
  const { client, url } = given;
  const [first] = rest;
  if (first !== undefined)
    throw new Failure(
      `Found "${first}" without an option.`,
      2,
      'Write: jadefence try --client 198.18.4.7 --url https://shop.example/.',
    );
  if (client === undefined || url === undefined)
    throw new Failure(
      `${client === undefined ? '--client ADDRESS' : '--url URL'} is missing.`,
      2,
      'Write: jadefence try --client 198.18.4.7 --url https://shop.example/.',
    );
  return { ...given, client, url };
}

/** The policy, and whether the draft differs from it. */
function judgedBy(explanation: Explanation | Tried): string[] {
  if (!('revision' in explanation)) return [];
  const { revision, draftDiffers } = explanation;
  const name = revision === null ? 'the draft' : `revision ${revision}`;
  return [`\nJudged by ${name}.${draftDiffers ? ' The draft differs from it; --against draft uses the draft.' : ''}`];
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
  { client, url, method, at, countryTable, categoryFeed, gate, header, user, peer, against, whyNot: rule }: TryOptions,
  streams: Streams,
): Promise<Tried> {
  const local = { 'country-table': countryTable, 'category-feed': categoryFeed };
  const [option] = Object.entries(local).find(([, value]) => value !== undefined) ?? [];
  if (option !== undefined)
    throw new Failure(
      `--${option} goes with --fences.`,
      2,
      'The service judges with its own rules and reference data.',
    );
  return (await connect(streams)).tryRequest({
    client,
    url,
    method,
    at,
    headers: header,
    user,
    peer,
    against,
    gate,
    whyNot: rule,
  });
}

async function tryLocally(
  {
    client,
    url,
    method,
    at,
    countryTable,
    categoryFeed,
    gate,
    header = [],
    user,
    peer,
    against,
    whyNot: rule,
  }: TryOptions,
  fences: string,
  streams: Streams,
): Promise<Explanation & Pick<Tried, 'pageHtml' | 'whyNot'>> {
  if (against !== undefined) throw new Failure('--against uses the service and cannot be combined with --fences.');
  const categories = categoryFeed && (await loadCategoryFeeds(categoryFeed, streams));
  const { rulebook } = await loadRulebook(fences, streams, categories?.names);
  const gateNames = rulebook.gates.map(({ statement }) => statement.name);
  if (gate !== undefined && !gateNames.includes(gate))
    throw new Failure(`No gate is named "${gate}".`, 2, suggestNearest(gate, gateNames));
  const countries = countryTable === undefined ? undefined : await loadCountryTable(countryTable, streams);
  const request = {
    client,
    url,
    method,
    fields: [
      ...header.map(({ name, value }) => ({ field: 'header', parameter: name.toLowerCase(), value })),
      ...(user === undefined ? [] : [{ field: 'user', value: user }]),
      ...(peer === undefined ? [] : [{ field: 'peer', value: peer }]),
    ],
    atUnixMs: at === undefined ? Date.now() : Date.parse(at),
  };
  const { record, problems } = buildSyntheticRecord(request);
  if (!record) throw new Failure(problems.map(({ message }) => message).join('\n'));
  const context = { rulebook, countries, categories, gate };
  const answer = rule === undefined ? undefined : whyNot(context, request, rule);
  if (rule !== undefined && !answer) throw new Failure(`There is no rule "${rule}".`, 2, 'Name it as fence/rule.');
  const explanation = explainRequest(context, normalizeRequest(record));
  const pageHtml = renderShownPage(explanation, rulebook);
  return {
    ...explanation,
    ...(pageHtml === undefined ? {} : { pageHtml }),
    ...(answer ? { whyNot: answer } : {}),
  };
}

/** The changes, one a line. */
function whyNotLines(found: WhyNot | undefined): string[] {
  if (!found) return [];
  const { rule, answer, changes } = found;
  if (answer === 'decides') return [`\n${rule} decides already.`];
  if (answer === 'off') return [`\n${rule} is off.`];
  if (answer === 'not-found') return [`\nNo change of up to four fields was found that makes ${rule} decide.`];
  return [
    `\n${rule} decides with:`,
    ...changes.map(({ field, from, to }) => `  ${field} ${to}${from === undefined ? '' : ` instead of ${from}`}`),
  ];
}
