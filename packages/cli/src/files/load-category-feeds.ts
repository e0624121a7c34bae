import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import { createCategories, parseCategoryCsv, type Categories } from '@jadefence/core';
import { Failure } from '../failure.js';
import { say, type Streams } from '../output.js';

const SHOWN_PROBLEMS = 5;

/** Reads category feeds from CSV, in order; rows that cannot be used are told on stderr. */
export async function loadCategoryFeeds(paths: readonly string[], streams: Streams): Promise<Categories> {
  const feeds = await Promise.all(
    paths.map(async (path) => {
      const text = await readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
        throw new Failure(`The category feed "${path}" cannot be read (${error.code}).`);
      });
      const { entries, problems } = parseCategoryCsv(text);
      for (const { line, message } of problems.slice(0, SHOWN_PROBLEMS))
        say(streams, `${path}:${line}: ${message}; the row is left out`);
      if (problems.length > SHOWN_PROBLEMS)
        say(streams, `${path}: ${problems.length - SHOWN_PROBLEMS} more rows are left out`);
      if (entries.length === 0)
        throw new Failure(
          `The category feed "${path}" has no usable row.`,
          2,
          'Expected rows such as shop.example,shopping or shop.example/play,games.',
        );
      return { name: basename(path), entries };
    }),
  );
  return createCategories(feeds);
}
