/** What people do in the console by forms alone: rules, gates, replays, tries, imports, settings. */
import { readFileSync } from 'node:fs';
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { launchBrowser, onPage } from './browser.js';
import { logLine } from './fixture.js';
import { importInto, replayOnService, startTestService, type TestService } from './service.js';

const TEXT = `list team addresses { 198.18.4.0/24 }
list guests addresses { 198.18.9.0/24 }
list all addresses { team, guests }
gate shop inbound { hosts shop.example fences desk, house otherwise allow }
gate wifi outbound { clients 198.18.40.0/22 otherwise allow }
fence desk enforce "Desk" {
  rule staff tag staff when client in team
  rule login block when path under /login and not tag = staff
  rule resale block 451 when path under /resale
}
fence house trial { rule all observe when always }
`;
const sources = { fenceFiles: [{ path: 'site.fence', text: TEXT }], namedFiles: [] };
const LOG = Array.from({ length: 300 }, (_, index) =>
  logLine(
    index % 10 === 0 ? '203.0.113.9' : `198.18.4.${index % 200}`,
    index % 10 === 0 ? '/login' : `/${index}`,
    index % 60,
  ),
).join('\n');

let service: TestService;
let browser: Browser;
let replayId: number;
beforeAll(async () => {
  [service, browser] = [await startTestService(), await launchBrowser()];
  ({ id: replayId } = await replayOnService(service.client, sources, {
    name: 'day',
    bytes: new TextEncoder().encode(LOG),
  }));
});
afterAll(async () => {
  await browser?.close();
  await service.stop();
});
beforeEach(() => importInto(service.client, sources));

const on = (path: string, work: (page: Page) => Promise<void>): Promise<void> => onPage(service, browser, path, work);
const rulesOf = async (fence: string): Promise<string[]> =>
  (await service.client.draft()).fences
    .find(({ name }) => name === fence)!
    .rules.map(({ name, state }) => (state === 'on' ? name : `${name} ${state}`));
const partOf = async (kind: string, name: string): Promise<string | undefined> =>
  (await service.client.draftSources()).parts.find((part) => part.kind === kind && part.name === name)?.text.trim();
const choose = async (page: Page, button: string | RegExp, option: string | RegExp): Promise<void> => {
  await page.getByRole('button', { name: button }).click();
  await page.getByRole('option', { name: option }).click();
};

