import { createReadStream, openAsBlob } from 'node:fs';
import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { Readable } from 'node:stream';
import { LOG_FORMATS } from '@jadefence/core/logs';
import { REJECT_REASONS, type RejectReason } from '@jadefence/core/request';
import type { Log, LogReadOptions } from '@jadefence/contract';
import type { Command } from 'commander';
import { assertLogFile, namesFor } from '../files/open-log.js';
import { addReadingOptions, readingOf, type ReadingOptions } from '../files/reading.js';
import { EXIT, Failure } from '../cli-error.js';
import { RECORD_FORMATS, logMessage, printRecord, type OneOutput, type Streams } from '../output.js';
import { showProgress } from '../progress.js';
import { countOf, formatTime } from '../render/text.js';
import { connect } from '../service.js';

interface LogImportOptions extends ReadingOptions {
  readonly name?: string;
  readonly output: OneOutput;
}

export function addLogImport(log: Command, streams: Streams): void {
  const command = log
    .command('import')
    .description('Import a log into the service')
    .argument('<file...>', 'log file, several that are one log, or - for standard input')
    .option('--name <name>', 'name of the log (default: the name of the first file)');
  addReadingOptions(command)
    .option('--host <host>', 'host of every request, if the log has no column')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
Examples:
  jadefence log import access.log
  jadefence log import access.log access.log.1 access.log.2.gz --name october
  jadefence log import flows.csv --mapping flows.json --zone Europe/Oslo
  gzip -dc access.log.gz | jadefence log import - --name monday`,
    )
    .action((paths: string[], options: LogImportOptions) => importLog(paths, options, streams));
}

async function importLog(paths: readonly string[], options: LogImportOptions, streams: Streams): Promise<void> {
  for (const path of paths) if (path !== '-') await assertLogFile(path);
  if (paths.length > 1 && paths.includes('-'))
    throw new Failure('Standard input cannot be one of several files of a log.', EXIT.wrongInput);
  const { options: settings, format, mappingText } = await readingOf(options);
  const [first] = paths as [string];
  const query: { name: string } & LogReadOptions = {
    name: options.name ?? (first === '-' ? 'standard input' : basename(first)),
    format,
    host: settings.host,
    pattern: settings.pattern,
    mapping: mappingText,
    syslog: settings.isInSyslog,
    zone: settings.zone,
    year: settings.year === undefined ? undefined : String(settings.year),
  };
  const log = await (paths.length === 1 ? sendOne(first, query, streams) : sendSeveral(paths, query, streams));
  printLog(log, options.output, streams);
}

async function sendOne(path: string, query: { name: string } & LogReadOptions, streams: Streams): Promise<Log> {
  const client = await connect(streams);
  const source = path === '-' ? (streams.stdin as Readable) : createReadStream(path);
  const size = path === '-' ? undefined : (await stat(path)).size;
  const bytes = Readable.from(showProgress(source, size, streams), { objectMode: false });
  return client.importLog(query, Readable.toWeb(bytes) as ReadableStream<Uint8Array>);
}

async function sendSeveral(
  paths: readonly string[],
  query: { name: string } & LogReadOptions,
  streams: Streams,
): Promise<Log> {
  const client = await connect(streams);
  const form = new FormData();
  const nameOf = namesFor(paths);
  for (const path of paths) form.append('file', await openAsBlob(path), nameOf(path));
  return client.importLogFiles(query, form);
}

function printLog(log: Log, output: OneOutput, streams: Streams): void {
  printRecord(
    streams,
    output,
    log,
    `Log ${log.id} "${log.name}": ${countOf(log.requests, 'request')} from ${formatTime(log.fromUnixMs)} to ${formatTime(log.toUnixMs)} UTC, read as ${LOG_FORMATS[log.format]}${log.files.length > 0 ? ` from ${log.files.length} files` : ''}.`,
  );
  if (log.hostNotice !== null) logMessage(streams, log.hostNotice);
  if (log.incomplete) logMessage(streams, `The log is incomplete: ${log.incomplete}`);
  for (const [reason, lines] of Object.entries(log.rejectedByReason))
    logMessage(streams, `${countOf(lines, 'line')} rejected: ${REJECT_REASONS[reason as RejectReason]}`);
  for (const { file, line, start } of log.firstRejected.slice(0, 5))
    logMessage(streams, `  ${file === undefined ? '' : `${file}, `}line ${line}: ${JSON.stringify(start)}`);
}
