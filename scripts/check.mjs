/** `npm run check`: types, lint, boundaries between parts, words, lock file. Prints the time of each. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { checkNode, installPackages, runTool } from './lib/install.mjs';
import { buildKernel } from './lib/kernel.mjs';
import { main, ROOT, SetupError } from './lib/run.mjs';

const CHECKS = {
  'types': () => runTool('typescript7/bin/tsc', ['-p', 'tsconfig.json']),
  'lint': () =>
    runTool('eslint/bin/eslint.js', [
      '.',
      '--max-warnings',
      '0',
      '--cache',
      '--cache-location',
      '.jadefence/eslint-cache',
    ]),
  'format': () => runTool('prettier/bin/prettier.cjs', ['--check', '--log-level', 'warn', '**/*.{ts,tsx,mjs,css}']),
  'boundaries': () =>
    runTool('dependency-cruiser/bin/dependency-cruise.mjs', [
      'packages',
      'demo/src',
      'bench/src',
      '--metrics',
      '--config',
      '.dependency-cruiser.cjs',
    ]),
  'words': async () => checkWords(),
  'lock file': async () => checkLock(),
};

await main(async () => {
  checkNode();
  await installPackages();
  await buildKernel();
  let numFailed = 0;
  for (const [name, check] of Object.entries(CHECKS)) {
    const startedMs = performance.now();
    const code = await check();
    if (code !== 0) numFailed += 1;
    process.stdout.write(
      `${code === 0 ? 'fine  ' : 'FAILED'} ${name} (${((performance.now() - startedMs) / 1000).toFixed(1)} s)\n`,
    );
  }
  return numFailed === 0 ? 0 : 1;
});

/** Loaded late, since the compiler that it uses is installed by then. */
async function checkWords() {
  const { findRefusedWords } = await import('./lib/words.mjs');
  const problems = findRefusedWords();
  for (const problem of problems) process.stdout.write(`${problem}\n`);
  return problems.length === 0 ? 0 : 1;
}

/** The lock must hold no registry address, and every optional platform package that it names must have its own entry. */
function checkLock() {
  const lock = JSON.parse(readFileSync(join(ROOT, 'package-lock.json'), 'utf8'));
  const problems = [];
  for (const [path, entry] of Object.entries(lock.packages)) {
    if (entry.resolved && !entry.link) problems.push(`${path} holds the address it was fetched from`);
    for (const name of Object.keys(entry.optionalDependencies ?? {})) {
      const isThere = Object.keys(lock.packages).some(
        (other) => other === `${path}/node_modules/${name}` || other.endsWith(`node_modules/${name}`),
      );
      if (!isThere) problems.push(`${path} names the platform package ${name}, which the lock does not have`);
    }
  }
  if (problems.length === 0) return 0;
  throw new SetupError(`package-lock.json: ${problems.slice(0, 10).join('\n')}`);
}
