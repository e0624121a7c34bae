import type { Correction } from '@jadefence/contract';
import type { Command } from 'commander';
import { Failure } from '../cli-error.js';
import { TABLE_FORMATS, logMessage, writeJson, writeRows, type Output, type Streams } from '../output.js';
import { connect } from '../service.js';
import { formatMinute } from '../render/text.js';

interface CorrectOptions {
  readonly reason?: string;
  readonly remove: boolean;
  readonly output: Output;
}

const EXAMPLES: Record<Correction['kind'], string> = {
  country: `
Examples:
  jadefence country correct
  jadefence country correct 198.18.3.0/24 NO --reason "the office in Bergen"
  jadefence country correct 198.18.3.0/24 --remove`,
  category: `
Examples:
  jadefence category correct
  jadefence category correct shop.example/play games
  jadefence category correct news.example news,sport --reason "has a sports desk"
  jadefence category correct shop.example/play --remove`,
};

/** `country correct` and `category correct`: lists, adds, replaces and removes corrections. */
export function addCorrect(parent: Command, kind: Correction['kind'], streams: Streams): void {
  const [key, value] = kind === 'country' ? ['range', 'country'] : ['site', 'categories'];
  parent
    .command('correct')
    .description(
      kind === 'country'
        ? 'Correct the country of a range, or list corrections'
        : 'Correct the categories of a site, or list corrections',
    )
    .argument(`[${key}]`, kind === 'country' ? 'address, network, or "a - b"' : 'domain, or URL without its query')
    .argument(
      `[${value}]`,
      kind === 'country' ? 'code, no-country or internal' : 'category, or several joined by commas',
    )
    .option('--reason <text>', 'reason, kept with the correction')
    .option('--remove', 'remove the correction', false)
    .option(...TABLE_FORMATS)
    .addHelpText('after', EXAMPLES[kind])
    .action((given: string | undefined, settings: string | undefined, options: CorrectOptions) =>
      correct(kind, given, settings, options, streams),
    );
}

async function correct(
  kind: Correction['kind'],
  key: string | undefined,
  value: string | undefined,
  { reason, remove, output }: CorrectOptions,
  streams: Streams,
): Promise<void> {
  const client = await connect(streams);
  if (key === undefined) return listCorrections(await client.corrections(kind), kind, output, streams);
  if (remove) {
    await client.removeCorrection(kind, key);
    return listCorrections(await client.corrections(kind), kind, output, streams);
  }
  if (value === undefined)
    throw new Failure(
      `There is no correction for ${key}.`,
      2,
      `Give ${kind === 'country' ? 'a country such as NO' : 'a category such as games'}, or --remove.`,
    );
  const put = await client.putCorrection(kind, { key, value, ...(reason === undefined ? {} : { reason }) });
  if (output === 'json') return writeJson(streams, put);
  listCorrections([put], kind, output, streams);
  const { replaced, newCategories = [] } = put;
  if (replaced)
    logMessage(streams, `It was ${replaced.value}${replaced.reason === null ? '' : `, since: ${replaced.reason}`}`);
  if (newCategories.length > 0)
    logMessage(
      streams,
      `warning: no feed and no correction has had ${newCategories.join(', ')} before. Check the spelling.`,
    );
}

function listCorrections(
  corrections: readonly Correction[],
  kind: Correction['kind'],
  output: Output,
  streams: Streams,
): void {
  writeRows(streams, output, corrections, {
    columns: {
      [kind === 'country' ? 'range' : 'site']: (correction) => correction.key,
      [kind === 'country' ? 'country' : 'categories']: (correction) => correction.value,
      reason: (correction) => correction.reason ?? '',
      by: (correction) => correction.changedBy ?? '',
      at: (correction) => formatMinute(correction.changedAt),
    },
    empty: 'There is no correction.',
  });
}
