import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import AxeBuilder from '@axe-core/playwright';
import { DEMO_LOG, writeInboundLog } from '@jadefence/demo';
import type { Browser } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { launchBrowser, openPage, type Look } from './browser.js';
import { ROOT } from './root.js';
import { importTable, replayOnService, startTestService, type TestService } from './service.js';

let service: TestService;
let browser: Browser;

const demoFile = (name: string): string => readFileSync(join(ROOT, 'demo', name), 'utf8');

beforeAll(async () => {
  service = await startTestService();
  await importTable(service.client, Buffer.from(demoFile('data/countries.csv')));
  const log = join(service.folder, 'day.log');
  await writeInboundLog(DEMO_LOG, log, `${log}.labels`);
  const fenceFiles = ['lists', 'gates', 'fences'].map((name) => ({
    path: `${name}.fence`,
    text: demoFile(`fences/${name}.fence`),
  }));
  const namedFiles = [{ path: 'lists/tout-networks.txt', text: demoFile('fences/lists/tout-networks.txt') }];
  await replayOnService(
    service.client,
    { fenceFiles, namedFiles },
    { name: 'day', bytes: new Uint8Array(readFileSync(log)) },
  );
  browser = await launchBrowser();
});
afterAll(async () => {
  await browser?.close();
  await service.stop();
});

const open = (path: string, look?: Look): ReturnType<typeof openPage> => openPage(service, browser, path, look);

describe('the console', () => {
  it('requires signing in, reports a wrong password, and leads to the requested page', async () => {
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

  it.each([1280, 400])('has nothing serious for axe to find on the sign-in, %i wide', async (width) => {
    const { page, context } = await open('/', { isSignedOut: true, width });
    await page.getByRole('heading', { name: 'Sign in to Jade Fence' }).waitFor();
    const { violations } = await new AxeBuilder({ page })
      .withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
      .analyze();
    expect(violations.map(({ id }) => id)).toEqual([]);
    await context.close();
  });

  it('shows the rules in order as sentences with their hits', async () => {
    const { page, context, errors } = await open('/fences');
    await page.getByText('1,500').first().waitFor();
    const rules = await page.getByRole('listitem').allTextContents();
    expect(rules.length).toBe(12);
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
    await page
      .getByRole('region', { name: 'Decisions' })
      .getByRole('row')
      .filter({ hasText: 'house/touts' })
      .first()
      .getByRole('button', { name: /^Explain line/ })
      .press('Enter');
    const panel = page.getByRole('complementary', { name: 'Why this decision?' });
    await panel.getByText('Rule house/touts blocked it.').waitFor();
    expect(await panel.textContent()).toContain('tout-networks holds it as 198.19.96.0/24');
    const written = panel.getByRole('figure', { name: 'of the log, as it was written' });
    expect(await written.textContent()).toMatch(
      /\[12\/Oct\/2026:[\d:]{8} \+0000\] "[A-Z]+ \/\S* HTTP\/1\.1" \d{3} \d+ "/,
    );
    await page.keyboard.press('Escape');
    await panel.waitFor({ state: 'detached' });
    expect(errors).toEqual([]);
    await context.close();
  });

  it('filters decisions by a condition, and shows errors under its text', async () => {
    const { page, context } = await open('/replays/1');
    const filter = page.getByLabel('Filter');
    await filter.fill('country = SC and not client in partner-universities');
    await filter.press('Enter');
    await page.getByText('1 to 25 of 2,500').waitFor();
    await filter.fill('country = sc');
    await filter.press('Enter');
    await expect
      .poll(() => page.getByRole('alert').textContent())
      .toBe('Found "sc", expected a country code of two capital letters or a list. Write SC for Seychelles.');
    await context.close();
  });

  it('previews a log before it is sent, uploads it, surveys it, replays it and deletes it again', async () => {
    const { page, context, errors } = await open('/logs');
    const line = (path: string): string =>
      `tickets.larkmoor.example 198.18.33.1 - - [13/Oct/2026:10:00:00 +0000] "GET ${path} HTTP/1.1" 200 5 "-" "-"\n`;
    await page.getByLabel('Log file').setInputFiles({
      name: 'small.log.gz',
      mimeType: 'application/gzip',
      buffer: gzipSync(`${line('/')}${line('/resale')}junk\n`),
    });
    await page.getByText('of the first 3 lines 2 can be read and 1 would be rejected').waitFor();
    await page.getByText('3: rejected (not-the-format) junk').waitFor();
    await page.getByRole('button', { name: 'Upload' }).click();
    await page.getByRole('heading', { name: 'small.log.gz' }).waitFor();
    await page.getByText('1 line rejected').waitFor();
    await page.getByRole('button', { name: 'Replay against the draft' }).click();
    await page.getByText('each bar is').waitFor();
    await page.getByRole('link', { name: 'Logs' }).click();
    await page.getByRole('link', { name: 'small.log.gz' }).click();
    await page.getByRole('button', { name: 'Delete' }).click();
    await page.getByRole('button', { name: 'Really delete it' }).click();
    await page.getByText('which would be deleted with it').waitFor();
    await page.getByRole('button', { name: 'Delete it with its replays' }).click();
    await page.getByRole('heading', { name: 'Logs' }).waitFor();
    expect(await page.getByRole('link', { name: 'small.log.gz' }).count()).toBe(0);
    expect(errors.filter((error) => !error.includes('409'))).toEqual([]);
    await context.close();
  });

  it('tries a synthetic request, and reports errors at the field', async () => {
    const { page, context } = await open('/try');
    await page.getByLabel('Client').fill('anonymous');
    await page.getByLabel('URL').fill('https://studio.larkmoor.example/');
    await page.keyboard.press('Enter');
    await expect
      .poll(() => page.getByRole('alert').textContent())
      .toBe('Found "anonymous", expected an address such as 198.18.4.7 or 2001:db8::7.');
    await page.getByLabel('Client').fill('198.18.4.7');
    await page.keyboard.press('Enter');
    await page.getByText('Rule studio-door/staff-in allowed it.').waitFor();
    await context.close();
  });

  it.each([
    ['/logs', false, 1280],
    ['/logs/1', false, 1280],
    ['/logs/1', true, 400],
    ['/try', false, 1280],
    ['/try', true, 400],
    ['/', false, 1280],
    ['/', true, 400],
    ['/replays', false, 1280],
    ['/replays/1', false, 1280],
    ['/replays/1', true, 1280],
    ['/replays/1', false, 400],
    ['/lists', false, 1280],
    ['/lists', true, 400],
    ['/countries', false, 1280],
    ['/countries', true, 400],
    ['/categories', true, 1280],
    ['/categories', false, 400],
    ['/applications', false, 1280],
    ['/applications', true, 400],
    ['/settings', false, 400],
    ['/gates', false, 400],
    ['/expectations', true, 1280],
    ['/revisions', false, 1280],
    ['/revisions', true, 400],
    ['/audit', false, 1280],
    ['/audit', true, 400],
    ['/nothing', false, 1280],
  ])(
    'has nothing serious for axe to find on %s (dark: %s, %i wide), and does not scroll sideways',
    async (path, isDark, width) => {
      const { page, context } = await open(path, { isDark, width });
      await page.getByRole('main').waitFor();
      await page.waitForLoadState('networkidle');
      const { violations } = await new AxeBuilder({ page })
        .withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
        .analyze();
      expect(violations.map(({ id, nodes }) => `${id}: ${nodes.map((node) => node.html).join(' ')}`)).toEqual([]);
      expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(width);
      await context.close();
    },
  );
});
