/** Starts the service and stops it again on SIGINT and SIGTERM. */
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { createService, type Service } from './app.js';
import type { Config } from './config.js';
import { runOrExplain } from './run-or-explain.js';

async function start(config: Config): Promise<void> {
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

await runOrExplain(start);