describe('rules', () => {
  it('that two people changed are shown as both have them, and merged', () =>
    on('/fences', async (page) => {
      await page.getByRole('button', { name: 'Edit rule login' }).click();
      await page.getByLabel('Reason').fill('abuse');
      const { version } = await service.client.draft();
      const theirs = 'rule login block 429 when path under /login and not tag = staff';
      await service.client.edit([{ kind: 'replace-rule', fence: 'desk', rule: 'login', text: theirs }], version);
      await page.getByRole('button', { name: 'Save to draft' }).click();
      const conflict = page.getByRole('region', { name: 'Both versions' });
      await conflict.waitFor();
      expect(await conflict.getByRole('row').allTextContents()).toEqual([
        'PartAs openedTheirsMine',
        'Actionblock with 403block with 429block with 403',
        'Reasonnonenoneabuse',
      ]);
      await page.getByRole('button', { name: 'Merge both' }).click();
      await page.getByRole('button', { name: 'Save to draft' }).click();
      await expect
        .poll(() => partOf('rule', 'login'))
        .toBe('rule login block 429 when path under /login and not tag = staff reason "abuse"');
    }));

  it('are named after what they do until a user names them', () =>
    on('/fences', async (page) => {
      await page.getByRole('button', { name: 'Add rule' }).first().click();
      // The picker of its condition is open.
      await page.getByPlaceholder('Search, or write a value').fill('/account');
      await page.keyboard.press('Enter');
      await page.getByRole('checkbox', { name: '/', exact: true }).click();
      await page.getByRole('button', { name: 'Done', exact: true }).click();
      expect(await page.getByLabel('Name', { exact: true }).inputValue()).toBe('block-account');
      await page.getByRole('button', { name: 'Save to draft' }).click();
      await expect.poll(() => rulesOf('desk')).toEqual(['staff', 'login', 'resale', 'block-account trial']);
    }));

  it.each([
    ['country', /^Norway/, 'rule block-no trial block when country in NO'],
    ['client', /^team/, 'rule block-team trial block when client in team'],
    ['category', /^uncategorised/, 'rule block-uncategorised trial block when category in uncategorised'],
    ['application', /^dns/, 'rule block-dns trial block when application in dns'],
  ])('about a %s take four presses', (field, value, expected) =>
    on('/fences', async (page) => {
      await page.getByRole('button', { name: 'Add rule' }).first().click();
      await page.getByRole('button', { name: field, exact: true }).click();
      await page.getByRole('checkbox', { name: value }).first().click();
      await page.getByRole('button', { name: 'Save to draft' }).click();
      await expect.poll(() => partOf('rule', expected.split(' ')[1]!)).toBe(expected);
    }),
  );

  it('are turned off, moved to another fence and taken back together', () =>
    on('/fences', async (page) => {
      await page.getByRole('checkbox', { name: 'Select rule resale' }).click();
      await page.getByRole('checkbox', { name: 'Select rule staff' }).click({ modifiers: ['Shift'] });
      const bar = page.getByRole('group', { name: 'Selected rules of desk' });
      await bar.getByText('3 rules selected').waitFor();
      await page.getByRole('checkbox', { name: 'Select rule staff' }).click();
      await bar.getByText('2 rules selected').waitFor();
      await bar.getByRole('button', { name: 'Turn off' }).click();
      await expect.poll(() => rulesOf('desk')).toEqual(['staff', 'login off', 'resale off']);
      await choose(page, /^Move to another fence/, 'house');
      await expect.poll(() => rulesOf('house')).toEqual(['all', 'login off', 'resale off']);
      await page.getByRole('button', { name: 'Undo' }).click();
      await expect.poll(() => rulesOf('desk')).toEqual(['staff', 'login off', 'resale off']);
    }));

  it('come from files, after what they change was shown', () =>
    on('/fences', async (page) => {
      const file = (name: string, text: string) => ({ name, mimeType: 'text/plain', buffer: Buffer.from(text) });
      await page.getByRole('button', { name: 'Import files' }).click();
      await page.getByLabel(/^Fence files/).setInputFiles([file('a.txt', 'x')]);
      await page.getByText('Found no file that ends in .fence').waitFor();
      await page
        .getByLabel(/^Fence files/)
        .setInputFiles([
          file(
            'more.fence',
            'list touts addresses from "lists/touts.txt"\nfence gate2 trial { rule t block when client in touts }',
          ),
          file('touts.txt', '198.18.90.0/24\n'),
        ]);
      await page.getByText('List touts was added.').waitFor();
      await page.getByRole('button', { name: 'Import into the draft' }).click();
      await page.getByRole('dialog').waitFor({ state: 'detached' });
      expect(await rulesOf('gate2')).toEqual(['t']);
      expect(await rulesOf('desk')).toHaveLength(3);
    }));
});

it('lists are searched all at once, and have exceptions', () =>
  on('/lists', async (page) => {
    await page.getByLabel('Search all lists').fill('198.18.9.7');
    await page.getByRole('button', { name: 'Search' }).click();
    const found = page.getByRole('status', { name: 'Lists that hold 198.18.9.7' });
    await found.getByText('through guests, as 198.18.9.0/24').waitFor();
    await found.getByRole('button', { name: 'guests' }).click();
    await page.getByLabel('Entries, one a line').fill('except 198.18.9.7\nnot one');
    await page.getByRole('button', { name: 'Add entries' }).click();
    await expect.poll(() => partOf('list', 'guests')).toBe('list guests addresses { 198.18.9.0/24 except 198.18.9.7 }');
    // What was refused is left to be corrected.
    expect(await page.getByLabel('Entries, one a line').inputValue()).toBe('not one');
    await page.getByRole('button', { name: 'Remove except 198.18.9.7 from guests' }).click();
    await expect.poll(() => partOf('list', 'guests')).toBe('list guests addresses { 198.18.9.0/24 }');
  }));

