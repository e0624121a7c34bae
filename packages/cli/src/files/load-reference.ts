import { describeOwnNames } from '../reference.js';
import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { basename } from 'node:path';
import {
  createCategories,
  createCountryTable,
  type Categories,
  type CategoryFeed,
  type CountryTable,
} from '@jadefence/core/reference';
import { packFolder, readCategoryFile, readCountryFile, UnreadableFileError } from '@jadefence/files';
import { EXIT, Failure } from '../cli-error.js';
import { logMessage, type Streams } from '../output.js';

const SHOWN_PROBLEMS = 5;

/** Reads a country table in any shape; rows that cannot be used are reported on stderr. */
export async function loadCountryTable(path: string, streams: Streams): Promise<CountryTable> {
  const { ranges, problems } = await read('country table', path, () => readCountryFile(openReference(path)));
  const wrong = problems.filter(({ isUsed }) => !isUsed);
  const overlaps = problems.filter(({ isUsed }) => isUsed);
  printProblems(path, wrong, 'the row is left out', streams);
  printProblems(path, overlaps, 'both rows are used', streams);
  if (ranges.length === 0)
    throw new Failure(
      `The country table "${path}" has no usable row.`,
      EXIT.wrongInput,
      'Expected rows such as 198.18.32.0,198.18.47.255,NO or 198.18.32.0/20,NO, statistics of a registry, or MMDB.',
    );
  return createCountryTable(ranges, { source: basename(path) });
}

/**
 * Reads category feeds in order; lines that cannot be used are reported on stderr.
 * @param feeds each a file, a folder, an archive, or `CATEGORY=FILE` for a file whose lines have no category
 */
export async function loadCategoryFeeds(feeds: readonly string[], streams: Streams): Promise<Categories> {
  const read = feeds.map((text) => loadCategoryFeed(text, streams));
  return createCategories(await Promise.all(read));
}

async function loadCategoryFeed(text: string, streams: Streams): Promise<CategoryFeed> {
  const [, category, named] = /^([^=/\\]+)=(.+)$/.exec(text) ?? [];
  const path = named ?? text;
  const { feed, report } = await read('category feed', path, async () =>
    readCategoryFile(basename(path), await openFolderOrFile(path), { category }),
  );
  printProblems(path, report.problems, 'the line is left out', streams, report.numRejected);
  if (report.numOwnNames > 0) logMessage(streams, `${path}: ${describeOwnNames(report.numOwnNames)}`);
  for (const [from, to] of Object.entries(report.renamed))
    logMessage(streams, `${path}: "${from}" is called ${to} here`);
  if (report.numEntries === 0)
    throw new Failure(
      `The category feed "${path}" has no usable line.`,
      EXIT.wrongInput,
      'Expected lines such as shop.example,shopping or shop.example/play,games; for a file without categories give CATEGORY=FILE.',
    );
  return feed;
}

/** The bytes of a file, or of a folder as an archive. */
export async function openFolderOrFile(path: string): Promise<AsyncIterable<Uint8Array>> {
  return (await stat(path)).isDirectory() ? packFolder(path) : openReference(path);
}

function openReference(path: string): AsyncIterable<Uint8Array> {
  return createReadStream(path, { highWaterMark: 1_048_576 }) as AsyncIterable<Uint8Array>;
}

/** @throws Failure naming the file that cannot be read */
async function read<T>(what: string, path: string, load: () => Promise<T>): Promise<T> {
  try {
    return await load();
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    if (error instanceof UnreadableFileError) throw new Failure(`The ${what} "${path}" cannot be read. ${message}`);
    if (code === undefined) throw error;
    throw new Failure(`The ${what} "${path}" cannot be read (${code}).`);
  }
}

interface ReferenceProblem {
  readonly file?: string;
  readonly line: number;
  readonly message: string;
}

function printProblems(
  path: string,
  problems: readonly ReferenceProblem[],
  consequence: string,
  streams: Streams,
  total = problems.length,
): void {
  for (const { file, line, message } of problems.slice(0, SHOWN_PROBLEMS)) {
    const place = [path, file, line > 0 ? line : undefined].filter((part) => part !== undefined).join(':');
    logMessage(streams, `${place}: ${message}; ${consequence}`);
  }
  if (total > SHOWN_PROBLEMS) logMessage(streams, `${path}: ${total - SHOWN_PROBLEMS} more like these`);
}
