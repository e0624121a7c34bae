import { execFileSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { ROOT } from './root.js';

const tracked = (pattern: string): string[] =>
  execFileSync('git', ['ls-files', '-co', '--exclude-standard', '--', pattern], { cwd: ROOT, encoding: 'utf8' })
    .split('\n')
    .filter((file) => file !== '' && existsSync(join(ROOT, file)) && !file.includes('/dist/'));

/** The READMEs of a file's folder and of those above it, up to its package. */
function readmesAbove(file: string): string {
  const texts: string[] = [];
  for (let folder = dirname(file); folder !== '.'; folder = dirname(folder)) {
    const path = join(ROOT, folder, 'README.md');
    if (existsSync(path)) texts.push(readFileSync(path, 'utf8'));
  }
  return texts.join('\n');
}

describe('the READMEs', () => {
  it('mention every source file of their folders', () => {
    const sources = ['packages', 'bench', 'e2e', 'demo', 'scripts']
      .flatMap(tracked)
      .filter((file) => /\.(ts|tsx|mjs)$/.test(file) && !/\.test\.tsx?$|\.d\.m?ts$/.test(file));
    expect(sources.length).toBeGreaterThan(300);
    expect(sources.filter((file) => !readmesAbove(file).includes(basename(file)))).toEqual([]);
  });

  it('mention no file that does not exist', () => {
    const folders = ['packages', 'bench', 'e2e', 'demo', 'scripts', 'docs', 'conformance'];
    // The bytes of the kernel are generated.
    const names = new Set(['kernel-bytes.ts', ...folders.flatMap(tracked).map((file) => basename(file))]);
    const readmes = tracked('*README.md').filter((file) => file !== 'README.md');
    const mentioned = readmes.flatMap((file) =>
      [...readFileSync(join(ROOT, file), 'utf8').matchAll(/`(?:[\w./-]*\/)?([\w-]+\.(?:ts|tsx|mjs))`/g)].map(
        ([, name]) => `${file}: ${name}`,
      ),
    );
    expect(mentioned.filter((line) => !names.has(line.split(': ')[1]!))).toEqual([]);
  });
});
