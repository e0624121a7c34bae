/** What pages cost: of each route the processor time a page and how long people wait, alone and during heavy work. */
import { median } from '../measure.js';
import { busySeconds, streamOf, withService, type ServiceFixture } from './service-fixture.js';

const LOG_REQUESTS = 200_000;
const SMALL_LOG_REQUESTS = 500;
const NUM_REPLAYS = 100;
const NUM_COMPARISONS = 20;
const CLIENTS = 50;
const PAGES = 200;
/** Of those that take long. */
const FEW_PAGES = 10;
const PAGE_ROWS = 50;

interface Page {
  /** @param n counts pages, so that they differ */
  readonly path: (n: number) => string;
  /** Milliseconds of processor time a page. */
  readonly goalMs?: number;
  readonly isLong?: boolean;
}

export async function benchPages(): Promise<void> {
  await withService(async (fixture) => {
    const { client } = fixture;
    await client.publish({ note: 'bench' }, (await client.draft()).version);
    const log = await client.importLog({ name: 'day', format: 'combined-with-host' }, streamOf(LOG_REQUESTS));
    const small = await client.importLog(
      { name: 'minute', format: 'combined-with-host' },
      streamOf(SMALL_LOG_REQUESTS, LOG_REQUESTS),
    );
    const { id: replay } = await client.startReplay({ logId: log.id, against: 1 });
    await client.followReplay(replay, () => undefined);
    for (let n = 1; n < NUM_REPLAYS; n += 1) {
      const { id } = await client.startReplay({ logId: small.id, against: 1 });
      await client.followReplay(id, () => undefined);
    }
    for (let n = 0; n < NUM_COMPARISONS; n += 1) {
      const { id } = await client.startComparison({ logId: small.id, before: 1, after: 'draft' });
      await client.followComparison(id, () => undefined);
    }
    process.stdout.write(
      `pages: a log of ${LOG_REQUESTS.toLocaleString('en')} requests, 200 rules, ${NUM_REPLAYS} replays, ${NUM_COMPARISONS} comparisons; ${CLIENTS} clients at once\n`,
    );
    const pages = pagesOf(replay, log.id);
    await measureAll(fixture, pages, 'alone', true);
    let isDone = false;
    // Prepared first, since preparing it would delay requests.
    const next = new Uint8Array(await new Response(streamOf(5 * LOG_REQUESTS, 2 * LOG_REQUESTS)).arrayBuffer());
    const more = client
      .importLog({ name: 'next days', format: 'combined-with-host' }, next)
      .finally(() => (isDone = true));
    // Its consumer handles a failure, which may occur before anybody waits.
    more.catch(() => undefined);
    await measureAll(fixture, pages, 'during an import', false, () => isDone);
    const { id: second } = await client.startReplay({ logId: (await more).id, against: 1 });
    isDone = false;
    const replayed = client.followReplay(second, () => undefined).finally(() => (isDone = true));
    replayed.catch(() => undefined);
    await measureAll(fixture, pages, 'during a replay', false, () => isDone);
    await replayed;
  });
}

function pagesOf(replay: number, log: number): Readonly<Record<string, Page>> {
  const decisions = (n: number): string =>
    `/replays/${replay}/decisions?limit=${PAGE_ROWS}&offset=${(n * 7919 * PAGE_ROWS) % (LOG_REQUESTS - PAGE_ROWS)}`;
  return {
    'list of replays': { path: () => '/replays', goalMs: 10 },
    'page of decisions': { path: decisions, goalMs: 15 },
    'next page of decisions': {
      path: (n) => `/replays/${replay}/decisions?limit=${PAGE_ROWS}&offset=${n * PAGE_ROWS}`,
      goalMs: 15,
    },
    'page of a filter': {
      path: (n) => `${decisions(n % 40)}&where=method%20%3D%20POST`.replace(/offset=\d+/, `offset=${n * 5}`),
    },
    'explanation': {
      path: (n) => `/replays/${replay}/decisions/${(n * 7919) % LOG_REQUESTS}/explanation`,
      isLong: true,
    },
    'result of a replay': { path: () => `/replays/${replay}/result` },
    'replay': { path: () => `/replays/${replay}` },
    'list of comparisons': { path: () => '/comparisons' },
    'changes of a comparison': { path: () => '/comparisons/1/changes?limit=50&offset=0' },
    'draft': { path: () => '/draft' },
    'list of revisions': { path: () => '/revisions' },
    'list of logs': { path: () => '/logs' },
    'countries': { path: () => `/countries?log=${log}` },
    'audit trail': { path: () => '/audit?offset=0&limit=50' },
    'signed in': { path: () => '/session' },
  };
}

async function measureAll(
  fixture: ServiceFixture,
  pages: Readonly<Record<string, Page>>,
  when: string,
  isAlone: boolean,
  isOver = (): boolean => false,
): Promise<void> {
  process.stdout.write(`  ${when}\n`);
  for (const [name, page] of Object.entries(pages)) {
    if (isOver()) return void process.stdout.write('    it ended before the other pages were requested\n');
    // The first request fills the caches, which later pages use.
    if (isAlone) await request(fixture, page.path(0));
    const count = page.isLong || !isAlone ? FEW_PAGES : PAGES;
    const before = busySeconds(fixture.pid);
    const waits = await requestMany(fixture, page, count);
    const cpuMs = (1000 * (busySeconds(fixture.pid) - before)) / count;
    const goal = page.goalMs === undefined ? '' : ` (goal: ${page.goalMs})`;
    // During other work the time of the processor is that of both.
    const cpu = isAlone ? `${cpuMs.toFixed(1).padStart(6)} ms of processor a page${goal}, ` : '';
    const sorted = waits.sort((a, b) => a - b);
    process.stdout.write(
      `    ${name.padEnd(24)} ${cpu}waited ${median(sorted).toFixed(0)} ms in the median, ${sorted.at(-1)!.toFixed(0)} at most\n`,
    );
  }
}

/** @returns how long each page was waited for, in milliseconds */
async function requestMany(fixture: ServiceFixture, { path }: Page, count: number): Promise<number[]> {
  const waits: number[] = [];
  let next = 0;
  const client = async (): Promise<void> => {
    while (next < count) {
      const startedMs = performance.now();
      await request(fixture, path(next++));
      waits.push(performance.now() - startedMs);
    }
  };
  await Promise.all(Array.from({ length: CLIENTS }, client));
  return waits;
}

async function request({ address, token }: ServiceFixture, path: string): Promise<void> {
  const response = await fetch(`${address}/api/v1${path}`, { headers: { authorization: `Bearer ${token}` } });
  const text = await response.text();
  if (response.status !== 200) throw new Error(`${path} answered ${response.status}: ${text}`);
}