it('a page is written with a preview, and a rule shows it', () =>
  on('/pages', async (page) => {
    await page.getByRole('button', { name: 'New page' }).click();
    await page.getByRole('textbox', { name: 'Name' }).fill('closed');
    await page.getByRole('textbox', { name: 'The page as HTML' }).fill('<h1>Closed today</h1>');
    await page
      .frameLocator('iframe[title="Preview of page closed"]')
      .getByRole('heading', { name: 'Closed today' })
      .waitFor();
    await page.getByRole('button', { name: 'Create page' }).click();
    await page.getByText('used by no rule').waitFor();
    await page.goto(`${service.address}/fences`);
    await page.getByRole('button', { name: 'Edit rule resale' }).click();
    await page.getByRole('button', { name: /^Action: / }).click();
    await choose(page, /^Page shown/, 'closed');
    await page.getByRole('button', { name: 'Done', exact: true }).click();
    await page.getByRole('button', { name: 'Save to draft' }).click();
    await expect.poll(() => partOf('rule', 'resale')).toBe('rule resale block 451 page closed when path under /resale');
  }));

it('a gate has its path forms, its inspection and its place by form', () =>
  on('/gates', async (page) => {
    await page.getByRole('button', { name: 'Edit gate wifi' }).click();
    await page.getByRole('checkbox', { name: /several slashes/ }).click();
    await choose(page, /^Whether they are inspected/, 'follows from these rules');
    await page.getByRole('button', { name: 'Add rule' }).click();
    await page.getByRole('button', { name: /^Add a condition: when/ }).click();
    await choose(page, /^Field country/, 'host');
    await page.getByRole('textbox', { name: 'Values' }).fill('bank.example');
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: 'Add condition', exact: true }).click();
    await choose(page, /^All others/, /^inspect$/);
    await page.getByRole('button', { name: 'Save gate' }).click();
    await expect
      .poll(() => partOf('gate', 'wifi'))
      .toMatch(/paths merge-slashes\s+inspect \{\s+exempt when host in bank\.example\s+otherwise inspect\s+\}/);
    await page.getByRole('button', { name: 'Move gate wifi up' }).click();
    await expect
      .poll(async () => (await service.client.draft()).gates.map(({ name }) => name))
      .toEqual(['wifi', 'shop']);
  }));

it('what another user changed is not overwritten by a form unless the user agrees', () =>
  on('/gates', async (page) => {
    await page.getByRole('button', { name: 'Edit gate wifi' }).click();
    await page.getByRole('checkbox', { name: /several slashes/ }).click();
    const theirs = 'gate wifi outbound { clients 198.18.40.0/22 otherwise block }';
    await service.client.edit([{ kind: 'put', text: theirs, part: 'gate' }], (await service.client.draft()).version);
    await page.getByRole('button', { name: 'Save gate' }).click();
    await page.getByText(/^gate wifi admin changed it at/).waitFor();
    expect(await partOf('gate', 'wifi')).toContain('otherwise block');
    await page.getByRole('button', { name: 'Keep mine in its place' }).click();
    await page.getByRole('button', { name: 'Save gate' }).click();
    await expect.poll(() => partOf('gate', 'wifi')).toContain('paths merge-slashes\n  otherwise allow');
  }));

