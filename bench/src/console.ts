import { chromium, type CDPSession, type Page } from 'playwright-core';
import { findChromium } from '../../scripts/lib/install.mjs';
import { median } from './measure.js';
import { streamOf, withService, type ServiceFixture } from './replay/service-fixture.js';

const ROUNDS = 5;
const NUM_FENCES = 20;
const RULES_A_FENCE = 100;
const NUM_REQUESTS = 300_000;
/** After this long without work a page has done what was requested. */
const QUIET_MS = 400;

/** What users do most, each with its goal in milliseconds. */
const GOALS = {
  'first view of 2,000 rules': 1000,
  'a key in the filter': 50,
  'a rule turned off': 200,
  'a rule moved by keys': 200,
  'a page of decisions far down': 300,
  'first rows of a filter': 1000,
} as const;
type Action = keyof typeof GOALS;

/** The console at real size in headless Chromium: processor time of the page's main thread, and time until it is shown. */
export async function benchConsole(): Promise<void> {
  await withService(async (fixture) => {
    const replayId = await prepare(fixture);
    const browser = await chromium.launch({
      executablePath: await findChromium(),
      args: ['--no-sandbox', '--disable-gpu'],
    });
    try {
      const measured = new Map<Action, { busyMs: number[]; wallMs: number[] }>();
      for (let round = 0; round < ROUNDS; round += 1) await measureRound(fixture, replayId, browser, measured);
      report(measured);
    } finally {
      await browser.close();
    }
  });
}

async function prepare({ client }: ServiceFixture): Promise<number> {
  const { id: logId } = await client.importLog({ name: 'frozen' }, streamOf(NUM_REQUESTS));
  const { id } = await client.startReplay({ logId, against: 'draft' });
  await client.followReplay(id, () => undefined);
  const fences = Array.from({ length: NUM_FENCES }, (_, fence) => {
    const rules = Array.from(
      { length: RULES_A_FENCE },
      (_unused, rule) => `rule r${fence}-${rule} block when path under /p${fence}/${rule} and method = GET`,
    );
    return `fence f${fence} enforce "Fence ${fence}" {\n${rules.join('\n')}\n}\n`;
  });
  const sources = { fenceFiles: [{ path: 'large.fence', text: fences.join('') }], namedFiles: [] };
  await client.importFences(sources, false, (await client.draft()).version);
  return id;
}

async function measureRound(
  { address, signIn }: ServiceFixture,
  replayId: number,
  browser: Awaited<ReturnType<typeof chromium.launch>>,
  measured: Map<Action, { busyMs: number[]; wallMs: number[] }>,
): Promise<void> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const { name, password } = signIn;
  await context.request.post(`${address}/api/v1/session`, { data: { name, password } });
  const page = await context.newPage();
  const session = await context.newCDPSession(page);
  await session.send('Performance.enable');
  const time = async (action: Action, work: () => Promise<void>): Promise<void> => {
    const before = await busyMsOf(session);
    const startedMs = performance.now();
    await work();
    const wallMs = performance.now() - startedMs;
    await page.waitForTimeout(QUIET_MS);
    const times = measured.get(action) ?? { busyMs: [], wallMs: [] };
    measured.set(action, times);
    times.busyMs.push((await busyMsOf(session)) - before);
    times.wallMs.push(wallMs);
  };
  await useFences(page, address, time);
  await useDecisions(page, `${address}/replays/${replayId}`, time);
  await context.close();
}

type Timer = (action: Action, work: () => Promise<void>) => Promise<void>;

async function useFences(page: Page, address: string, time: Timer): Promise<void> {
  const filter = page.getByLabel('Show only rules with this text');
  const rule = (name: string) => page.getByText(name, { exact: true });
  await time('first view of 2,000 rules', async () => {
    await page.goto(`${address}/fences`);
    await rule('r0-0').waitFor();
  });
  await filter.focus();
  await time('a key in the filter', async () => {
    await page.keyboard.press('7');
    await rule('r0-1').waitFor({ state: 'detached' });
  });
  await filter.fill('');
  await rule('r0-1').waitFor();
  await page.getByRole('button', { name: 'More for rule r0-1', exact: true }).click();
  await time('a rule turned off', async () => {
    await page.getByRole('menuitem', { name: /^Turn o/ }).click();
    await page.getByRole('menuitem').first().waitFor({ state: 'detached' });
  });
  await page.waitForTimeout(2000);
  const handle = page.getByRole('button', { name: /^Move rule r0-2,/ });
  const from = Number(/\d+$/.exec((await handle.getAttribute('aria-label'))!)![0]);
  await handle.focus();
  await time('a rule moved by keys', async () => {
    await page.keyboard.press('Space');
    await page.getByText('would be at position').waitFor({ state: 'attached' });
    await page.keyboard.press('ArrowDown');
    await page.getByText(`would be at position ${from + 1} of`).waitFor({ state: 'attached' });
    await page.keyboard.press('Space');
    await page.getByRole('button', { name: `Move rule r0-2, now ${from + 1}` }).waitFor();
  });
}

async function useDecisions(page: Page, address: string, time: Timer): Promise<void> {
  await page.goto(address);
  await page.getByText('1 to 25 of').waitFor();
  await time('a page of decisions far down', async () => {
    await page.getByLabel('Go to number').fill(String(NUM_REQUESTS - 30));
    await page.keyboard.press('Enter');
    await page.getByText(new RegExp(`^${(NUM_REQUESTS - 30).toLocaleString('en')} to`)).waitFor();
  });
  await time('first rows of a filter', async () => {
    await page.getByLabel('Filter').fill(`line >= ${NUM_REQUESTS / 2} and method = POST`);
    await page.keyboard.press('Enter');
    await page.getByText(/^1 to 25 of/).waitFor();
  });
}

/** Time that the main thread of a page has worked. */
async function busyMsOf(session: CDPSession): Promise<number> {
  const { metrics } = await session.send('Performance.getMetrics');
  return 1000 * metrics.find(({ name }) => name === 'TaskDuration')!.value;
}

function report(measured: ReadonlyMap<Action, { busyMs: readonly number[]; wallMs: readonly number[] }>): void {
  process.stdout.write(
    `console: ${NUM_FENCES * RULES_A_FENCE} rules in ${NUM_FENCES} fences, ${NUM_REQUESTS.toLocaleString('en')} decisions, median of ${ROUNDS} rounds\n`,
  );
  for (const [action, { busyMs, wallMs }] of measured) {
    const spread = `${Math.min(...busyMs).toFixed(0)} to ${Math.max(...busyMs).toFixed(0)}`;
    process.stdout.write(
      `  ${action.padEnd(28)} ${median(busyMs).toFixed(0).padStart(5)} ms of processor (${spread}; goal ${GOALS[action]}), shown after ${median(wallMs).toFixed(0)} ms\n`,
    );
  }
}
