/** A service with its own database, the reference data and rules of the pinned log, and logs streamed from the generator. */
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { ServiceClient } from '@jadefence/contract';
import pg from 'pg';
import { startCluster } from '../../../scripts/lib/cluster.mjs';
import { findPostgres } from '../../../scripts/lib/install.mjs';
import { onInterrupt } from '../../../scripts/lib/run.mjs';
import { startService } from '../../../scripts/lib/service.mjs';
import { frozenPolicy, frozenRequests, frozenScenery } from './pinned-workload.js';
import { formatCombined } from './requests.js';
import { formatIpv4 } from './fixtures.js';

/** As Linux counts the time of processes. */
const TICKS_A_SECOND = 100;
const PIECE_CHARACTERS = 1_000_000;

/** What a bench has of the service. */
export interface ServiceFixture {
  readonly client: ServiceClient;
  readonly address: string;
  readonly token: string;
  readonly signIn: { readonly name: string; readonly password: string };
  readonly pid: number;
}

/** Runs a service for as long as `work` takes, its reference data and rules brought in. */
export async function withService(work: (fixture: ServiceFixture) => Promise<void>): Promise<void> {
  const cluster = await startCluster({ name: 'bench-postgres', bin: await findPostgres(), isDurable: true });
  onInterrupt(() => cluster.stop());
  const folder = mkdtempSync(join(tmpdir(), 'jadefence-bench-'));
  try {
    const database = `bench_${Date.now()}`;
    await request(cluster.urlOf('postgres'), `create database ${database}`);
    const signInFile = join(folder, 'sign-in');
    const { address, pid, stop } = await startService({
      JADEFENCE_DATABASE_URL: cluster.urlOf(database),
      JADEFENCE_SIGN_IN_FILE: signInFile,
      JADEFENCE_PORT: '0',
      JADEFENCE_LOG_LEVEL: 'error',
    });
    try {
      const signIn = readSignIn(signInFile);
      const token = await createToken(address, signIn);
      const client = new ServiceClient({ baseUrl: address, token });
      await bringInReferenceData(client);
      await work({ client, address, token, signIn, pid });
    } finally {
      await stop();
      await request(cluster.urlOf('postgres'), `drop database ${database} with (force)`);
    }
  } finally {
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

function readSignIn(path: string): ServiceFixture['signIn'] {
  const fields = [...readFileSync(path, 'utf8').matchAll(/^(\w+): (.*)$/gm)];
  return Object.fromEntries(fields.map(([, key, value]) => [key!, value!])) as ServiceFixture['signIn'];
}

async function createToken(address: string, signIn: ServiceFixture['signIn']): Promise<string> {
  const client = new ServiceClient({ baseUrl: address });
  return (await client.createToken(signIn, { name: 'bench', scope: 'administrator' })).token;
}

async function bringInReferenceData(client: ServiceClient): Promise<void> {
  const { countries, categories } = frozenScenery();
  const bytes = (lines: readonly string[]): Uint8Array<ArrayBuffer> => new TextEncoder().encode(lines.join(''));
  const ranges = countries.map(({ first, last, country }) => `${formatIpv4(first)},${formatIpv4(last)},${country}\n`);
  await client.importDataset({ kind: 'country', name: 'frozen', confirm: true, replay: false }, bytes(ranges));
  const sites = categories.map(([domain, category]) => `${domain},${category}\n`);
  const { id } = await client.importDataset(
    { kind: 'category', name: 'frozen', confirm: true, replay: false },
    bytes(sites),
  );
  await client.settleDataset(id);
  const sources = { fenceFiles: [{ path: 'frozen.fence', text: frozenPolicy(200).fences }], namedFiles: [] };
  await client.importFences(sources, false, (await client.draft()).version);
}

/** Lines of the frozen log, never written as a file. @param from how many of its requests are passed over */
export function streamOf(numRequests: number, from = 0): ReadableStream<Uint8Array> {
  const pieces = function* (): Generator<Buffer> {
    let text = '';
    let number = 0;
    for (const request of frozenRequests(from + numRequests)) {
      if (++number <= from) continue;
      text += formatCombined(request);
      if (text.length < PIECE_CHARACTERS) continue;
      yield Buffer.from(text);
      text = '';
    }
    yield Buffer.from(text);
  };
  return Readable.toWeb(Readable.from(pieces(), { objectMode: false })) as ReadableStream<Uint8Array>;
}

/** Processor seconds of a process with all its threads since it began, as the system counts them. */
export function busySeconds(pid: number): number {
  const fields = readFileSync(`/proc/${pid}/stat`, 'utf8')
    .replace(/^.*\) /, '')
    .split(' ');
  return (Number(fields[11]) + Number(fields[12])) / TICKS_A_SECOND;
}

async function request(url: string, sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  await client.query(sql);
  await client.end();
}
