import { readFile } from 'node:fs/promises';
import type { ListContents } from '@jadefence/core/edit';
import { countEntries, LIST_KINDS } from '@jadefence/core/language';
import { Argument, type Command } from 'commander';
import { editDraft } from '../edit-draft.js';
import { EXIT, Failure } from '../cli-error.js';
import {
  RECORD_FORMATS,
  readAll,
  TABLE_FORMATS,
  printRecord,
  writeRows,
  type OneOutput,
  type Output,
  type Streams,
  parseName,
  type OutputOption,
} from '../output.js';
import { formatCount, formatMinute } from '../render/text.js';
import { connect } from '../service.js';

export function addList(list: Command, streams: Streams): void {
  list
    .command('list')
    .description('List the lists of the draft')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence list list')
    .action(({ output }: { output: Output }) => listLists(output, streams));
  list
    .command('show')
    .description('Show a list, its nested lists and where it is used')
    .argument('<name>', 'name of the list', parseName)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence list show trusted')
    .action((name: string, { output }: OutputOption) => showList(name, output, streams));
  list
    .command('origins')
    .description('Show who added each entry of a list, and when')
    .argument('<name>', 'name of the list', parseName)
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence list origins trusted')
    .action((name: string, { output }: { output: Output }) => showOrigins(name, output, streams));
  list
    .command('create')
    .description('Create an empty list in the draft')
    .argument('<name>', 'name of the list', parseName)
    .addArgument(new Argument('<kind>', 'what it holds').choices(LIST_KINDS))
    .option('--title <text>', 'title')
    .option(...RECORD_FORMATS)
    .addHelpText('after', "\nExamples:\n  jadefence list create couriers addresses --title 'Who brings parcels'")
    .action((name: string, kind: string, { title, output }: OutputOption & { title?: string }) =>
      editDraft(
        [
          {
            kind: 'put',
            text: `list ${name} ${kind}${title === undefined ? '' : ` ${JSON.stringify(title)}`} { }`,
            part: 'list',
            isNew: true,
          },
        ],
        output,
        streams,
      ),
    );
  addProtect(list, streams);
  addEntryCommands(list, streams);
  list
    .command('lookup')
    .description('Look up a value in a list (exit 1 if missing)')
    .argument('<name>', 'name of the list', parseName)
    .argument('<value>', 'address, country, host, URL, category or application')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence list lookup trusted 198.18.12.10')
    .action((name: string, value: string, { output }: OutputOption) => lookup(name, value, output, streams));
  list
    .command('find')
    .description('Look up a value in all lists (exit 1 if none holds it)')
    .argument('<value>', 'address, country, host, URL, category or application')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence list find 198.18.12.10')
    .action((value: string, { output }: { output: Output }) => findLists(value, output, streams));
  list
    .command('rename')
    .description('Rename a list and its references')
    .argument('<name>', 'name of the list', parseName)
    .argument('<to>', 'its new name')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence list rename touts tout-networks')
    .action((name: string, to: string, { output }: OutputOption) =>
      editDraft([{ kind: 'rename', part: 'list', name, to }], output, streams),
    );
  list
    .command('delete')
    .description('Delete an unused list')
    .argument('<name>', 'name of the list', parseName)
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence list delete couriers')
    .action((name: string, { output }: OutputOption) =>
      editDraft([{ kind: 'remove', part: 'list', name }], output, streams),
    );
}

function addProtect(list: Command, streams: Streams): void {
  list
    .command('protect')
    .description('Protect the clients of a list: none is to be stopped')
    .argument('<name>', 'name of a list of addresses', parseName)
    .option('--off', 'no longer protect them')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence list protect trusted\n  jadefence list protect trusted --off')
    .action((name: string, { off = false, output }: OutputOption & { off?: boolean }) =>
      editDraft([{ kind: 'protect-list', list: name, isProtected: !off }], output, streams),
    );
}

function addEntryCommands(list: Command, streams: Streams): void {
  for (const verb of ['add', 'remove'] as const) {
    list
      .command(verb)
      .description(`${verb === 'add' ? 'Add entries to' : 'Remove entries from'} a list`)
      .argument('<name>', 'name of the list', parseName)
      .argument('[entries...]', 'entries, or - for standard input, one a line')
      .option('--file <path>', 'a file of entries, one a line, # comments')
      .option(...RECORD_FORMATS)
      .addHelpText(
        'after',
        `\nExamples:\n  jadefence list ${verb} tout-networks 198.18.90.0/24 198.18.91.7\n  jadefence list ${verb} tout-networks --file touts.txt`,
      )
      .action(async (name: string, entries: string[], { file, output }: OutputOption & { file?: string }) => {
        const rows = await readRows(entries, file, streams);
        const [add, remove] = verb === 'add' ? [rows, []] : [[], rows];
        await editDraft([{ kind: 'edit-list', list: name, add, remove }], output, streams);
      });
  }
}

