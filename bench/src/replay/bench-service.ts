/** The service as a whole: a log streamed into it, replayed by it, and the memory that this takes. */
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { ServiceClient } from '@jadefence/contract';
import pg from 'pg';
import { startCluster } from '../../../scripts/lib/cluster.mjs';
import { findPostgres } from '../../../scripts/lib/install.mjs';
import { startService } from '../../../scripts/lib/service.mjs';
import { frozenPolicy, frozenRequests, frozenScenery } from './frozen.js';
import { formatCombined } from './requests.js';
import { formatIpv4 } from './scenery.js';

const SAMPLE_MS = 100;
/** As Linux counts the time of processes. */
const TICKS_A_SECOND = 100;
const PIECE_CHARACTERS = 1_000_000;

/** @param numRequests streamed from the generator, never written as a file */
export async function benchService(numRequests: number): Promise<void> {
  const cluster = await startCluster({ name: 'bench-postgres', bin: await findPostgres(), isDurable: true });
  const folder = mkdtempSync(join(tmpdir(), 'jadefence-bench-'));
  try {
    const database = `bench_${Date.now()}`;
    await ask(cluster.urlOf('postgres'), `create database ${database}`);
    const service = await startService({
      JADEFENCE_DATABASE_URL: cluster.urlOf(database),
      JADEFENCE_SIGN_IN_FILE: join(folder, 'sign-in'),
      JADEFENCE_PORT: '0',
      JADEFENCE_LOG_LEVEL: 'error',
    });
    try {
      await measure(service.address, service.pid, join(folder, 'sign-in'), numRequests);
    } finally {
      await service.stop();
      await ask(cluster.urlOf('postgres'), `drop database ${database} with (force)`);
    }
  } finally {
    await cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

async function measure(address: string, pid: number, signInFile: string, numRequests: number): Promise<void> {
  const signIn = Object.fromEntries(
    [...readFileSync(signInFile, 'utf8').matchAll(/^(\w+): (.*)$/gm)].map(([, key, value]) => [key!, value!]),
  ) as { name: string; password: string };
  const { token } = await new ServiceClient({ baseUrl: address }).createToken(signIn, {
    name: 'bench',
    scope: 'administrator',
  });
  const client = new ServiceClient({ baseUrl: address, token });
  await bringInReferenceData(client);
  process.stdout.write(`service: ${numRequests.toLocaleString('en')} requests of the frozen log, 200 rules\n`);
  const memory = new ResidentMemory(pid);
  const log = await tell('imported over HTTP', numRequests, memory, () =>
    client.importLog({ name: 'frozen', format: 'combined-with-host' }, streamOf(numRequests)),
  );
  const replay = await client.startReplay({ logId: log.id, against: 'draft' });
  const end = await tell('replayed', numRequests, memory, () => client.followReplay(replay.id, () => undefined));
  memory.stop();
  if (end.state !== 'done') throw new Error(`The replay ended ${end.state}: ${end.failure}`);
}

async function bringInReferenceData(client: ServiceClient): Promise<void> {
  const { countries, categories } = frozenScenery();
  const bytes = (lines: readonly string[]): Uint8Array<ArrayBuffer> => new TextEncoder().encode(lines.join(''));
  const ranges = countries.map(({ first, last, country }) => `${formatIpv4(first)},${formatIpv4(last)},${country}\n`);
  await client.importDataset({ kind: 'country', name: 'frozen', yes: 'true', replay: 'no' }, bytes(ranges));
  const sites = categories.map(([domain, category]) => `${domain},${category}\n`);
  const { id } = await client.importDataset(
    { kind: 'category', name: 'frozen', yes: 'true', replay: 'no' },
    bytes(sites),
  );
  await client.settleDataset(id);
  const sources = { fenceFiles: [{ path: 'frozen.fence', text: frozenPolicy(200).fences }], namedFiles: [] };
  await client.importFences(sources, false, (await client.draft()).version);
}

function streamOf(numRequests: number): ReadableStream<Uint8Array> {
  const pieces = function* (): Generator<Buffer> {
    let text = '';
    for (const request of frozenRequests(numRequests)) {
      text += formatCombined(request);
      if (text.length < PIECE_CHARACTERS) continue;
      yield Buffer.from(text);
      text = '';
    }
    yield Buffer.from(text);
  };
  return Readable.toWeb(Readable.from(pieces(), { objectMode: false })) as ReadableStream<Uint8Array>;
}

async function tell<T>(what: string, numRequests: number, memory: ResidentMemory, work: () => Promise<T>): Promise<T> {
  const startedMs = performance.now();
  memory.begin();
  const before = memory.mostMegabytes;
  const busyBefore = memory.busySeconds;
  const result = await work();
  const seconds = (performance.now() - startedMs) / 1000;
  const busy = (memory.busySeconds - busyBefore) / seconds;
  process.stdout.write(
    `  ${what.padEnd(20)} ${seconds.toFixed(1)} s, ${Math.round(numRequests / seconds).toLocaleString('en')} requests/s, resident at most ${memory.mostMegabytes} MB, ${before} MB before; it kept ${busy.toFixed(1)} processors busy, of ${availableParallelism()}\n`,
  );
  return result;
}

/** Of a process with all its threads, as the system counts it. */
class ResidentMemory {
  #most = 0;
  readonly #timer = setInterval(() => this.#sample(), SAMPLE_MS);

  constructor(private readonly pid: number) {}

  begin(): void {
    this.#most = 0;
    this.#sample();
  }

  #sample(): void {
    const [, kilobytes = '0'] = /^VmRSS:\s+(\d+)/m.exec(readFileSync(`/proc/${this.pid}/status`, 'utf8')) ?? [];
    this.#most = Math.max(this.#most, Number(kilobytes));
  }

  get mostMegabytes(): number {
    return Math.round(this.#most / 1024);
  }

  /** Of processors, since it began. */
  get busySeconds(): number {
    const fields = readFileSync(`/proc/${this.pid}/stat`, 'utf8')
      .replace(/^.*\) /, '')
      .split(' ');
    return (Number(fields[11]) + Number(fields[12])) / TICKS_A_SECOND;
  }

  stop(): void {
    clearInterval(this.#timer);
  }
}

async function ask(url: string, sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  await client.query(sql);
  await client.end();
}