describe('a replay', () => {
  it('is of a gate and a span, has a name, and is deleted', () =>
    on('/logs/1', async (page) => {
      await page.getByRole('button', { name: 'With options' }).click();
      await page.getByLabel(/^Name of the replay/).fill('half a minute');
      await choose(page, /^Judged by/, 'gate shop, all requests');
      await page.getByLabel('Only requests from (UTC)').fill('2026-10-12T10:00:30');
      await page.getByRole('button', { name: 'Start replay' }).click();
      await page.getByRole('heading', { name: /^half a minute \(replay \d+ of day\)/ }).waitFor();
      await page.getByText('150 requests from 2026-10-12 10:00:30').waitFor();
      await page.getByRole('button', { name: 'Rename' }).click();
      await page.getByLabel('Name; empty for none').fill('the second half');
      await page.getByRole('button', { name: 'Save name' }).click();
      await page.getByRole('heading', { name: /^the second half/ }).waitFor();
      await page.getByRole('button', { name: 'Delete', exact: true }).click();
      await page.getByRole('button', { name: 'Really delete it' }).click();
      await page.getByRole('heading', { name: 'Replays' }).waitFor();
      expect((await service.client.replays()).map(({ name }) => name)).not.toContain('the second half');
    }));

  it('shows its decisions in a table that scrolls, whose columns are chosen and saved', () =>
    on(`/replays/${replayId}`, async (page) => {
      await page.getByText('1 to 25 of 300').waitFor();
      const table = page.getByRole('region', { name: 'Decisions' });
      const lines = async (): Promise<string[]> =>
        (await table.locator('tbody tr td:first-child').allTextContents()).slice(0, 2);
      await expect.poll(lines).toEqual(['1', '2']);
      await table.evaluate((box) => (box.scrollTop = box.scrollHeight));
      await page.getByText('276 to 300 of 300').waitFor();
      await expect.poll(lines).not.toContain('…');
      const last = await lines();
      await expect.poll(() => new URL(page.url()).searchParams.get('offset')).toBe('275');
      await table.getByRole('button', { name: `Explain line ${last[0]}`, exact: true }).click();
      const opened = table.locator('tr.bg-jade-soft td:first-child');
      await expect.poll(() => opened.textContent()).toBe(last[0]);
      await table.focus();
      await page.keyboard.press('ArrowDown');
      await page.getByRole('complementary', { name: 'Why this decision?' }).waitFor();
      await expect.poll(() => opened.textContent()).toBe(last[1]);
      await page.getByRole('button', { name: 'Close' }).click();
      // A cell is a filter: with shift for all but its value.
      await table.getByRole('button', { name: 'blocked' }).first().click();
      await table
        .getByRole('button', { name: 'desk/login' })
        .first()
        .click({ modifiers: ['Shift'] });
      await page.getByText('no decisions').waitFor();
      expect(await page.getByLabel('Filter').inputValue()).toBe('outcome = blocked and not rule = desk/login');
      await page.goBack();
      await page.getByText('1 to 25 of 30').waitFor();
      // What is typed is completed.
      await page.getByLabel('Filter').fill('outcome = blocked and rule = desk/l');
      const options = () =>
        page.locator('datalist option').evaluateAll((all) => all.map((option) => (option as HTMLOptionElement).value));
      await expect.poll(options).toEqual(['outcome = blocked and rule = desk/login ']);
      await page.goBack();
      await page.getByText('276 to 300 of 300').waitFor();
      await page.getByRole('button', { name: 'Columns' }).click();
      await page.getByRole('checkbox', { name: 'recorded status' }).click();
      await page.getByRole('checkbox', { name: 'country' }).click();
      await page.keyboard.press('Escape');
      await page.reload();
      await page.getByText('276 to 300 of 300').waitFor();
      const [download] = await Promise.all([
        page.waitForEvent('download'),
        page.getByRole('button', { name: 'Save as CSV' }).click(),
      ]);
      const csv = readFileSync(await download.path(), 'utf8')
        .trim()
        .split('\r\n');
      expect(csv[0]).toBe('line,time (UTC),client,request,recorded status,outcome,decided by');
      expect(csv).toHaveLength(301);
      expect(csv[1]).toMatch(/^1,2026-10-12 10:00:00,203\.0\.113\.9,GET shop\.example\/login,200,blocked,desk\/login$/);
    }));

  it('is looked at for a time alone, chosen by fields or with the pointer', () =>
    on(`/replays/${replayId}`, async (page) => {
      await choose(page, /^From any time/, '2026-10-12 10:00');
      await expect.poll(() => new URL(page.url()).searchParams.get('where')).toMatch(/^time >= 2026-10-12T10:00/);
      await page.getByRole('button', { name: 'Replay only this time' }).click();
      await expect.poll(() => page.url()).not.toContain(`/replays/${replayId}?`);
      await page.getByText('Requests over time').waitFor();
    }));
});

