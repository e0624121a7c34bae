/** The Larkmoor demo on a private PostgreSQL: set up, loaded and running for as long as some work takes. */
import { existsSync, mkdirSync, openSync, readFileSync, rmSync } from 'node:fs';
import { join, relative } from 'node:path';
import { build } from './build.mjs';
import { removeCluster, startCluster } from './cluster.mjs';
import { checkNode, findPostgres, installPackages } from './install.mjs';
import { ROOT, run, runHere, SetupError, step } from './run.mjs';
import { startService } from './service.mjs';

const STATE = join(ROOT, '.jadefence');
/** Tests run a separate demo, so that a running one is not disturbed. */
const NAME = process.env.JADEFENCE_DEMO_NAME ?? 'demo';
const CLUSTER = `${NAME}-postgres`;
const SIGN_IN = join(STATE, ...(NAME === 'demo' ? [] : [NAME]), 'sign-in');
const LOG = join(STATE, NAME, 'inbound.log');
const OUTBOUND_LOG = join(STATE, NAME, 'outbound.ndjson');
const EDGE_LOG = join(STATE, NAME, 'edge.ndjson');
const LOG_NAME = 'Larkmoor inbound, 12 October';
const OUTBOUND_LOG_NAME = 'Larkmoor outbound, 12 October';
const EDGE_LOG_NAME = 'Larkmoor edge, 12 October';

/**
 * Brings the demo up, runs `work` with it, and stops what it started.
 * @param {{ isFresh?: boolean, port?: string }} options `isFresh` throws away what an earlier run left
 * @param {(demo: { address: string, signIn: { name: string, password: string }, signInFile: string, log: string, serviceLog: string, ended: Promise<number> }) => Promise<number>} work
 */
export async function withDemo({ isFresh, port }, work) {
  checkNode();
  await installPackages();
  const bin = await findPostgres();
  await build();
  if (isFresh) {
    await removeCluster({ name: CLUSTER, bin });
    for (const path of [SIGN_IN, join(STATE, NAME)]) rmSync(path, { recursive: true, force: true });
  }
  const cluster = await step('Starting a private PostgreSQL', () =>
    startCluster({ name: CLUSTER, bin, isDurable: true }),
  );
  let service;
  try {
    const databaseUrl = await cluster.ensureDatabase('jadefence_demo');
    const settings = {
      JADEFENCE_DATABASE_URL: databaseUrl,
      JADEFENCE_SIGN_IN_FILE: SIGN_IN,
      ...(port ? { JADEFENCE_PORT: port } : {}),
    };
    service = await step('Starting the service', () =>
      startService(settings, openSync(join(STATE, `${NAME}.log`), 'w')),
    );
    const signIn = readSignIn();
    await load(service.address, signIn);
    return await work({
      address: service.address,
      signIn,
      signInFile: relative(ROOT, SIGN_IN),
      log: LOG,
      serviceLog: join('.jadefence', `${NAME}.log`),
      ended: service.ended,
    });
  } finally {
    await service?.stop();
    await cluster.stop();
  }
}

function readSignIn() {
  if (!existsSync(SIGN_IN)) throw new SetupError(`The sign-in of the demo (${SIGN_IN}) is gone. ${START_OVER}`);
  return Object.fromEntries(
    [...readFileSync(SIGN_IN, 'utf8').matchAll(/^(\w+): (.*)$/gm)].map(([, key, value]) => [key, value]),
  );
}

const START_OVER = 'Start over with npm run demo -- --fresh';

/** A client that may do everything. */
async function signedIn(address, signIn, scope) {
  const { ServiceClient } = await import('@jadefence/contract');
  const { token } = await new ServiceClient({ baseUrl: address })
    .createToken(signIn, { name: 'demo', scope })
    .catch((error) => {
      throw new SetupError(
        `The sign-in of the demo (${SIGN_IN}) does not fit its database: ${error.message} ${START_OVER}`,
      );
    });
  return { token, client: new ServiceClient({ baseUrl: address, token }) };
}

