import type { GatePreview } from '@jadefence/contract';
import { fieldsOf, readGate, writeGate } from '@jadefence/core/edit';
import { nameCountry } from '@jadefence/core/reference';
import type { Command } from 'commander';
import { parseWhole, printRecord, type Streams } from '../output.js';
import { countOf } from '../render/text.js';
import { connect } from '../service.js';
import { gateText, refuseProblems, withGateOptions, withOptions, type GateOptions } from './gate.js';

const SHOWN_COUNTRIES = 10;

export function addGatePreview(gate: Command, streams: Streams): void {
  withGateOptions(gate.command('preview'), false)
    .description('Show what a gate sees of a log')
    .argument('<gate>', 'name of the gate')
    .argument('<log>', 'number of the log', parseWhole)
    .addHelpText(
      'after',
      `
Options show the gate as if it were set so; the draft stays as it is.

Examples:
  jadefence gate preview tickets 1
  jadefence gate preview tickets 1 --no-header
  jadefence gate preview gallery-wifi 2 --inspection 'otherwise inspect'`,
    )
    .action(async (name: string, log: number, options: GateOptions) => {
      const old = readGate(await gateText(name, streams))!;
      const { text, problems } = writeGate(withOptions(fieldsOf(old), options), old);
      refuseProblems(problems);
      const preview = await (await connect(streams)).previewGate(log, { text });
      printRecord(streams, options.output, preview, describe(preview, readGate(text)!.clientFrom?.header));
    });
}

function describe(preview: GatePreview, header: string | undefined): string {
  const { requests, withHeader, changed, ignored, encrypted, hidden, countries } = preview;
  const moved = Object.entries(countries).filter(([, { before, after }]) => before !== after);
  const largest = moved.toSorted(([, a], [, b]) => Math.abs(b.after - b.before) - Math.abs(a.after - a.before));
  return [
    `${countOf(requests, 'request')} at the gate ${preview.gate}`,
    ...(header === undefined
      ? ['The client is the address that connected.']
      : [
          `${countOf(withHeader, 'request')} with ${header}; the client changes in ${changed.toLocaleString('en')}`,
          ...(ignored > 0
            ? [`${countOf(ignored, 'header')} ignored: the address that connected is not trusted to name the client`]
            : []),
        ]),
    ...(largest.length > 0 ? ['country of the client, before and after:'] : []),
    ...largest
      .slice(0, SHOWN_COUNTRIES)
      .map(
        ([country, { before, after }]) =>
          `  ${countryText(country)}: ${before.toLocaleString('en')} to ${after.toLocaleString('en')}`,
      ),
    ...(encrypted > 0
      ? [`${countOf(encrypted, 'encrypted request')}, of which ${hidden.toLocaleString('en')} are not inspected`]
      : []),
  ].join('\n');
}

function countryText(country: string): string {
  const name = nameCountry(country);
  return name === country ? country : `${name} (${country})`;
}
