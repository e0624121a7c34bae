import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ServiceClient, type Draft, type FenceSources, type Replay } from '@jadefence/contract';
import type { HeldBehaviour } from '@jadefence/core/decide';
import { createTestDatabase } from './test-database.js';
// The same way of starting the service as the demo has.
import { startService } from '../../scripts/lib/service.mjs';

/** A running service with its own database. */
export interface TestService {
  readonly address: string;
  readonly client: ServiceClient;
  /** Of an administrator, for the command line. */
  readonly token: string;
  readonly signIn: { readonly name: string; readonly password: string };
  readonly pid: number;
  readonly databaseUrl: string;
  /** A place for files, removed at the end. */
  readonly folder: string;
  stop(): Promise<void>;
  /** Kills the service and starts it again on the same database. @returns a client of the new one */
  killAndRestart(): Promise<ServiceClient>;
}

export async function startTestService(env: Record<string, string> = {}): Promise<TestService> {
  const database = await createTestDatabase();
  const folder = mkdtempSync(join(tmpdir(), 'jadefence-'));
  const signInFile = join(folder, 'sign-in');
  const start = () =>
    startService(
      {
        JADEFENCE_DATABASE_URL: database.url,
        JADEFENCE_SIGN_IN_FILE: signInFile,
        JADEFENCE_PORT: '0',
        JADEFENCE_LOG_LEVEL: 'error',
        ...env,
      },
      'ignore',
    );
  let service = await start();
  const signIn = Object.fromEntries(
    [...readFileSync(signInFile, 'utf8').matchAll(/^(\w+): (.*)$/gm)].map(([, key, value]) => [key!, value!]),
  ) as { name: string; password: string };
  const { token } = await new ServiceClient({ baseUrl: service.address }).createToken(signIn, {
    name: 'test',
    scope: 'administrator',
  });
  return {
    get address() {
      return service.address;
    },
    client: new ServiceClient({ baseUrl: service.address, token }),
    token,
    get pid() {
      return service.pid;
    },
    signIn,
    databaseUrl: database.url,
    folder,
    async killAndRestart() {
      await service.kill();
      service = await start();
      return new ServiceClient({ baseUrl: service.address, token });
    },
    async stop() {
      await service.stop();
      await database.drop();
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Replaces the draft, whatever it is. */
export async function importInto(client: ServiceClient, fences: FenceSources): Promise<Draft> {
  return client.importFences(fences, false, (await client.draft()).version);
}

/** Makes a country table the active one at once, however different it is. */
export async function importTable(client: ServiceClient, csv: Uint8Array, name = 'countries.csv'): Promise<void> {
  await client.importDataset({ kind: 'country', name, confirm: true, replay: false }, new Uint8Array(csv));
}

/** Imports fences and a log, replays it, and answers the replay once it is done. */
export async function replayOnService(
  client: ServiceClient,
  fences: FenceSources,
  log: { name: string; bytes: Uint8Array<ArrayBuffer>; host?: string },
  { gate, held }: { gate?: string; held?: HeldBehaviour } = {},
): Promise<Replay> {
  await importInto(client, fences);
  const { id } = await client.importLog({ name: log.name, host: log.host }, log.bytes);
  const replay = await client.startReplay({ logId: id, gate, held });
  await client.followReplay(replay.id, () => undefined);
  return client.replay(replay.id);
}
