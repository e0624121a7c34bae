import type { Masking } from '@jadefence/contract';
import { printMask } from '@jadefence/core/masking';
import type { Command } from 'commander';
import { Failure } from '../cli-error.js';
import { readMasks } from '../files/mask-option.js';
import { printRecord, RECORD_FORMATS, type OneOutput, type Streams } from '../output.js';
import { connect } from '../service.js';

export function addMasking(masking: Command, streams: Streams): void {
  masking
    .command('show')
    .description('Show which fields of requests are masked')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence masking show')
    .action(async ({ output }: { output: OneOutput }) => {
      const state = await (await connect(streams)).masking();
      printRecord(streams, output, state, describe(state));
    });
  masking
    .command('set')
    .description('Set which fields of requests are masked')
    .argument('[mask...]', 'FIELD=METHOD, such as client=shorten')
    .option('--none', 'mask nothing')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
Fields: client, peer, user, path, header "NAME", query "NAME", cookie "NAME".
Methods: hide (***), shorten (an address to /24 or /48), pseudonym (the same for the same value).
Rules see true values; decisions, explanations, exports and filters show masked ones.

Examples:
  jadefence masking set client=shorten user=pseudonym
  jadefence masking set client=hide 'query "key"=hide'
  jadefence masking set --none`,
    )
    .action(async (given: string[], { none, output }: { none?: true; output: OneOutput }) => {
      if ((given.length === 0) === (none === undefined))
        throw new Failure('Expected masks, or --none.', undefined, 'Write for example: masking set client=shorten');
      const masks = readMasks(given.join(','));
      const state = await (await connect(streams)).setMasking({ masks });
      printRecord(streams, output, state, describe(state));
    });
}

function describe({ masks, isUnmasked }: Masking): string {
  if (masks.length === 0) return 'Nothing is masked.';
  const seen = isUnmasked ? '\nYou see true values: your token has the right unmask.' : '';
  return `Masked: ${masks.map(printMask).join(', ')}.${seen}`;
}
