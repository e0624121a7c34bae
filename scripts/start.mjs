/** `npm start`: the service without demo data. Without JADEFENCE_DATABASE_URL it makes a private PostgreSQL. */
import { build } from './lib/build.mjs';
import { startCluster } from './lib/cluster.mjs';
import { checkNode, findPostgres, installPackages } from './lib/install.mjs';
import { main, step } from './lib/run.mjs';
import { startService } from './lib/service.mjs';

/** Beside the demo's, which has a database of its own. */
const PRIVATE_SIGN_IN = '.jadefence/postgres-sign-in';

await main(async () => {
  checkNode();
  await installPackages();
  await build();
  const given = process.env.JADEFENCE_DATABASE_URL;
  const cluster = given ? undefined : await startPrivate();
  let service;
  const interrupted = new Promise((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, resolve);
  });
  try {
    const signInFile = process.env.JADEFENCE_SIGN_IN_FILE ?? (cluster ? PRIVATE_SIGN_IN : '.jadefence/sign-in');
    const databaseUrl = cluster ? await cluster.ensureDatabase('jadefence') : given;
    const env = { JADEFENCE_DATABASE_URL: databaseUrl, JADEFENCE_SIGN_IN_FILE: signInFile };
    service = await startService(env);
    process.stderr.write(
      `The console is at ${service.address}; the first sign-in stands in ${signInFile}. Ctrl-C stops it.\n`,
    );
    return await Promise.race([interrupted.then(() => 0), service.ended]);
  } finally {
    await service?.stop();
    await cluster?.stop();
  }
});

async function startPrivate() {
  const bin = await findPostgres();
  return step('Starting a private PostgreSQL', () => startCluster({ name: 'postgres', bin, isDurable: true }));
}
