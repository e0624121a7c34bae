/** Answers from logs in the console: limit advice, what was recorded, protected clients, the matrix. */
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { launchBrowser, onAccessiblePage } from './browser.js';
import { replayOnService, startTestService, type TestService } from './service.js';

const TEXT = `list couriers addresses protected { 198.18.7.1 }
gate shop inbound { hosts shop.example fences desk otherwise allow }
fence desk enforce {
  rule logins trial limit 3 per 1m by client when path under /login
  rule desk block when path = /desk
  rule idle block when path = /idle
}
`;
const fences = { fenceFiles: [{ path: 'site.fence', text: TEXT }], namedFiles: [] };
const START = Date.UTC(2026, 9, 12, 10);

function logBytes(): Uint8Array<ArrayBuffer> {
  const line = (seconds: number, client: string, path: string, status: number): string =>
    [new Date(START + seconds * 1000).toISOString(), client, 'GET', 'shop.example', path, status].join();
  const lines = Array.from({ length: 90 }, (_, at) => line(at, `198.18.9.${at % 30}`, '/login', 200));
  const burst = Array.from({ length: 40 }, (_, at) => line(90 + at / 10, '198.18.9.200', '/login', 429));
  const desk = Array.from({ length: 6 }, (_, at) => line(100 + at, '198.18.7.1', '/desk', 200));
  return new TextEncoder().encode(`time,client,method,host,path,status\n${[...lines, ...burst, ...desk].join('\n')}\n`);
}

let service: TestService;
let browser: Browser;
let replayId: number;
beforeAll(async () => {
  service = await startTestService();
  browser = await launchBrowser();
  replayId = (await replayOnService(service.client, fences, { name: 'day', bytes: logBytes() })).id;
});
afterAll(async () => {
  await browser?.close();
  await service.stop();
});

const on = (path: string, work: (page: Page) => Promise<void>): Promise<void> =>
  onAccessiblePage(service, browser, path, work);

it('a count is chosen over the peaks and written into the rule', async () => {
  await on('/limit-advice?rule=desk%2Flogins', async (page) => {
    await page.getByText('130 requests under 31 keys').waitFor();
    const limit = page.getByRole('slider', { name: 'Limit' });
    await limit.focus();
    for (let left = 20; left > 0 && (await limit.getAttribute('aria-valuetext')) !== '7'; left -= 1)
      await page.keyboard.press('ArrowLeft');
    await page.getByText('A limit of 7 stops 1 key (3.2%) and 33 requests (25.4%).').waitFor();
    await page.getByRole('button', { name: 'Write 7 into desk/logins' }).click();
    await page.getByText('The rule has this count.').waitFor();
  });
  const { parts } = await service.client.draftSources();
  expect(JSON.stringify(parts)).toContain('limit 7 per 1m by client');
});

it('a limit that there is not yet is described in the form, and what is wrong with it stays there', async () => {
  await on('/limit-advice', async (page) => {
    await page.getByLabel('Counted by').fill('client, nonsense');
    await page.getByRole('button', { name: 'Show advice' }).click();
    await page.getByText('cannot be read').waitFor();
    await page.getByLabel('Counted by').fill('client');
    await page.getByLabel('Only requests where (optional)').fill('path = /desk');
    await page.getByRole('button', { name: 'Show advice' }).click();
    await page.getByText('6 requests under 1 key').waitFor();
    expect(new URL(page.url()).searchParams.get('when')).toBe('path = /desk');
  });
});

it('a replay shows stops of protected clients first, and is compared with what was recorded', async () => {
  await on(`/replays/${replayId}`, async (page) => {
    await page.getByRole('alert').getByText('6 requests of protected clients would be stopped').waitFor();
    await page.getByRole('button', { name: 'Compared with what was recorded' }).click();
    await page.getByText('6 of 136 requests passed and would be stopped, 40 were stopped and would pass.').waitFor();
    const group = page.getByRole('row', { name: /stopped 429/ });
    await group.getByRole('button', { name: 'show these' }).click();
    const where = 'recorded status = 429 and outcome = allowed and gate = shop and fence absent';
    await expect.poll(() => new URL(page.url()).searchParams.get('where')).toBe(where);
    expect((await service.client.decisions(replayId, { offset: 0, limit: 1, where })).total).toBe(40);
  });
});

