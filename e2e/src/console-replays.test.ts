/** What the console shows of replays and comparisons, and how it brings logs in. */
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { launchBrowser, onPage } from './browser.js';
import { importInto, importTable, replayOnService, startTestService, type TestService } from './service.js';

const FENCES = (rule: string): { fenceFiles: { path: string; text: string }[]; namedFiles: [] } => ({
  fenceFiles: [
    {
      path: 'site.fence',
      text: `gate shop inbound { hosts shop.example fences desk otherwise allow }\nfence desk enforce "Desk" { ${rule} }\n`,
    },
  ],
  namedFiles: [],
});
const rows = Array.from(
  { length: 60 },
  (_, index) =>
    `2026-10-12 10:00:${String(index).padStart(2, '0')};198.${18 + (index % 3 === 0 ? 1 : 0)}.1.${index};${index % 2 === 0 ? '/login' : '/'}\n`,
);

const LOGIN = 'rule login block when path under /login';
/** The rows with a field more, since the same bytes are not imported twice. */
const logOf = (name: string) =>
  new TextEncoder().encode(
    `time,client,path,host,agent\n${rows.map((row) => `${row.trim().replaceAll(';', ',')},shop.example,${name}\n`).join('')}`,
  );

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startTestService();
  browser = await launchBrowser();
  await importTable(service.client, Buffer.from('198.18.0.0/16,NO\n198.19.0.0/16,SE\n'));
  await importInto(service.client, FENCES(LOGIN));
  await service.client.publish({ note: 'first' }, (await service.client.draft()).version);
});
afterAll(async () => {
  await browser?.close();
  await service.stop();
});

const on = (path: string, work: (page: Page) => Promise<void>): Promise<void> => onPage(service, browser, path, work);

describe('the console', () => {
  it('imports several files of a given format, and shows them as it reads them', () =>
    on('/logs', async (page) => {
      const part = (name: string, lines: readonly string[]) => ({
        name,
        mimeType: 'text/csv',
        buffer: Buffer.from(`when;who;what\n${lines.join('')}`),
      });
      await page
        .locator('input[type=file]')
        .setInputFiles([part('b.csv', rows.slice(30)), part('a.csv', rows.slice(0, 30))]);
      await page.getByText('None of the columns is known to be the time.').waitFor();
      await page.getByRole('button', { name: 'Reading options' }).click();
      await page.getByLabel('Mapping').fill('{"time": "when", "client": "who", "path": "what"');
      await page.getByText('The mapping is not JSON').waitFor();
      await page.getByLabel('Mapping').fill('{"time": "when", "client": "who", "path": "what"}');
      await page.getByText('Looks like CSV with a header').waitFor();
      await page.getByText('2: 2026-10-12T10:00:30.000Z client.address=198.19.1.30').waitFor();
      await page.getByText('2 files, merged by the time of their lines.').waitFor();
      await page.getByLabel('Host of every request').fill('shop.example');
      await page.getByRole('button', { name: 'Upload' }).click();
      await page.getByText('read as CSV with a header from b.csv, a.csv').waitFor();
      await page.getByRole('button', { name: 'Replay against the draft' }).click();
      await page.getByText('Breakdown', { exact: true }).waitFor();
    }));

  it('counts the requests of a replay by country and the like, and filters the decisions by one of them', async () => {
    const { id } = await replayOnService(service.client, FENCES(LOGIN), { name: 'counted', bytes: logOf('counted') });
    await on(`/replays/${id}`, async (page) => {
      const table = page.getByRole('region', { name: 'Requests by country of the client' });
      await table.waitFor();
      expect(await table.getByRole('row').allTextContents()).toEqual([
        expect.stringContaining('requests') as string,
        'NO4020 (50.0%)',
        'SE2010 (50.0%)',
      ]);
      await table.getByRole('button', { name: 'SE' }).click();
      await page.getByText('1 to 20 of 20').waitFor();
      expect(await page.getByLabel('Filter').inputValue()).toBe('country = SE');
      const decisions = page.getByRole('region', { name: 'Decisions' });
      const lines = () => decisions.locator('tbody tr td:first-child').allTextContents();
      const before = await lines();
      await decisions.getByRole('button', { name: 'line', exact: true }).click();
      await decisions.getByRole('button', { name: 'line', exact: true }).click();
      await expect.poll(lines).toEqual(before.toReversed());
      expect(page.url()).toContain('sort=-line');
      expect(await decisions.getByRole('columnheader', { name: 'line' }).getAttribute('aria-sort')).toBe('descending');
      await page.getByRole('button', { name: 'country of the client' }).click();
      await page.getByRole('option', { name: 'hour of the day (UTC)' }).click();
      await page.getByRole('rowheader', { name: '10:00' }).waitFor();
    });
  });

  it('compares a revision with the draft, group by group, and explains both sides', async () => {
    await service.client.importLog({ name: 'compared' }, logOf('compared'));
    await importInto(service.client, FENCES('rule login limit 5 per 1h by host when path under /login'));
    await on('/compare', async (page) => {
      await page.getByRole('button', { name: 'Compare', exact: true }).click();
      await page.getByRole('button', { name: 'show these' }).first().waitFor();
      const heading = await page.getByText(/of 60 requests change/).textContent();
      expect(heading).toMatch(/^30 of 60 requests change \(50\.0%\)/);
      await page.getByRole('button', { name: 'show these' }).last().click();
      await page.getByText('1 to 5 of 5').waitFor();
      await page
        .getByRole('button', { name: /^Explain line \d+ before$/ })
        .first()
        .click();
      await page.getByText('The client sees').waitFor();
      await page.getByText('403').first().waitFor();
      await page.getByRole('button', { name: 'Close' }).click();
      await page
        .getByRole('button', { name: /^Explain line \d+ after$/ })
        .first()
        .click();
      await page.getByText('The client sees').waitFor();
    });
    await on('/comparisons/1', async (page) => {
      await page.getByText('Affected requests').waitFor();
    });
  });
});
