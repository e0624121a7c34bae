/** A slow request delays no other. */
import { once } from 'node:events';
import { Worker } from 'node:worker_threads';
import type { ServiceClient, ServiceError } from '@jadefence/contract';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { logLine } from './fixture.js';
import { startTestService, type TestService } from './service.js';

/** How long the thread that answers may compute while a client waits for `/health`; twice the goal, since machines differ. */
const MAX_COMPUTED_MS = 400;
/** Nor may it sleep for so long, beyond its turns in the queue for a processor and three times what an idle server took. */
const MAX_SLEPT_MS = 2000;
const SAME_LOAD = 3;
const NUM_RULES = 20_000;

let service: TestService;
let client: ServiceClient;
beforeAll(async () => {
  // A slow machine takes a minute for so many rules; here it only matters that nothing else waits.
  service = await startTestService({ JADEFENCE_REQUEST_SECONDS: '600' });
  ({ client } = service);
}, 60_000);
afterAll(() => service.stop());

const sources = (text: string) => ({ fenceFiles: [{ path: 'site.fence', text }], namedFiles: [] });

function fencesWith(rules: readonly string[]): string {
  return `gate shop inbound { hosts shop.example fences desk otherwise allow }\nfence desk enforce {\n${rules.join('\n')}\n}\n`;
}
const MANY = fencesWith(
  Array.from(
    { length: NUM_RULES },
    (_, n) => `  rule r${n} block when path under /area-${n} and client in 198.18.${n % 250}.0/24`,
  ),
);

/**
 * Runs in a thread, since this one has answers of megabytes to parse: polls the service and an idle server again and
 * again, and reports the longest wait of each. Of the service it reads from the kernel how long its main thread computed and
 * how long that thread was in the queue for a processor: a busy machine makes any client wait, only a fault computes.
 */
const ASKING = `
const { parentPort, workerData, Worker } = require('node:worker_threads');
const { readFileSync } = require('node:fs');
let isDone = false;
parentPort.once('message', () => (isDone = true));
const idleServer = new Worker(
  "const { parentPort } = require('node:worker_threads');" +
  "const server = require('node:http').createServer((_, response) => response.end('{}'));" +
  "server.listen(0, '127.0.0.1', () => parentPort.postMessage(server.address().port));",
  { eval: true },
);
const scheduled = (pid) => readFileSync('/proc/' + pid + '/task/' + pid + '/schedstat', 'utf8').split(' ').map((ns) => ns / 1e6);
idleServer.once('message', (port) => {
  const measure = async (url, pid) => {
    const longest = { computedMs: 0, sleptMs: 0 };
    do {
      const from = performance.now();
      const [computed, queued] = scheduled(pid);
      const response = await fetch(url);
      await response.text();
      const [computedThen, queuedThen] = scheduled(pid);
      if (response.status !== 200) throw new Error('status ' + response.status);
      const computedMs = computedThen - computed;
      longest.computedMs = Math.max(longest.computedMs, computedMs);
      longest.sleptMs = Math.max(longest.sleptMs, performance.now() - from - computedMs - (queuedThen - queued));
      await new Promise((resolve) => setTimeout(resolve, 10));
    } while (!isDone);
    return longest;
  };
  Promise.all([
    measure(workerData.url, workerData.pid),
    measure('http://127.0.0.1:' + port, process.pid),
  ]).then(([service, other]) => {
    idleServer.terminate();
    parentPort.postMessage({ service, other });
  });
});`;

/** The longest that anybody waited for `/health` while `work` ran, in milliseconds: while the thread computed, and slept. */
interface Wait {
  readonly computedMs: number;
  readonly sleptMs: number;
}

async function longestWait(work: () => Promise<unknown>): Promise<Wait> {
  const polling = new Worker(ASKING, {
    eval: true,
    workerData: { url: `${service.address}/api/v1/health`, pid: service.pid },
  });
  const answered = once(polling, 'message');
  try {
    await work();
  } finally {
    polling.postMessage('done');
  }
  const [waits] = (await answered) as [Record<'service' | 'other', Wait>];
  return {
    computedMs: Math.round(waits.service.computedMs),
    sleptMs: Math.max(0, Math.round(waits.service.sleptMs - SAME_LOAD * waits.other.sleptMs)),
  };
}

const isTooLong = ({ computedMs, sleptMs }: Wait) => computedMs > MAX_COMPUTED_MS || sleptMs > MAX_SLEPT_MS;

/** What is refused is answered, too. */
async function refused(work: Promise<unknown>): Promise<string | undefined> {
  return work.then(
    () => undefined,
    (error: unknown) => (error as ServiceError).problem?.code ?? String(error),
  );
}

it('answers while a user edits, publishes and replays 20,000 rules', async () => {
  const waits: Record<string, Wait> = {};
  const during = async <T>(what: string, work: () => Promise<T>): Promise<T> => {
    let result: T;
    waits[what] = await longestWait(async () => (result = await work()));
    return result!;
  };
  const { version: empty } = await client.draft();
  await during('import', () => client.importFences(sources(MANY), false, empty));
  const { version } = await during('draft', () => client.draft());
  await during('edit', () => client.previewEdits([{ kind: 'put', text: 'list more addresses { 198.18.9.1 }' }]));
  await during('publish', () => client.publish({ note: 'many' }, version));
  await during('try', () => client.tryRequest({ client: '198.18.4.1', url: 'https://shop.example/area-4' }));
  const lines = Array.from({ length: 2000 }, (_, n) => logLine(`198.18.${n % 250}.7`, `/area-${n}`, n % 60));
  const log = await client.importLog({ name: 'day' }, new TextEncoder().encode(`${lines.join('\n')}\n`));
  await during('matches', () => client.countMatches(log.id, { text: 'rule x block when path under /area-1' }));
  const replay = await during('start', () => client.startReplay({ logId: log.id, against: 1 }));
  await during('replay', () => client.followReplay(replay.id, () => undefined));
  await during('result', () => client.replayResult(replay.id));
  const page = await during('decisions', () => client.decisions(replay.id, { offset: 0, limit: 100 }));
  expect(page.rows[1]).toMatchObject({ outcome: 'blocked', rule: 'r1' });
  await during('filter', () => client.decisions(replay.id, { offset: 0, limit: 100, where: 'path under /area-7' }));
  await during('explanation', () => client.explanation(replay.id, 1));
  await during('audit', () => client.audit({ offset: 0, limit: 10 }));
  expect(Object.entries(waits).filter(([, wait]) => isTooLong(wait))).toEqual([]);
}, 900_000);

it('answers while a client sends hostile input', async () => {
  const brackets = fencesWith([`  rule deep block when ${'('.repeat(2_000_000)}`]);
  const conditions = fencesWith([
    `  rule wide block when ${Array.from({ length: 100_000 }, (_, n) => `path under /p${n}`).join(' or ')}`,
  ]);
  const wait = await longestWait(async () => {
    const answers = await Promise.all([
      refused(client.previewImport(sources(brackets), false)),
      refused(client.previewImport(sources(conditions), false)),
      refused(client.previewImport(sources(`${'#'.repeat(4_000_000)}\n${'"'.repeat(1_000_000)}`), false)),
    ]);
    expect(answers).toEqual(['bad-fences', undefined, 'bad-fences']);
  });
  expect(wait).not.toSatisfy(isTooLong);
}, 900_000);
