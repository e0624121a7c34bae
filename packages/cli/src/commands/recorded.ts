/** A log compared with what it recorded itself: `compare LOG --before recorded`. */
import type { Log, RecordedComparisonResult, RecordedPage, ReplayPolicy, ServiceClient } from '@jadefence/contract';
import { OUTCOMES } from '@jadefence/core/language';
import type { RecordedOutcome } from '@jadefence/core/replay';
import { InvalidArgumentError } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { logMessage, writeJson, type Output, type Streams } from '../output.js';
import { printCsvRow } from '../render/csv.js';
import { coloursFor, countOf, formatCount, formatShare, formatTime, printTable, shorten } from '../render/text.js';
import { describeSide, placeOf } from '../render/side.js';
import { scopeOf, type ScopeOptions } from './replay-options.js';

const PAGE_ROWS = 1000;
const SHOWN_ROWS = 10;
interface RecordedOptions extends ScopeOptions {
  readonly after: ReplayPolicy;
  readonly group?: number;
  readonly stops?: number[];
  readonly output: Output;
}

const RECORDED: readonly RecordedOutcome[] = ['passed', 'stopped', 'unknown'];

export function parseStops(text: string): number[] {
  const stops = text.split(',').map(Number);
  if (!stops.every((status) => Number.isInteger(status) && status >= 100 && status <= 599))
    throw new InvalidArgumentError('Expected statuses from 100 to 599 such as 403,429.');
  return stops;
}

/** Replays the log, and holds each decision against the status that the log has. */
export async function compareRecorded(
  client: ServiceClient,
  log: Log,
  { after, group, stops, output, ...options }: RecordedOptions,
  streams: Streams,
): Promise<void> {
  const { id } = await client.startReplay({ logId: log.id, against: after, ...scopeOf(options) });
  const end = await client.followReplay(id, () => undefined);
  if (end.state !== 'done') throw new Failure(`Replay ${id} was ${end.state}: ${end.failure ?? ''}`, EXIT.checkFailed);
  const result = await client.recorded(id, { stops });
  const place = placeOf(group, result.groups.length);
  const pageAt = (offset: number, limit: number): Promise<RecordedPage> =>
    client.recordedRequests(id, { offset, limit, stops, group: place });
  if (output === 'json') return writeJson(streams, result);
  if (output === 'table') {
    const page = await pageAt(0, SHOWN_ROWS);
    const title = `"${log.name}" as recorded (stopped: ${result.stops.join(', ')}), then by replay ${id}`;
    streams.stdout.write(`${coloursFor(streams).bold(title)}\n${renderRecorded(result, page, place)}\n`);
    if (page.total > page.rows.length)
      logMessage(
        streams,
        `${formatCount(page.rows.length)} of ${countOf(page.total, 'request')}; --output ndjson lists all`,
      );
    return;
  }
  if (output === 'csv') streams.data.write(`${CSV_HEADER}\n`);
  for (let offset = 0; ; offset += PAGE_ROWS) {
    const { rows } = await pageAt(offset, PAGE_ROWS);
    for (const row of rows) streams.data.write(`${output === 'csv' ? printCsv(row) : JSON.stringify(row.record)}\n`);
    if (rows.length < PAGE_ROWS) return;
  }
}

function renderRecorded(result: RecordedComparisonResult, { rows }: RecordedPage, place: number | undefined): string {
  const { requests, newlyPassed, newlyStopped, matrix, groups } = result;
  const share = formatShare(requests === 0 ? 0 : (newlyPassed + newlyStopped) / requests);
  const parts = [
    `${formatCount(newlyStopped)} of ${countOf(requests, 'request')} passed and would be stopped, ${formatCount(newlyPassed)} were stopped and would pass (${share} together)`,
  ];
  if (place === undefined) {
    const to = OUTCOMES.filter((outcome) => RECORDED.some((recorded) => matrix[recorded]?.[outcome]));
    parts.push(
      printTable(
        ['recorded \\ after', ...to],
        RECORDED.filter((recorded) => matrix[recorded]).map((recorded) => [
          recorded,
          ...to.map((outcome) => formatCount(matrix[recorded]?.[outcome] ?? 0)),
        ]),
        to.map((_, index) => index + 1),
      ),
      printTable(
        ['group', 'requests', '', 'recorded', 'after', 'first', 'last'],
        groups.map(({ recorded, status, after, isDifferent, requests: count, firstUnixMs, lastUnixMs }, index) => [
          String(index + 1),
          formatCount(count),
          isDifferent ? 'differs' : 'same',
          `${recorded}${status === undefined ? '' : ` ${status}`}`,
          describeSide(after),
          formatTime(firstUnixMs),
          formatTime(lastUnixMs),
        ]),
        [0, 1],
      ),
    );
  }
  if (rows.length > 0) parts.push(renderRows(rows));
  return parts.join('\n\n');
}

function renderRows(rows: RecordedPage['rows']): string {
  return printTable(
    ['line', 'time', 'client', 'country', 'request', 'recorded', 'after'],
    rows.map((row) => [
      String(row.line),
      formatTime(row.atUnixMs),
      row.client ?? '-',
      row.country ?? '-',
      shorten(row.requested || '-', 40),
      row.recordedStatus ?? '-',
      describeSide(row),
    ]),
    [0],
  );
}

const CSV_HEADER =
  'line,time,client,country,method,host,path,recorded status,after,after status,after gate,after fence,after rule';

function printCsv(row: RecordedPage['rows'][number]): string {
  const { line, atUnixMs, client, country, method, host, path, recordedStatus, outcome, status, gate, fence, rule } =
    row;
  const cells = [line, new Date(atUnixMs).toISOString(), client, country, method, host, path, recordedStatus, outcome];
  return printCsvRow([...cells, status, gate, fence, rule].map((cell) => (cell == null ? '' : String(cell))));
}
