import { readFileSync } from 'node:fs';
import { checkFences } from '@jadefence/core/check';
import { detectFormat, LogReader } from '@jadefence/core/logs';
import { createCategories, createCountryTable, parseCategoryFeed, parseCountryRows } from '@jadefence/core/reference';
import { toDecidedRecord } from '@jadefence/core/replay';
import { SequentialReplay } from '@jadefence/core/test';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readConformanceCases, type ConformanceCase } from './conformance-cases.js';
import { jadefence } from './jadefence.js';
import { importTable, replayOnService, startTestService, type TestService } from './service.js';

const cases = readConformanceCases();

describe('the interpreter decides as the corpus expects', () => {
  it.each(cases)('$name', (conformanceCase) => {
    const categories = conformanceCase.categoryFile
      ? createCategories([parseCategoryFeed('categories.csv', readFileSync(conformanceCase.categoryFile, 'utf8')).feed])
      : undefined;
    const { rulebook, diagnostics } = checkFences(conformanceCase.fenceFiles, conformanceCase.namedFiles, {
      categories: categories?.names,
    });
    expect(diagnostics).toEqual([]);
    const countries = conformanceCase.countryFile
      ? createCountryTable(parseCountryRows(readFileSync(conformanceCase.countryFile, 'utf8')).ranges)
      : undefined;
    const bytes = readFileSync(conformanceCase.logFile);
    const reader = new LogReader(detectFormat(bytes, true).best!.format, { host: conformanceCase.options.host });
    const replay = new SequentialReplay({ rulebook: rulebook!, countries, categories, ...conformanceCase.options });
    const records = [...reader.push(bytes), ...reader.end()].map((line) => {
      expect(line.kind).toBe('record');
      return (line as Extract<typeof line, { kind: 'record' }>).record;
    });
    const decided = [...records]
      .sort((a, b) => a.atUnixMs - b.atUnixMs || a.line - b.line)
      .map((record) => ({ line: record.line, decided: toDecidedRecord(record, replay.next(record).decision) }));
    const lines = decided.sort((a, b) => a.line - b.line).map((record) => `${JSON.stringify(record.decided)}\n`);
    expect(lines.join('')).toBe(conformanceCase.expected);
  });
});

describe('jadefence judge prints what the corpus expects', () => {
  it.each(cases)('$name', async (conformanceCase) => {
    const options = Object.entries(conformanceCase.options).flatMap(([name, value]) => [`--${name}`, value]);
    const table = [
      ...(conformanceCase.countryFile ? ['--country-table', conformanceCase.countryFile] : []),
      ...(conformanceCase.categoryFile ? ['--category-feed', conformanceCase.categoryFile] : []),
    ];
    const { stdout, exitCode } = await jadefence([
      'judge',
      conformanceCase.logFile,
      '--fences',
      `${conformanceCase.folder}/fences`,
      '--output',
      'ndjson',
      ...table,
      ...options,
    ]);
    expect(exitCode).toBe(0);
    expect(stdout).toBe(conformanceCase.expected);
  });
});

describe('a replay in the service decides as the corpus expects', () => {
  /** A country table, once there, is not taken away again, so that cases without one have a service for themselves. */
  let services: { withTable: TestService; withoutTable: TestService };
  beforeAll(async () => {
    services = { withTable: await startTestService(), withoutTable: await startTestService() };
  });
  afterAll(() => Promise.all([services.withTable.stop(), services.withoutTable.stop()]));

  const decide = async (conformanceCase: ConformanceCase): Promise<string> => {
    const { client } = conformanceCase.countryFile ? services.withTable : services.withoutTable;
    if (conformanceCase.countryFile) await importTable(client, readFileSync(conformanceCase.countryFile));
    // The name of the case makes its bytes its own, since the same log is not taken twice.
    const bytes = new TextEncoder().encode(
      `${readFileSync(conformanceCase.logFile, 'utf8')}# ${conformanceCase.name}\n`,
    );
    const { fenceFiles, namedFiles } = conformanceCase;
    const replay = await replayOnService(
      client,
      { fenceFiles, namedFiles },
      { name: conformanceCase.name, bytes, host: conformanceCase.options.host },
      conformanceCase.options,
    );
    expect(replay.failure).toBeNull();
    const { rows } = await client.decisions(replay.id, { offset: 0, limit: 1000 });
    const lines = readFileSync(conformanceCase.logFile, 'utf8').split(/\r?\n/);
    // Entries of a HAR file are no lines.
    if (!conformanceCase.logFile.endsWith('.har'))
      expect(rows.map(({ written }) => written)).toEqual(rows.map(({ line }) => lines[line - 1]));
    return rows.map(({ record }) => `${JSON.stringify(record)}\n`).join('');
  };

  // The services have no category feeds.
  it.each(cases.filter(({ categoryFile }) => !categoryFile))('$name', async (conformanceCase) => {
    expect(await decide(conformanceCase)).toBe(conformanceCase.expected);
  });
});
