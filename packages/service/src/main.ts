/** Starts the service and stops it again on SIGINT and SIGTERM. */
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { createService, type Service } from './app.js';
import type { Config } from './config.js';
import { isUnreachable } from './database/database.js';
import { runOrExplain } from './bootstrap.js';

async function start(config: Config): Promise<void> {
  const service = await createService(config);
  const server = createServer(service.app);
  // Uploads take as long as they take; routes bound the time of all other bodies.
  server.requestTimeout = 0;
  server.headersTimeout = HEADERS_TIMEOUT_MS;
  server.keepAliveTimeout = KEEP_ALIVE_MS;
  server.maxConnections = config.maxConnections;
  surviveLostConnections(service.logger);
  await new Promise<void>((resolve, reject) => server.once('error', reject).listen(config.port, config.host, resolve));
  const { port } = server.address() as AddressInfo;
  const address = `http://${config.host.includes(':') ? `[${config.host}]` : config.host}:${port}`;
  const isFirst = await service.users.createFirstAdministrator(config.signInFile, address);
  service.logger.info(isFirst ? { address, signInFile: config.signInFile } : { address }, 'listening');
  process.send?.({ kind: 'listening', address });
  // A script that started it has ended when its channel closes.
  for (const signal of ['SIGINT', 'SIGTERM', 'disconnect'] as const)
    process.once(signal, () => {
      stop(service, server, config).catch((error: unknown) => {
        service.logger.error({ err: error }, 'the service did not stop as it should');
        process.exit(1);
      });
    });
}

const HEADERS_TIMEOUT_MS = 30_000;
/** Longer than clients are busy between two requests: on a connection that was just closed, an upload fails. */
const KEEP_ALIVE_MS = 75_000;

/** Requests under way end within the time of grace; new ones find the service not ready. */
async function stop(service: Service, server: Server, { graceSeconds }: Config): Promise<void> {
  service.drain();
  const closed = new Promise<void>((resolve) => server.close(() => resolve()));
  server.closeIdleConnections();
  const grace = setTimeout(() => server.closeAllConnections(), graceSeconds * 1000);
  await closed;
  clearTimeout(grace);
  await service.close();
  process.exit(0);
}

/**
 * Libraries have their own connections and timers, whose failures are caught only here. A database outage never
 * ends the process; any other uncaught error is a defect, and is logged.
 */
function surviveLostConnections(logger: Service['logger']): void {
  process.on('unhandledRejection', (error) => {
    if (isUnreachable(error)) logger.warn({ err: error }, 'a connection to the database was lost');
    else logger.error({ err: error }, 'unhandled rejection');
  });
  process.on('uncaughtException', (error) => {
    if (isUnreachable(error)) return logger.warn({ err: error }, 'a connection to the database was lost');
    logger.fatal({ err: error }, 'uncaught exception');
    process.exit(1);
  });
}

await runOrExplain(start);
