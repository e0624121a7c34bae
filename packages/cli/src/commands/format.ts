import { readFile, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { parseFences, printFences } from '@jadefence/core/language';
import type { Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { listFenceFiles } from '../files/load-fences.js';
import { readAll, logMessage, type Streams } from '../output.js';
import { describeDiagnostics } from '../render/diagnostics.js';

export function addFormat(program: Command, streams: Streams): void {
  program
    .command('format')
    .description('Format fence files')
    .argument('<paths...>', 'fence files, folders of them, or - for standard input to standard output')
    .option('--check', 'write nothing; exit 1 if a file would change')
    .addHelpText(
      'after',
      `
Examples:
  jadefence format fences/
  jadefence format --check fences/tickets.fence
  jadefence format - < draft.fence > canonical.fence`,
    )
    .action((paths: string[], options: { check?: boolean }) => formatFiles(paths, options.check === true, streams));
}

async function formatFiles(paths: readonly string[], isCheck: boolean, streams: Streams): Promise<void> {
  if (paths.includes('-')) return formatInput(paths, isCheck, streams);
  const files = (await Promise.all(paths.map(listFiles))).flat();
  const texts = await Promise.all(files.map(async (path) => ({ path, text: await readFile(path, 'utf8') })));
  const errors = texts.flatMap(({ path, text }) => parseFences(text, path).diagnostics);
  // All files are read before any is written, so that an error leaves all of them as they were.
  if (errors.length > 0) throw new Failure(`${describeDiagnostics(errors).join('\n')}\nNothing is written.`);
  const changed = texts
    .map(({ path, text }) => ({ path, text, canonical: canonicalText(text, path) }))
    .filter(({ text, canonical }) => text !== canonical);
  if (!isCheck) for (const { path, canonical } of changed) await writeFile(path, canonical);
  for (const { path } of changed) streams.stdout.write(`${path}\n`);
  const count = `${changed.length} of ${files.length} ${files.length === 1 ? 'file' : 'files'}`;
  if (isCheck && changed.length > 0)
    throw new Failure(`${count} would change.`, EXIT.checkFailed, 'Run jadefence format without --check.');
  logMessage(streams, isCheck ? 'Every file is in its canonical form.' : `${count} changed.`);
}

async function formatInput(paths: readonly string[], isCheck: boolean, streams: Streams): Promise<void> {
  if (paths.length > 1) throw new Failure('Standard input cannot be given together with files.');
  const text = await readAll(streams);
  const errors = parseFences(text, '-').diagnostics;
  if (errors.length > 0) throw new Failure(describeDiagnostics(errors).join('\n'));
  const canonical = canonicalText(text, '-');
  if (!isCheck) streams.stdout.write(canonical);
  else if (text !== canonical) throw new Failure('The text would change.', EXIT.checkFailed);
}

function canonicalText(text: string, path: string): string {
  return printFences(parseFences(text, path).file);
}

async function listFiles(path: string): Promise<string[]> {
  const info = await stat(path).catch(() => undefined);
  if (!info) throw new Failure(`There is no file or folder "${path}".`);
  if (!info.isDirectory()) return [path];
  const names = await listFenceFiles(path);
  if (names.length === 0) throw new Failure(`The folder "${path}" holds no .fence file.`);
  return names.map((name) => join(path, name));
}
