import { mkdir, readdir, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { formatDiagnostic, joinParts, printFences, suggestNearest, type Change } from '@jadefence/core';
import type { DraftFence } from '@jadefence/contract';
import type { Command } from 'commander';
import { confirm } from '../confirm.js';
import { Failure } from '../failure.js';
import { readFenceSources } from '../files/load-fences.js';
import { parseOutput, say, writeJson, type Output, type Streams } from '../output.js';
import { coloursFor, formatCount, printTable } from '../render/text.js';
import { connect } from '../service.js';

const EXPORT_FILE = 'fences.fence';

export function addFence(fence: Command, streams: Streams): void {
  fence
    .command('list')
    .description('List the fences of the draft')
    .option('--output <output>', 'table or json', parseOutput, 'table')
    .addHelpText('after', '\nExamples:\n  jadefence fence list')
    .action(({ output }: { output: Output }) => listFences(output, streams));
  fence
    .command('show')
    .description('Show a fence of the draft, its rules as sentences')
    .argument('<name>', 'name of the fence')
    .option('--output <output>', 'table or json', parseOutput, 'table')
    .addHelpText('after', '\nExamples:\n  jadefence fence show house')
    .action((name: string, { output }: { output: Output }) => showFence(name, output, streams));
  fence
    .command('export')
    .description('Write the draft as canonical fence text into a folder')
    .argument('<folder>', 'an empty or new folder')
    .addHelpText('after', '\nExamples:\n  jadefence fence export ./fences')
    .action((folder: string) => exportFences(folder, streams));
  fence
    .command('import')
    .description('Bring a fence file or a folder of them into the draft, showing first what changes')
    .argument('<path>', 'fence file, or folder of .fence files')
    .option('--only', 'change only what the files name, and leave the rest of the draft', false)
    .option('--yes', 'do not ask', false)
    .option('--output <output>', 'table or json', parseOutput, 'table')
    .addHelpText('after', '\nExamples:\n  jadefence fence import ./fences\n  jadefence fence import house.fence --only --yes')
    .action((path: string, options: ImportOptions) => importFences(path, options, streams));
}

interface ImportOptions {
  readonly only: boolean;
  readonly yes: boolean;
  readonly output: Output;
}

async function listFences(output: Output, streams: Streams): Promise<void> {
  const { fences } = await (await connect(streams)).draft();
  if (output === 'json') return writeJson(streams, fences);
  if (fences.length === 0) return say(streams, 'The draft has no fences yet. Bring some in with jadefence fence import PATH.');
  const rows = fences.map((one) => [one.name, one.mode, formatCount(one.rules.length), one.gates.join(', ') || 'no gate', one.title ?? '']);
  streams.stdout.write(`${printTable(['fence', 'mode', 'rules', 'at', 'title'], rows, [2])}\n`);
}

async function showFence(name: string, output: Output, streams: Streams): Promise<void> {
  const { fences } = await (await connect(streams)).draft();
  const found = fences.find((one) => one.name === name);
  if (!found) throw new Failure(`No fence is named "${name}".`, 2, suggestNearest(name, fences.map((one) => one.name)) ?? `The fences are: ${fences.map((one) => one.name).join(', ')}.`);
  if (output === 'json') return writeJson(streams, found);
  streams.stdout.write(renderFence(found, streams));
}

function renderFence({ name, title, mode, gates, rules, otherwise }: DraftFence, streams: Streams): string {
  const colours = coloursFor(streams);
  const lines = rules.map((rule, index) => `${String(index + 1).padStart(3)}  ${colours.bold(rule.name)}${rule.state === 'on' ? '' : ` (${rule.state})`}${rule.title ? ` "${rule.title}"` : ''}\n     ${rule.sentence}`);
  return `${colours.bold(`fence ${name}`)} ${mode}${title ? ` "${title}"` : ''} ${gates.length > 0 ? `at ${gates.join(', ')}` : 'at no gate'}\n${lines.join('\n')}\n     otherwise ${otherwise}\n`;
}

async function exportFences(folder: string, streams: Streams): Promise<void> {
  const { parts, listFiles } = await (await connect(streams)).draftSources();
  const existing = await readdir(folder).catch(() => []);
  if (existing.length > 0) throw new Failure(`The folder "${folder}" is not empty.`, 2, 'Give a new folder, so that nothing is overwritten.');
  for (const { path, text } of [{ path: EXPORT_FILE, text: printFences(joinParts(parts, EXPORT_FILE)) }, ...listFiles]) {
    await mkdir(dirname(join(folder, path)), { recursive: true });
    await writeFile(join(folder, path), text);
  }
  streams.stdout.write(`Wrote ${1 + listFiles.length} ${listFiles.length === 0 ? 'file' : 'files'} into ${folder}.\n`);
}

async function importFences(path: string, { only, yes, output }: ImportOptions, streams: Streams): Promise<void> {
  const sources = await readFenceSources(path);
  const client = await connect(streams);
  const { changes, diagnostics } = await client.previewImport(sources, only);
  for (const diagnostic of diagnostics) say(streams, formatDiagnostic(diagnostic));
  if (diagnostics.length > 0) say(streams, 'The draft cannot judge until these names are known.');
  if (output === 'table') streams.stdout.write(changes.length === 0 ? 'The draft is so already.\n' : renderChanges(changes, streams));
  if (changes.length > 0) await confirm('Change the draft so?', yes, streams);
  const draft = await client.importFences(sources, only);
  if (output === 'json') return writeJson(streams, { changes, draft });
  const numRules = draft.fences.reduce((sum, { rules }) => sum + rules.length, 0);
  streams.stdout.write(`The draft now has ${draft.gates.length} gates, ${draft.fences.length} fences with ${formatCount(numRules)} rules, and ${draft.lists.length} lists.\n`);
}

const SIGNS = { added: '+', removed: '-', changed: '~', moved: '>' } as const;

function renderChanges(changes: readonly Change[], streams: Streams): string {
  const colours = coloursFor(streams);
  const colourOf = { added: colours.green, removed: colours.red, changed: colours.yellow, moved: colours.cyan };
  const lines = changes.map(({ kind, part, name, before, after }) => {
    const head = colourOf[kind](`${SIGNS[kind]} ${part} ${name} ${kind}`);
    return kind === 'changed' && part === 'rule' ? `${head}\n    from ${before!.trim()}\n    to   ${after!.trim()}` : head;
  });
  return `${lines.join('\n')}\n`;
}
