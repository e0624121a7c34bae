import { readFile, writeFile } from 'node:fs/promises';
import { findUses, listPages } from '@jadefence/core/edit';
import {
  checkPage,
  DEFAULT_PAGES,
  defaultPageText,
  renderPage,
  withPolicy,
  type DefaultPage,
} from '@jadefence/core/pages';
import type { Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { editDraft } from '../edit-draft.js';
import {
  parseName,
  printRecord,
  RECORD_FORMATS,
  TABLE_FORMATS,
  writeRows,
  type OutputOption,
  type Output,
  type Streams,
} from '../output.js';
import { connect } from '../service.js';

export function addPage(page: Command, streams: Streams): void {
  page
    .command('list')
    .description('List the pages of the draft and their rules')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence page list')
    .action(async ({ output }: { output: Output }) => {
      const sources = await (await connect(streams)).draftSources();
      const pages = listPages(sources).map(({ name, path, text }) => ({
        name,
        path,
        bytes: Buffer.byteLength(text),
        usedBy: findUses(sources.parts, 'page', name),
      }));
      writeRows(streams, output, pages, {
        columns: {
          'name': (item) => item.name,
          'file': (item) => item.path,
          'bytes': (item) => item.bytes.toLocaleString('en'),
          'used by': (item) => item.usedBy.join(', '),
        },
        figures: ['bytes'],
        empty: 'The draft has no pages; rules show the built-in ones.',
      });
    });
  page
    .command('set')
    .description('Create a page in the draft, or replace it')
    .argument('<name>', 'name of the page', parseName)
    .argument('<file>', 'HTML file')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence page set closed closed.html')
    .action(async (name: string, file: string, { output }: OutputOption) => {
      const text = await readPage(file);
      const old = listPages(await (await connect(streams)).draftSources()).find((item) => item.name === name);
      const path = old?.path ?? `pages/${name}.html`;
      const statement = { kind: 'put', text: `page ${name} "${path}"`, part: 'page' } as const;
      await editDraft([{ kind: 'put-file', path, text }, ...(old ? [] : [statement])], output, streams);
    });
  page
    .command('delete')
    .description('Delete an unused page of the draft')
    .argument('<name>', 'name of the page')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence page delete closed')
    .action((name: string, { output }: OutputOption) =>
      editDraft([{ kind: 'remove', part: 'page', name }], output, streams),
    );
  addPreview(page, streams);
}

function addPreview(page: Command, streams: Streams): void {
  page
    .command('preview')
    .description('Save a page as a client sees it')
    .argument('<name>', `name of a page, or of a built-in one: ${DEFAULT_PAGES.join(', ')}`)
    .requiredOption('--output <file>', 'file to write')
    .option('--host <host>', 'host that was requested', 'www.example')
    .option('--client <address>', 'address of the client', '198.51.100.7')
    .option('--rule <name>', 'name or title of the rule', 'Name of the rule')
    .option('--contact <text>', 'whom to write to; the owner of the rule', 'service desk')
    .option('--reason <text>', 'reason of the rule', 'The reason that the rule has.')
    .addHelpText(
      'after',
      `
Nothing in the file runs, loads or leads anywhere: it has its content policy.

Examples:
  jadefence page preview games-warning --output page.html
  jadefence page preview block --output page.html --host shop.example`,
    )
    .action(async (name: string, options: PreviewOptions) => {
      const text = await textOf(name, streams);
      const { output, host, client, rule, contact, reason } = options;
      const values = {
        host,
        client,
        rule,
        contact,
        reason,
        'request-id': '7f3a-0192',
        'time': new Date().toISOString(),
      };
      await writeFile(output, withPolicy(renderPage(text, values)));
      printRecord(streams, 'table', { written: output }, `The page ${name} is in ${output}.`);
    });
}

interface PreviewOptions {
  readonly output: string;
  readonly host: string;
  readonly client: string;
  readonly rule: string;
  readonly contact: string;
  readonly reason: string;
}

async function textOf(name: string, streams: Streams): Promise<string> {
  // A built-in page needs no service.
  if ((DEFAULT_PAGES as readonly string[]).includes(name)) return defaultPageText(name as DefaultPage);
  const pages = listPages(await (await connect(streams)).draftSources());
  const found = pages.find((item) => item.name === name);
  if (found) return found.text;
  throw new Failure(
    `There is no page "${name}".`,
    EXIT.wrongInput,
    `The pages are: ${[...pages.map((item) => item.name), ...DEFAULT_PAGES].join(', ')}.`,
  );
}

/** @throws Failure where it cannot be read, or has what pages may not have */
async function readPage(path: string): Promise<string> {
  const text = await readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw new Failure(`The page "${path}" cannot be read (${error.code}).`);
  });
  const problems = checkPage(text);
  if (problems.length === 0) return text;
  const lines = problems.map(({ line, message }) => `${path}:${line}: ${message}`);
  throw new Failure(lines.join('\n'), EXIT.wrongInput, problems[0]!.hint);
}
