/**
 * `npm run demo`: from nothing to a running service with the Larkmoor demo. `-- --once` ends after loading, `-- --fresh`
 * starts over. `npm run -s demo -- make-log --requests N` writes a log of any size to standard output instead.
 */
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { build } from './lib/build.mjs';
import { showLatestReplay, withDemo } from './lib/demo.mjs';
import { checkNode, installPackages } from './lib/install.mjs';
import { main, ROOT, runHere } from './lib/run.mjs';

await main(async () => {
  if (process.argv[2] === 'make-log') return makeLog(process.argv.slice(3));
  const { values } = parseArgs({ options: { once: { type: 'boolean' }, fresh: { type: 'boolean' } } });
  const interrupted = new Promise((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, () => resolve(0));
  });
  return withDemo({ isFresh: values.fresh }, async ({ address, signIn, signInFile, serviceLog, ended }) => {
    process.stdout.write('\n');
    await showLatestReplay(address, signIn);
    process.stdout.write(
      `\nThe console is at ${address}\nSign in as ${signIn.name} with the password ${signIn.password} (kept in ${signInFile})\n`,
    );
    if (!values.once) process.stdout.write('Ctrl-C stops it.\n');
    process.stdout.write(
      'With a log of your own: bin/jadefence survey access.log, then bin/jadefence judge access.log --fences starter.fence\n',
    );
    if (values.once) return 0;
    const code = await Promise.race([interrupted, ended]);
    if (code !== 0) process.stderr.write(`The service ended with ${code}; its log is ${serviceLog}\n`);
    return code;
  });
});

async function makeLog(args) {
  checkNode();
  await installPackages();
  await build();
  return runHere(process.execPath, [join(ROOT, 'demo/dist/make-log.js'), ...args]);
}
