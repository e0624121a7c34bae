/** Rules written, moved and published in the console, as people do it. */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import AxeBuilder from '@axe-core/playwright';
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { launchBrowser, openPage } from './browser.js';
import { FENCES, LOG } from './fixture.js';
import { jadefence } from './jadefence.js';
import { importInto, startTestService, type TestService } from './service.js';

let service: TestService;
let browser: Browser;
let folder: string;
let env: Record<string, string>;
beforeAll(async () => {
  service = await startTestService();
  await service.client.importLog({ name: 'day' }, new Uint8Array(Buffer.from(LOG)));
  const { token } = await service.client.createToken(service.signIn, { name: 'tests', scope: 'editor' });
  env = { JADEFENCE_URL: service.address, JADEFENCE_TOKEN: token };
  folder = mkdtempSync(join(tmpdir(), 'jadefence-'));
  browser = await launchBrowser();
});
afterAll(async () => {
  await browser?.close();
  await service.stop();
  rmSync(folder, { recursive: true, force: true });
});

const begin = (text = FENCES): Promise<unknown> =>
  importInto(service.client, { fenceFiles: [{ path: 'site.fence', text }], namedFiles: [] });
beforeEach(() => begin());

const open = (path: string, isDark = false, width = 1280) => openPage(service, browser, path, { isDark, width });

async function run(...args: string[]): Promise<string> {
  const { exitCode, stdout, stderr } = await jadefence(args, { env, cwd: folder });
  expect([args, exitCode, stderr]).toEqual([args, 0, stderr]);
  return stdout;
}

async function exported(name: string): Promise<string> {
  await run('fence', 'export', name);
  return readFileSync(join(folder, name, 'fences.fence'), 'utf8');
}

/** Writes the text of the rule that is open in the editor. */
async function writeRule(page: Page, text: string): Promise<void> {
  const editor = page.getByRole('textbox', { name: 'The rule as fence text' });
  await editor.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.press('Delete');
  await page.keyboard.insertText(text);
}

const sentence = (page: Page): Promise<string | null> => page.getByTestId('sentence').textContent();
const ruleNames = async (): Promise<string[]> =>
  (await service.client.draft()).fences[0]!.rules.map(({ name }) => name);

