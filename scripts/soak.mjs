/** `npm run soak [RUNS]`: holds the matcher against the interpreter over many more random fences and logs, others each time. */
import { checkNode, installPackages, runTool } from './lib/install.mjs';
import { buildKernel } from './lib/kernel.mjs';
import { main } from './lib/run.mjs';

const USUAL_RUNS = 20_000;

await main(async () => {
  checkNode();
  await installPackages();
  await buildKernel();
  const runs = Number(process.argv[2] ?? USUAL_RUNS);
  if (!Number.isSafeInteger(runs) || runs < 1)
    throw new Error(`Found ${process.argv[2]}, expected a number of runs, such as ${USUAL_RUNS}.`);
  const env = { ...process.env, JADE_SOAK_RUNS: String(runs) };
  return await runTool('vitest/vitest.mjs', ['run', 'packages/core/src/match', '-t', 'decides as the interpreter'], {
    env,
  });
});
