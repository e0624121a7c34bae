/** The console of a service that nothing has been brought to yet, and addresses that lead nowhere. */
import type { Browser } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { launchBrowser, openPage } from './browser.js';
import { startTestService, type TestService } from './service.js';

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startTestService();
  browser = await launchBrowser();
});
afterAll(async () => {
  await browser?.close();
  await service.stop();
});

/** Expects that a page shows all of this, and that nothing else failed. */
async function expectOn(path: string, expected: readonly string[]): Promise<void> {
  const { page, context, errors } = await openPage(service, browser, path);
  const main = page.getByRole('main');
  for (const text of expected) await main.getByText(text).first().waitFor();
  await expect.poll(() => main.innerText(), { timeout: 8000 }).not.toMatch(/Loading|undefined|NaN|null/);
  expect(errors.filter((error) => !/4\d\d/.test(error))).toEqual([]);
  await context.close();
}

describe('a page', () => {
  it.each([
    ['/fences', 'No fences yet', 'Begin from one of ours, or import fence files'],
    ['/lists', 'No lists yet', 'Create one with the button above.'],
    ['/countries', 'No country table yet', 'Every country is unknown until there is one.'],
    ['/categories', 'No category feed yet', 'Every category is unknown until there is one.'],
    ['/', 'First steps', 'Import a country table', 'The draft is empty.'],
    ['/gates', 'No gates yet', 'Create one with the button above.'],
    ['/logs', 'No logs yet', 'Choose a request log below'],
    ['/replays', 'No replays yet', 'Choose a log under Logs'],
    ['/compare', 'No logs yet', 'Bring one in under Logs.'],
    ['/expectations', 'The draft has no gate, so no request would be judged.', 'or add a gate.'],
    ['/revisions', 'There is nothing in it yet.', 'Publishing the draft makes revision 1.'],
  ])('%s shows that there is nothing, and how to begin', (path, ...expected) => expectOn(path, expected));

  it.each([
    ['/applications', 'Domain name system', 'udp/53, tcp/53', 'payload is dns'],
    ['/audit', 'Audit trail intact', 'user.create', 'sign-in'],
    ['/try', 'Client', 'URL', 'Method'],
    ['/settings', 'Passphrases', 'The service stores only a hash.'],
  ])('%s has what is there from the start', (path, ...expected) => expectOn(path, expected));

  it.each([
    ['/logs/9', 'There is no log 9.'],
    ['/logs/x', 'There is no such page'],
    ['/replays/9', 'There is no replay 9.'],
    ['/comparisons/9', 'There is no comparison 9.'],
    ['/nowhere', 'There is no such page'],
  ])('%s reports an unknown address', (path, expected) => expectOn(path, [expected]));
});
