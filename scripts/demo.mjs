/** `npm run demo`: from nothing to a running service with the Larkmoor demo. `-- --once` ends after loading, `-- --fresh` starts over. */
import { existsSync, mkdirSync, openSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { build } from './lib/build.mjs';
import { removeCluster, startCluster } from './lib/cluster.mjs';
import { checkNode, findPostgres, installPackages } from './lib/install.mjs';
import { main, ROOT, runHere, step } from './lib/run.mjs';
import { startService } from './lib/service.mjs';

const STATE = join(ROOT, '.jadefence');
const SIGN_IN = join(STATE, 'sign-in');
const LOG = join(STATE, 'demo', 'inbound.log');
const LOG_NAME = 'Larkmoor inbound, 12 October';

await main(async () => {
  const { values } = parseArgs({ options: { once: { type: 'boolean' }, fresh: { type: 'boolean' } } });
  checkNode();
  await installPackages();
  const bin = await findPostgres();
  await build();
  if (values.fresh) {
    await removeCluster({ name: 'demo-postgres', bin });
    for (const path of [SIGN_IN, join(STATE, 'demo')]) rmSync(path, { recursive: true, force: true });
  }
  const cluster = await step('Starting a private PostgreSQL', () => startCluster({ name: 'demo-postgres', bin, isDurable: true }));
  let service;
  const interrupted = new Promise((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, resolve);
  });
  try {
    const databaseUrl = await cluster.ensureDatabase('jadefence_demo');
    const logFile = openSync(join(STATE, 'service.log'), 'w');
    service = await step('Starting the service', () => startService({ JADEFENCE_DATABASE_URL: databaseUrl, JADEFENCE_SIGN_IN_FILE: SIGN_IN }, logFile));
    await load(service.address);
    process.stdout.write(`\nThe console is at ${service.address}\n${readFileSync(SIGN_IN, 'utf8').replace(/^address: .*\n/, 'Sign in with ').replace('\n', ', ')}`);
    process.stdout.write(`Judge a log of your own: bin/jadefence judge access.log --fences demo/fences --country-table demo/data/countries.csv\n`);
    if (values.once) return 0;
    process.stdout.write('Ctrl-C stops it.\n');
    const code = await Promise.race([interrupted.then(() => 0), service.ended]);
    if (code !== 0) process.stderr.write(`The service ended with ${code}; its log is .jadefence/service.log\n`);
    return code;
  } finally {
    await service?.stop();
    await cluster.stop();
  }
});

/** Loads what is not there yet, through the same doors as anybody, and shows the result. */
async function load(address) {
  const env = { ...process.env, XDG_CONFIG_HOME: join(STATE, 'config'), JADEFENCE_URL: address };
  const jadefence = async (...args) => {
    const code = await runHere(process.execPath, ['bin/jadefence', ...args], { env, stdio: ['ignore', args[0] === 'replay' && args[1] === 'show' ? 'inherit' : 'ignore', 'ignore'] });
    if (code !== 0) throw new Error(`jadefence ${args.join(' ')} ended with ${code}`);
  };
  const { ServiceClient } = await import('@jadefence/contract');
  const { writeInboundLog, DEMO_LOG } = await import('@jadefence/demo');
  const signIn = Object.fromEntries([...readFileSync(SIGN_IN, 'utf8').matchAll(/^(\w+): (.*)$/gm)].map(([, key, value]) => [key, value]));
  await jadefence('login', '--sign-in-file', SIGN_IN);
  const { token } = await new ServiceClient({ baseUrl: address }).createToken(signIn, { name: 'demo', scope: 'viewer' });
  const client = new ServiceClient({ baseUrl: address, token });
  if ((await client.draft()).fences.length === 0) await step('Importing the fences', () => jadefence('fence', 'import', 'demo/fences'));
  const hasTable = await client.countryTable().then(() => true, () => false);
  if (!hasTable) await step('Importing the country table', () => jadefence('country', 'import', 'demo/data/countries.csv'));
  if (!(await client.logs()).some((log) => log.name === LOG_NAME)) {
    if (!existsSync(LOG)) {
      mkdirSync(join(STATE, 'demo'), { recursive: true });
      await step('Making up a day of requests', () => writeInboundLog(DEMO_LOG, LOG, `${LOG}.labels`));
    }
    await step('Importing the log', () => jadefence('log', 'import', LOG, '--name', LOG_NAME));
  }
  const isReplayed = (await client.replays()).some((replay) => replay.state === 'done');
  if (!isReplayed) await step('Replaying it', () => jadefence('replay', 'start', LOG_NAME));
  process.stdout.write('\n');
  await jadefence('replay', 'show');
}
