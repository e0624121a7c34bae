import { renderExplanation, type Explanation } from '@jadefence/core/explain';
import { OUTCOMES, type Outcome } from '@jadefence/core/language';
import type { BreakdownName } from '@jadefence/core/replay';
import { TRAFFIC_FINDING_IDS } from '@jadefence/core/traffic';
import type { ReplayPolicy, DecisionRow, Log, Replay, ServiceClient } from '@jadefence/contract';
import { listAll } from '@jadefence/contract';
import { InvalidArgumentError, Option, type Command } from 'commander';
import { basename } from 'node:path';
import { EXIT, Failure } from '../cli-error.js';
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
import { renderProtected } from '../render/protected.js';
import { renderSummary } from '../render/summary.js';
import { countOf, formatCount, formatTime, printTable, shorten } from '../render/text.js';
import { connect } from '../service.js';
import { readFenceSources } from '../files/load-fences.js';
import { LiveLines, renderProgress } from '../render/live.js';
import { addReplayExport, addReplayReport } from './replay-export.js';
import { showTrafficFindings, type TrafficFindingOptions } from './replay-findings.js';
import { addScopeOptions, byOption, scopeOf, type ScopeOptions } from './replay-options.js';
import { parseAgainst } from './revision.js';
import { printDecisionHeader, printDecisionRow } from '../render/csv.js';

export function addReplay(replay: Command, streams: Streams): void {
  addStart(replay, streams);
  addChanges(replay, streams);
  addReplayExport(replay, streams);
  addReplayReport(replay, streams);
  replay
    .command('list')
    .description('List the replays, latest first')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence replay list')
    .action(async ({ output }: { output: Output }) => {
      const replays = await listAll((await connect(streams)).replays);
      writeRows(streams, output, replays, {
        columns: {
          'number': (item) => String(item.id),
          'log': (item) => item.logName,
          'state': (item) => item.state,
          'requests': (item) => formatCount(item.requests),
          'started (UTC)': (item) => formatTime(Date.parse(item.startedAt)),
          'name': (item) => item.name ?? '',
        },
        figures: ['number', 'requests'],
        empty: 'There is no replay yet. Start one with jadefence replay start LOG.',
      });
    });
  replay
    .command('show')
    .description('Show the result of a replay')
    .argument('[replay]', 'number of the replay (default: the latest)', parseWhole)
    .addOption(byOption())
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence replay show\n  jadefence replay show --by country hour\n  jadefence replay show 3 --output json',
    )
    .action((id: number | undefined, options: ShowOptions) => showReplay(id, options, streams));
  replay
    .command('decisions')
    .description('List the decisions of a replay in the order of the log')
    .argument('[replay]', 'number of the replay (default: the latest)', parseWhole)
    .option('--outcome <outcome>', `only this outcome: ${OUTCOMES.join(', ')}`, parseOutcome)
    .option('--where <condition>', 'only requests for which this condition of the fence language is true')
    .option('--offset <rows>', 'rows to pass over', parseWhole, 0)
    .option('--limit <rows>', 'rows to list, 1000 at most', parseWhole, 50)
    .option('--explain', 'explain each decision, rule by rule', false)
    .option(...TABLE_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence replay decisions --outcome blocked\n  jadefence replay decisions --where "rule = house/touts and not path under /login"\n  jadefence replay decisions 3 --offset 1000 --limit 1000 --output ndjson',
    )
    .action((id: number | undefined, options: DecisionsOptions) => listDecisions(id, options, streams));
}

