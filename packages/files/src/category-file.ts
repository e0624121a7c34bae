import { basename, dirname } from 'node:path';
import { CategoryFeedReader, type CategoryFeed, type FeedReport } from '@jadefence/core/reference';
import { decompress, UnreadableFileError } from './decompress.js';
import { filesOf } from './archive.js';

/** File names that only name the kind of lines, so that the folder names the category. */
const PLAIN_NAMES = /^(domains?|urls?|hosts?|sites?|list|entries)$/i;
/** Files of an archive that are no lists. */
const NO_LISTS = /^(\.|readme|license|licence|copying|changelog)|\.(md|db|conf|json|html?)$/i;

/**
 * Reads a category feed: one file, or a tar archive of files whose folder or file name gives the category; either also as
 * gzip. Each line is typed by itself.
 * @param category of lines without one, if it is one file
 * @throws UnreadableFileError
 */
export async function readCategoryFile(
  name: string,
  pieces: AsyncIterable<Uint8Array>,
  { category, onLines = () => undefined }: { category?: string; onLines?: (numLines: number) => void } = {},
): Promise<{ feed: CategoryFeed; report: FeedReport }> {
  if (category !== undefined && !/^[a-z][a-z0-9-]{0,62}$/.test(category))
    throw new UnreadableFileError(
      `"${category}" is no name of a category: expected a small letter, then small letters, digits and hyphens.`,
    );
  const reader = new CategoryFeedReader(category);
  let isFirst = true;
  for await (const file of filesOf(decompress(pieces))) {
    const ownCategory = file.path === undefined ? category : categoryOf(file.path);
    if (file.path !== undefined && NO_LISTS.test(basename(file.path))) continue;
    try {
      reader.startFile(file.path, ownCategory);
    } catch (error) {
      throw new UnreadableFileError(`${file.path}: ${(error as Error).message}`);
    }
    for await (const piece of file.pieces) {
      if (isFirst) refusePage(piece);
      isFirst = false;
      reader.push(piece);
      onLines(reader.numLines);
    }
  }
  return reader.end(name);
}

function categoryOf(path: string): string {
  const stem = basename(path).replace(/\.[^.]*$/, '');
  return PLAIN_NAMES.test(stem) ? basename(dirname(path)) : stem;
}

export function refusePage(piece: Uint8Array): void {
  if (/^\s*<(!doctype|html|\?xml)/i.test(Buffer.from(piece.subarray(0, 200)).toString('latin1')))
    throw new UnreadableFileError('The file is a web page, not a list.');
}
