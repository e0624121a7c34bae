/** Work at random on a service that is killed, and whose database is stopped, at random moments. */
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { parseArgs } from 'node:util';
import { ServiceClient, type ReplayResult } from '@jadefence/contract';
import { Random } from '@jadefence/demo';
import pg from 'pg';
import { startCluster } from '../../../scripts/lib/cluster.mjs';
import { findPostgres } from '../../../scripts/lib/install.mjs';
import { onInterrupt } from '../../../scripts/lib/run.mjs';
import { startService } from '../../../scripts/lib/service.mjs';
import { logLine } from '../fixture.js';
import { Acknowledged } from './acknowledged.js';

const MAX_BEFORE_MS = 2500;
const MAX_AWAY_MS = 3000;
const BACK_WITHIN_MS = 60_000;
const LOG_LINES = 30_000;
const TABLES = ['198.18.0.0/16,NO\n198.19.0.0/16,SE\n', '198.18.0.0/16,SE\n198.19.0.0/16,NO\n'];

const { values } = parseArgs({
  options: { kills: { type: 'string' }, stops: { type: 'string' }, seed: { type: 'string' } },
});
const [kills, stops] = [Number(values.kills), Number(values.stops)];
const seed = Number(values.seed ?? Date.now() % 1_000_000);
const random = new Random(seed);
process.stdout.write(`seed ${seed}: ${kills} kills of the service, ${stops} stops of its database\n`);

const folder = mkdtempSync(join(tmpdir(), 'jadefence-faults-'));
const cluster = await startCluster({ name: 'faults-postgres', bin: await findPostgres(), isDurable: true });
onInterrupt(() => cluster.stop());
const database = `faults_${Date.now()}`;
await administer(`create database ${database}`);
let service = await start();
try {
  const client = await signIn();
  const acknowledged = new Acknowledged(await prepare(client()));
  const faults = [...Array<string>(kills).fill('kill'), ...Array<string>(stops).fill('stop')];
  for (const [number, fault] of shuffled(faults).entries()) {
    const work = workUntilItBreaks(client(), number, acknowledged);
    await sleep(random.below(MAX_BEFORE_MS));
    if (fault === 'kill') {
      await service.kill();
      work.end();
      await work.done;
      service = await start();
    } else {
      const mode = random.chance(0.5) ? 'immediate' : 'fast';
      await cluster.interrupt(mode, random.below(MAX_AWAY_MS));
      work.end();
      await work.done;
      await untilReady();
    }
    await acknowledged.check(client());
    process.stdout.write(`${fault} ${number + 1} of ${faults.length}: ${acknowledged.summary()}\n`);
  }
  await acknowledged.checkReplays(client());
  process.stdout.write('nothing that was acknowledged is lost, and every replay had the same result\n');
} finally {
  await service.stop();
  await administer(`drop database ${database} with (force)`);
  await cluster.stop();
  rmSync(folder, { recursive: true, force: true });
}

function start(): ReturnType<typeof startService> {
  return startService({
    JADEFENCE_DATABASE_URL: cluster.urlOf(database),
    JADEFENCE_SIGN_IN_FILE: join(folder, 'sign-in'),
    JADEFENCE_PORT: '0',
    JADEFENCE_LOG_LEVEL: 'fatal',
    JADEFENCE_CHECKPOINT_SECONDS: '0',
  });
}

/** The service lives on while its database is away; then it is ready again by itself. */
async function untilReady(): Promise<void> {
  const endsAtMs = Date.now() + BACK_WITHIN_MS;
  for (;;) {
    const health = await fetch(`${service.address}/api/v1/health`);
    if (health.status !== 200) throw new Error(`/health answered ${health.status} after the database was away`);
    if ((await fetch(`${service.address}/api/v1/ready`)).status === 200) return;
    if (Date.now() > endsAtMs) throw new Error('The database is back, and the service is not ready.');
    await sleep(200);
  }
}