/** What is done to one replay: cancel, name and delete it. */
function addChanges(replay: Command, streams: Streams): void {
  replay
    .command('cancel')
    .description('Cancel a replay')
    .argument('<replay>', 'number of the replay', parseWhole)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence replay cancel 3')
    .action(async (id: number, { output }: { output: OneOutput }) => {
      const cancelled = await (await connect(streams)).cancelReplay(id);
      printRecord(streams, output, cancelled, `Replay ${id} is cancelled.`);
    });
  replay
    .command('findings')
    .description('List what a replay shows to be probably wrong')
    .argument('<replay>', 'number of the replay', parseWhole)
    .addOption(new Option('--fix <id>', 'apply the fixes of these findings to the draft').choices(TRAFFIC_FINDING_IDS))
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence replay findings 2\n  jadefence replay findings 2 --fix wide-collateral',
    )
    .action((id: number, options: TrafficFindingOptions) => showTrafficFindings(id, options, streams));
  replay
    .command('rename')
    .description('Rename a replay')
    .argument('<replay>', 'number of the replay', parseWhole)
    .argument('<name>', 'its name; "" takes the name away')
    .option(...RECORD_FORMATS)
    .addHelpText('after', "\nExamples:\n  jadefence replay rename 3 'before the sale'")
    .action(async (id: number, name: string, { output }: { output: OneOutput }) => {
      const renamed = await (await connect(streams)).renameReplay(id, name);
      printRecord(streams, output, renamed, name === '' ? `Replay ${id} has no name.` : `Replay ${id} is "${name}".`);
    });
  replay
    .command('delete')
    .description('Delete a replay')
    .argument('<replay>', 'number of the replay', parseWhole)
    .option('--force', 'delete the comparisons that show it, too', false)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence replay delete 3')
    .action(async (id: number, { force, output }: { force: boolean; output: OneOutput }) => {
      await (await connect(streams)).deleteReplay(id, force);
      printRecord(streams, output, { deleted: id }, `Deleted replay ${id}.`);
    });
}

function addStart(replay: Command, streams: Streams): void {
  const command = replay
    .command('start')
    .description('Replay a stored log and wait for the result')
    .argument('<log>', 'number or name of the log')
    .option(
      '--against <what>',
      'draft, or a revision number (default: the latest revision, else the draft)',
      parseAgainst,
    )
    .option('--fences <path>', 'fence file or folder to judge by, instead of the draft or a revision');
  addScopeOptions(command)
    .option('--name <name>', 'what the replay is called')
    .option('--follow', 'show partial results while it runs', false)
    .option('--no-wait', 'do not wait for the result')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence replay start 1\n  jadefence replay start access.log --gate tickets --follow\n  jadefence replay start 1 --fences ./fences --from 2026-10-12T08:00:00Z --to 2026-10-12T09:00:00Z',
    )
    .action((log: string, options: StartOptions) => startReplay(log, options, streams));
}

interface DecisionsOptions {
  readonly outcome?: Outcome;
  readonly where?: string;
  readonly offset: number;
  readonly limit: number;
  readonly explain: boolean;
  readonly output: Output;
}

function parseOutcome(text: string): Outcome {
  const outcome = OUTCOMES.find((candidate) => candidate === text);
  if (!outcome) throw new InvalidArgumentError(`Expected one of ${OUTCOMES.join(', ')}.`);
  return outcome;
}

interface StartOptions extends ScopeOptions {
  readonly against?: ReplayPolicy;
  readonly fences?: string;
  readonly name?: string;
  readonly follow: boolean;
  readonly wait: boolean;
  readonly output: OneOutput;
}

async function startReplay(logText: string, options: StartOptions, streams: Streams): Promise<void> {
  const { against, fences, name, output } = options;
  if (fences !== undefined && against !== undefined)
    throw new Failure('--fences and --against cannot be combined.', EXIT.wrongInput, 'Leave one of them out.');
  const sources = fences === undefined ? {} : { fences: await readFenceSources(fences), folder: basename(fences) };
  const client = await connect(streams);
  const log = findLog(await listAll(client.logs), logText);
  const started = await client.startReplay({ logId: log.id, against, name, ...scopeOf(options), ...sources });
  if (!options.wait)
    return printRecord(
      streams,
      output,
      started,
      `Replay ${started.id} of "${log.name}" against ${describeJudge(started)} is started.`,
    );
  const live = new LiveLines(streams);
  const end = await client.followReplay(started.id, (progress) => live.show(renderProgress(progress, options.follow)));
  live.end();
  if (end.state === 'failed') throw new Failure(`Replay ${started.id} failed: ${end.failure}`, EXIT.checkFailed);
  if (end.state === 'cancelled') throw new Failure(`Replay ${started.id} was cancelled.`, EXIT.checkFailed);
  const { partial: _, ...ended } = end;
  printRecord(
    streams,
    output,
    { ...started, ...ended },
    `Replay ${started.id} of "${log.name}" against ${describeJudge(started)} is done: ${countOf(end.requestsDone, 'request')}.`,
  );
  logMessage(streams, `See it with: jadefence replay show ${started.id}`);
  if (against === undefined && fences === undefined && started.revision !== null)
    await noteDraftChanges(client, streams);
}

