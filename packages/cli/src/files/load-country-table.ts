import { readFile } from 'node:fs/promises';
import { createCountryTable, parseCountryCsv, type CountryTable } from '@jadefence/core';
import { Failure } from '../failure.js';
import { say, type Streams } from '../output.js';

const SHOWN_PROBLEMS = 5;

/** Reads a country table from CSV; rows that cannot be used are told on stderr. */
export async function loadCountryTable(path: string, streams: Streams): Promise<CountryTable> {
  const text = await readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw new Failure(`The country table "${path}" cannot be read (${error.code}).`);
  });
  const { ranges, problems } = parseCountryCsv(text);
  for (const { line, message } of problems.slice(0, SHOWN_PROBLEMS))
    say(streams, `${path}:${line}: ${message}; the row is left out`);
  if (problems.length > SHOWN_PROBLEMS)
    say(streams, `${path}: ${problems.length - SHOWN_PROBLEMS} more rows are left out`);
  if (ranges.length === 0)
    throw new Failure(
      `The country table "${path}" has no usable row.`,
      2,
      'Expected rows such as 198.18.32.0,198.18.47.255,NO or 198.18.32.0/20,NO.',
    );
  return createCountryTable(ranges);
}
