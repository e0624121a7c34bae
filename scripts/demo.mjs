/** `npm run demo`: from nothing to a running service with the Larkmoor demo. `-- --once` ends after loading, `-- --fresh` starts over. */
import { parseArgs } from 'node:util';
import { showLatestReplay, withDemo } from './lib/demo.mjs';
import { main } from './lib/run.mjs';

await main(async () => {
  const { values } = parseArgs({ options: { once: { type: 'boolean' }, fresh: { type: 'boolean' } } });
  const interrupted = new Promise((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, () => resolve(0));
  });
  return withDemo({ isFresh: values.fresh }, async ({ address, signIn, ended }) => {
    process.stdout.write('\n');
    await showLatestReplay(address, signIn);
    process.stdout.write(`\nThe console is at ${address}\nSign in as ${signIn.name} with the password ${signIn.password} (kept in .jadefence/sign-in)\n`);
    process.stdout.write('Judge a log of your own: bin/jadefence judge access.log --fences demo/fences --country-table demo/data/countries.csv\n');
    if (values.once) return 0;
    process.stdout.write('Ctrl-C stops it.\n');
    const code = await Promise.race([interrupted, ended]);
    if (code !== 0) process.stderr.write(`The service ended with ${code}; its log is .jadefence/service.log\n`);
    return code;
  });
});
