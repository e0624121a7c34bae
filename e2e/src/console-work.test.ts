/** A working day in the console: from an empty service to a first replay, and what keeps people from losing their work. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { launchBrowser, onPage } from './browser.js';
import { FENCES, LOG } from './fixture.js';
import { importInto, replayOnService, startTestService, type TestService } from './service.js';

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  browser = await launchBrowser();
});
afterAll(() => browser?.close());
beforeEach(async () => {
  service = await startTestService();
});
afterEach(() => service.stop());

const on = (path: string, work: (page: Page) => Promise<void>): Promise<void> => onPage(service, browser, path, work);
const importFences = (text = FENCES) =>
  importInto(service.client, { fenceFiles: [{ path: 'site.fence', text }], namedFiles: [] });
const rulesOf = async (): Promise<string[]> => (await service.client.draft()).fences[0]!.rules.map(({ name }) => name);

describe('an empty service', () => {
  it('leads to a first replay of a log and a published revision, with the mouse and a few words', async () => {
    writeFileSync(join(service.folder, 'day.log'), LOG);
    await on('/', async (page) => {
      const step = (name: string) => page.getByRole('link', { name, exact: true });
      await page.getByText('0 of 7 done').waitFor();
      await step('Import a country table').click();
      await page
        .getByLabel(/^Rows start,end,CC/)
        .setInputFiles({ name: 'table.csv', mimeType: 'text/csv', buffer: Buffer.from('198.18.0.0/15,NO\n') });
      await page.getByRole('button', { name: 'Import', exact: true }).click();
      await page.getByText('table.csv with 1 entry is active now.').waitFor();
      await page.getByRole('link', { name: 'Overview' }).click();
      await step('Upload a log').click();
      await page.locator('input[type=file]').setInputFiles(join(service.folder, 'day.log'));
      await page.getByRole('button', { name: 'Upload' }).click();
      await page.getByRole('heading', { name: 'day.log' }).waitFor();
      await page.getByRole('link', { name: 'Overview' }).click();
      await step('Create a gate').click();
      await page.getByRole('button', { name: 'New gate' }).click();
      await page.getByLabel('Name').fill('shop');
      await page.getByRole('checkbox', { name: /^shop\.example/ }).click();
      await page.getByRole('button', { name: 'Create gate' }).click();
      await page.getByRole('heading', { name: 'shop inbound' }).waitFor();
      await page.getByRole('link', { name: 'Overview' }).click();
      await step('Create a list').click();
      await page.getByRole('button', { name: 'New list' }).click();
      await page.getByLabel('Name', { exact: true }).fill('team');
      await page.getByLabel('Entries, one a line').fill('198.18.4.0/24');
      await page.getByRole('button', { name: 'Create the list' }).click();
      await page.getByRole('heading', { name: 'team' }).waitFor();
      await page.getByRole('link', { name: 'Overview' }).click();
      await step('Write a rule').click();
      await page.getByRole('button', { name: 'New fence' }).click();
      await page.getByLabel('An empty fence').fill('desk');
      await page.getByRole('button', { name: 'Add fence' }).click();
      await page.getByRole('button', { name: 'Gates of desk' }).click();
      await page.getByRole('checkbox', { name: 'shop' }).click();
      await page.keyboard.press('Escape');
      await page.getByRole('button', { name: 'Add rule' }).click();
      await page.getByRole('button', { name: 'Save to draft' }).click();
      await page.getByText('new-rule', { exact: true }).waitFor();
      await page.getByRole('link', { name: 'Overview' }).click();
      await step('Replay the log').click();
      await page.getByRole('link', { name: 'day.log' }).click();
      await page.getByRole('button', { name: 'Replay against the draft' }).click();
      await page.getByText('Requests over time').waitFor();
      await page.getByRole('link', { name: 'Overview' }).click();
      await page.getByText('6 of 7 done').waitFor();
      await step('Publish').click();
      await page.getByLabel('Note: what changes, and why').fill('first');
      await page.getByRole('button', { name: 'Publish', exact: true }).click();
      await page.getByRole('heading', { name: /^Revision 1/ }).waitFor();
      await page.getByRole('link', { name: 'Overview' }).click();
      await page.getByText('The draft is as revision 1.').waitFor();
      await page.getByText('First steps').waitFor({ state: 'detached' });
    });
  }, 120_000);
});

describe('an edit of the draft', () => {
  beforeEach(() => importFences());

  it('is undone and redone by button and by keys, and discarded against what is published', async () => {
    await service.client.publish({ note: 'first' }, (await service.client.draft()).version);
    await on('/fences', async (page) => {
      await page.getByRole('button', { name: 'More for rule staff' }).click();
      await page.getByRole('menuitem', { name: 'Remove', exact: true }).click();
      await expect.poll(rulesOf).toEqual(['login']);
      await page.getByTitle('Undo: Rule desk/staff was removed.').click();
      await expect.poll(rulesOf).toEqual(['staff', 'login']);
      await page.getByTitle('Redo: Rule desk/staff was removed.').waitFor();
      await page.keyboard.press('Control+Shift+Z');
      await expect.poll(rulesOf).toEqual(['login']);
      await page.getByTitle('Undo: Rule desk/staff was removed.').waitFor();
      await page.keyboard.press('Control+Z');
      await expect.poll(rulesOf).toEqual(['staff', 'login']);
      await page.getByRole('button', { name: 'More for rule login' }).click();
      await page.getByRole('menuitem', { name: 'Turn off' }).click();
      await page.getByText('off', { exact: true }).waitFor();
      await page.getByRole('link', { name: 'Revisions' }).click();
      await page.getByRole('button', { name: 'Discard: Rule desk/login was changed.' }).click();
      await page.getByText('Nothing differs from what is published.').waitFor();
    });
  });

  it('that touches what another user changed since is not undone', async () => {
    const { client } = service;
    const { version } = await client.draft();
    await client.edit([{ kind: 'set-rule', fence: 'desk', rule: 'login', state: 'off' }], version);
    const { token } = await client.createToken(service.signIn, { name: 'other', scope: 'editor' });
    expect(token).toBeDefined();
    await client.edit([{ kind: 'set-rule', fence: 'desk', rule: 'login', state: 'trial' }], version + 1);
    await client.undo();
    expect((await client.draft()).fences[0]!.rules[1]!.state).toBe('off');
    await client.undo();
    expect((await client.draft()).fences[0]!.rules[1]!.state).toBe('on');
    await client.redo();
    await client.edit([{ kind: 'remove-rule', fence: 'desk', rule: 'login' }], (await client.draft()).version);
    // An edit ends what could be redone.
    await expect(client.redo()).rejects.toThrow('You have nothing to redo in this draft.');
  });
});

describe('the draft', () => {
  beforeEach(() => importFences());

  it('follows what is changed elsewhere, and reports that the service cannot be reached', () =>
    on('/fences', async (page) => {
      await page.getByText('login', { exact: true }).waitFor();
      const { version } = await service.client.draft();
      await service.client.edit([{ kind: 'set-rule', fence: 'desk', rule: 'login', state: 'off' }], version);
      await page.getByText('off', { exact: true }).waitFor();
      await page.getByRole('link', { name: 'Lists' }).click();
      await page.getByRole('button', { name: 'Remove 198.18.4.0/24 from team' }).click();
      await page.getByText('It is empty.').waitFor();
      await page.context().setOffline(true);
      await page.getByText('The service cannot be reached').waitFor();
      await page.context().setOffline(false);
      await page.getByText('The service cannot be reached').waitFor({ state: 'detached' });
    }));
});

describe('a fence', () => {
  beforeEach(() => importFences());

  it('has its name, title and end in fields, as a rule has its name and notes, and can be deleted', () =>
    on('/fences', async (page) => {
      await page.getByRole('button', { name: 'Edit fence desk' }).click();
      await page.getByLabel('Title').fill('The front desk');
      await page.getByLabel('Name').fill('front');
      await page.getByRole('button', { name: 'Where no rule ends it' }).click();
      await page.getByRole('option', { name: 'block' }).click();
      await page.getByRole('button', { name: 'Save fence' }).click();
      await page.getByText('Otherwise block with 403.').waitFor();
      await page.getByRole('button', { name: 'Edit rule login' }).click();
      await page.getByLabel('Name').fill('sign-in');
      await page.getByLabel('Owner').fill('kari');
      await page.getByLabel('Reason').fill('many tries');
      await page.getByText('rule sign-in block').waitFor();
      await page.getByRole('button', { name: 'Save to draft' }).click();
      await page.getByText('sign-in', { exact: true }).waitFor();
      const { parts } = await service.client.draftSources();
      const textOf = (name: string) => parts.find((part) => part.name === name)?.text.trim();
      expect(textOf('front')).toMatch(/^fence front enforce "The front desk" \{\n? *otherwise block/);
      expect(textOf('sign-in')).toMatch(/owner "kari" reason "many tries"$/);
      expect(textOf('shop')).toContain('fences front');
      await page.getByRole('button', { name: 'Edit fence front' }).click();
      await page.getByRole('button', { name: 'Delete fence' }).click();
      await page.getByText('No fences yet').waitFor();
      await page.getByTitle(/^Undo: /).click();
      await page.getByText('sign-in', { exact: true }).waitFor();
    }));
});

describe('what is being written', () => {
  beforeEach(() => importFences());

  it('is kept when a form is left by mistake, of a list, too', () =>
    on('/lists', async (page) => {
      await page.getByRole('button', { name: 'New list' }).click();
      await page.getByRole('dialog').getByLabel('Entries, one a line').fill('198.51.100.0/24');
      await page.keyboard.press('Escape');
      await page.getByRole('button', { name: 'Keep editing' }).click();
      expect(await page.getByRole('dialog').getByLabel('Entries, one a line').inputValue()).toBe('198.51.100.0/24');
    }));

  it('is lost neither by Escape nor by the way back without a question', () =>
    on('/fences', async (page) => {
      await page.getByRole('button', { name: 'Edit rule login' }).click();
      const text = page.getByRole('textbox', { name: 'The rule as fence text' });
      await text.click();
      await page.keyboard.press('End');
      await page.keyboard.type(' and method = POST');
      await page.getByText('and the method is POST').first().waitFor();
      await page.getByText('As a sentence').click();
      await page.keyboard.press('Escape');
      await page.getByText('Discard what you wrote?').waitFor();
      await page.getByRole('button', { name: 'Keep editing' }).click();
      await page.getByText('Discard what you wrote?').waitFor({ state: 'detached' });
      await page.getByText('and the method is POST').first().waitFor();
      await page.getByRole('button', { name: 'Cancel' }).click();
      await page.getByRole('button', { name: 'Discard', exact: true }).click();
      await page.getByRole('dialog').waitFor({ state: 'detached' });
      expect(await rulesOf()).toEqual(['staff', 'login']);
    }));
});

describe('a replay', () => {
  it('is in the address as it is looked at, and leads on from each number and decision', async () => {
    const bytes = new TextEncoder().encode(LOG);
    const { id } = await replayOnService(
      service.client,
      { fenceFiles: [{ path: 'site.fence', text: FENCES }], namedFiles: [] },
      { name: 'day', bytes },
    );
    await on(`/replays/${id}`, async (page) => {
      await page.getByTitle('Show the blocked requests').click();
      await page.getByText('1 to 4 of 4').waitFor();
      await page
        .getByRole('button', { name: /^Explain line/ })
        .nth(1)
        .click();
      const panel = page.getByRole('complementary', { name: 'Why this decision?' });
      await panel.getByText('Rule desk/login blocked it.').waitFor();
      expect(new URL(page.url()).search).toBe('?outcome=blocked&row=9');
      await page.reload();
      await panel.getByText('Rule desk/login blocked it.').waitFor();
      await page.getByText('1 to 4 of 4').waitFor();
      // The table stays usable next to the panel.
      await page
        .getByRole('button', { name: /^Explain line/ })
        .first()
        .click();
      await expect.poll(() => new URL(page.url()).searchParams.get('row')).toBe('8');
      await panel.getByRole('button', { name: 'Add entry' }).click();
      await panel.getByText('203.0.113.9 is in team of the draft now.').waitFor();
      await panel.getByRole('link', { name: 'Exception above this rule' }).click();
      await page.getByRole('heading', { name: 'Exception above rule desk/login' }).waitFor();
      await page.getByRole('button', { name: 'Save to draft' }).click();
      await expect.poll(rulesOf).toEqual(['staff', 'exception', 'login']);
      await page.goBack();
      await panel.getByRole('button', { name: 'Not this path' }).click();
      await page.getByText('no decisions').waitFor();
      expect(new URL(page.url()).searchParams.get('where')).toBe('not path = /login');
    });
  });
});

describe('the keys', () => {
  it('lead to anything by its name, and are shown', async () => {
    await importFences();
    await on('/', async (page) => {
      await page.getByRole('heading', { name: 'Overview' }).waitFor();
      await page.keyboard.press('Control+K');
      await page.getByRole('combobox', { name: 'Go to' }).fill('rule login');
      await page.getByRole('option', { name: /desk\/login/ }).waitFor();
      await page.keyboard.press('Enter');
      await page.waitForURL(/\/fences\?text=login/);
      await page.getByText('login', { exact: true }).waitFor();
      await page.getByRole('heading', { name: 'Fences' }).click();
      await page.keyboard.press('?');
      await page.getByText('Undo your latest edit of the draft').waitFor();
    });
  });
});

describe('a page', () => {
  it('has a title, and its heading takes the focus after a navigation', async () => {
    await importFences();
    await on('/fences', async (page) => {
      await expect.poll(() => page.title()).toBe('Fences · Jade Fence');
      await page.getByRole('link', { name: 'Gates' }).click();
      await expect.poll(() => page.title()).toBe('Gates · Jade Fence');
      await expect.poll(() => page.evaluate(() => document.activeElement?.textContent)).toBe('Gates');
    });
  });

  it('of the navigation is found on a reload', async () => {
    await on('/', async (page) => {
      const links = page.getByRole('navigation', { name: 'Pages' }).getByRole('link');
      await links.first().waitFor();
      const paths = await links.evaluateAll((all) => all.map((link) => link.getAttribute('href')!));
      expect(paths.length).toBeGreaterThan(15);
      for (const path of paths) expect([path, (await fetch(`${service.address}${path}`)).status]).toEqual([path, 200]);
    });
  });

  it('is sent compressed, kept by its hash, and missing where there is none', async () => {
    const get = (path: string) => fetch(`${service.address}${path}`, { headers: { 'accept-encoding': 'br, gzip' } });
    const html = await (await get('/')).text();
    const script = /src="(\/assets\/[^"]+\.js)"/.exec(html)![1]!;
    const sent = await get(script);
    expect([sent.status, sent.headers.get('content-encoding'), sent.headers.get('cache-control')]).toEqual([
      200,
      'br',
      'public,max-age=31536000,immutable',
    ]);
    const files = [script, ...[...html.matchAll(/href="(\/assets\/[^"]+)"/g)].map(([, path]) => path!)];
    const sizes = await Promise.all(files.map(async (path) => Number((await get(path)).headers.get('content-length'))));
    expect(sizes.reduce((sum, size) => sum + size, 0)).toBeLessThan(150_000);
    expect((await get('/assets/nothing.js')).status).toBe(404);
  });

  it('of two thousand rules has only those in view, and finds and moves any', async () => {
    const rules = Array.from({ length: 100 }, (_, rule) => rule);
    const fences = Array.from({ length: 20 }, (_, fence) => {
      const lines = rules.map((rule) => `rule r${fence}-${rule} block when path under /p${fence}/${rule}`);
      return `fence f${fence} enforce {\n${lines.join('\n')}\n}\n`;
    });
    await importFences(fences.join(''));
    await on('/fences', async (page) => {
      await page.getByText('r0-0', { exact: true }).waitFor();
      expect(await page.getByRole('listitem').count()).toBeLessThan(120);
      await page.getByLabel('Show only rules with this text').fill('r17-42');
      await page.getByText('Block with 403 when the path is under /p17/42.').waitFor();
      await page.getByRole('button', { name: 'More for rule r17-42' }).click();
      await page.getByRole('menuitem', { name: 'Move to the top' }).click();
      await page.getByRole('button', { name: 'Move rule r17-42, now 1' }).waitFor();
      await page.getByLabel('Show only rules with this text').fill('');
      await page.getByText('r0-0', { exact: true }).waitFor();
      await page.evaluate(() => window.scrollTo(0, document.body.scrollHeight));
      await page.getByText('r19-99', { exact: true }).waitFor();
    });
  }, 90_000);
});
