/** The pages around the rules: lists, gates, schedules, expectations, the audit trail, trying. */
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { launchBrowser, onPage } from './browser.js';
import { FENCES } from './fixture.js';
import { importInto, importTable, startTestService, type TestService } from './service.js';

const TEXT = `${FENCES}
list guests addresses { 198.18.9.0/24 }
list all addresses { team, guests except 198.18.4.66 }
schedule nights { mon-fri 22:00-06:00 }
fence spare trial { rule only observe when always }
gate second inbound {
  hosts second.example
  fences desk
  otherwise block
}
expect allowed from 198.18.4.20 to https://shop.example/login
`;

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startTestService();
  browser = await launchBrowser();
});
const importText = () =>
  importInto(service.client, { fenceFiles: [{ path: 'site.fence', text: TEXT }], namedFiles: [] });
/** Leaves what earlier tests did behind. */
async function openNewService(): Promise<void> {
  await service.stop();
  service = await startTestService();
  await importText();
}
afterAll(async () => {
  await browser?.close();
  await service.stop();
});
beforeEach(importText);

/** Opens a page, does something there, and holds that nothing failed on the way. */
const on = (path: string, work: (page: Page) => Promise<void>): Promise<void> => onPage(service, browser, path, work);

const textOf = async (kind: string, name: string): Promise<string | undefined> =>
  (await service.client.draftSources()).parts.find((part) => part.kind === kind && part.name === name)?.text;

describe('the page of lists', () => {
  it('shows nested contents, where a list is used, and through what it holds a value', () =>
    on('/lists', async (page) => {
      await page.getByRole('button', { name: /^all/ }).click();
      await page.getByRole('heading', { name: 'all' }).waitFor();
      const entries = page.getByRole('list', { name: 'Entries of all' });
      await entries.getByText('admin, ').first().waitFor();
      const withoutOrigins = (await entries.textContent())!.replace(/admin, [\d :-]{16}/g, '');
      expect(withoutOrigins).toBe('team198.18.4.0/24guests198.18.9.0/24except 198.18.4.66');
      await page.getByText('Used nowhere.').waitFor();
      await page.getByLabel('Value').fill('198.18.9.7');
      await page.getByRole('button', { name: 'Look up' }).click();
      await page.getByText('198.18.9.7 is in all > guests, as 198.18.9.0/24.').waitFor();
      await page.getByLabel('Value').fill('198.18.4.66');
      await page.getByRole('button', { name: 'Look up' }).click();
      await page.getByText('198.18.4.66 is not in all: 198.18.4.66 takes it out.').waitFor();
      await page.getByLabel('Value').fill('shop.example');
      await page.getByRole('button', { name: 'Look up' }).click();
      await page.getByText('expected an address such as 198.18.4.7').waitFor();
    }));

  it('adds and removes many at once, from text or a file, and reports what became of each', () =>
    on('/lists', async (page) => {
      await page.getByRole('button', { name: /^guests/ }).click();
      await page.getByRole('heading', { name: 'guests' }).waitFor();
      await page.getByLabel('or a file of them').setInputFiles({
        name: 'many.txt',
        mimeType: 'text/plain',
        buffer: Buffer.from('198.18.20.0/24\n\n198.18.9.7\nnot one\n'),
      });
      await page.getByRole('button', { name: 'Add entries' }).click();
      const report = page.getByRole('list', { name: 'What became of each line' });
      await report.waitFor();
      expect(await report.locator('li').allTextContents()).toEqual([
        expect.stringMatching(/^4invalid: not/),
        '1added: 198.18.20.0/24',
        '3added: 198.18.9.7 (overlaps 198.18.9.0/24)',
      ]);
      await page.getByLabel('Entries, one a line').last().fill('198.18.9.0/24');
      await page.getByRole('button', { name: 'Remove entries' }).click();
      await expect.poll(() => textOf('list', 'guests')).toBe('list guests addresses { 198.18.20.0/24, 198.18.9.7 }');
    }));

  it('refuses to delete what is used, naming the users, and renames everywhere', () =>
    on('/lists', async (page) => {
      await page.getByRole('button', { name: /^team/ }).click();
      await page.getByRole('button', { name: 'Delete the list' }).click();
      await page.getByText('The list team is used by rule desk/staff, list all.').waitFor();
      await page.getByLabel('New name').fill('crew');
      await page.getByRole('button', { name: 'Rename', exact: true }).click();
      await page.getByRole('heading', { name: 'crew' }).waitFor();
      expect(await textOf('rule', 'staff')).toContain('client in crew');
      expect(await textOf('list', 'all')).toBe('list all addresses { crew, guests except 198.18.4.66 }');
    }));

  it('edits schedules by form and text, and reports what is wrong with one', () =>
    on('/schedules', async (page) => {
      await page.getByRole('button', { name: 'Edit schedule nights' }).click();
      const text = page.getByLabel('The schedule as fence text');
      await text.fill('schedule nights { zone Europe/Oslp mon 22:00-06:00 }');
      await page.getByText('Found "Europe/Oslp", expected a time zone').waitFor();
      await text.fill('schedule nights { zone Europe/Oslo sat 20:00-24:00 }');
      await page.getByRole('button', { name: 'sun', exact: true }).click();
      expect(await text.inputValue()).toBe('schedule nights {\n  zone Europe/Oslo\n  sat,sun 20:00-24:00\n}');
      await page.getByRole('button', { name: 'Save schedule' }).click();
      await page
        .getByText('The schedule nights is Saturday and Sunday 20:00-24:00, in the time of Europe/Oslo.')
        .waitFor();
      await page.getByRole('button', { name: 'Delete schedule nights' }).click();
      await expect.poll(() => textOf('schedule', 'nights')).toBeUndefined();
    }));
});

