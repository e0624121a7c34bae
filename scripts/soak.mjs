/**
 * `npm run soak -- [--minutes N] [--runs N] [--lines N] [--rules N] [--seed N]`: holds the engine against the interpreter, first over
 * random rules and small logs, then over large logs in every format; others each time.
 */
import { build } from './lib/build.mjs';
import { checkNode, installPackages, runTool } from './lib/install.mjs';
import { asArguments, readNumbers } from './lib/numbers.mjs';
import { main, runHere } from './lib/run.mjs';

await main(async () => {
  checkNode();
  const values = readNumbers({ minutes: '60', runs: '20000', lines: undefined, rules: undefined, seed: undefined });
  await installPackages();
  await build();
  const { runs, ...rest } = values;
  if (Number(runs) > 0) {
    const code = await runTool(
      'vitest/vitest.mjs',
      ['run', 'packages/core/src/match', '-t', 'decides as the interpreter'],
      { env: { ...process.env, JADE_SOAK_RUNS: runs } },
    );
    if (code !== 0) return code;
  }
  return runHere(
    process.execPath,
    ['--import', 'tsx', '--conditions=jade-source', 'bench/src/soak/main.ts', ...asArguments(rest)],
    { env: { ...process.env, TSX_TSCONFIG_PATH: 'tsconfig.json' } },
  );
});
