/** Text that a user was writing survives failures. */
import type { Browser } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { launchBrowser, openPage } from './browser.js';
import { FENCES } from './fixture.js';
import { importInto, startTestService, type TestService } from './service.js';

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startTestService();
  await importInto(service.client, { fenceFiles: [{ path: 'site.fence', text: FENCES }], namedFiles: [] });
  browser = await launchBrowser();
});
afterAll(async () => {
  await browser?.close();
  await service.stop();
});

describe('what is being written', () => {
  it('outlives the end of the session, and can be kept after the sign-in', async () => {
    const { page, context } = await openPage(service, browser, '/fences');
    await page.getByRole('button', { name: 'Edit rule login' }).click();
    await page.getByRole('button', { name: /^Condition: the path/ }).waitFor();
    await page.getByRole('textbox', { name: 'The rule as fence text' }).waitFor();
    // At the service, so that what is on its way to the page does not bring it back.
    await context.request.delete(`${service.address}/api/v1/session`);
    await page.getByRole('button', { name: 'Save to draft' }).click();
    await page.getByLabel('Password').fill(service.signIn.password);
    await page.getByRole('button', { name: 'Sign in' }).click();
    await page.getByText('Sign in to Jade Fence').waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'Save to draft' }).click();
    await page.getByRole('dialog').waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'Edit rule login' }).click();
    await page.getByText('As fence text').waitFor();
    await context.close();
  }, 60_000);

  it('is not created in part, nor over what is there', async () => {
    const { page, context } = await openPage(service, browser, '/lists');
    await page.getByRole('button', { name: 'New list' }).click();
    await page.getByLabel('Name', { exact: true }).fill('fresh');
    const form = page.getByRole('button', { name: 'Create the list' }).locator('..');
    const entries = form.getByLabel('Entries, one a line');
    await entries.fill('198.51.100.0/24\nfoo bar\n');
    await page.getByRole('button', { name: 'Create the list' }).click();
    await page.getByText('1 entry was refused.').waitFor();
    expect(await entries.inputValue()).toBe('198.51.100.0/24\nfoo bar\n');
    expect((await service.client.draft()).lists.map(({ name }) => name)).not.toContain('fresh');
    await page.getByLabel('Name', { exact: true }).fill('team');
    await entries.fill('198.51.100.0/24');
    await page.getByRole('button', { name: 'Create the list' }).click();
    await page.getByText('There is a list "team" already.').waitFor();
    await context.close();
  }, 60_000);

  it('of one kind is not taken for another', async () => {
    const { page, context } = await openPage(service, browser, '/schedules');
    await page.getByRole('button', { name: 'New schedule' }).click();
    await page.getByLabel('Name', { exact: true }).fill('nights');
    await page.getByLabel('The schedule as fence text').fill('zone Europe/Oslo');
    await page.getByText('Found a zone, expected a schedule.').waitFor();
    expect(await page.getByRole('button', { name: 'Create schedule' }).isDisabled()).toBe(true);
    await context.close();
  }, 60_000);

  it('is lost only if a page cannot be shown at all', async () => {
    const { page, context } = await openPage(service, browser, '/lists');
    await page.route('**/assets/*map*', (route) => route.abort());
    await page.getByRole('link', { name: 'Countries' }).click();
    await page.getByRole('heading', { level: 1 }).waitFor();
    expect(await page.getByText('Hey developer').count()).toBe(0);
    await context.close();
  }, 60_000);
});