describe('gates', () => {
  it('have their fences put in order, added and taken away', () =>
    on('/gates', async (page) => {
      await page.getByRole('button', { name: 'Add to shop' }).click();
      await page.getByRole('option', { name: 'spare' }).click();
      await page.getByRole('button', { name: 'Move spare up at shop' }).click();
      await expect.poll(() => textOf('gate', 'shop')).toContain('fences spare, desk');
      await page.getByRole('button', { name: 'Take desk away from shop' }).click();
      await expect.poll(() => textOf('gate', 'shop')).toContain('fences spare\n');
    }));

  it('are ticked from the side of the fence, too', () =>
    on('/fences', async (page) => {
      await page.getByRole('button', { name: 'Gates of spare' }).click();
      await page.getByLabel('second').click();
      await expect.poll(() => textOf('gate', 'second')).toContain('fences desk, spare');
    }));
});

describe('expectations', () => {
  it('show what is met and why one is not, and are added and removed', () =>
    on('/expectations', async (page) => {
      await page.getByLabel('met', { exact: true }).waitFor();
      await page.getByRole('button', { name: 'New expectation' }).click();
      await page.getByLabel('Client').fill('203.0.113.9');
      await page.getByLabel('URL').fill('https://shop.example/login');
      await page.getByRole('button', { name: /Expected outcome/ }).click();
      await page.getByRole('option', { name: 'allowed' }).click();
      await page.getByRole('button', { name: 'Add expectation' }).click();
      await page.getByText('It was blocked by rule desk/login, expected allowed.').waitFor();
      await page.getByRole('button', { name: /^Remove: A request from 203.0.113.9/ }).click();
      await page.getByText('It was blocked by rule desk/login').waitFor({ state: 'detached' });
      expect(await service.client.expectations()).toHaveLength(1);
    }));

  it('that are not met keep a revision from being published, unless it is forced', () =>
    on('/revisions', async (page) => {
      const { version } = await service.client.draft();
      const text = 'expect allowed from 203.0.113.9 to https://shop.example/login';
      await service.client.edit([{ kind: 'put', text }], version);
      await page.reload();
      await page.getByLabel('Note: what changes, and why').fill('All the same');
      await page.getByRole('button', { name: 'Publish', exact: true }).click();
      await page.getByRole('button', { name: /^Publish with \d+ warning/ }).click();
      await page.getByText('1 expectation is not met, so nothing was published.').waitFor();
      await page.getByRole('button', { name: 'Publish all the same' }).click();
      await page.getByText('forced: expectations were not met').waitFor();
    }));
});

