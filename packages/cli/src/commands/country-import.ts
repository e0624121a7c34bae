import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import type { Command } from 'commander';
import { Failure } from '../failure.js';
import { ONE_OUTPUT, say, writeOne, type OneOutput, type Streams } from '../output.js';
import { formatCount } from '../render/text.js';
import { connect } from '../service.js';

export function addCountryImport(country: Command, streams: Streams): void {
  country
    .command('import')
    .description('Make a CSV file the country table of the service')
    .argument('<file>', 'rows start,end,CC or cidr,CC')
    .option(...ONE_OUTPUT)
    .addHelpText(
      'after',
      `
Examples:
  jadefence country import countries.csv`,
    )
    .action(async (path: string, { output }: { output: OneOutput }) => {
      const bytes = await readFile(path).catch((error: NodeJS.ErrnoException) => {
        throw new Failure(`The country table "${path}" cannot be read (${error.code}).`);
      });
      const client = await connect(streams);
      const table = await client.importCountryTable(basename(path), new Uint8Array(bytes));
      for (const { line, message } of table.problems) say(streams, `${path}:${line}: ${message}; the row is left out`);
      writeOne(
        streams,
        output,
        table,
        `The country table is now ${table.name} with ${formatCount(table.numRanges)} ranges.`,
      );
    });
}