it('cells of the matrix become expectations, and are explained', async () => {
  const query = new URLSearchParams({ clients: 'couriers\n198.18.9.1', to: 'shop.example\nshop.example/desk' });
  await on(`/matrix?${query.toString()}`, async (page) => {
    await page.getByRole('button', { name: 'Expect all of it' }).click();
    await expect.poll(() => page.getByRole('button', { name: 'expected' }).count()).toBe(2);
    await page
      .getByRole('button', { name: /blocked/ })
      .first()
      .click();
    await page.getByText('Rule desk/desk blocked it.').waitFor();
    await page.getByRole('button', { name: 'Close' }).click();
  });
  const results = await service.client.expectations();
  expect(results.map(({ isMet }) => isMet)).toEqual([true, true, true, true]);
});

it('what is on trial shows whom it would stop, and is enforced by one press', async () => {
  // Rules changed since the first replay, so that it shows nothing about them.
  const { id } = await service.client.startReplay({ logId: 1, against: 'draft' });
  await expect.poll(async () => (await service.client.replay(id)).state).toBe('done');
  await on('/fences', async (page) => {
    await page.getByRole('link', { name: 'Ready?' }).click();
    await page.getByRole('heading', { name: 'Ready to be enforced' }).waitFor();
    await page.getByRole('row', { name: /^198\.18\.9\.200/ }).waitFor();
    await page.getByRole('button', { name: 'Turn on logins' }).click();
    await page.getByText('Nothing is on trial').waitFor();
  });
  const { fences: after } = await service.client.draft();
  expect(after[0]!.rules[0]).toMatchObject({ name: 'logins', state: 'on' });
  await service.client.edit(
    [{ kind: 'set-rule', fence: 'desk', rule: 'logins', state: 'trial' }],
    (await service.client.draft()).version,
  );
});

it('a try shows what would have to be different, and which rules can apply', async () => {
  await on('/try', async (page) => {
    await page.getByLabel('Client', { exact: true }).fill('198.18.9.1');
    await page.getByLabel('URL').fill('https://shop.example/');
    await page.getByRole('button', { name: /^Try request/ }).click();
    await page.getByLabel('Why not this rule?').fill('desk/desk');
    await page.getByRole('button', { name: 'Find out' }).click();
    await page.getByText('desk/desk decides with:').waitFor();
    await page.getByText('path /desk instead of /').waitFor();
    await page.getByRole('button', { name: 'Rules that can apply to 198.18.9.1' }).click();
    await page.getByText('needs path = /desk').waitFor();
  });
});

it('a rule is suggested for requests that are chosen one by one, which the address keeps', async () => {
  await on(`/replays/${replayId}`, async (page) => {
    for (const nth of [0, 2])
      await page
        .getByRole('checkbox', { name: /^Choose line/ })
        .nth(nth)
        .check();
    await page.reload();
    await page.getByRole('button', { name: 'Suggest a rule for 2 chosen' }).click();
    await page.getByText(/^line in \d+, \d+$/).waitFor();
    await page.getByRole('button', { name: 'Search' }).click();
    await page.getByRole('status').filter({ hasText: '2 requests to stop' }).waitFor();
    await page.getByRole('button', { name: 'Close' }).click();
    await page.getByRole('button', { name: 'Choose none' }).click();
    await page.getByRole('button', { name: /^Suggest a rule/ }).waitFor({ state: 'detached' });
  });
});

it('the latest replay is among the findings, and a rule is suggested from its requests', async () => {
  await on('/findings', async (page) => {
    await page.getByRole('heading', { name: /^From replay \d+: day/ }).waitFor();
  });
  await on(`/replays/${replayId}?${new URLSearchParams({ where: 'recorded status = 429' })}`, async (page) => {
    await page.getByRole('button', { name: 'Suggest a rule' }).click();
    await page.getByRole('button', { name: 'Search' }).click();
    await page.getByText('client = 198.18.9.200').waitFor();
    await page.getByRole('button', { name: 'Put on trial' }).first().click();
    await page.getByText('On trial in the draft').waitFor();
  });
  const { fences: after, version } = await service.client.draft();
  expect(after[0]!.rules[0]).toMatchObject({ name: 'suggested', state: 'trial' });
  await service.client.edit([{ kind: 'remove-rule', fence: 'desk', rule: 'suggested' }], version);
});
