import { LOG_FORMATS, type ReadLine } from '@jadefence/core/logs';
import type { LogRecord } from '@jadefence/core/request';
import type { Log } from '@jadefence/contract';
import { listAll } from '@jadefence/contract';
import type { Command } from 'commander';
import { confirm } from '../prompts.js';
import { openLog } from '../files/open-log.js';
import { addReadingOptions, orFailLater, readingOf, type ReadingOptions } from '../files/reading.js';
import {
  RECORD_FORMATS,
  parseWhole,
  TABLE_FORMATS,
  writeJson,
  printRecord,
  writeRows,
  type OneOutput,
  type Output,
  type Streams,
} from '../output.js';
import { countOf, formatCount, formatTime, printTable, shorten, widthOf } from '../render/text.js';
import { connect } from '../service.js';
import { findLog } from './replay.js';

export function addLog(log: Command, streams: Streams): void {
  log
    .command('list')
    .description('List the logs of the service, latest first')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence log list')
    .action((options: { output: Output }) => listLogs(options.output, streams));
  log
    .command('show')
    .description('Show a log')
    .argument('<log>', 'number or name of the log')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence log show 1')
    .action((name: string, options: { output: OneOutput }) => showLog(name, options.output, streams));
  log
    .command('sections')
    .description('List the hosts of a log, or sections of a site')
    .argument('<log>', 'number or name of the log')
    .option('--host <host>', 'sections of this host and those below it')
    .option(...TABLE_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence log sections 2\n  jadefence log sections 2 --host gallerytube.example',
    )
    .action((name: string, options: { host?: string; output: Output }) => listSections(name, options, streams));
  const preview = log
    .command('preview')
    .description('Preview how a log file is read')
    .argument('<file...>', 'log file, several that are one log, or - for standard input');
  addReadingOptions(preview)
    .option('--lines <number>', 'lines to show', parseWhole, 10)
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence log preview access.log\n  jadefence log preview access.log.gz --lines 3 --output json\n  jadefence log preview flows.csv --mapping flows.json',
    )
    .action((paths: string[], options: PreviewOptions) => previewLog(paths, options, streams));
  log
    .command('delete')
    .description('Delete a log from the service')
    .argument('<log>', 'number or name of the log')
    .option('--force', 'delete the replays that depend on it, too', false)
    .option('--yes', 'skip the confirmation', false)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence log delete 1\n  jadefence log delete monday.log --force --yes')
    .action((name: string, options: DeleteOptions) => deleteLog(name, options, streams));
}

async function listLogs(output: Output, streams: Streams): Promise<void> {
  const logs = await listAll((await connect(streams)).logs);
  writeRows(streams, output, logs, {
    columns: {
      'number': (log) => String(log.id),
      'log': (log) => log.name,
      'requests': (log) => formatCount(log.requests),
      'rejected': (log) => formatCount(log.rejectedLines),
      'span (UTC)': (log) => `${formatTime(log.fromUnixMs)} to ${formatTime(log.toUnixMs)}`,
    },
    figures: ['number', 'requests', 'rejected'],
    empty: 'There is no log yet. Bring one in with jadefence log import FILE.',
  });
}

/** Hosts, or what the paths of one begin with, most requests first. */
async function listSections(
  name: string,
  { host, output }: { host?: string; output: Output },
  streams: Streams,
): Promise<void> {
  const client = await connect(streams);
  const { hosts, sections } = await client.sections(findLog(await listAll(client.logs), name).id, host);
  const title = host === undefined ? 'host' : 'path';
  writeRows(streams, output, host === undefined ? hosts : sections, {
    columns: { [title]: ({ value }) => value, requests: ({ requests }) => formatCount(requests) },
    figures: ['requests'],
    empty: host === undefined ? 'The log names no hosts.' : `The log has no paths of ${host}.`,
  });
}

async function showLog(name: string, output: OneOutput, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const log = findLog(await listAll(client.logs), name);
  printRecord(streams, output, log, renderLog(log));
}

function renderLog(log: Log): string {
  const rows = [
    ['name', log.name],
    ['requests', formatCount(log.requests)],
    ['rejected lines', formatCount(log.rejectedLines)],
    ['span (UTC)', `${formatTime(log.fromUnixMs)} to ${formatTime(log.toUnixMs)}`],
    ['format', LOG_FORMATS[log.format]],
    ...(log.host ? [['host', log.host]] : []),
    ...Object.entries(log.layout).flatMap(([name, value]) =>
      value === false ? [] : [[LAYOUT[name] ?? name, settings(value)]],
    ),
    ...(log.files.length > 0 ? [['files', log.files.join(', ')]] : []),
    ...(log.incomplete ? [['incomplete', log.incomplete]] : []),
    ['SHA-256', log.sha256],
    ['imported (UTC)', formatTime(Date.parse(log.importedAt))],
  ];
  const rejected = log.firstRejected.map(
    ({ file, line, reason, start }) =>
      `  ${file === undefined ? '' : `${file}, `}line ${line}, ${reason}: ${JSON.stringify(start)}`,
  );
  return [printTable(['log', String(log.id)], rows), ...rejected].join('\n');
}

/** Labels of the options of a log. */
const LAYOUT: Readonly<Record<string, string>> = { isInSyslog: 'in syslog', zone: 'time zone', year: 'first year' };

function settings(value: unknown): string {
  if (value === true) return 'yes';
  return typeof value === 'object' ? JSON.stringify(value) : String(value);
}

interface PreviewOptions extends ReadingOptions {
  readonly lines: number;
  readonly output: OneOutput;
}

async function previewLog(paths: readonly string[], options: PreviewOptions, streams: Streams): Promise<void> {
  const log = await openLog(paths, await readingOf(options), true, streams);
  const lines: ReadLine[] = [];
  await orFailLater(paths, async () => {
    for await (const batch of log.lines()) {
      for (const line of batch) lines.push(line);
      if (lines.length >= options.lines) break;
    }
  });
  const shown = lines.slice(0, options.lines);
  if (options.output === 'json') return writeJson(streams, { format: log.format, lines: shown });
  const width = widthOf(streams);
  const texts = shown.map((line) =>
    line.kind === 'rejected'
      ? `line ${line.rejected.line} rejected (${line.rejected.reason}): ${JSON.stringify(line.rejected.start)}`
      : describeRecord(line.record),
  );
  streams.stdout.write(
    texts
      .map(
        (text) =>
          `${text
            .split('\n')
            .map((name) => shorten(name, width))
            .join('\n')}\n`,
      )
      .join(''),
  );
}

function describeRecord({ line, atUnixMs, attributes }: LogRecord): string {
  const known = Object.entries(attributes)
    .filter(([, value]) => value != null)
    .map(([name, value]) => `  ${name}: ${typeof value === 'string' ? value : JSON.stringify(value)}`);
  return [`line ${line} at ${new Date(atUnixMs).toISOString()}`, ...known].join('\n');
}

interface DeleteOptions {
  readonly force: boolean;
  readonly yes: boolean;
  readonly output: OneOutput;
}

async function deleteLog(name: string, { force, yes, output }: DeleteOptions, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const log = findLog(await listAll(client.logs), name);
  await confirm(
    `Delete log ${log.id} "${log.name}" with ${countOf(log.requests, 'request')}${force ? ' and every replay of it' : ''}?`,
    yes,
    streams,
  );
  await client.deleteLog(log.id, force);
  printRecord(streams, output, { deleted: log.id }, `Log ${log.id} "${log.name}" is deleted.`);
}