/** Reports that the draft differs from the latest revision, which is the default policy of a replay. */
async function noteDraftChanges(client: ServiceClient, streams: Streams): Promise<void> {
  const { changes, against } = await client.draftChanges();
  if (changes.length > 0)
    logMessage(
      streams,
      `The draft differs from revision ${against} (${countOf(changes.length, 'change')}): --against draft judges by it.`,
    );
}

/** What judged, in words. */
export function describeJudge({ revision, folder }: Pick<Replay, 'revision' | 'folder'>): string {
  if (folder !== null) return `the fences of ${folder}`;
  return revision === null ? 'the draft' : `revision ${revision}`;
}

export function findLog(logs: readonly Log[], text: string): Log {
  const byNumber = logs.find((log) => String(log.id) === text);
  if (byNumber) return byNumber;
  const named = logs.filter((log) => log.name === text);
  if (named.length === 1) return named[0]!;
  if (named.length > 1)
    throw new Failure(
      `${named.length} logs are named "${text}".`,
      2,
      `Give the number: ${named.map((log) => log.id).join(', ')}.`,
    );
  throw new Failure(
    `There is no log "${text}".`,
    2,
    logs.length > 0
      ? `The logs are: ${logs.map((log) => `${log.id} (${log.name})`).join(', ')}.`
      : 'Import one with jadefence log import FILE.',
  );
}

async function findReplay(client: ServiceClient, id: number | undefined): Promise<Replay> {
  if (id !== undefined) return client.replay(id);
  const latest = (await client.replays())[0];
  if (!latest) throw new Failure('There is no replay yet.', 2, 'Start one with jadefence replay start LOG.');
  return latest;
}

interface ShowOptions {
  readonly by?: readonly BreakdownName[];
  readonly output: OneOutput;
}

async function showReplay(id: number | undefined, { by, output }: ShowOptions, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const replay = await findReplay(client, id);
  const result = await client.replayResult(replay.id);
  if (output === 'json') return writeJson(streams, result);
  streams.stdout.write(renderProtected(await client.protectedStops(replay.id), streams));
  const { countryTable, categoryFeeds, numCorrections } = result;
  const named = ({ name, sha256 }: { name: string; sha256: string }): string => `${name} (${sha256.slice(0, 12)})`;
  const feeds = categoryFeeds.map((feed) => `category feed ${named(feed)}`);
  const reference = [
    countryTable ? `country table ${named(countryTable)}` : 'no country table',
    ...(feeds.length > 0 ? feeds : ['no category feed']),
    ...(numCorrections > 0 ? [`${numCorrections} ${numCorrections === 1 ? 'correction' : 'corrections'}`] : []),
  ].join(', ');
  const restsOn = `depends on ${describeJudge(result)} (${result.snapshot.slice(0, 12)}), log ${result.logSha256.slice(0, 12)}, ${reference}`;
  streams.stdout.write(
    renderSummary(result.summary, `Replay ${replay.id} of "${replay.logName}", ${restsOn}`, streams, by),
  );
}

