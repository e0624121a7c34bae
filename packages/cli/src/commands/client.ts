import type { StoppedClient } from '@jadefence/core/edit';
import type { Command } from 'commander';
import {
  logMessage,
  printRecord,
  RECORD_FORMATS,
  TABLE_FORMATS,
  writeRows,
  type OneOutput,
  type Output,
  type Streams,
} from '../output.js';
import { formatTime } from '../render/text.js';
import { connect } from '../service.js';

interface StopOptions {
  readonly for?: string;
  readonly reason?: string;
  readonly force: boolean;
  readonly output: OneOutput;
}

export function addClient(client: Command, streams: Streams): void {
  client
    .command('list')
    .description('List the clients that are stopped now')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence client list')
    .action(({ output }: { output: Output }) => listStopped(output, streams));
  client
    .command('stop')
    .description('Stop a client at every gate, at once')
    .argument('<client>', 'address, or network such as 198.18.9.0/24')
    .option('--for <duration>', 'how long, such as 2h (default: until it is released)')
    .option('--reason <text>', 'why, for those who look at it later')
    .option('--force', 'also if it is protected, or an expectation is not met then', false)
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
A rule for the client is put into the fence stopped-clients, at the top of every gate, and published by itself: what else
the draft has stays in the draft.

Examples:
  jadefence client stop 198.18.9.200 --for 2h --reason "Guesses passwords"`,
    )
    .action((text: string, options: StopOptions) => stopClient(text, options, streams));
  client
    .command('release')
    .description('Let a stopped client pass again')
    .argument('<client>', 'as it was stopped')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence client release 198.18.9.200')
    .action(async (text: string, { output }: { output: OneOutput }) => {
      const released = await (await connect(streams)).releaseClient(text);
      printRecord(streams, output, released, `${released.client} is released, by revision ${released.revision}.`);
    });
}

async function listStopped(output: Output, streams: Streams): Promise<void> {
  const stopped = await (await connect(streams)).stoppedClients();
  writeRows(streams, output, stopped, {
    columns: {
      client: (one) => one.client,
      until: untilOf,
      by: (one) => one.owner ?? '',
      reason: (one) => one.reason ?? '',
      rule: (one) => one.rule,
    },
    empty: 'No client is stopped. Stop one with jadefence client stop ADDRESS.',
  });
}

function untilOf({ untilUnixMs }: StoppedClient): string {
  return untilUnixMs === undefined ? 'released' : formatTime(untilUnixMs);
}

async function stopClient(
  text: string,
  { for: duration, reason, force, output }: StopOptions,
  streams: Streams,
): Promise<void> {
  const stopped = await (
    await connect(streams)
  ).stopClient({ client: text, for: duration, reason, ...(force ? { isForced: true } : {}) });
  const end = stopped.untilUnixMs === undefined ? 'until it is released' : `until ${formatTime(stopped.untilUnixMs)}`;
  printRecord(
    streams,
    output,
    stopped,
    `${stopped.client} is stopped at every gate ${end}, by revision ${stopped.revision} (rule ${stopped.rule}).`,
  );
  if (output !== 'json') logMessage(streams, `Take it back with jadefence client release ${stopped.client}.`);
}