describe('a new fence', () => {
  it('begins from one of ours, on trial and to be edited', () =>
    on('/fences', async (page) => {
      await page.getByRole('button', { name: 'New fence' }).click();
      await page.getByRole('button', { name: /^A public API/ }).click();
      await page.getByText('Limit to 120 requests in 1 minute for each client').waitFor();
      expect(await textOf('fence', 'public-api')).toMatch(/^fence public-api trial "Public API"/);
    }));

  it('shows only the rules that are looked for', () =>
    on('/fences', async (page) => {
      await page.getByText('Only observe always.').waitFor();
      await page.getByLabel('Show only rules with this text').fill('LOGIN');
      await page.getByText('Only observe always.').waitFor({ state: 'detached' });
      await page.getByText('Block with 403 when the path is under /login').waitFor();
    }));
});

describe('trying', () => {
  it('uses the latest revision, or the draft', async () => {
    const { version } = await service.client.draft();
    await service.client.publish({ note: 'to try', isForced: true }, version).catch(() => undefined);
    await on('/try', async (page) => {
      await page.getByRole('button', { name: /Judged by/ }).waitFor();
      await service.client.edit(
        [{ kind: 'set-rule', fence: 'desk', rule: 'login', state: 'off' }],
        (await service.client.draft()).version,
      );
      await page.getByLabel('Client').fill('203.0.113.9');
      await page.getByLabel('URL').fill('https://shop.example/login');
      await page.keyboard.press('Enter');
      await page.getByText('Rule desk/login blocked it.').waitFor();
      await page.getByRole('button', { name: /Judged by/ }).click();
      await page.getByRole('option', { name: 'the draft' }).click();
      await page.getByRole('button', { name: 'Try request' }).click();
      await page.getByText('No fence decided, so gate shop allows it').waitFor();
    });
  });
});

describe('the audit trail', () => {
  it('shows who changed what, with what was before and after', async () => {
    const text = 'rule login block 451 when path under /login';
    const { version } = await service.client.draft();
    await service.client.edit([{ kind: 'replace-rule', fence: 'desk', rule: 'login', text }], version);
    await on('/audit', async (page) => {
      await page.getByText('Audit trail intact').waitFor();
      await page.getByText('rule desk/login changed').first().click();
      await page.getByText('"before"').first().waitFor();
    });
  });
});