describe('the rule editor', () => {
  it('builds the same fence as the command line and as a file: their exports are equal', async () => {
    const empty = 'gate shop inbound { hosts shop.example otherwise allow }';
    await begin(empty);
    const { page, context, errors } = await open('/lists');
    await page.getByRole('button', { name: 'New list' }).click();
    await page.getByLabel('Name', { exact: true }).fill('team');
    await page.getByLabel('Entries, one a line').fill('198.18.4.0/24');
    await page.getByRole('button', { name: 'Create the list' }).click();
    await page.getByRole('heading', { name: 'team' }).waitFor();
    await page.getByRole('link', { name: 'Fences' }).click();
    await page.getByRole('button', { name: 'New fence' }).click();
    await page.getByLabel('An empty fence').fill('desk');
    await page.getByRole('button', { name: 'Add fence' }).click();
    await page.getByRole('button', { name: 'Enforce', exact: true }).click();
    await page.getByRole('button', { name: 'Put on trial' }).waitFor();
    for (const text of [
      'rule staff tag staff when client in team',
      'rule login block when path under /login and not tag = staff',
    ]) {
      await page.getByRole('button', { name: 'Add rule' }).click();
      await writeRule(page, text);
      await page.getByRole('button', { name: 'Save to draft' }).click();
      await page.getByRole('dialog').waitFor({ state: 'detached' });
    }
    await page.getByRole('link', { name: 'Gates' }).click();
    await page.getByRole('button', { name: 'Add to shop' }).click();
    await page.getByRole('option', { name: 'desk' }).click();
    await page.getByRole('button', { name: 'Take desk away from shop' }).waitFor();
    // The page shows an edit before the service has it.
    await expect
      .poll(async () => (await service.client.draft()).gates[0]!.fences, { timeout: 20_000 })
      .toEqual(['desk']);
    expect(errors).toEqual([]);
    await context.close();
    const byConsole = await exported('by-console');

    await begin(empty);
    await run('list', 'create', 'team', 'addresses');
    await run('list', 'add', 'team', '198.18.4.0/24');
    await run('draft', 'put', 'fence desk enforce { }');
    await run('rule', 'add', 'desk', 'rule login block when path under /login and not tag = staff');
    await run('rule', 'add', 'desk', 'rule staff tag staff when client in team', '--top');
    await run('gate', 'attach', 'shop', 'desk');
    expect(await exported('by-command')).toBe(byConsole);

    writeFileSync(
      join(folder, 'all.fence'),
      `gate shop inbound { hosts shop.example fences desk otherwise allow }
list team addresses { 198.18.4.0/24 }
fence desk enforce { rule staff tag staff when client in team
rule login block when path under /login and not tag = staff }`,
    );
    await run('fence', 'import', 'all.fence', '--yes');
    expect(await exported('by-file')).toBe(byConsole);
    // Three ways with a dozen commands.
  }, 90_000);

  it('keeps sentence and text together, and counts the requests that match', async () => {
    const { page, context, errors } = await open('/fences');
    await page.getByRole('button', { name: 'Edit rule login' }).click();
    await page.getByText('Matches 4 of 12 requests').waitFor();
    await page.getByRole('button', { name: /^Condition: the path is under/ }).click();
    await page.getByPlaceholder('Search, or write a value').fill('/');
    await page.getByRole('button', { name: 'Add', exact: true }).click();
    await page.getByRole('button', { name: 'Done', exact: true }).click();
    await page.getByText('Matches 4 of 12 requests').waitFor();
    expect(await sentence(page)).toBe(
      'Block with 403 when the path is under /login or under /, and the request is not tagged staff.',
    );
    await page.getByRole('button', { name: /^Action: / }).click();
    await page.getByRole('button', { name: 'Action Block' }).click();
    await page.getByRole('option', { name: 'Limit the rate' }).click();
    await page.getByLabel('Requests that pass').fill('');
    await page.getByText('expected how many requests pass').waitFor();
    await page.getByLabel('Requests that pass').fill('20');
    await page.getByRole('checkbox', { name: /^path/ }).click();
    await page.getByTestId('sentence').getByText('for each client and path').waitFor();
    await page.getByRole('button', { name: 'Done', exact: true }).click();
    await page.getByRole('button', { name: 'State: On' }).click();
    await page.getByRole('button', { name: 'On trial' }).click();
    await expect
      .poll(() => page.getByRole('textbox', { name: 'The rule as fence text' }).textContent())
      .toBe('rule login trial limit 20 per 5m by client, path for 10m when path under /login, / and not tag = staff');
    await writeRule(page, 'rule login block 451 when method = GET');
    await page.getByText('Matches 12 of 12 requests').waitFor();
    await page.getByRole('button', { name: 'Condition: the method is GET' }).waitFor();
    await page.getByRole('button', { name: 'Save to draft' }).click();
    await page.getByRole('dialog').waitFor({ state: 'detached' });
    await page.getByText('Block with 451 when the method is GET.').waitFor();
    expect(errors).toEqual([]);
    await context.close();
  });

  it('shows errors under the text where they are, and completes names', async () => {
    const { page, context } = await open('/fences');
    await page.getByRole('button', { name: 'Edit rule login' }).click();
    await writeRule(page, 'rule login block when client in missing');
    await expect.poll(() => page.getByRole('alert').textContent()).toContain('Line 1: No list is named "missing".');
    await writeRule(page, 'rule login blok when client in team');
    await expect.poll(() => page.getByRole('alert').textContent()).toContain('Did you mean "block"?');
    expect(await page.getByRole('button', { name: 'Save to draft' }).isDisabled()).toBe(true);
    await writeRule(page, 'rule login block when client in ');
    await page.keyboard.press('Control+Space');
    await page.getByRole('option', { name: /team/ }).click();
    await expect.poll(() => sentence(page)).toBe('Block with 403 when the client is in team (1 address entry).');
    await context.close();
  });

  it.each([
    [false, 1280],
    [true, 400],
  ])('has nothing serious for axe to find (dark: %s, %i wide)', async (isDark, width) => {
    const { page, context } = await open('/fences', isDark, width);
    await page.getByRole('button', { name: 'Edit rule login' }).click();
    await page.getByText('Matches 4 of 12 requests').waitFor();
    const { violations } = await new AxeBuilder({ page })
      .withTags(['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'])
      .analyze();
    expect(violations.map(({ id, nodes }) => `${id}: ${nodes.map((node) => node.html).join(' ')}`)).toEqual([]);
    await context.close();
  });
});

