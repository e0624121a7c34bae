/** `npm run fuzz -- [--inputs N] [--seed N]`: inputs changed at random, for every reader and every route. */
import { parseArgs } from 'node:util';
import { build } from './lib/build.mjs';
import { startCluster } from './lib/cluster.mjs';
import { checkNode, findPostgres, installPackages } from './lib/install.mjs';
import { main, runHere } from './lib/run.mjs';

await main(async () => {
  checkNode();
  const { values } = parseArgs({
    options: { inputs: { type: 'string', default: '500000' }, seed: { type: 'string' } },
  });
  for (const [name, text] of Object.entries(values))
    if (!/^\d{1,9}$/.test(text)) throw new Error(`--${name}: found ${text}, expected a whole number`);
  await installPackages();
  const bin = await findPostgres();
  await build();
  const cluster = await startCluster({ name: 'fuzz-postgres', bin, isDurable: false });
  try {
    return await runHere(
      process.execPath,
      [
        '--import',
        'tsx',
        '--conditions=jade-source',
        'e2e/src/fuzz/main.ts',
        ...Object.entries(values).flatMap(([name, text]) => [`--${name}`, text]),
      ],
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