/** Loads what is not there yet, through the same doors as anybody. */
async function load(address, signIn) {
  const env = { ...process.env, JADEFENCE_URL: address };
  const jadefence = (...args) => run(process.execPath, ['bin/jadefence', ...args], { env });
  const demo = await import('@jadefence/demo');
  const { token, client } = await signedIn(address, signIn, 'editor');
  Object.assign(env, { JADEFENCE_TOKEN: token });
  if ((await client.draft()).fences.length === 0)
    await step('Importing the fences', () => jadefence('fence', 'import', 'demo/fences', '--yes'));
  const datasets = await client.datasets();
  if (!datasets.some(({ kind }) => kind === 'country'))
    await step('Importing the country table', () => jadefence('country', 'import', 'demo/data/countries.csv'));
  if (!datasets.some(({ kind }) => kind === 'category'))
    await step('Importing the category feed', () => jadefence('category', 'import', 'demo/data/categories.csv'));
  if ((await client.revisions()).length === 0) await publishTwice(jadefence);
  if (![LOG, OUTBOUND_LOG, EDGE_LOG].every((path) => existsSync(path))) {
    mkdirSync(join(STATE, NAME), { recursive: true });
    await step('Making up a day of requests', async () => {
      await demo.writeInboundLog(demo.DEMO_LOG, LOG, `${LOG}.labels`);
      await demo.writeOutboundLog(demo.DEMO_OUTBOUND_LOG, OUTBOUND_LOG, `${OUTBOUND_LOG}.labels`);
      await demo.writeEdgeLog(demo.DEMO_EDGE_LOG, EDGE_LOG, `${EDGE_LOG}.labels`);
    });
  }
  const names = (await client.logs()).map((log) => log.name);
  if (!names.includes(LOG_NAME))
    await step('Importing the inbound log', () => jadefence('log', 'import', LOG, '--name', LOG_NAME));
  if (!names.includes(OUTBOUND_LOG_NAME))
    await step('Importing the outbound log', () =>
      jadefence('log', 'import', OUTBOUND_LOG, '--name', OUTBOUND_LOG_NAME),
    );
  if (!names.includes(EDGE_LOG_NAME))
    await step('Importing the edge log', () => jadefence('log', 'import', EDGE_LOG, '--name', EDGE_LOG_NAME));
  if (!(await client.replays()).some((replay) => replay.state === 'done'))
    await step('Replaying the logs', () => replayAll(client));
}

/** The edge log by both revisions, so that what the mistakes of the first did can be looked at; the inbound log last. */
async function replayAll(client) {
  const logs = new Map((await client.logs()).map(({ name, id }) => [name, id]));
  const replays = [
    [EDGE_LOG_NAME, 1],
    [EDGE_LOG_NAME, 2],
    [OUTBOUND_LOG_NAME, 2],
    [LOG_NAME, 2],
  ];
  for (const [name, against] of replays) {
    const { id } = await client.startReplay({ logId: logs.get(name), against });
    await client.followReplay(id, () => undefined);
  }
}

/** The first revision has the mistakes that are usual, and the second has them corrected, so that both can be looked at. */
async function publishTwice(jadefence) {
  await step('Publishing a first draft with the usual mistakes', async () => {
    await jadefence('fence', 'import', 'demo/first-draft', '--only', '--yes');
    // What can never match is an error, with which nothing is published.
    await jadefence('review', '--fix', 'never-true');
    await jadefence('publish', '--note', 'A first draft, with the mistakes that a review finds');
  });
  await step('Publishing it with the mistakes corrected', async () => {
    await jadefence('fence', 'import', 'demo/fences', '--yes');
    await jadefence('publish', '--note', 'The rules of the house');
  });
}

/** Runs the command-line client against the demo on this terminal. */
export async function showLatestReplay(address, signIn) {
  const { token } = await signedIn(address, signIn, 'viewer');
  return runHere(process.execPath, ['bin/jadefence', 'replay', 'show'], {
    env: { ...process.env, JADEFENCE_URL: address, JADEFENCE_TOKEN: token },
  });
}
