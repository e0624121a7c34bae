import { readFileSync } from 'node:fs';
import { DIAGNOSTIC_CODES } from '@jadefence/core/language';
import { REJECT_REASONS } from '@jadefence/core/request';
import { describe, expect, it } from 'vitest';
import { PROBLEMS } from './problems.js';
import { VERSION } from './version.js';

const page = readFileSync(new URL('../../../docs/errors.md', import.meta.url), 'utf8');

describe('docs/errors.md', () => {
  it.each([
    ['Fences', [...DIAGNOSTIC_CODES]],
    ['Lines of a log', Object.keys(REJECT_REASONS)],
    ['The service', Object.entries(PROBLEMS).map(([code, { status }]) => `${code} ${status}`)],
  ])('has a row for each code under "%s", and no others', (heading, codes) => {
    const section = page.split(/^## /m).find((part) => part.startsWith(heading)) ?? '';
    const rows = [...section.matchAll(/^\| `([^`]+)` \|(?: (\d{3}) \|)?/gm)].map(([, code, status]) =>
      status ? `${code} ${status}` : code,
    );
    expect(rows.sort()).toEqual([...codes].sort());
  });
});

it('the version is the one that the packages carry and the list of changes begins with', () => {
  const read = (path: string): string => readFileSync(new URL(`../../../${path}`, import.meta.url), 'utf8');
  for (const path of ['package.json', 'packages/service/package.json', 'packages/cli/package.json']) {
    expect([path, (JSON.parse(read(path)) as { version: string }).version]).toEqual([path, VERSION]);
  }
  expect(/^## (\S+)/m.exec(read('CHANGELOG.md'))?.[1]).toBe(VERSION);
});
