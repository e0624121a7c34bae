/** `npm run bench [NAME ...]`: builds, then runs the workloads. */
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { build } from './lib/build.mjs';
import { checkNode, installPackages } from './lib/install.mjs';
import { main, ROOT, runHere } from './lib/run.mjs';

await main(async () => {
  checkNode();
  await installPackages();
  await build();
  const { build: bundle } = await import('esbuild');
  const folder = join(ROOT, '.jadefence/bench');
  mkdirSync(folder, { recursive: true });
  // The reference runs as plain JavaScript, as ours does.
  await bundle({
    absWorkingDir: ROOT,
    entryPoints: ['bench/src/read-lines.ts'],
    outfile: join(folder, 'read-lines.mjs'),
    platform: 'node',
    format: 'esm',
    logLevel: 'error',
  });
  return runHere(
    process.execPath,
    ['--expose-gc', '--import', 'tsx', '--conditions=jade-source', 'bench/src/main.ts', ...process.argv.slice(2)],
    { env: { ...process.env, TSX_TSCONFIG_PATH: 'tsconfig.json' } },
  );
});
