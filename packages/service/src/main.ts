/** Starts the service and stops it again on SIGINT and SIGTERM. */
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { createService, type Service } from './app.js';
import { ConfigError, readConfig, type Config } from './config.js';
import { isUnreachable } from './database/database.js';

const EXIT_WRONG_INPUT = 2;
const EXIT_UNREACHABLE = 3;

async function start(): Promise<void> {
  const config = readConfig(process.env);
  const service = await createService(config);
  const server = createServer(service.app);
  // Uploads take as long as they take.
  server.requestTimeout = 0;
  await new Promise<void>((resolve, reject) => server.once('error', reject).listen(config.port, config.host, resolve));
  const { port } = server.address() as AddressInfo;
  const address = `http://${config.host.includes(':') ? `[${config.host}]` : config.host}:${port}`;
  const isFirst = await service.users.createFirstAdministrator(config.signInFile, address);
  service.logger.info(isFirst ? { address, signInFile: config.signInFile } : { address }, 'listening');
  process.send?.({ kind: 'listening', address });
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => void stop(service, server));
}

async function stop(service: Service, server: ReturnType<typeof createServer>): Promise<void> {
  server.close();
  server.closeAllConnections();
  await service.close();
  process.exit(0);
}

/** One clear line for what a person can mend; the whole error for what they cannot. */
function describeFailure(error: unknown, config: Partial<Config>): { text: string; exitCode: number } {
  const { code, message } = error as { code?: string; message: string };
  if (error instanceof ConfigError)
    return { text: `The settings cannot be used.\n${message}`, exitCode: EXIT_WRONG_INPUT };
  if (code === 'EADDRINUSE')
    return {
      text: `Port ${config.port} of ${config.host} is taken by another process. Stop it, or set JADEFENCE_PORT.`,
      exitCode: EXIT_WRONG_INPUT,
    };
  if (code === 'EACCES' || code === 'EADDRNOTAVAIL')
    return {
      text: `The service cannot listen on ${config.host}:${config.port} (${code}). Set JADEFENCE_HOST and JADEFENCE_PORT.`,
      exitCode: EXIT_WRONG_INPUT,
    };
  if (isUnreachable(error))
    return {
      text: `The database cannot be reached (${code ?? message}). Check that PostgreSQL runs and that JADEFENCE_DATABASE_URL is right.`,
      exitCode: EXIT_UNREACHABLE,
    };
  if (code === '28P01' || code === '3D000')
    return { text: `The database refuses: ${message}. Check JADEFENCE_DATABASE_URL.`, exitCode: EXIT_WRONG_INPUT };
  return { text: String((error as Error).stack ?? error), exitCode: 1 };
}

try {
  await start();
} catch (error) {
  let config: Partial<Config> = {};
  try {
    config = readConfig(process.env);
  } catch {
    // The settings themselves are what is wrong; they are told below.
  }
  const { text, exitCode } = describeFailure(error, config);
  process.stderr.write(`${text}\n`);
  process.exit(exitCode);
}
