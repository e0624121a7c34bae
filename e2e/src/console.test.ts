import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import AxeBuilder from '@axe-core/playwright';
import { DEMO_LOG, writeInboundLog } from '@jadefence/demo';
import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { ROOT } from './root.js';
import { replayOnService, startTestService, type TestService } from './service.js';

const CHROMIUM_FLAGS = ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'];
let service: TestService;
let browser: Browser;

const demoFile = (name: string): string => readFileSync(join(ROOT, 'demo', name), 'utf8');

beforeAll(async () => {
  service = await startTestService();
  await service.client.importCountryTable('countries.csv', new Uint8Array(Buffer.from(demoFile('data/countries.csv'))));
  const log = join(service.folder, 'day.log');
  await writeInboundLog(DEMO_LOG, log, `${log}.labels`);
  const fenceFiles = ['lists', 'gates', 'fences'].map((name) => ({ path: `${name}.fence`, text: demoFile(`fences/${name}.fence`) }));
  const listFiles = [{ path: 'lists/tout-networks.txt', text: demoFile('fences/lists/tout-networks.txt') }];
  await replayOnService(service.client, { fenceFiles, listFiles }, { name: 'day', bytes: new Uint8Array(readFileSync(log)) });
  browser = await chromium.launch({ executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium', args: CHROMIUM_FLAGS });
});
afterAll(async () => {
  await browser?.close();
  await service.stop();
});

/** A page of its own, signed in unless said; its errors fail the test. */
async function open(path: string, look: { isSignedOut?: boolean; isDark?: boolean; width?: number } = {}): Promise<{ page: Page; context: BrowserContext; errors: string[] }> {
  const context = await browser.newContext({ viewport: { width: look.width ?? 1280, height: 800 }, colorScheme: look.isDark ? 'dark' : 'light' });
  const { name, password } = service.signIn;
  if (!look.isSignedOut) await context.request.post(`${service.address}/api/v1/sign-in`, { data: { name, password } });
  context.setDefaultTimeout(8000);
  const page = await context.newPage();
  const errors: string[] = [];
  page.on('pageerror', (error) => errors.push(error.message));
  page.on('console', (message) => message.type() === 'error' && !message.text().includes('401') && errors.push(message.text()));
  await page.goto(`${service.address}${path}`);
  return { page, context, errors };
}

describe('the console', () => {
  it('asks for a sign-in, says when it is wrong, and leads to the page that was asked for', async () => {
    const { page, context } = await open('/replays', { isSignedOut: true });
    await page.getByLabel('Password').fill('wrong');
    await page.getByRole('button', { name: 'Sign in' }).click();
    await expect.poll(() => page.getByRole('alert').textContent()).toContain('The name or the password is wrong.');
    await page.getByLabel('Password').fill(service.signIn.password);
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Replays' }).waitFor();
    await page.getByRole('button', { name: 'Sign out' }).click();
    await page.getByRole('heading', { name: 'Sign in to Jade Fence' }).waitFor();
    await context.close();
  });

  it('shows the rules in order as sentences with their hits', async () => {
    const { page, context, errors } = await open('/');
    await page.getByText('1,500').first().waitFor();
    const rules = await page.getByRole('listitem').allTextContents();
    expect(rules.length).toBe(10);
    expect(rules[2]).toContain('Block with 403 when the client is in tout-networks (3 address entries).');
    expect(rules[2]).toContain('1,500');
    expect(errors).toEqual([]);
    await context.close();
  });

  it('shows a replay with its decisions, and explains one', async () => {
    const { page, context, errors } = await open('/replays/1');
    await page.getByText('54,704').waitFor();
    await page.getByText('each bar is 15 min').waitFor();
    await page.getByRole('button', { name: 'all outcomes' }).click();
    await page.getByRole('option', { name: 'blocked' }).click();
    await page.getByText('1 to 25 of 5,271').waitFor();
    await page.getByRole('button', { name: 'Later' }).click();
    await page.getByText('26 to 50 of 5,271').waitFor();
    await page.getByRole('region', { name: 'Decisions' }).getByRole('row').filter({ hasText: 'house/touts' }).first().getByRole('button').press('Enter');
    const panel = page.getByRole('dialog');
    await panel.getByText('Rule house/touts blocked it.').waitFor();
    expect(await panel.textContent()).toContain('tout-networks holds it as 198.19.96.0/24');
    await page.keyboard.press('Escape');
    await panel.waitFor({ state: 'detached' });
    expect(errors).toEqual([]);
    await context.close();
  });

  it.each([
    ['/', false, 1280], ['/', true, 400], ['/replays', false, 1280], ['/replays/1', false, 1280], ['/replays/1', true, 1280], ['/replays/1', false, 400], ['/nothing', false, 1280],
  ])('has nothing serious for axe to find on %s (dark: %s, %i wide), and does not scroll sideways', async (path, isDark, width) => {
    const { page, context } = await open(path, { isDark, width });
    await page.getByRole('main').waitFor();
    await page.waitForLoadState('networkidle');
    const { violations } = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']).analyze();
    expect(violations.map(({ id, nodes }) => `${id}: ${nodes.map((node) => node.html).join(' ')}`)).toEqual([]);
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(width);
    await context.close();
  });
});
