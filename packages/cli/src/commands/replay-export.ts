import type { DecidedRecord } from '@jadefence/core/replay';
import { loadReport, renderReport, type ServiceClient } from '@jadefence/contract';
import { createWriteStream } from 'node:fs';
import { writeFile } from 'node:fs/promises';
import { once } from 'node:events';
import { finished } from 'node:stream/promises';
import { Option, type Command } from 'commander';
import { logMessage, parseWhole, type Streams } from '../output.js';
import { printDecisionHeader, printDecisionRow } from '../render/csv.js';
import { writeParquet } from '../render/parquet.js';
import { countOf } from '../render/text.js';
import { connect } from '../service.js';

const FORMATS = ['parquet', 'ndjson', 'csv'] as const;
const PAGE = 1000;

interface ExportOptions {
  readonly where?: string;
  readonly format: (typeof FORMATS)[number];
}

export function addReplayExport(replay: Command, streams: Streams): void {
  replay
    .command('export')
    .description('Save the decisions of a replay to a file')
    .argument('<replay>', 'number of the replay', parseWhole)
    .argument('<file>', 'file to write')
    .addOption(new Option('--format <format>', 'of the file').choices(FORMATS).default('parquet'))
    .option('--where <condition>', 'only requests for which this condition of the fence language is true')
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence replay export 2 decisions.parquet\n  jadefence replay export 2 blocked.ndjson --format ndjson --where "outcome = blocked"',
    )
    .action(async (id: number, file: string, { where, format }: ExportOptions) => {
      const client = await connect(streams);
      const read = () => pages(client, id, where);
      const written = format === 'parquet' ? await writeParquet(file, read) : await writeLines(file, format, read());
      logMessage(streams, `${countOf(written, 'decision')} in ${file}.`);
    });
}

/** One file that is sent to those who do not use the console. */
export function addReplayReport(replay: Command, streams: Streams): void {
  replay
    .command('report')
    .description('Save a replay as one page of HTML')
    .argument('<replay>', 'number of the replay', parseWhole)
    .requiredOption('--output <file>', 'file to write')
    .addHelpText('after', '\nExamples:\n  jadefence replay report 2 --output report.html')
    .action(async (id: number, { output }: { output: string }) => {
      await writeFile(output, renderReport(await loadReport(await connect(streams), id)));
      logMessage(streams, `The report of replay ${id} is in ${output}.`);
    });
}

async function* pages(
  client: ServiceClient,
  id: number,
  where: string | undefined,
): AsyncGenerator<readonly DecidedRecord[]> {
  for (let offset = 0; ; offset += PAGE) {
    const { rows, total } = await client.decisions(id, {
      offset,
      limit: PAGE,
      ...(where === undefined ? {} : { where }),
    });
    yield rows.map(({ record }) => record);
    if (offset + rows.length >= total) return;
  }
}

async function writeLines(
  file: string,
  format: 'ndjson' | 'csv',
  read: AsyncIterable<readonly DecidedRecord[]>,
): Promise<number> {
  const stream = createWriteStream(file);
  const print = format === 'csv' ? printDecisionRow : JSON.stringify;
  let count = 0;
  if (format === 'csv') stream.write(`${printDecisionHeader()}\n`);
  for await (const records of read) {
    count += records.length;
    if (!stream.write(records.map((record) => `${print(record)}\n`).join(''))) await once(stream, 'drain');
  }
  stream.end();
  await finished(stream);
  return count;
}
