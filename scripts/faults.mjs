/**
 * `npm run faults -- [--kills N] [--stops N] [--seed N]`: kills the service and stops its database at random moments of
 * work; nothing that was acknowledged may be lost, and results must be equal.
 */
import { build } from './lib/build.mjs';
import { checkNode, findPostgres, installPackages } from './lib/install.mjs';
import { asArguments, readNumbers } from './lib/numbers.mjs';
import { main, runHere } from './lib/run.mjs';

await main(async () => {
  checkNode();
  const values = readNumbers({ kills: '200', stops: '20', seed: undefined });
  await installPackages();
  await findPostgres();
  await build();
  return runHere(
    process.execPath,
    ['--import', 'tsx', '--conditions=jade-source', 'e2e/src/faults/main.ts', ...asArguments(values)],
    { env: { ...process.env, TSX_TSCONFIG_PATH: 'tsconfig.json' } },
  );
});