describe('rules in the console', () => {
  it('are moved by keys and by dragging, cloned off, and removed', async () => {
    const { page, context } = await open('/fences');
    const handle = page.getByRole('button', { name: /Move rule login/ });
    // The live region reports each step to those who cannot see it, and to us.
    const listens = (text: string): Promise<void> => page.getByText(text).waitFor({ state: 'attached' });
    await handle.focus();
    await page.keyboard.press('Space');
    await listens('Rule login would be at position 2 of 2.');
    await page.keyboard.press('ArrowUp');
    await listens('Rule login would be at position 1 of 2.');
    await page.keyboard.press('Space');
    await expect.poll(ruleNames).toEqual(['login', 'staff']);
    await page.getByRole('button', { name: 'Move rule login, now 1' }).waitFor();
    const from = (await page.getByRole('button', { name: /Move rule login/ }).boundingBox())!;
    const to = (await page.getByRole('button', { name: /Move rule staff/ }).boundingBox())!;
    await page.mouse.move(from.x + 5, from.y + 5);
    await page.mouse.down();
    await page.mouse.move(from.x + 5, from.y + 15, { steps: 4 });
    await listens('Rule login would be at position 1 of 2.');
    await page.mouse.move(to.x + 5, to.y + 20, { steps: 8 });
    await listens('Rule login would be at position 2 of 2.');
    await page.mouse.up();
    await expect.poll(ruleNames).toEqual(['staff', 'login']);
    await page.getByRole('button', { name: 'More for rule staff' }).click();
    await page.getByRole('menuitem', { name: 'Clone it, off, as staff-2' }).click();
    await page.getByText('Off: tag as staff').waitFor();
    await page.getByRole('button', { name: 'More for rule staff-2' }).click();
    await page.getByRole('menuitem', { name: 'Remove', exact: true }).click();
    await expect.poll(ruleNames).toEqual(['staff', 'login']);
    await context.close();
  });

  it('that another user changed meanwhile are not overwritten', async () => {
    const { page, context } = await open('/fences');
    await page.getByRole('button', { name: 'Edit rule login' }).click();
    await writeRule(page, 'rule login block 410 when path under /login');
    await run('rule', 'off', 'desk/login');
    await page.getByRole('button', { name: 'Save to draft' }).click();
    await page.getByRole('heading', { name: 'admin changed this rule since it was opened here' }).waitFor();
    expect((await service.client.draft()).fences[0]!.rules[1]!.state).toBe('off');
    await context.close();
  });

  it('are published with a note, in part, and an older revision is published again', async () => {
    const { page, context } = await open('/revisions');
    await page.getByLabel('Note: what changes, and why').fill('The first');
    await page.getByRole('button', { name: 'Publish', exact: true }).click();
    await page.getByRole('heading', { name: 'Revision 1 published' }).waitFor();
    await run('rule', 'trial', 'desk/login');
    await run('list', 'add', 'team', '198.18.9.0/24');
    await page.reload();
    await page.getByText('State changed from on to trial.').waitFor();
    await page.getByLabel('Publish list team').uncheck();
    await page.getByLabel('Note: what changes, and why').fill('Only the fence');
    await page.getByRole('button', { name: 'Publish what is ticked' }).click();
    await page.getByRole('heading', { name: 'Revision 2 published' }).waitFor();
    await page
      .getByText('Members added')
      .waitFor({ state: 'detached' })
      .catch(() => undefined);
    await page.getByText('Member added: 198.18.9.0/24.').waitFor();
    await page.getByRole('button', { name: 'Changes', exact: true }).click();
    await page.getByText('State changed from on to trial.').waitFor();
    await page.getByRole('button', { name: 'Publish again' }).click();
    const form = page.getByRole('dialog');
    // What it would take back comes first.
    await form.getByText('State changed from trial to on.').waitFor();
    await form.getByLabel('Note').fill('Back to the first');
    await form.getByRole('button', { name: 'Publish again' }).click();
    await page.getByText('Back to the first').waitFor();
    await context.close();
  });
});
