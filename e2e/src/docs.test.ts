import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { checkFences, formatDiagnostic } from '@jadefence/core';
import { describe, expect, it } from 'vitest';
import { ROOT } from './root.js';

const pages = readdirSync(join(ROOT, 'docs')).filter((name) => name.endsWith('.md'));

describe('the documentation', () => {
  it('has only fences that can be read', () => {
    const examples = pages.flatMap((name) => [...readFileSync(join(ROOT, 'docs', name), 'utf8').matchAll(/^```fence\n([^]*?)^```/gm)].map(([, text]) => text!));
    expect(examples.length).toBeGreaterThan(2);
    for (const text of examples) expect(checkFences([{ path: 'example.fence', text }], []).diagnostics.map(formatDiagnostic)).toEqual([]);
  });

  it('links to nothing that is not there', () => {
    const broken = ['README.md', 'ARCHITECTURE.md', 'CONTRIBUTING.md', ...pages.map((name) => `docs/${name}`)].flatMap((page) => {
      const folder = join(ROOT, page, '..');
      const links = [...readFileSync(join(ROOT, page), 'utf8').matchAll(/\]\(([^)#:]+)[^)]*\)/g)].map(([, link]) => link!);
      return links.filter((link) => !existsSync(join(folder, link)));
    });
    expect(broken).toEqual([]);
  });

  it('names every setting of the service', () => {
    const config = readFileSync(join(ROOT, 'packages/service/src/config.ts'), 'utf8');
    const settings = [...new Set([...config.matchAll(/'(JADEFENCE_\w+)'/g)].map(([, name]) => name!))];
    const operations = readFileSync(join(ROOT, 'docs/operations.md'), 'utf8');
    expect(settings.filter((name) => !operations.includes(`| \`${name}\` |`))).toEqual([]);
  });
});
