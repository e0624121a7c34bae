import { mkdir, readdir, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { describeChange, STARTING_POINTS } from '@jadefence/core/edit';
import { joinParts, printFences } from '@jadefence/core/language';
import { suggestNearest } from '@jadefence/core/text';
import type { Draft, DraftFence } from '@jadefence/contract';
import type { Command } from 'commander';
import { Argument } from 'commander';
import { confirm } from '../prompts.js';
import { editDraft } from '../edit-draft.js';
import { EXIT, Failure } from '../cli-error.js';
import { readFenceSources } from '../files/load-fences.js';
import {
  RECORD_FORMATS,
  TABLE_FORMATS,
  logMessage,
  writeJson,
  printRecord,
  writeRows,
  type OneOutput,
  type Output,
  type Streams,
} from '../output.js';
import { describeDiagnostics, describeWarnings } from '../render/diagnostics.js';
import { renderChanges } from '../render/changes.js';
import { coloursFor, countOf, formatCount } from '../render/text.js';
import { connect } from '../service.js';

const EXPORT_FILE = 'fences.fence';

export function addFence(fence: Command, streams: Streams): void {
  fence
    .command('list')
    .description('List the fences of the draft')
    .option(...TABLE_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence fence list')
    .action(({ output }: { output: Output }) => listFences(output, streams));
  fence
    .command('show')
    .description('Show a fence of the draft, its rules as sentences')
    .argument('<name>', 'name of the fence')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence fence show house')
    .action((name: string, { output }: { output: OneOutput }) => showFence(name, output, streams));
  fence
    .command('export')
    .description('Export the draft as fence files')
    .argument('<folder>', 'an empty or new folder')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence fence export ./fences')
    .action((folder: string, { output }: { output: OneOutput }) => exportFences(folder, output, streams));
  fence
    .command('import')
    .description('Import fence files into the draft')
    .argument('<path>', 'fence file, or folder of .fence files')
    .option('--only', 'change only what the files name, and leave the rest of the draft', false)
    .option('--yes', 'skip the confirmation', false)
    .option(...RECORD_FORMATS)
    .addHelpText(
      'after',
      '\nExamples:\n  jadefence fence import ./fences\n  jadefence fence import house.fence --only --yes',
    )
    .action((path: string, options: ImportOptions) => importFences(path, options, streams));
}

/** Beginning from a fence of ours, and the mode of one that is there. */
export function addFenceEdits(fence: Command, streams: Streams): void {
  fence
    .command('start-from')
    .description('Add a fence from a template, or list templates')
    .argument('[starting-point]', 'name of the starting point')
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence fence start-from\n  jadefence fence start-from published-site')
    .action(async (name: string | undefined, { output }: { output: OneOutput }) => {
      if (name !== undefined) return editDraft([{ kind: 'start-from', startingPoint: name }], output, streams);
      const text = STARTING_POINTS.map(
        (startingPoint) => `${startingPoint.name}: ${startingPoint.title}. ${startingPoint.description}`,
      ).join('\n');
      return printRecord(streams, output, STARTING_POINTS, text);
    });
  for (const verb of ['attach', 'detach'] as const) {
    fence
      .command(verb)
      .description(verb === 'attach' ? 'Put a fence at gates, last in their stacks' : 'Take a fence away from gates')
      .argument('<name>', 'name of the fence')
      .argument('[gates...]', 'names of the gates')
      .option('--hosts <pattern...>', 'and every gate with such a host: *.larkmoor.example')
      .option(...RECORD_FORMATS)
      .addHelpText(
        'after',
        `\nExamples:\n  jadefence fence ${verb} house tickets collection\n  jadefence fence ${verb} house --hosts '*.larkmoor.example'`,
      )
      .action(async (name: string, gates: string[], options: { hosts?: string[]; output: OneOutput }) =>
        editDraft(
          (await gatesOf(gates, options.hosts, streams)).map((gate) =>
            verb === 'attach'
              ? { kind: verb, gate, fence: name, position: { at: 'bottom' } }
              : { kind: verb, gate, fence: name },
          ),
          options.output,
          streams,
        ),
      );
  }
  fence
    .command('mode')
    .description('Set a fence to trial or enforce')
    .argument('<name>', 'name of the fence')
    .addArgument(new Argument('<mode>', 'its mode').choices(['trial', 'enforce']))
    .option(...RECORD_FORMATS)
    .addHelpText('after', '\nExamples:\n  jadefence fence mode tout-watch enforce')
    .action((name: string, mode: 'trial' | 'enforce', { output }: { output: OneOutput }) =>
      editDraft([{ kind: 'set-mode', fence: name, mode }], output, streams),
    );
}

/** @throws Failure where none is given, or no gate has such a host */
async function gatesOf(
  names: readonly string[],
  patterns: readonly string[] = [],
  streams: Streams,
): Promise<string[]> {
  if (names.length === 0 && patterns.length === 0)
    throw new Failure(
      'Give gates, or hosts of gates.',
      EXIT.wrongInput,
      "As tickets, or --hosts '*.larkmoor.example'.",
    );
  if (patterns.length === 0) return [...names];
  const { gates } = await (await connect(streams)).draft();
  const found = patterns.flatMap((pattern) => {
    const parts = pattern
      .toLowerCase()
      .split('*')
      .map((part) => part.replaceAll(/[.*+?^${}()|[\]\\]/g, '\\$&'));
    const expression = new RegExp(`^${parts.join('.*')}$`);
    const fitting = gates.filter(({ hosts }) => hosts.some((host) => expression.test(host.replace(/^(=|\*\.)/, ''))));
    if (fitting.length === 0)
      throw new Failure(
        `No gate has a host like "${pattern}".`,
        EXIT.wrongInput,
        `The hosts are: ${[...new Set(gates.flatMap(({ hosts }) => hosts))].join(', ') || 'none'}.`,
      );
    return fitting.map(({ name }) => name);
  });
  return [...new Set([...names, ...found])];
}

interface ImportOptions {
  readonly only: boolean;
  readonly yes: boolean;
  readonly output: OneOutput;
}

async function listFences(output: Output, streams: Streams): Promise<void> {
  const { fences } = await (await connect(streams)).draft();
  writeRows(streams, output, fences, {
    columns: {
      fence: (draftFence) => draftFence.name,
      mode: (draftFence) => draftFence.mode,
      rules: (draftFence) => formatCount(draftFence.rules.length),
      at: (draftFence) => draftFence.gates.join(', ') || 'no gate',
      title: (draftFence) => draftFence.title ?? '',
    },
    figures: ['rules'],
    empty: 'The draft has no fences yet. Bring some in with jadefence fence import PATH.',
  });
}

async function showFence(name: string, output: OneOutput, streams: Streams): Promise<void> {
  const draftFence = findFence(await (await connect(streams)).draft(), name);
  printRecord(streams, output, draftFence, renderFence(draftFence, streams));
}

/** @throws Failure listing the fences */
export function findFence({ fences }: Draft, name: string): DraftFence {
  const draftFence = fences.find((fence) => fence.name === name);
  if (draftFence) return draftFence;
  const names = fences.map((fence) => fence.name);
  throw new Failure(
    `No fence is named "${name}".`,
    EXIT.wrongInput,
    suggestNearest(name, names) ??
      (names.length > 0 ? `The fences are: ${names.join(', ')}.` : 'The draft has no fences yet.'),
  );
}

function renderFence({ name, title, mode, gates, rules, otherwise }: DraftFence, streams: Streams): string {
  const colours = coloursFor(streams);
  const lines = rules.map(
    (rule, index) =>
      `${String(index + 1).padStart(3)}  ${colours.bold(rule.name)}${rule.state === 'on' ? '' : ` (${rule.state})`}${rule.title ? ` "${rule.title}"` : ''}\n     ${rule.sentence}`,
  );
  return `${colours.bold(`fence ${name}`)} ${mode}${title ? ` "${title}"` : ''} ${gates.length > 0 ? `at ${gates.join(', ')}` : 'at no gate'}\n${lines.join('\n')}\n     otherwise ${otherwise}`;
}

async function exportFences(folder: string, output: OneOutput, streams: Streams): Promise<void> {
  const { parts, namedFiles } = await (await connect(streams)).draftSources();
  const existing = await readdir(folder).catch(({ code }: NodeJS.ErrnoException) => {
    if (code === 'ENOENT') return [];
    throw new Failure(`"${folder}" is no folder to write into (${code}).`, EXIT.wrongInput, 'Give a new folder.');
  });
  if (existing.length > 0)
    throw new Failure(`The folder "${folder}" is not empty.`, 2, 'Give a new folder, so that nothing is overwritten.');
  const files = [{ path: EXPORT_FILE, text: printFences(joinParts(parts, EXPORT_FILE)) }, ...namedFiles];
  for (const { path, text } of files) {
    await mkdir(dirname(join(folder, path)), { recursive: true });
    await writeFile(join(folder, path), text);
  }
  printRecord(
    streams,
    output,
    { folder, files: files.map(({ path }) => path) },
    `Wrote ${files.length} ${files.length === 1 ? 'file' : 'files'} into ${folder}.`,
  );
}

async function importFences(path: string, { only, yes, output }: ImportOptions, streams: Streams): Promise<void> {
  const sources = await readFenceSources(path);
  const client = await connect(streams);
  const { changes, diagnostics, warnings, version } = await client.previewImport(sources, only);
  for (const line of describeDiagnostics(diagnostics)) logMessage(streams, line);
  if (diagnostics.length > 0) logMessage(streams, 'The draft cannot judge until these names are known.');
  for (const line of describeWarnings(warnings)) logMessage(streams, line);
  if (output === 'table')
    streams.stdout.write(
      changes.length === 0 ? 'The draft is so already.\n' : `${renderChanges(changes.map(describeChange), streams)}\n`,
    );
  if (changes.length > 0) await confirm('Change the draft so?', yes, streams);
  const draft = await client.importFences(sources, only, version);
  if (output === 'json') return writeJson(streams, { changes, draft });
  const numRules = draft.fences.reduce((sum, { rules }) => sum + rules.length, 0);
  streams.stdout.write(
    `The draft now has ${countOf(draft.gates.length, 'gate')}, ${countOf(draft.fences.length, 'fence')} with ${countOf(numRules, 'rule')}, and ${countOf(draft.lists.length, 'list')}.\n`,
  );
}
