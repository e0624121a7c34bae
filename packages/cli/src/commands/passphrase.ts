import type { Command } from 'commander';
import { promptSecret } from '../prompts.js';
import {
  RECORD_FORMATS,
  TABLE_FORMATS,
  printRecord,
  writeRows,
  type OneOutput,
  type Output,
  type Streams,
  parseName,
} from '../output.js';
import { connect } from '../service.js';
import { formatMinute } from '../render/text.js';

export function addPassphrase(passphrase: Command, streams: Streams): void {
  passphrase
    .command('list')
    .description('List passphrases and the rules that require them')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence passphrase list')
    .action(async ({ output }: { output: Output }) => {
      const passphrases = await (await connect(streams)).passphrases();
      writeRows(streams, output, passphrases, {
        columns: {
          'name': (passphraseInfo) => passphraseInfo.name,
          'state': (passphraseInfo) => (passphraseInfo.isSet ? 'set' : 'not set'),
          'used by': (passphraseInfo) => passphraseInfo.usedBy.join(', '),
          'set by': (passphraseInfo) => passphraseInfo.changedBy ?? '',
          'at (UTC)': (passphraseInfo) => (passphraseInfo.changedAt ? formatMinute(passphraseInfo.changedAt) : ''),
        },
        empty: 'There is no passphrase, and no rule requires one.',
      });
    });
  passphrase
    .command('set')
    .description('Set a passphrase, read from a prompt or standard input')
    .argument('<name>', 'the name that rules use', parseName)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence passphrase set studio-door < passphrase.txt')
    .action(async (name: string, { output }: { output: OneOutput }) => {
      await (await connect(streams)).setPassphrase(name, await promptSecret('Passphrase: ', streams));
      printRecord(streams, output, { set: name }, `The passphrase ${name} is set.`);
    });
  passphrase
    .command('remove')
    .description('Delete an unused passphrase')
    .argument('<name>', 'name of the passphrase', parseName)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence passphrase remove studio-door')
    .action(async (name: string, { output }: { output: OneOutput }) => {
      await (await connect(streams)).removePassphrase(name);
      printRecord(streams, output, { removed: name }, `Deleted passphrase ${name}.`);
    });
}
