import type { Outcome } from '@jadefence/core/language';
import { describeDecider, type ComparisonGroup, type Side } from '@jadefence/core/replay';
import type { ReplayPolicy, ChangeRow, ComparisonResult, ServiceClient } from '@jadefence/contract';
import { listAll } from '@jadefence/contract';
import type { Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { parseWhole, TABLE_FORMATS, logMessage, writeJson, type Output, type Streams } from '../output.js';
import { describeSide, placeOf } from '../render/side.js';
import { own } from '../render/terminal.js';
import { coloursFor, countOf, formatCount, formatShare, formatTime, printTable, shorten } from '../render/text.js';
import { connect } from '../service.js';
import { compareRecorded, parseStops } from './recorded.js';
import { describeJudge, findLog } from './replay.js';
import { addScopeOptions, scopeOf, type ScopeOptions } from './replay-options.js';
import { parseAgainst } from './revision.js';
import { printCsvRow } from '../render/csv.js';

interface CompareOptions extends ScopeOptions {
  readonly before: ReplayPolicy | 'recorded';
  readonly after: ReplayPolicy;
  readonly group?: number;
  readonly stops?: number[];
  readonly output: Output;
}

const PAGE_ROWS = 1000;
const SHOWN_ROWS = 10;

export function addCompare(program: Command, streams: Streams): void {
  const command = program
    .command('compare')
    .description('Compare two policies on a stored log')
    .argument('<log>', 'number or name of the log')
    .requiredOption('--before <what>', 'recorded (what the log shows), draft, or the number of a revision', parseBefore)
    .option('--after <what>', 'draft, or the number of a revision', parseAgainst, 'draft');
  addScopeOptions(command)
    .option('--stops <statuses>', 'statuses that mean a recorded stop, such as 403,429 (429,451)', parseStops)
    .option('--group <number>', 'only the requests of this group of the table', parseWhole)
    .option(...TABLE_FORMATS)
    .addHelpText(
      'after',
      `
With --output ndjson or csv every request that changes is listed.

Examples:
  jadefence compare 1 --before 3
  jadefence compare access.log --before 2 --after 3 --group 1
  jadefence compare 1 --before 3 --output ndjson > changes.ndjson
  jadefence compare 1 --before recorded --stops 403,429`,
    )
    .action((log: string, options: CompareOptions) => compareLog(log, options, streams));
}

async function compareLog(logText: string, options: CompareOptions, streams: Streams): Promise<void> {
  const { before, after, group, output } = options;
  const client = await connect(streams);
  const log = findLog(await listAll(client.logs), logText);
  if (before === 'recorded') return compareRecorded(client, log, options, streams);
  if (options.stops) throw new Failure('--stops is for --before recorded.', EXIT.wrongInput);
  const { id } = await client.startComparison({ logId: log.id, before, after, ...scopeOf(options) });
  const end = await client.followComparison(id, ({ requestsDone, requests }) => {
    if (streams.stderr.isTTY)
      streams.stderr.write(
        `${own('\r')}${formatCount(requestsDone)} of ${countOf(requests, 'request')}${own('\u001b[K')}`,
      );
  });
  if (streams.stderr.isTTY) streams.stderr.write(`${own('\r')}${own('\u001b[K')}`);
  if (end.state === 'failed') throw new Failure(`Comparison ${id} failed: ${end.failure}`, EXIT.checkFailed);
  const result = await client.comparisonResult(id);
  const place = placeOf(group, result.tally.groups.length);
  if (output === 'json') return writeJson(streams, result);
  if (output === 'table') return printComparison(client, result, place, streams);
  if (output === 'csv') streams.data.write(`${CSV_HEADER}\n`);
  for (let offset = 0; ; offset += PAGE_ROWS) {
    const { rows } = await client.changes(id, { offset, limit: PAGE_ROWS, group: place });
    for (const row of rows)
      streams.data.write(`${output === 'csv' ? printCsvChange(row) : JSON.stringify(printChange(row))}\n`);
    if (rows.length < PAGE_ROWS) return;
  }
}

function parseBefore(text: string): ReplayPolicy | 'recorded' {
  return text === 'recorded' ? text : parseAgainst(text);
}

async function printComparison(
  client: ServiceClient,
  result: ComparisonResult,
  place: number | undefined,
  streams: Streams,
): Promise<void> {
  const { tally, before, after } = result;
  const colours = coloursFor(streams);
  const title = `Comparison ${result.id} of "${result.logName}": ${describeJudge(before)}, then ${describeJudge(after)}`;
  const shown = `${formatCount(tally.changed)} of ${countOf(tally.requests, 'request')} change (${formatShare(tally.requests === 0 ? 0 : tally.changed / tally.requests)}), ${formatCount(tally.moved)} more are decided by another rule`;
  const parts = [`${colours.bold(title)}\n${shown}`];
  if (place === undefined) {
    parts.push(renderMatrix(result));
    if (tally.groups.length > 0) parts.push(renderGroups(tally.groups));
  }
  const { rows, total } = await client.changes(result.id, { offset: 0, limit: SHOWN_ROWS, group: place });
  if (rows.length > 0) parts.push(renderChanges(rows));
  streams.stdout.write(`${parts.join('\n\n')}\n`);
  if (total > rows.length)
    logMessage(streams, `${formatCount(rows.length)} of ${countOf(total, 'request')}; --output ndjson lists all`);
}

function renderMatrix({ tally: { matrix } }: ComparisonResult): string {
  const from = Object.keys(matrix) as Outcome[];
  const to = [...new Set(from.flatMap((outcome) => Object.keys(matrix[outcome]!)))] as Outcome[];
  const rows = from.map((outcome) => [outcome, ...to.map((other) => formatCount(matrix[outcome]?.[other] ?? 0))]);
  return printTable(
    ['before \\ after', ...to],
    rows,
    to.map((_, index) => index + 1),
  );
}

function renderGroups(groups: readonly ComparisonGroup[]): string {
  const rows = groups.map(({ before, after, isChange, requests }, index) => [
    String(index + 1),
    formatCount(requests),
    isChange ? 'changes' : 'same, moved',
    describeSide(before),
    describeSide(after),
  ]);
  return printTable(['group', 'requests', '', 'before', 'after'], rows, [0, 1]);
}

function renderChanges(rows: readonly ChangeRow[]): string {
  return printTable(
    ['line', 'time', 'client', 'country', 'request', 'before', 'after'],
    rows.map((row) => [
      String(row.line),
      formatTime(row.atUnixMs),
      row.client ?? '-',
      row.country ?? '-',
      shorten(row.requested || '-', 40),
      describeSide(row.before),
      describeSide(row.after),
    ]),
    [0],
  );
}

/** The record with its decision after, and the one before. */
function printChange({ record, before }: ChangeRow): Record<string, unknown> {
  return { ...record, 'jade.before': before };
}

const CSV_HEADER = [
  'line,time,client,country,method,host,path',
  'before,before status,before reason,before redirect,before by',
  'after,after status,after reason,after redirect,after by',
].join();

function sideCells(side: Side): (string | number | undefined)[] {
  return [side.outcome, side.status, side.reason, side.redirect, describeDecider(side)];
}

function printCsvChange(row: ChangeRow): string {
  const cells = [
    row.line,
    new Date(row.atUnixMs).toISOString(),
    row.client,
    row.country,
    row.method,
    row.host,
    row.path,
    ...sideCells(row.before),
    ...sideCells(row.after),
  ];
  return printCsvRow(cells.map((cell) => (cell == null ? '' : String(cell))));
}