async function readRows(entries: readonly string[], file: string | undefined, streams: Streams): Promise<string[]> {
  const split = (text: string): string[] => text.replace(/\r?\n$/, '').split(/\r?\n/);
  const fromFile =
    file === undefined
      ? []
      : split(
          await readFile(file, 'utf8').catch((error: NodeJS.ErrnoException) => {
            throw new Failure(`The file "${file}" cannot be read (${error.code}).`);
          }),
        );
  const given = entries.length === 1 && entries[0] === '-' ? split(await readAll(streams)) : entries;
  const rows = [...given, ...fromFile];
  if (rows.length === 0) throw new Failure('Expected entries, - for standard input, or --file PATH.');
  return rows;
}

async function listLists(output: Output, streams: Streams): Promise<void> {
  const lists = await (await connect(streams)).lists();
  writeRows(streams, output, lists, {
    columns: {
      list: (list) => list.name,
      kind: (list) => list.kind,
      entries: (list) => formatCount(list.entries.length),
      except: (list) => formatCount(list.exceptions.length),
      used: (list) => list.usedBy.join(', ') || 'nowhere',
      changed: (list) => `${formatMinute(list.changedAt)} by ${list.changedBy ?? 'unknown'}`,
    },
    figures: ['entries', 'except'],
    empty: 'The draft has no lists yet. Create one with jadefence list create NAME KIND.',
  });
}

async function showList(name: string, output: OneOutput, streams: Streams): Promise<void> {
  const list = await (await connect(streams)).list(name);
  const used = list.usedBy.length > 0 ? `used by ${list.usedBy.join(', ')}` : 'used nowhere';
  const head = `list ${list.name} of ${list.kind}${list.title ? ` "${list.title}"` : ''}${list.file ? `, kept in ${list.file}` : ''}`;
  printRecord(streams, output, list, [head, ...renderContents(list, 1), used].join('\n'));
}

function renderContents({ kind, dataset, entries, exceptions }: ListContents, depth: number): string[] {
  const indent = '  '.repeat(depth);
  if (dataset) return [`${indent}the ${countEntries(kind, dataset.numEntries)} of the dataset ${dataset.name}`];
  const render = (listEntry: ListContents['entries'][number]): string[] => [
    `${indent}${listEntry.text}${listEntry.contents ? ' (a list)' : ''}`,
    ...(listEntry.contents ? renderContents(listEntry.contents, depth + 1) : []),
  ];
  return [
    ...entries.flatMap(render),
    ...(exceptions.length > 0 ? [`${indent}except`, ...exceptions.flatMap(render)] : []),
  ];
}

async function showOrigins(name: string, output: Output, streams: Streams): Promise<void> {
  const origins = await (await connect(streams)).entryOrigins(name);
  const rows = origins.flatMap(({ addedBy, addedAt, lines }) => lines.map((entry) => ({ entry, addedBy, addedAt })));
  writeRows(streams, output, rows, {
    columns: {
      'entry': ({ entry }) => entry,
      'added by': ({ addedBy }) => addedBy ?? 'unknown',
      'added at': ({ addedAt }) => formatMinute(addedAt),
    },
    empty: `The list ${name} has no entries.`,
  });
}

async function findLists(value: string, output: Output, streams: Streams): Promise<void> {
  const lookups = await (await connect(streams)).lookupInLists(value);
  writeRows(streams, output, lookups, {
    columns: {
      'list': (listLookup) => listLookup.list,
      'holds it': (listLookup) => (listLookup.isIn ? 'yes' : 'no'),
      'entry': (listLookup) => listLookup.entry ?? `except ${listLookup.takenOutBy}`,
      'through': (listLookup) => listLookup.through?.join(' > ') ?? '',
    },
    empty: `No list holds ${value}.`,
  });
  if (!lookups.some(({ isIn }) => isIn)) throw new Failure(`No list holds ${value}.`, EXIT.checkFailed);
}

async function lookup(name: string, value: string, output: OneOutput, streams: Streams): Promise<void> {
  const listLookup = await (await connect(streams)).lookupInList(name, value);
  const through =
    listLookup.through && listLookup.through.length > 0 ? ` through ${listLookup.through.join(' > ')}` : '';
  const out = listLookup.takenOutBy ? `: ${listLookup.takenOutBy} takes it out` : '';
  const text = listLookup.isIn
    ? `${value} is in ${name}${through}, as ${listLookup.entry}.`
    : `${value} is not in ${name}${out}.`;
  printRecord(streams, output, listLookup, text);
  if (!listLookup.isIn) throw new Failure(`Not in ${name}.`, EXIT.checkFailed);
}
