import { readFile } from 'node:fs/promises';
import { STATEMENTS, type StatementKind } from '@jadefence/core/language';
import { Argument, type Command } from 'commander';
import { editDraft, printEdit, textOrInput } from '../edit-draft.js';
import { Failure } from '../cli-error.js';
import { RECORD_FORMATS, printRecord, type OneOutput, type Streams, type OutputOption } from '../output.js';
import { confirm } from '../prompts.js';
import { renderChanges } from '../render/changes.js';
import { countRequests, renderMeaning } from '../render/meaning.js';
import { countOf } from '../render/text.js';
import { connect } from '../service.js';

/** What concerns the draft as a whole, and statements of any kind. */
export function addDraft(draft: Command, streams: Streams): void {
  draft
    .command('changes')
    .description('Show unpublished changes and their authors')
    .option('--meaning', 'which requests change their outcome, proved without a log')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence draft changes\n  jadefence draft changes --meaning')
    .action(({ output, meaning }: OutputOption & { meaning?: boolean }) =>
      meaning ? showMeaning(output, streams) : showChanges(output, streams),
    );
  draft
    .command('undo')
    .description('Undo your latest edit of the draft')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence draft undo')
    .action(async ({ output }: OutputOption) => printEdit(await (await connect(streams)).undo(), output, streams));
  draft
    .command('redo')
    .description('Redo the edit that you undid last')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence draft redo')
    .action(async ({ output }: OutputOption) => printEdit(await (await connect(streams)).redo(), output, streams));
  draft
    .command('discard')
    .description('Discard changes of the draft')
    .addArgument(new Argument('[kind]', 'kind of what changed, such as rule; all changes if absent'))
    .argument('[name]', 'its name; of a rule FENCE/RULE')
    .option('--yes', 'discard all changes without confirmation')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence draft discard rule desk/login\n  jadefence draft discard --yes')
    .action((kind: string | undefined, name: string | undefined, options: OutputOption & { yes?: boolean }) =>
      discard(kind, name, options, streams),
    );
  draft
    .command('put')
    .description('Add or replace a statement of the draft')
    .argument('<text>', 'a list, schedule, page, application, gate, fence, expect or zone, or - for standard input')
    .option('--with-file <path...>', 'files that the statement names, such as a page')
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      "\nExamples:\n  jadefence draft put 'schedule nights { sun-thu 22:00-06:00 }'\n  jadefence draft put 'page sorry \"pages/sorry.html\"' --with-file pages/sorry.html",
    )
    .action(async (text: string, { withFile = [], output }: OutputOption & { withFile?: string[] }) => {
      const files = await Promise.all(
        withFile.map(async (path) => ({ kind: 'put-file' as const, path, text: await readText(path) })),
      );
      await editDraft([...files, { kind: 'put', text: await textOrInput(text, streams) }], output, streams);
    });
  draft
    .command('remove')
    .description('Remove an unused statement')
    .addArgument(new Argument('<kind>', 'its kind').choices(STATEMENTS))
    .argument('<name>', 'its name; of an expectation its text, of the zone "zone"')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence draft remove schedule nights')
    .action((part: StatementKind, name: string, { output }: OutputOption) =>
      editDraft([{ kind: 'remove', part, name }], output, streams),
    );
  draft
    .command('rename')
    .description('Rename a statement and its references')
    .addArgument(new Argument('<kind>', 'its kind').choices(STATEMENTS))
    .argument('<name>', 'its name')
    .argument('<to>', 'its new name')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence draft rename schedule nights closed-hours')
    .action((part: StatementKind, name: string, to: string, { output }: OutputOption) =>
      editDraft([{ kind: 'rename', part, name, to }], output, streams),
    );
}

async function discard(
  part: string | undefined,
  name: string | undefined,
  { yes = false, output }: OutputOption & { yes?: boolean },
  streams: Streams,
): Promise<void> {
  const client = await connect(streams);
  const { version, changes } = await client.draftChanges();
  if (part === undefined) {
    await confirm(`Discard all ${countOf(changes.length, 'change')} of the draft?`, yes, streams);
    return printEdit(await client.discard(undefined, version), output, streams);
  }
  const change = changes.find((candidate) => candidate.part === part && candidate.name === name);
  if (!change || change.part === 'dataset') {
    const what = `${part}${name === undefined ? '' : ` ${name}`}`;
    throw new Failure(
      `The draft has no change of ${what}.`,
      undefined,
      'jadefence draft changes shows those there are.',
    );
  }
  printEdit(await client.discard([{ part: change.part, name: change.name }], version), output, streams);
}

async function readText(path: string): Promise<string> {
  return readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw new Failure(`The file "${path}" cannot be read (${error.code}).`);
  });
}

async function showMeaning(output: OneOutput, streams: Streams): Promise<void> {
  const client = await connect(streams);
  const changes = await countRequests(client, await client.draftMeaning());
  printRecord(streams, output, changes, renderMeaning(changes, streams));
}

async function showChanges(output: OneOutput, streams: Streams): Promise<void> {
  const draftChanges = await (await connect(streams)).draftChanges();
  const against =
    draftChanges.against === null ? 'Nothing is published yet.' : `Against revision ${draftChanges.against}:`;
  const text =
    draftChanges.changes.length === 0
      ? draftChanges.against === null
        ? 'The draft is empty.'
        : 'Nothing differs.'
      : renderChanges(draftChanges.changes, streams);
  printRecord(streams, output, draftChanges, `${against}\n${text}`);
}
