import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { SourceFile } from '@jadefence/core/check';
import type { HeldBehaviour } from '@jadefence/core/decide';
import { ROOT } from './root.js';

/** One folder of the conformance corpus, read. */
export interface ConformanceCase {
  readonly name: string;
  readonly folder: string;
  readonly logFile: string;
  readonly countryFile?: string;
  readonly fenceFiles: readonly SourceFile[];
  readonly namedFiles: readonly SourceFile[];
  readonly categoryFile?: string;
  readonly options: { readonly host?: string; readonly gate?: string; readonly held?: HeldBehaviour };
  /** Byte for byte, a line a request. */
  readonly expected: string;
}

const CORPUS = join(ROOT, 'conformance');

export function readConformanceCases(): ConformanceCase[] {
  const folders = readdirSync(CORPUS, { withFileTypes: true }).filter((entry) => entry.isDirectory());
  return folders.map(({ name }) => {
    const folder = join(CORPUS, name);
    const optional = (file: string): string | undefined =>
      existsSync(join(folder, file)) ? join(folder, file) : undefined;
    const optionsFile = optional('options.json');
    const sources = readSources(join(folder, 'fences'));
    return {
      name,
      folder,
      logFile: optional('log.ndjson') ?? optional('log.har') ?? join(folder, 'log.log'),
      countryFile: optional('countries.csv'),
      categoryFile: optional('categories.csv'),
      fenceFiles: sources.filter(({ path }) => path.endsWith('.fence')),
      namedFiles: sources.filter(({ path }) => !path.endsWith('.fence')),
      options: optionsFile ? (JSON.parse(readFileSync(optionsFile, 'utf8')) as ConformanceCase['options']) : {},
      expected: readFileSync(join(folder, 'expected.ndjson'), 'utf8'),
    };
  });
}

function readSources(folder: string): SourceFile[] {
  const files = readdirSync(folder, { recursive: true, withFileTypes: true }).filter((entry) => entry.isFile());
  return files.map((entry) => {
    const path = join(entry.parentPath, entry.name);
    return { path: path.slice(folder.length + 1), text: readFileSync(path, 'utf8') };
  });
}
