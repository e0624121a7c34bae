import type { DatasetOwner, SourceInfo } from '@jadefence/contract';
import type { DatasetKind } from '@jadefence/core/reference';
import { InvalidArgumentError, type Command } from 'commander';
import { Failure } from '../cli-error.js';
import { RECORD_FORMATS, printRecord, type OneOutput, type Streams } from '../output.js';
import { NOUN_OF, printDataset } from '../reference.js';
import { connect } from '../service.js';

interface RefreshOptions {
  readonly from?: string[];
  readonly every?: number;
  readonly category?: string;
  readonly kind?: DatasetKind;
  readonly stop: boolean;
  readonly yes: boolean;
  readonly output: OneOutput;
}

const DAY_MINUTES = 1440;
const UNIT_MINUTES: Record<string, number> = { m: 1, h: 60, d: DAY_MINUTES };

/** `refresh` of a country table, a feed or a dataset: sets its source and interval, and runs it now. */
export function addRefresh(parent: Command, kind: DatasetOwner, streams: Streams): void {
  const command = parent.command('refresh').description(`Refresh the ${NOUN_OF[kind]} now, or set its source`);
  if (kind !== 'country') command.argument('<name>', `name of the ${NOUN_OF[kind]}`);
  command
    .option('--from <location...>', "http(s) URLs, or paths below the service's folder for reference data")
    .option('--every <duration>', 'how often it is refreshed, such as 6h or 1d', parseMinutes)
    .option('--stop', 'stop refreshing', false)
    .option('--yes', 'confirm a large change', false)
    .option(...RECORD_FORMATS);
  if (kind === 'category') command.option('--category <name>', 'category of every line, if the lines have none');
  if (kind === 'list') command.option('--kind <kind>', 'addresses, domains or urls, with --from');
  const name = kind === 'country' ? '' : ' larkmoor-sites';
  const noun = kind === 'list' ? 'dataset' : kind;
  command.addHelpText(
    'after',
    `
Examples:
  jadefence ${noun} refresh${name} --from https://data.example/${noun}.csv --every 1d
  jadefence ${noun} refresh${name}
  jadefence ${noun} refresh${name} --stop`,
  );
  if (kind === 'country') command.action((options: RefreshOptions) => refresh(kind, '', options, streams));
  else command.action((named: string, options: RefreshOptions) => refresh(kind, named, options, streams));
}

function parseMinutes(text: string): number {
  const [, count, unit] = /^([1-9]\d{0,5})([mhd])$/.exec(text) ?? [];
  if (count === undefined) throw new InvalidArgumentError('Expected a duration such as 30m, 6h or 1d.');
  return Number(count) * UNIT_MINUTES[unit!]!;
}

async function refresh(
  kind: DatasetOwner,
  name: string,
  { from, every, category, kind: listKind, stop, yes, output }: RefreshOptions,
  streams: Streams,
): Promise<void> {
  const client = await connect(streams);
  const noun = `${NOUN_OF[kind]}${name === '' ? '' : ` ${name}`}`;
  if (stop) {
    await client.removeSource(kind, name);
    return printRecord(streams, output, { stopped: { kind, name } }, `The ${noun} is refreshed no more.`);
  }
  if (every !== undefined && !from) throw new Failure('--every goes with --from.', 2, 'Add --from with its source.');
  if (from) {
    const source = { kind, name, locations: from, everyMinutes: every ?? DAY_MINUTES, category, listKind };
    const put = await client.putSource(source);
    return printRecord(streams, output, put, describeSource(put, noun));
  }
  const dataset = await client.refresh(kind, name, yes);
  if (!dataset) return printRecord(streams, output, null, `The ${noun} has not changed.`);
  await printDataset(client, dataset, output, streams);
}

function describeSource({ locations, everyMinutes }: SourceInfo, noun: string): string {
  const [unit, minutes] = Object.entries(UNIT_MINUTES)
    .reverse()
    .find(([, one]) => everyMinutes % one === 0)!;
  return `The ${noun} is refreshed from ${locations.join(', ')} every ${everyMinutes / minutes}${unit}. Refresh it now with the same command without --from.`;
}
