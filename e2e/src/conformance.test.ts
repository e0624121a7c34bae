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
  it.each(cases)('$name', (one) => {
    const categories = one.categoryFile
      ? createCategories([parseCategoryFeed('categories.csv', readFileSync(one.categoryFile, 'utf8')).feed])
      : undefined;
    const { rulebook, diagnostics } = checkFences(one.fenceFiles, one.namedFiles, { categories: categories?.names });
    expect(diagnostics).toEqual([]);
    const countries = one.countryFile
      ? createCountryTable(parseCountryRows(readFileSync(one.countryFile, 'utf8')).ranges)
      : undefined;
    const bytes = readFileSync(one.logFile);
    const reader = new LogReader(detectFormat(bytes, true).best!.format, { host: one.options.host });
    const replay = new SequentialReplay({ rulebook: rulebook!, countries, categories, ...one.options });
    const records = [...reader.push(bytes), ...reader.end()].map((line) => {
      expect(line.kind).toBe('record');
      return (line as Extract<typeof line, { kind: 'record' }>).record;
    });
    const decided = [...records]
      .sort((a, b) => a.atUnixMs - b.atUnixMs || a.line - b.line)
      .map((record) => ({ line: record.line, decided: toDecidedRecord(record, replay.next(record).decision) }));
    const lines = decided.sort((a, b) => a.line - b.line).map((record) => `${JSON.stringify(record.decided)}\n`);
    expect(lines.join('')).toBe(one.expected);
  });
});

describe('jadefence judge prints what the corpus expects', () => {
  it.each(cases)('$name', async (one) => {
    const options = Object.entries(one.options).flatMap(([name, value]) => [`--${name}`, value]);
    const table = [
      ...(one.countryFile ? ['--country-table', one.countryFile] : []),
      ...(one.categoryFile ? ['--category-feed', one.categoryFile] : []),
    ];
    const { stdout, exitCode } = await jadefence([
      'judge',
      one.logFile,
      '--fences',
      `${one.folder}/fences`,
      '--output',
      'ndjson',
      ...table,
      ...options,
    ]);
    expect(exitCode).toBe(0);
    expect(stdout).toBe(one.expected);
  });
});

describe('a replay in the service decides as the corpus expects', () => {
  let service: TestService;
  beforeAll(async () => {
    service = await startTestService();
  });
  afterAll(() => service.stop());

  const decide = async (one: ConformanceCase): Promise<string> => {
    const { client } = service;
    if (one.countryFile) await importTable(client, readFileSync(one.countryFile));
    // The name of the case makes its bytes its own, since the same log is not taken twice.
    const bytes = new TextEncoder().encode(`${readFileSync(one.logFile, 'utf8')}# ${one.name}\n`);
    const { fenceFiles, namedFiles } = one;
    const replay = await replayOnService(
      client,
      { fenceFiles, namedFiles },
      { name: one.name, bytes, host: one.options.host },
      one.options,
    );
    expect(replay.failure).toBeNull();
    const { rows } = await client.decisions(replay.id, { offset: 0, limit: 1000 });
    const lines = readFileSync(one.logFile, 'utf8').split(/\r?\n/);
    // Entries of a HAR file are no lines.
    if (!one.logFile.endsWith('.har'))
      expect(rows.map(({ written }) => written)).toEqual(rows.map(({ line }) => lines[line - 1]));
    return rows.map(({ record }) => `${JSON.stringify(record)}\n`).join('');
  };

  // Those without a table come first: a table, once there, is not taken away again.
  // The service has no category feeds yet.
  const inService = cases.filter(({ categoryFile }) => !categoryFile);
  it.each([...inService].sort((a, b) => Number(a.countryFile !== undefined) - Number(b.countryFile !== undefined)))(
    '$name',
    async (one) => {
      expect(await decide(one)).toBe(one.expected);
    },
  );
});
