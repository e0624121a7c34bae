/** `npm test`: sets up what is missing and runs every test. Arguments go to the test runner. The last line is `N passed, N failed`. */
import { build } from './lib/build.mjs';
import { startCluster } from './lib/cluster.mjs';
import { checkNode, findChromium, findPostgres, installPackages, runTool } from './lib/install.mjs';
import { main, step } from './lib/run.mjs';

await main(async () => {
  checkNode();
  await installPackages();
  const bin = await findPostgres();
  const chromium = await findChromium();
  await build();
  const cluster = await step('Starting PostgreSQL for the tests', () =>
    startCluster({ name: 'test-postgres', bin, isDurable: false }),
  );
  try {
    const env = {
      ...process.env,
      JADEFENCE_TEST_DATABASE_URL: cluster.urlOf('postgres'),
      CHROMIUM: chromium,
      TSX_TSCONFIG_PATH: 'tsconfig.json',
    };
    return await runTool('vitest/vitest.mjs', ['run', ...process.argv.slice(2)], { env });
  } finally {
    await cluster.stop();
  }
});
