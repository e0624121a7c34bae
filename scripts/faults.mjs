/**
 * `npm run faults -- [--kills N] [--stops N] [--seed N]`: kills the service and stops its database at random moments of
 * work; nothing that was acknowledged may be lost, and results must be equal.
 */
import { parseArgs } from 'node:util';
import { build } from './lib/build.mjs';
import { checkNode, findPostgres, installPackages } from './lib/install.mjs';
import { main, runHere } from './lib/run.mjs';

await main(async () => {
  checkNode();
  const { values } = parseArgs({
    options: {
      kills: { type: 'string', default: '200' },
      stops: { type: 'string', default: '20' },
      seed: { type: 'string' },
    },
  });
  for (const [name, text] of Object.entries(values))
    if (!/^\d{1,9}$/.test(text)) throw new Error(`--${name}: found ${text}, expected a whole number`);
  await installPackages();
  await findPostgres();
  await build();
  return runHere(
    process.execPath,
    [
      '--import',
      'tsx',
      '--conditions=jade-source',
      'e2e/src/faults/main.ts',
      ...Object.entries(values).flatMap(([name, text]) => [`--${name}`, text]),
    ],
    { env: { ...process.env, TSX_TSCONFIG_PATH: 'tsconfig.json' } },
  );
});
