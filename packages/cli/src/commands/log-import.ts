import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { Readable } from 'node:stream';
import { LOG_FORMATS, REJECT_REASONS, type LogFormat, type RejectReason } from '@jadefence/core';
import type { Command } from 'commander';
import { assertLogFile, parseFormat } from '../files/open-log.js';
import { ONE_OUTPUT, say, writeOne, type OneOutput, type Streams } from '../output.js';
import { showProgress } from '../progress.js';
import { formatCount, formatTime } from '../render/text.js';
import { connect } from '../service.js';

interface LogImportOptions {
  readonly name?: string;
  readonly format?: LogFormat;
  readonly host?: string;
  readonly output: OneOutput;
}

export function addLogImport(log: Command, streams: Streams): void {
  log
    .command('import')
    .description('Send a log to the service, which stores it once for many replays')
    .argument('<file>', 'log file, or - for standard input')
    .option('--name <name>', 'name of the log (default: the name of the file)')
    .option('--format <format>', 'log format, instead of detecting it', parseFormat)
    .option('--host <host>', 'host of every request, where the log has no column for it')
    .option(...ONE_OUTPUT)
    .addHelpText(
      'after',
      `
Examples:
  jadefence log import access.log
  gzip -dc access.log.gz | jadefence log import - --name monday`,
    )
    .action((path: string, options: LogImportOptions) => importLog(path, options, streams));
}

async function importLog(path: string, { output, ...options }: LogImportOptions, streams: Streams): Promise<void> {
  if (path !== '-') await assertLogFile(path);
  const client = await connect(streams);
  const source = path === '-' ? (streams.stdin as Readable) : createReadStream(path);
  const size = path === '-' ? undefined : (await stat(path)).size;
  const name = options.name ?? (path === '-' ? 'standard input' : basename(path));
  const log = await client.importLog(
    { name, format: options.format, host: options.host },
    Readable.toWeb(
      Readable.from(showProgress(source, size, streams), { objectMode: false }),
    ) as ReadableStream<Uint8Array>,
  );
  writeOne(
    streams,
    output,
    log,
    `Log ${log.id} "${log.name}": ${formatCount(log.requests)} requests from ${formatTime(log.fromUnixMs)} to ${formatTime(log.toUnixMs)} UTC, read as ${LOG_FORMATS[log.format]}.`,
  );
  for (const [reason, lines] of Object.entries(log.rejectedByReason))
    say(streams, `${formatCount(lines)} lines rejected: ${REJECT_REASONS[reason as RejectReason]}`);
  for (const { line, start } of log.firstRejected.slice(0, 5)) say(streams, `  line ${line}: ${JSON.stringify(start)}`);
}
