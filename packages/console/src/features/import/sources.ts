import type { FenceSources } from '@jadefence/contract';

type SourceFile = FenceSources['fenceFiles'][number];

const MOST_BYTES = 20_000_000;

/**
 * Fence files and the files that they name, as a person picked them: single files, or a folder with all that is in it.
 * @throws Error for a file that is no text, or too large
 */
export async function readSources(files: readonly File[]): Promise<FenceSources> {
  const all = await Promise.all(
    files
      .filter(({ name }) => !name.startsWith('.'))
      .map(async (file): Promise<SourceFile> => {
        const path = pathOf(file);
        if (file.size > MOST_BYTES)
          throw new Error(
            `${path} has ${file.size} bytes, expected at most ${MOST_BYTES}. Import its list as a dataset.`,
          );
        return { path, text: await textOf(file, path) };
      }),
  );
  const fenceFiles = all.filter(({ path }) => path.endsWith('.fence'));
  if (fenceFiles.length === 0) throw new Error('Found no file that ends in .fence among them, expected at least one.');
  const named = all.filter(({ path }) => !path.endsWith('.fence'));
  return { fenceFiles, namedFiles: named.map((file) => ({ ...file, path: namedPath(file.path, fenceFiles) })) };
}

/** Single files are picked without their folder; where a fence names one of them, it has the path that is written there. */
function namedPath(path: string, fenceFiles: readonly SourceFile[]): string {
  if (path.includes('/')) return path;
  for (const { text } of fenceFiles)
    for (const [, written] of text.matchAll(/"([^"\n]+)"/g)) if (written!.endsWith(`/${path}`)) return written!;
  return path;
}

/** Below the folder that was picked. */
function pathOf({ name, webkitRelativePath }: File): string {
  return webkitRelativePath === '' ? name : webkitRelativePath.slice(webkitRelativePath.indexOf('/') + 1);
}

async function textOf(file: File, path: string): Promise<string> {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(await file.arrayBuffer());
  } catch (error) {
    throw new Error(`${path} is not UTF-8 text.`, { cause: error });
  }
}
