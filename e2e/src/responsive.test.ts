/** A slow request delays no other. */
import { once } from 'node:events';
import { Worker } from 'node:worker_threads';
import type { ServiceClient, ServiceError } from '@jadefence/contract';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { logLine } from './fixture.js';
import { startTestService, type TestService } from './service.js';

/** Within this time /health answers, whatever else the service does. */
const MAX_WAIT_MS = 200;
/** A busy machine lets threads wait by chance, so that the other server may have waited three times as long as it did. */
const SAME_LOAD = 3;
const NUM_RULES = 20_000;

let service: TestService;
let client: ServiceClient;
beforeAll(async () => {
  service = await startTestService();
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
 * again, and reports the longest wait of each. A machine that is busy or slow is so for both.
 */
const ASKING = `
const { parentPort, workerData, Worker } = require('node:worker_threads');
let isDone = false;
parentPort.once('message', () => (isDone = true));
const beside = new Worker(
  "const { parentPort } = require('node:worker_threads');" +
  "const server = require('node:http').createServer((_, response) => response.end('{}'));" +
  "server.listen(0, '127.0.0.1', () => parentPort.postMessage(server.address().port));",
  { eval: true },
);
beside.once('message', (port) => {
  const measure = async (url) => {
    let longestMs = 0;
    do {
      const from = performance.now();
      const response = await fetch(url);
      await response.text();
      longestMs = response.status === 200 ? Math.max(longestMs, performance.now() - from) : Infinity;
      await new Promise((resolve) => setTimeout(resolve, 10));
    } while (!isDone);
    return longestMs;
  };
  Promise.all([measure(workerData), measure('http://127.0.0.1:' + port)]).then(([service, other]) => {
    beside.terminate();
    parentPort.postMessage({ service, other });
  });
});`;

/** How much longer than for a server beside it anybody waited for `/health` while `work` ran, in milliseconds. */
async function longestWait(work: () => Promise<unknown>): Promise<number> {
  const polling = new Worker(ASKING, { eval: true, workerData: `${service.address}/api/v1/health` });
  const answered = once(polling, 'message');
  try {
    await work();
  } finally {
    polling.postMessage('done');
  }
  const [{ service: waited, other }] = (await answered) as [{ service: number; other: number }];
  return Math.max(0, Math.round(waited - SAME_LOAD * other));
}

/** What is refused is answered, too. */
async function refused(work: Promise<unknown>): Promise<string | undefined> {
  return work.then(
    () => undefined,
    (error: unknown) => (error as ServiceError).problem?.code ?? String(error),
  );
}

it('answers while a user edits, publishes and replays 20,000 rules', async () => {
  const waits: Record<string, number> = {};
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
  expect(Object.entries(waits).filter(([, wait]) => wait > MAX_WAIT_MS)).toEqual([]);
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
  expect(wait).toBeLessThanOrEqual(MAX_WAIT_MS);
}, 900_000);