async function listDecisions(
  id: number | undefined,
  { output, explain, ...query }: DecisionsOptions,
  streams: Streams,
): Promise<void> {
  if (explain && output === 'csv')
    throw new Failure('--explain has no CSV.', EXIT.wrongInput, 'Use --output table, json or ndjson.');
  const client = await connect(streams);
  const replay = await findReplay(client, id);
  const page = await client.decisions(replay.id, query);
  if (explain) return explainRows(client, replay, page.rows, output, streams);
  if (output === 'json') return writeJson(streams, page);
  if (output === 'table') {
    streams.stdout.write(
      `${printTable(['line', 'time', 'client', 'country', 'request', 'outcome', 'decided by'], page.rows.map(decisionCells), [0])}\n`,
    );
    logMessage(
      streams,
      `${formatCount(page.rows.length)} of ${formatCount(page.total)} decisions from row ${formatCount(page.offset)} on`,
    );
    return;
  }
  const print = output === 'csv' ? printDecisionRow : JSON.stringify;
  const lines = page.rows.map((row) => print(row.record));
  streams.data.write(
    [...(output === 'csv' ? [printDecisionHeader()] : []), ...lines].map((line) => `${line}\n`).join(''),
  );
}

/** Each request with the result of every rule. */
async function explainRows(
  client: ServiceClient,
  replay: Replay,
  rows: readonly DecisionRow[],
  output: Output,
  streams: Streams,
): Promise<void> {
  const all: (DecisionRow & { explanation: Explanation })[] = [];
  for (const row of rows) {
    const explanation = await client.explanation(replay.id, row.row);
    if (output === 'ndjson') streams.data.write(`${JSON.stringify({ ...row, explanation })}\n`);
    else if (output === 'json') all.push({ ...row, explanation });
    else streams.stdout.write(`${headOf(row)}\n${renderExplanation(explanation)}\n\n`);
  }
  if (output === 'json') writeJson(streams, all);
  else if (output === 'table') logMessage(streams, `Judged by ${describeJudge(replay)}.`);
}

function headOf(row: DecisionRow): string {
  const [line, time, client, country, requested] = decisionCells(row);
  return `line ${line}, ${time} UTC, ${client} (${country}): ${requested}`;
}

/** `why`: explains the request of a line of a replayed log. */
export function addWhy(program: Command, streams: Streams): void {
  program
    .command('why')
    .description('Explain the decision on one line of a log')
    .argument('<replay>', 'number of the replay', parseWhole)
    .argument('<line>', 'number of the line in its log', parseWhole)
    .option('--file <name>', 'the file, if the log has several')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence why 3 1512\n  jadefence why 3 1512 --file monday.log')
    .action(async (id: number, line: number, { file, output }: { file?: string; output: OneOutput }) => {
      const client = await connect(streams);
      const replay = await client.replay(id);
      const { rows } = await client.decisions(id, { where: `line = ${line}`, offset: 0, limit: 1000 });
      const named = rows.filter(({ record }) => file === undefined || record['jade.file'] === file);
      if (named.length === 0)
        throw new Failure(
          `Replay ${id} decided nothing of line ${line}${file === undefined ? '' : ` of ${file}`}.`,
          EXIT.wrongInput,
          'The line may have been rejected at import, or lie outside what was replayed.',
        );
      if (named.length > 1)
        throw new Failure(
          `${countOf(named.length, 'file')} of the log have a line ${line}.`,
          EXIT.wrongInput,
          `Choose one with --file: ${named.map(({ record }) => String(record['jade.file'])).join(', ')}.`,
        );
      const explanation = await client.explanation(id, named[0]!.row);
      const text = `${headOf(named[0]!)}\n${renderExplanation(explanation)}\n\nJudged by ${describeJudge(replay)}.`;
      printRecord(streams, output, { ...named[0]!, explanation }, text);
    });
}

function decisionCells(row: DecisionRow): string[] {
  const decidedBy = row.rule
    ? `${row.fence}/${row.rule}`
    : row.fence
      ? `${row.fence} otherwise`
      : row.gate
        ? `${row.gate} otherwise`
        : '-';
  return [
    row.record['jade.file'] === undefined ? String(row.line) : `${String(row.record['jade.file'])}:${row.line}`,
    formatTime(row.atUnixMs),
    row.client ?? '-',
    row.country ?? '-',
    shorten(row.requested || '-', 48),
    row.outcome,
    decidedBy,
  ];
}