async function signIn(): Promise<() => ServiceClient> {
  const fields = Object.fromEntries(
    [...readFileSync(join(folder, 'sign-in'), 'utf8').matchAll(/^(\w+): (.*)$/gm)].map(([, key, value]) => [
      key!,
      value!,
    ]),
  ) as { name: string; password: string };
  const { token } = await new ServiceClient({ baseUrl: service.address }).createToken(fields, {
    name: 'faults',
    scope: 'administrator',
  });
  return () => new ServiceClient({ baseUrl: service.address, token });
}

/** @returns the result of a replay of the first log by the first revision */
async function prepare(client: ServiceClient): Promise<ReplayResult> {
  await importTable(client, 0);
  const text = [
    'list busy addresses { 198.18.9.9 }',
    'gate shop inbound { hosts shop.example fences desk otherwise allow }',
    'fence desk enforce {',
    '  rule guess limit 40 per 60s by client when path under /login',
    '  rule north block when country in NO and path under /a',
    '  rule busy block when client in busy',
    '}',
  ].join('\n');
  const sources = { fenceFiles: [{ path: 'a.fence', text }], namedFiles: [] };
  await client.importFences(sources, false, (await client.draft()).version);
  await client.publish({ note: 'first' }, (await client.draft()).version);
  await client.importLog({ name: 'base' }, bytesOf(logOf(0, LOG_LINES)));
  const { id } = await client.startReplay({ logId: 1, against: 1 });
  await client.followReplay(id, () => undefined);
  return client.replayResult(id);
}

function importTable(client: ServiceClient, number: number): Promise<{ readonly id: number; readonly sha256: string }> {
  return client.importDataset(
    { kind: 'country', name: 'countries.csv', confirm: true, replay: false },
    bytesOf(TABLES[number % 2]!),
  );
}

function logOf(number: number, lines: number): string {
  const paths = ['/', '/login', '/a/b', `/c-${number}`];
  return Array.from(
    { length: lines },
    (_, line) => `${logLine(`198.${18 + (line % 2)}.${line % 250}.${line % 7}`, paths[line % 4]!, line % 60)}\n`,
  ).join('');
}

function bytesOf(text: string): Uint8Array<ArrayBuffer> {
  return new Uint8Array(Buffer.from(text));
}

/** Concurrent users; acknowledged writes are recorded. */
function workUntilItBreaks(
  client: ServiceClient,
  round: number,
  acknowledged: Acknowledged,
): { end(): void; readonly done: Promise<unknown> } {
  let isOver = false;
  let numDone = 0;
  const work = async (what: (number: number) => Promise<void>): Promise<void> => {
    while (!isOver) {
      numDone += 1;
      try {
        await what(round * 10_000 + numDone);
      } catch {
        // It was not acknowledged.
        await sleep(50);
      }
    }
  };
  const done = Promise.all([
    work(async (number) => {
      const { id } = await client.importLog({ name: `log ${number}` }, bytesOf(logOf(number, 500)));
      acknowledged.log(id, `log ${number}`, 500);
    }),
    work(async (number) => {
      const text = `list busy addresses { 198.18.${(number >> 8) % 250}.${number % 250} }`;
      const edited = await client.edit([{ kind: 'put', text }], (await client.draft()).version);
      acknowledged.edit(edited.version, text);
      const revision = await client.publish({ note: `note ${number}` }, edited.version);
      acknowledged.revision(revision.number, `note ${number}`);
    }),
    work(async () => {
      const { id } = await client.startReplay({ logId: 1, against: 1 });
      acknowledged.replay(id);
      await client.followReplay(id, () => undefined);
    }),
    work(async (number) => {
      const { id } = await importTable(client, number);
      acknowledged.table(id);
      await sleep(100);
    }),
  ]);
  return { end: () => void (isOver = true), done };
}

function shuffled<T>(values: readonly T[]): T[] {
  const left = [...values];
  return values.map(() => left.splice(random.below(left.length), 1)[0]!);
}

async function administer(sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: cluster.urlOf('postgres') });
  await client.connect();
  await client.query(sql);
  await client.end();
}
