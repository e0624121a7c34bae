/** Throttles in the console: written by a form, and what they did over a log. */
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { launchBrowser, onAccessiblePage } from './browser.js';
import { replayOnService, startTestService, type TestService } from './service.js';

const TEXT = `gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce {
  rule downloads throttle 1kB/s by client when path under /files
  rule trial-run trial throttle 10/s by everyone when path = /files/a
}
`;

/** Ten files of 5 kB within ten seconds, by one client, among pages. */
const LOG = Array.from({ length: 20 }, (_, index) =>
  JSON.stringify({
    'timestamp': new Date(Date.UTC(2026, 9, 12, 10, 0, index / 2)).toISOString(),
    'client.address': '198.51.100.7',
    'url.full': `http://shop.example/${index % 2 ? 'files/a' : ''}`,
    'http.request.method': 'GET',
    'http.response.size': 5000,
  }),
).join('\n');

let service: TestService;
let browser: Browser;
let replayId: number;
beforeAll(async () => {
  [service, browser] = [await startTestService(), await launchBrowser()];
  const fences = { fenceFiles: [{ path: 'site.fence', text: TEXT }], namedFiles: [] };
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

it('a replay shows what they delay, and leads to it', () =>
  on(`/replays/${replayId}`, async (page) => {
    // A file of 5 kB comes each second, and 1 kB passes: the tenth would wait for 40 kB.
    await page.getByText('of 10 requests with 50 kB').first().waitFor();
    await page.getByText('95% at most 40 s').waitFor();
    await page.getByRole('heading', { name: 'Throttled bytes' }).waitFor();
    await page.getByRole('button', { name: 'delays 10' }).first().click();
    await page.getByText('1 to 10 of 10').waitFor();
    expect(new URL(page.url()).searchParams.get('where')).toBe('throttled = desk/downloads');
    await page.getByRole('button', { name: 'Explain line 20', exact: true }).click();
    await page.getByText('5,000 bytes would have waited 40,000 ms.').waitFor();
  }));

it('a form writes one', () =>
  on('/fences', async (page) => {
    await page.getByRole('button', { name: 'Add rule' }).first().click();
    await page.getByRole('button', { name: /^Action: / }).click();
    await page
      .getByRole('button', { name: /^Action / })
      .last()
      .click();
    await page.getByRole('option', { name: 'Throttle bytes' }).click();
    await page.getByLabel('Bytes a second, such as 2MB').fill('500kB');
    await page.getByRole('button', { name: /^Bytes / }).click();
    await page.getByRole('option', { name: 'from the client' }).click();
    await page.getByRole('button', { name: 'Save to draft' }).click();
    await page.getByRole('dialog').waitFor({ state: 'detached' });
    await expect
      .poll(async () => (await service.client.draft()).fences[0]!.rules.map(({ sentence }) => sentence), {
        timeout: 20_000,
      })
      .toContainEqual(expect.stringContaining('throttle bytes sent by the client to 500kB a second for each client'));
  }));
