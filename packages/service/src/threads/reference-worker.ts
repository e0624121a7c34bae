/** Runs in a worker thread: reads reference data from a file, so that the service goes on answering meanwhile. */
import { createReadStream } from 'node:fs';
import { encodeCountryTable, measureCountryTable, type DatasetKind } from '@jadefence/core/reference';
import { readCategoryFile, readCountryFile, readDatasetFile, UnreadableFileError } from '@jadefence/files';
import type { DatasetStats } from '../database/models.js';

const KEPT_PROBLEMS = 100;
const PIECE_BYTES = 262_144;

export type ReferenceTask = { readonly path: string; readonly name: string } & (
  | { readonly kind: 'country' }
  | { readonly kind: 'category'; readonly category?: string }
  | { readonly kind: 'list'; readonly listKind: DatasetKind }
);

export type ReferenceAnswer =
  | { readonly bytes: Uint8Array; readonly stats: DatasetStats; readonly builtAtUnixMs?: number }
  /** Why the file cannot be read at all. */
  | { readonly unreadable: string };

export async function readReference(task: ReferenceTask): Promise<ReferenceAnswer> {
  try {
    const answer = await read(
      task,
      createReadStream(task.path, { highWaterMark: PIECE_BYTES }) as AsyncIterable<Uint8Array>,
    );
    return answer;
  } catch (error) {
    if (error instanceof UnreadableFileError) return { unreadable: error.message };
    throw error;
  }
}

async function read(task: ReferenceTask, pieces: AsyncIterable<Uint8Array>): Promise<ReferenceAnswer> {
  if (task.kind === 'country') {
    const { ranges, problems, builtAt } = await readCountryFile(pieces);
    const buffer = encodeCountryTable(ranges);
    const stats = {
      numEntries: ranges.length,
      numRejected: problems.filter(({ isUsed }) => !isUsed).length,
      problems: problems
        .slice(0, KEPT_PROBLEMS)
        .map(({ isUsed, message, ...place }) => ({ ...place, message: isUsed ? message : `${message}; left out` })),
      countries: measureCountryTable(buffer),
    };
    return { bytes: new Uint8Array(buffer), stats, ...(builtAt ? { builtAtUnixMs: builtAt.getTime() } : {}) };
  }
  if (task.kind === 'category') {
    const { feed, report } = await readCategoryFile(task.name, pieces, { category: task.category });
    const counts = feed.table.countValues();
    const stats = {
      numEntries: report.numEntries,
      numRejected: report.numRejected,
      problems: report.problems.slice(0, KEPT_PROBLEMS),
      categories: feed.categories.map((name, value) => ({ name, numEntries: counts.get(value) ?? 0 })),
      renamed: report.renamed,
      numOwnNames: report.numOwnNames,
    };
    return { bytes: new Uint8Array(feed.table.buffer), stats };
  }
  const { buffer, report } = await readDatasetFile(task.listKind, pieces);
  const { numEntries, numRejected, problems, numOwnNames } = report;
  const shown = problems.slice(0, KEPT_PROBLEMS);
  const stats = { numEntries, numRejected, problems: shown, numOwnNames, listKind: task.listKind };
  return { bytes: new Uint8Array(buffer), stats };
}
