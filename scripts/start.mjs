/**
 * `npm start`: the service without demo data. Without JADEFENCE_DATABASE_URL it makes a private PostgreSQL.
 * `npm start -- reset-password [NAME]` gives a user a new password instead.
 */
import { join } from 'node:path';
import { build } from './lib/build.mjs';
import { startCluster } from './lib/cluster.mjs';
import { checkNode, findPostgres, installPackages } from './lib/install.mjs';
import { main, ROOT, runHere, step } from './lib/run.mjs';
import { startService } from './lib/service.mjs';

/** In addition to the demo's, which has its own database. */
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
    if (process.argv[2] === 'reset-password') return await resetPassword(env, process.argv.slice(3));
    service = await startService(env);
    process.stderr.write(
      `The console is at ${service.address}; the first sign-in is in ${signInFile}. Ctrl-C stops it.\n`,
    );
    return await Promise.race([interrupted.then(() => 0), service.ended]);
  } finally {
    await service?.stop();
    await cluster?.stop();
  }
});

function resetPassword(env, args) {
  const script = join(ROOT, 'packages/service/dist/reset-password.js');
  return runHere(process.execPath, [script, ...args], { env: { ...process.env, ...env } });
}

async function startPrivate() {
  const bin = await findPostgres();
  return step('Starting a private PostgreSQL', () => startCluster({ name: 'postgres', bin, isDurable: true }));
}
