/**
 * `npm run soak -- [--minutes N] [--runs N] [--lines N] [--rules N] [--seed N]`: holds the engine against the interpreter, first over
 * random rules and small logs, then over large logs in every format; others each time.
 */
import { parseArgs } from 'node:util';
import { build } from './lib/build.mjs';
import { checkNode, installPackages, runTool } from './lib/install.mjs';
import { main, runHere } from './lib/run.mjs';

await main(async () => {
  checkNode();
  const { values } = parseArgs({
    options: {
      minutes: { type: 'string', default: '60' },
      runs: { type: 'string', default: '20000' },
      lines: { type: 'string' },
      rules: { type: 'string' },
      seed: { type: 'string' },
    },
  });
  for (const [name, text] of Object.entries(values))
    if (!/^\d{1,9}$/.test(text)) throw new Error(`--${name}: found ${text}, expected a whole number`);
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
    [
      '--import',
      'tsx',
      '--conditions=jade-source',
      'bench/src/soak/main.ts',
      ...Object.entries(rest).flatMap(([name, text]) => [`--${name}`, text]),
    ],
    { env: { ...process.env, TSX_TSCONFIG_PATH: 'tsconfig.json' } },
  );
});
