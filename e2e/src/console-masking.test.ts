/** Masking, and what a gate sees of a log, in the console. */
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { launchBrowser, onAccessiblePage } from './browser.js';
import { replayOnService, startTestService, type TestService } from './service.js';

const TEXT = `gate shop inbound { hosts shop.example fences desk otherwise allow }
gate guests outbound { clients 198.18.48.0/22 fences desk otherwise allow }
fence desk enforce { rule login block when path under /login }
`;
const fences = { fenceFiles: [{ path: 'site.fence', text: TEXT }], namedFiles: [] };

/** Visitors of the shop behind a proxy, then guests, half of them encrypted. */
const LOG = Array.from({ length: 40 }, (_, index) =>
  JSON.stringify({
    'timestamp': new Date(Date.UTC(2026, 9, 12, 10, 0, index)).toISOString(),
    'network.peer.address': index < 20 ? '203.0.113.9' : '198.18.48.77',
    'url.full': index < 20 ? 'http://shop.example/login' : `${index % 2 ? 'https' : 'http'}://x.example/login`,
    'http.request.method': 'GET',
    ...(index < 20 ? { 'http.request.header.x-forwarded-for': ['198.51.100.7'] } : {}),
  }),
).join('\n');

let service: TestService;
let browser: Browser;
let replayId: number;
beforeAll(async () => {
  [service, browser] = [await startTestService(), await launchBrowser()];
  ({ id: replayId } = await replayOnService(service.client, fences, {
    name: 'day',
    bytes: new TextEncoder().encode(LOG),
  }));
});
afterAll(async () => {
  await browser?.close();
  await service.stop();
});

const on = (path: string, work: (page: Page) => Promise<void>): Promise<void> =>
  onAccessiblePage(service, browser, path, work);

it('the form of a gate shows whom its header makes the client before it is saved', () =>
  on('/gates', async (page) => {
    await page.getByRole('button', { name: 'Edit gate shop' }).click();
    await page.getByText('day: 20 requests at this gate.').waitFor();
    await page.getByRole('button', { name: /^Address of the client from/ }).click();
    await page.getByRole('option', { name: 'X-Forwarded-For' }).click();
    await page.getByLabel('Proxies that are trusted to name it', { exact: true }).fill('203.0.113.0/24');
    await page.keyboard.press('Enter');
    await page.getByText('20 have the header, and the client changes in 20').waitFor();
  }));

it('a rule that encryption hides a field from reports of how many requests', () =>
  on('/fences', async (page) => {
    await page.getByRole('button', { name: 'Edit rule login' }).click();
    await page.getByText('Cannot see the path of 10 of 40 requests here').waitFor();
  }));

it('clients are masked for everyone, and shown for a while to an administrator with a reason', () =>
  on('/settings', async (page) => {
    await page.getByRole('button', { name: 'Add mask' }).click();
    await page.getByRole('region', { name: 'Masked fields' }).getByText('shortened to /24 or /48').waitFor();
    await page.goto(`${service.address}/replays/${replayId}`);
    await page.getByRole('button', { name: 'Explain line 1', exact: true }).click();
    await page.getByText('Values are masked.').waitFor();
    expect(await page.content()).not.toContain('203.0.113.9');
    await page.goto(`${service.address}/settings`);
    await page.getByRole('textbox', { name: 'Why you need true values' }).fill('a complaint');
    await page.getByRole('button', { name: 'Show true values' }).click();
    await page.getByText('You see true values until').waitFor();
    await page.goto(`${service.address}/replays/${replayId}`);
    await page.getByText('203.0.113.9').first().waitFor();
    await page.goto(`${service.address}/settings`);
    await page.getByRole('button', { name: 'Remove the mask of client' }).click();
    await page.getByText('Nothing is masked.').waitFor();
  }));
