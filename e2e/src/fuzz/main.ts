/**
 * `npm run fuzz`: changes inputs at random and gives them to every reader and every route. None may end a process, answer
 * 500, take longer than five seconds, or use memory without bound.
 */
import { readFileSync } from 'node:fs';
import { parseArgs } from 'node:util';
import { Random } from '@jadefence/demo';
import { CALLS, ODD_TEXTS, prepareService, type Call } from '../api-calls.js';
import { startTestService, type TestService } from '../service.js';
import { mutate } from './mutate.js';
import { openReaders, type Reader } from './readers.js';

const MAX_MS = 5000;
const MAX_MEGABYTES = 1500;
/** Of all inputs; the others go to readers. */
const TO_ROUTES = 0.2;
const AT_ONCE = 8;
const PROGRESS_EVERY = 10_000;

const { values } = parseArgs({
  options: { inputs: { type: 'string', default: '500000' }, seed: { type: 'string' } },
});
const numInputs = Number(values.inputs);
const seed = Number(values.seed ?? Date.now() % 1_000_000);
process.stdout.write(`seed ${seed}, ${numInputs.toLocaleString('en')} inputs\n`);
const random = new Random(seed);
await fuzzReaders(Math.ceil(numInputs * (1 - TO_ROUTES)));
await fuzzRoutes(Math.floor(numInputs * TO_ROUTES));
process.stdout.write('no crash, no answer of 500, none later than 5 s\n');

async function fuzzReaders(count: number): Promise<void> {
  const readers = await openReaders();
  let slowest = { ms: 0, name: '' };
  for (let number = 1; number <= count; number += 1) {
    const reader = readers[number % readers.length]!;
    const bytes = mutate(random, random.pick(reader.samples), reader.samples);
    const startedMs = performance.now();
    await readOne(reader, bytes);
    const ms = performance.now() - startedMs;
    if (ms > slowest.ms) slowest = { ms, name: reader.name };
    if (ms > MAX_MS) throw new Error(`${reader.name} took ${ms.toFixed(0)} ms for ${quote(bytes)}`);
    if (number % PROGRESS_EVERY === 0)
      process.stdout.write(
        `  readers: ${number.toLocaleString('en')}, the slowest ${slowest.name} with ${slowest.ms.toFixed(0)} ms, ${megabytesOf(process.pid)} MB\n`,
      );
  }
  mustBeBounded('the readers', process.pid);
}

async function readOne({ name, read, errors }: Reader, bytes: Buffer): Promise<void> {
  try {
    await read(bytes);
  } catch (error) {
    if (!errors.some((known) => error instanceof known))
      throw new Error(`${name}: ${(error as Error).stack} for ${quote(bytes)}`, { cause: error });
  }
}

async function fuzzRoutes(count: number): Promise<void> {
  const service = await startTestService({ JADEFENCE_LOG_LEVEL: 'fatal' });
  try {
    await prepareService(service.client);
    const counts = new Map<number, number>();
    let number = 0;
    let slowestMs = 0;
    const work = async (): Promise<void> => {
      while (number < count) {
        number += 1;
        const isReported = number % PROGRESS_EVERY === 0;
        const { status, ms } = await sendOne(service, random.pick(CALLS));
        counts.set(status, (counts.get(status) ?? 0) + 1);
        slowestMs = Math.max(slowestMs, ms);
        if (isReported)
          process.stdout.write(
            `  routes: ${number.toLocaleString('en')}, the slowest ${slowestMs.toFixed(0)} ms, ${JSON.stringify(Object.fromEntries(counts))}\n`,
          );
      }
    };
    await Promise.all(Array.from({ length: AT_ONCE }, work));
    mustBeBounded('the service', service.pid);
  } finally {
    await service.stop();
  }
}

async function sendOne(service: TestService, call: Call): Promise<{ status: number; ms: number }> {
  const { method, path, query, body } = changed(call);
  const address = `${service.address}/api/v1${path}${query}`;
  const startedMs = performance.now();
  const answer = await fetch(address, {
    method,
    headers: { 'authorization': `Bearer ${service.token}`, 'content-type': 'application/json', 'if-match': '"1"' },
    ...(body === undefined ? {} : { body: new Uint8Array(body) }),
  }).catch((error: unknown) => {
    throw new Error(`${method} ${address} was not answered for ${body && quote(body)}`, { cause: error });
  });
  const text = await answer.text();
  const ms = performance.now() - startedMs;
  const isRefused = answer.status === 503 && /"code":"busy"/.test(text);
  if (answer.status >= 500 && !isRefused)
    throw new Error(`${method} ${address} answered ${answer.status} ${text} for ${body && quote(body)}`);
  if (ms > MAX_MS) throw new Error(`${method} ${address} took ${ms.toFixed(0)} ms for ${body && quote(body)}`);
  return { status: answer.status, ms };
}

/** One part of a call is changed: its path, its query, or the bytes of its body. */
function changed({ method, path, query = {}, body }: Call): {
  method: string;
  path: string;
  query: string;
  body: Buffer | undefined;
} {
  const bytes = body === undefined ? undefined : Buffer.from(typeof body === 'string' ? body : JSON.stringify(body));
  const requested = new URLSearchParams({ ...query });
  const keys = Object.keys(query);
  const what = random.below(3);
  const parts = path.split('/');
  const at = 1 + random.below(parts.length - 1);
  const text = (): string => encodeURIComponent(random.pick(ODD_TEXTS)) || '0';
  if (what === 0 || (what === 1 && keys.length === 0 && !bytes))
    return { method, path: parts.with(at, text()).join('/'), query: '', body: bytes };
  if (what === 1 && keys.length > 0) requested.set(random.pick(keys), random.pick(ODD_TEXTS));
  const sent = bytes && what === 2 ? mutate(random, bytes, [bytes]) : bytes;
  return { method, path, query: keys.length > 0 ? `?${requested}` : '', body: sent };
}

function quote(bytes: Buffer): string {
  return JSON.stringify(bytes.toString('latin1').slice(0, 2000));
}

function megabytesOf(pid: number): number {
  const [, kilobytes = '0'] = /^VmRSS:\s+(\d+)/m.exec(readFileSync(`/proc/${pid}/status`, 'utf8')) ?? [];
  return Math.round(Number(kilobytes) / 1024);
}

function mustBeBounded(what: string, pid: number): void {
  const megabytes = megabytesOf(pid);
  if (megabytes > MAX_MEGABYTES) throw new Error(`${what} used ${megabytes} MB`);
  process.stdout.write(`  ${what} used ${megabytes} MB\n`);
}
