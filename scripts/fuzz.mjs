/** `npm run fuzz -- [--inputs N] [--seed N]`: inputs changed at random, for every reader and every route. */
import { build } from './lib/build.mjs';
import { startCluster } from './lib/cluster.mjs';
import { checkNode, findPostgres, installPackages } from './lib/install.mjs';
import { asArguments, readNumbers } from './lib/numbers.mjs';
import { main, runHere } from './lib/run.mjs';

await main(async () => {
  checkNode();
  const values = readNumbers({ inputs: '500000', seed: undefined });
  await installPackages();
  const bin = await findPostgres();
  await build();
  const cluster = await startCluster({ name: 'fuzz-postgres', bin, isDurable: false });
  try {
    return await runHere(
      process.execPath,
      ['--import', 'tsx', '--conditions=jade-source', 'e2e/src/fuzz/main.ts', ...asArguments(values)],
      {
        env: {
          ...process.env,
          JADEFENCE_TEST_DATABASE_URL: cluster.urlOf('postgres'),
          TSX_TSCONFIG_PATH: 'tsconfig.json',
        },
      },
    );
  } finally {
    await cluster.stop();
  }
});
