import { readdir, readFile, stat } from 'node:fs/promises';
import { basename, dirname, join, relative, sep } from 'node:path';
import { checkFences, namedFilesOf, type CheckedFences, type SourceFile } from '@jadefence/core/check';
import { parseFences } from '@jadefence/core/language';
import type { FenceSources } from '@jadefence/contract';
import { EXIT, Failure } from '../cli-error.js';
import { logMessage, type Streams } from '../output.js';
import { describeDiagnostics, describeWarnings } from '../render/diagnostics.js';

/**
 * Reads a fence file, or every `.fence` file below a folder, with the files that their lists and pages are kept in.
 * @throws Failure when the path is not there or holds no fence file
 */
export async function readFenceSources(path: string): Promise<FenceSources> {
  const info = await stat(path).catch(() => undefined);
  if (!info)
    throw new Failure(
      `There is no file or folder "${path}".`,
      EXIT.wrongInput,
      'Give a .fence file or a folder of them.',
    );
  const root = info.isDirectory() ? path : dirname(path);
  const names = info.isDirectory() ? await listFenceFiles(path) : [basename(path)];
  if (names.length === 0) throw new Failure(`The folder "${path}" holds no .fence file.`);
  const fenceFiles = await Promise.all(names.map((name) => readSource(root, name)));
  const fileNames = new Set(fenceFiles.flatMap((file) => namedFilesOf(parseFences(file.text, file.path).file)));
  const namedFiles = await Promise.all([...fileNames].map((name) => readSource(root, name).catch(() => undefined)));
  return { fenceFiles, namedFiles: namedFiles.filter((file) => file !== undefined) };
}

/** The fence files below a folder, in byte order, named from it. @throws Failure where it cannot be read */
export async function listFenceFiles(folder: string): Promise<string[]> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true }).catch(
    ({ code, path }: NodeJS.ErrnoException) => {
      throw new Failure(`The folder "${path ?? folder}" cannot be read (${code}).`);
    },
  );
  return entries
    .filter((entry) => entry.isFile() && entry.name.endsWith('.fence'))
    .map((entry) => relative(folder, join(entry.parentPath, entry.name)).split(sep).join('/'))
    .sort();
}

/** @throws Failure where it cannot be read */
async function readSource(root: string, name: string): Promise<SourceFile> {
  const text = await readFile(join(root, name), 'utf8').catch(({ code }: NodeJS.ErrnoException) => {
    throw new Failure(`The file "${join(root, name)}" cannot be read (${code}).`);
  });
  return { path: name, text };
}

/**
 * @param streams receives warnings
 * @throws Failure that lists every error of the fences
 */
export async function loadRulebook(
  path: string,
  streams: Streams | undefined,
  categories?: ReadonlySet<string>,
): Promise<Pick<Required<CheckedFences>, 'rulebook' | 'files'>> {
  const sources = await readFenceSources(path);
  const { rulebook, files, diagnostics, warnings } = checkFences(sources.fenceFiles, sources.namedFiles, {
    categories,
  });
  if (!rulebook) {
    const count = `${diagnostics.length.toLocaleString('en')} ${diagnostics.length === 1 ? 'error' : 'errors'}`;
    throw new Failure(`${describeDiagnostics(diagnostics).join('\n')}\n${count} in the fences.`);
  }
  for (const line of streams ? describeWarnings(warnings) : []) logMessage(streams!, line);
  return { rulebook, files };
}
