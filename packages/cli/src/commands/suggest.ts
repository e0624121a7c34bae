import { listAll, type RuleSuggestions } from '@jadefence/contract';
import type { Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { editDraft } from '../edit-draft.js';
import { parseWhole, printRecord, RECORD_FORMATS, type OneOutput, type Streams } from '../output.js';
import { coloursFor, countOf, formatCount, formatShare } from '../render/text.js';
import { connect } from '../service.js';
import { findLog } from './replay.js';

interface SuggestOptions {
  readonly stop: string;
  readonly spare?: string;
  readonly replay?: number;
  readonly add?: number;
  readonly output: OneOutput;
}

export function addSuggest(program: Command, streams: Streams): void {
  program
    .command('suggest')
    .description('Suggest rules that stop chosen requests')
    .argument('<log>', 'name or number of a stored log that was replayed')
    .requiredOption('--stop <condition>', 'requests to stop, as a filter of decisions')
    .option('--spare <condition>', 'requests to spare (default: all others)')
    .option('--replay <number>', 'of this replay (default: the latest of the log)', parseWhole)
    .option('--add <number>', 'put the suggestion with this number into the draft, on trial', parseWhole)
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      `
Up to three comparisons are combined; what each rule stops, and what it stops besides, is counted over the whole log.

Examples:
  jadefence suggest 1 --stop 'recorded status = 401 and time >= 2026-10-12T04:00:00Z'
  jadefence suggest 1 --stop 'agent contains "picture-grabber"' --spare 'client in trusted' --add 1`,
    )
    .action((log: string, options: SuggestOptions) => suggest(log, options, streams));
}

async function suggest(
  name: string,
  { stop, spare, replay, add, output }: SuggestOptions,
  streams: Streams,
): Promise<void> {
  const client = await connect(streams);
  const log = findLog(await listAll(client.logs), name);
  const id =
    replay ?? (await listAll(client.replays)).find(({ logId, state }) => logId === log.id && state === 'done')?.id;
  if (id === undefined)
    throw new Failure(
      `The log ${log.name} was not replayed.`,
      EXIT.wrongInput,
      `Replay it first: jadefence replay start ${log.id}.`,
    );
  const found = await client.suggestRules(id, { stop, ...(spare === undefined ? {} : { spare }) });
  if (add === undefined) return printRecord(streams, output, found, render(found, streams));
  const edits = found.rules[add - 1]?.edits;
  if (!edits)
    throw new Failure(`There is no suggestion ${add} with a place in the draft; there are ${found.rules.length}.`);
  await editDraft(edits, output, streams);
}

function render({ chosen, spared, rules }: RuleSuggestions, streams: Streams): string {
  const colours = coloursFor(streams);
  const head = `${countOf(chosen, 'request')} to stop, ${formatCount(spared)} to spare.`;
  if (rules.length === 0) return `${head}\nNothing was found that these have in common.`;
  const lines = rules.map(({ condition, stopped, collateral, clients }, at) => {
    const besides =
      collateral === 0
        ? 'nothing besides'
        : `besides ${formatCount(collateral)} (${formatShare(collateral / spared)}), of ${clients
            .slice(0, 3)
            .map((one) => one.client)
            .join(', ')}${clients.length > 3 ? ' ...' : ''}`;
    return `${colours.bold(String(at + 1))}  ${condition}\n   stops ${formatCount(stopped)} (${formatShare(stopped / chosen)}), ${besides}`;
  });
  return [head, ...lines].join('\n');
}