it('a try has all parts of a request, a control next to it, and becomes an expectation', () =>
  on('/try', async (page) => {
    await page.getByLabel('Client').fill('203.0.113.9');
    await page.getByRole('button', { name: /^More of the request/ }).click();
    await page.getByLabel(/^Paste a request/).fill(`curl -X POST 'https://shop.example/login' -H 'X-Key: a'`);
    expect(await page.getByLabel('Method').inputValue()).toBe('POST');
    expect(await page.getByLabel('Value of header 1').inputValue()).toBe('a');
    await page.getByLabel('Control (optional)').fill('198.18.4.7');
    await page.getByRole('button', { name: 'Try request' }).click();
    await page.getByText('The client gets blocked, the control allowed.').waitFor();
    await page.getByLabel('Client', { exact: true }).fill('198.18.4.9');
    await page.getByRole('button', { name: 'Try request' }).click();
    await page.getByText('the rules make no difference between them').waitFor();
    // The first once more, from the history.
    await page.getByRole('button', { name: /203\.0\.113\.9.*POST/ }).click();
    await page.getByText('The client gets blocked, the control allowed.').waitFor();
    await page.getByRole('link', { name: 'Make an expectation' }).first().click();
    await page.getByRole('button', { name: 'Add expectation' }).click();
    await page.getByLabel('met', { exact: true }).waitFor();
    const [expectation] = await service.client.expectations();
    expect(expectation!.text).toContain('expect blocked by rule desk/login from 203.0.113.9');
    expect(expectation!.text).toContain('header "x-key" ');
  }));

it('before publishing, the effect on the latest log is measured', async () => {
  await service.client.publish({ note: 'first', isForced: true }, (await service.client.draft()).version);
  const { version } = await service.client.draft();
  await service.client.edit([{ kind: 'set-rule', fence: 'desk', rule: 'login', state: 'off' }], version);
  await on('/revisions', async (page) => {
    await page.getByRole('button', { name: 'Compare them' }).click();
    await page.getByText('30 of 300 requests of day (10.0%) would change:').waitFor();
    await page.getByText('30 from blocked to allowed').waitFor();
    await choose(page, /^Against/, 'revision 1');
    await page.getByText('State changed from on to off.').last().waitFor();
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('button', { name: 'Save revision 1 as a file' }).click(),
    ]);
    expect(download.suggestedFilename()).toBe('revision-1.fence');
    expect(readFileSync(await download.path(), 'utf8')).toContain('rule login block when path under /login');
  });
});

it('an upload is cancelled, and nothing is kept', () =>
  on('/logs', async (page) => {
    await page.route('**/api/v1/logs?*', async (route) => {
      await new Promise((resolve) => setTimeout(resolve, 3000));
      await route.continue().catch(() => undefined);
    });
    await page
      .locator('input[type=file]')
      .setInputFiles({ name: 'other.log', mimeType: 'text/plain', buffer: Buffer.from(`${LOG}\n${LOG}`) });
    await page.getByLabel('Name of the log').fill('twice');
    await page.getByRole('button', { name: 'Upload' }).click();
    await page.getByRole('button', { name: 'Cancel upload' }).click();
    await page.getByText('The upload was cancelled; nothing was kept.').waitFor();
    expect((await service.client.logs()).map(({ name }) => name)).toEqual(['day']);
  }));

it('tokens, the password, colours and times are settings', () =>
  on('/settings', async (page) => {
    await page.getByLabel('What the token is for').fill('nightly');
    await page.getByRole('button', { name: 'Create token' }).click();
    expect(await page.getByText('shown only this once').locator('code').textContent()).toMatch(/^jft_/);
    await page.getByRole('button', { name: 'Revoke token nightly' }).click();
    await page.getByRole('button', { name: 'Revoke token nightly' }).waitFor({ state: 'detached' });
    const { name, password } = service.signIn;
    const change = async (from: string, to: string): Promise<void> => {
      await page.getByLabel('Current password').fill(from);
      await page.getByLabel(/^New password, at least/).fill(to);
      await page.getByLabel('New password again').fill(to);
      await page.getByRole('button', { name: 'Change password' }).click();
    };
    await change('not the password', 'another long one');
    await page.getByText('The name or the password is wrong.').waitFor();
    await change(password, 'another long one');
    await page.getByText('The password is changed.').waitFor();
    await service.client.signIn(name, 'another long one');
    await change('another long one', password);
    await page.getByText('The password is changed.').waitFor();
    await choose(page, /^Colours/, 'dark');
    expect(await page.evaluate(() => document.documentElement.style.colorScheme)).toBe('dark');
    await choose(page, /^Times/, 'local time');
    await page.goto(`${service.address}/logs`);
    await page.getByText(/to 2026-10-12 \d\d:\d\d:59/).waitFor();
    expect(await page.evaluate(() => document.documentElement.style.colorScheme)).toBe('dark');
  }));