describe('the pages of reference data', () => {
  // What comes in here is not taken away again.
  beforeEach(openNewService);

  const upload = (name: string, text: string) => ({ name, mimeType: 'text/plain', buffer: Buffer.from(text) });

  it('import a country table, show it on a map, look addresses up in it and correct it', () =>
    on('/countries', async (page) => {
      await page.getByText('No country table yet').waitFor();
      await page
        .getByLabel(/^Rows start,end,CC/)
        .setInputFiles(upload('table.csv', '198.18.0.0/16,NO\n198.19.0.0/16,SE\nx,y\n'));
      await page.getByRole('button', { name: 'Import', exact: true }).click();
      await page.getByText('table.csv with 2 entries is active now.').waitFor();
      await page.getByText('line 3: expected a country code of two capital letters, found "y"; left out').waitFor();
      await page
        .getByRole('img', { name: 'Map of the 2 countries of the table. The table below has the figures.' })
        .waitFor();
      await page.getByLabel('Address or name').fill('198.18.4.20');
      await page.getByRole('button', { name: 'Look up' }).click();
      await page.getByText('198.18.0.0/16 is NO in table.csv').waitFor();
      await page.getByText('In the list team, as 198.18.4.0/24').waitFor();
      await page.getByLabel('Address, network or range').fill('198.18.4.20');
      await page.getByLabel('Country', { exact: true }).fill('SE');
      await page.getByRole('button', { name: 'Save correction' }).click();
      await page.getByText('198.18.4.20 is SE by a correction').waitFor();
      await page.getByRole('button', { name: 'Take away the correction of 198.18.4.20' }).click();
      await page.getByText('198.18.0.0/16 is NO in table.csv').waitFor();
    }));

  it('import category feeds, put them in order, and show their answers', () =>
    on('/categories', async (page) => {
      const bring = async (name: string, text: string, category: string): Promise<void> => {
        await page.getByLabel('Name of the feed').fill(name);
        await page.getByLabel('Category for lines without one').fill(category);
        await page.getByLabel(/^Lines domain-or-url/).setInputFiles(upload('f.txt', text));
        await page.getByRole('button', { name: 'Import', exact: true }).click();
        await page.getByText(`${name} with 1 entry is active now.`).waitFor();
      };
      await bring('ours', 'play.example\n', 'games');
      await bring('theirs', 'play.example\n', 'shopping');
      await page.getByLabel('Domain or URL').first().fill('www.play.example');
      await page.getByRole('button', { name: 'Look up' }).click();
      await page.getByText('www.play.example is games: by ours, entry play.example.').waitFor();
      await page
        .getByText('theirs: shopping, entry play.example (not used, because an earlier source knows it)')
        .waitFor();
      await page.getByRole('button', { name: 'Move theirs up' }).click();
      await page.getByText('www.play.example is shopping: by theirs, entry play.example.').waitFor();
      await page.getByRole('button', { name: 'Remove theirs' }).click();
      await page.getByText('www.play.example is games').waitFor();
    }));

  it('search the applications, add one, and recognise traffic', () =>
    on('/applications', async (page) => {
      await page.getByLabel('Name or title').fill('shell');
      await page.getByText('payload is ssh').waitFor();
      await page.getByLabel('Name or title').fill('');
      await page
        .getByLabel('The application as fence text')
        .fill('application desk "Desk" { risk high ports tcp/8443 signature when host = desk.example }');
      await page.getByRole('button', { name: 'Save application', exact: true }).click();
      await page.getByText('Saved to draft.').waitFor();
      expect(await textOf('application', 'desk')).toContain('risk high');
      await page.getByRole('textbox', { name: 'Port' }).fill('8443');
      await page.getByText('host = desk.example').first().waitFor();
      await page.getByLabel('First bytes, as hexadecimal digits').fill('53 53 48 2d 32 2e 30 2d 78');
      await page.getByRole('button', { name: 'Identify', exact: true }).click();
      await page.getByText('ssh, because payload is ssh').waitFor();
    }));

  it('set passphrases, and show which rules use one', () =>
    on('/settings', async (page) => {
      await page.getByLabel('Name').fill('door');
      await page.getByLabel('Passphrase').fill('open sesame');
      await page.getByRole('button', { name: 'Set passphrase' }).click();
      await page.getByText('door set by admin').waitFor();
      await page.getByRole('button', { name: 'Delete passphrase door' }).click();
      await page.getByText('door set by admin').waitFor({ state: 'detached' });
    }));

  it('bring in a large list, and make a list of it', () =>
    on('/lists', async (page) => {
      await page.getByLabel('Name of the dataset').fill('tout-sites');
      await page.getByLabel(/^One entry a line/).setInputFiles(upload('touts.txt', 'tout.example\nresale.example\n'));
      await page.getByRole('button', { name: 'Import', exact: true }).click();
      await page.getByText('tout-sites with 2 entries is active now.').waitFor();
      await page.getByRole('button', { name: 'New list …' }).click();
      await page.getByLabel('Name', { exact: true }).fill('touts');
      await page.getByRole('button', { name: 'addresses' }).click();
      await page.getByRole('option', { name: 'domains' }).click();
      await page.getByRole('button', { name: 'written here' }).click();
      await page.getByRole('option', { name: 'the dataset tout-sites' }).click();
      await page.getByRole('button', { name: 'Create the list' }).click();
      await expect.poll(() => textOf('list', 'touts')).toBe('list touts domains from dataset tout-sites');
      await page.getByRole('button', { name: /^touts/ }).click();
      await page.getByText('Its entries are the dataset tout-sites.').waitFor();
      await page.getByLabel('Value').fill('www.tout.example');
      await page.getByRole('button', { name: 'Look up' }).click();
      await page.getByText('www.tout.example is in touts, as tout.example.').waitFor();
    }));

  it('draw the week of a schedule, past midnight, too', () =>
    on('/schedules', async (page) => {
      const week = page.getByRole('img', { name: /^The week: The schedule nights/ });
      await week.waitFor();
      // Mondays begin in the evening; what runs past midnight goes on in the next row, to Saturday morning.
      const hoursOf = (day: string) =>
        week
          .locator(`xpath=./div[span[text()="${day}"]]//span[contains(@class, "bg-jade")]`)
          .evaluateAll((spans) => spans.map((span) => (span as HTMLElement).style.left.slice(0, 5)));
      expect([await hoursOf('Mon'), await hoursOf('Tue'), await hoursOf('Sat'), await hoursOf('Sun')]).toEqual([
        ['91.66'],
        ['0%', '91.66'],
        ['0%'],
        [],
      ]);
    }));

  it('pick countries by continent, with their addresses and a warning where the table has none', async () => {
    await importTable(service.client, Buffer.from('198.18.0.0/16,NO\n198.19.0.0/16,BR\n'));
    await on('/fences', async (page) => {
      await page
        .getByRole('button', { name: /^Edit .*desk\/staff|^Edit rule desk\/staff|Edit .*staff/ })
        .first()
        .click();
      await page
        .getByRole('button', { name: /^Add a condition/ })
        .first()
        .click();
      await page.getByText('65,536 addresses').first().waitFor();
      await page.getByPlaceholder('Search', { exact: true }).fill('sweden');
      await page.getByText('no ranges in the table').waitFor();
      await page.getByPlaceholder('Search', { exact: true }).fill('');
      await page.getByRole('button', { name: 'Americas' }).click();
      await page.getByPlaceholder('Search', { exact: true }).fill('brazil');
      expect(await page.getByRole('checkbox', { name: /Brazil/ }).isChecked()).toBe(true);
    });
  });

  it('set the source of a table, and report what is wrong with it', async () => {
    await importTable(service.client, Buffer.from('198.18.0.0/16,NO\n'));
    await on('/countries', async (page) => {
      await page.getByLabel(/^URLs, or paths below/).fill('ftp://data.example/table.csv');
      await page.getByRole('button', { name: 'Save source' }).click();
      await page
        .getByText('"ftp://data.example/table.csv" is no http(s) URL, and the service reads no files.')
        .waitFor();
      await page.getByLabel(/^URLs, or paths below/).fill('http://127.0.0.1:9/table.csv');
      await page.getByRole('button', { name: 'Save source' }).click();
      await page.getByRole('button', { name: 'Refresh now' }).click();
      await page.getByText('cannot be used: 127.0.0.1 is no public address.').first().waitFor();
      await page.getByText('failed', { exact: true }).waitFor();
      await page.getByRole('button', { name: 'Stop' }).click();
      await page.getByRole('button', { name: 'Refresh now' }).waitFor({ state: 'detached' });
    });
  });
});
