/** `npm run screenshots`: takes the pictures in docs/screenshots from the demo. Arguments name the pictures to take; all by default. */
import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { withDemo } from './lib/demo.mjs';
import { findChromium } from './lib/install.mjs';
import { main, ROOT, step } from './lib/run.mjs';

const SIZE = { width: 1280, height: 800 };

/** Each picture: its file name, the address it is taken at, what is done before, and how that is taken back. */
const PAGES = [
  { name: 'overview', path: '/', ready: 'countries.csv' },
  { name: 'fences', path: '/fences', ready: 'Hits of' },
  { name: 'replay', path: '/replays/4', ready: 'each bar is' },
  {
    name: 'limit-advice',
    path: `/limit-advice?${new URLSearchParams({ log: '1', by: 'client, method', within: '5m', when: 'path under /login' })}`,
    ready: 'The highest keys',
  },
  {
    name: 'matrix',
    path: `/matrix?${new URLSearchParams({
      clients: 'head-office\n198.19.96.12\nmonitoring',
      to: 'tickets.larkmoor.example/login\nstudio.larkmoor.example\ncollection.larkmoor.example/api/search',
    })}`,
    ready: 'Expect all of it',
    dark: true,
  },
  {
    name: 'explanation',
    path: '/replays/4',
    ready: 'each bar is',
    act: async (page) => {
      await page.getByText('1 to 25 of 59,991').waitFor();
      await page.getByRole('button', { name: 'all outcomes' }).click();
      await page.getByRole('option', { name: 'blocked' }).click();
      await page.getByText('of 5,271').waitFor();
      await page
        .getByRole('button', { name: /^Explain line/ })
        .nth(2)
        .click();
      await page.getByText('The client sees').waitFor();
    },
  },
  {
    name: 'countries',
    path: '/countries',
    ready: 'in the table, no request',
    act: async (page) => {
      await page.getByRole('button', { name: /edge/ }).click();
      await page.getByRole('option', { name: /inbound/ }).click();
      await page.getByText(/^up to 2\d,\d{3} requests$/).waitFor();
    },
  },
  {
    name: 'categories',
    path: '/categories',
    ready: '24 categories',
    act: async (page) => {
      await page.getByLabel('Domain or URL').first().fill('arena.cardtable.example/stakes/4');
      await page.getByRole('button', { name: 'Look up' }).click();
      await page.getByText('cardtable.example/stakes').last().waitFor();
    },
  },
  { name: 'applications', path: '/applications', ready: 'Recognised when' },
  {
    name: 'logs',
    path: '/logs',
    ready: 'Import log',
    act: async (page) => {
      const rows = ['day;clock;from;vhost;uri', '2026-11-02;10:00:00;198.18.35.7;studio.larkmoor.example;/desk?tab=2'];
      const file = { name: 'desk.csv', mimeType: 'text/csv', buffer: Buffer.from(`${rows.join('\n')}\n`) };
      await page.locator('input[type=file]').setInputFiles([file]);
      await page.getByText('Reading options').click();
      await page
        .getByLabel('Mapping')
        .fill('{"time": ["day", "clock"], "client": "from", "host": "vhost", "path": "uri"}');
      await page.getByLabel('Time zone').fill('Europe/Oslo');
      await page.getByText('Looks like CSV').waitFor();
    },
  },
  { name: 'survey', path: '/logs/1', ready: 'Suggested rules' },
  {
    name: 'try',
    path: '/try',
    ready: 'Test a request',
    act: async (page) => {
      await page.getByLabel('Client').fill('198.18.35.7');
      await page.getByLabel('URL').fill('https://studio.larkmoor.example/desk');
      await page.getByLabel('Control (optional)').fill('198.18.4.7');
      await page.getByRole('button', { name: 'Try request' }).click();
      await page.getByText('The client sees').first().waitFor();
    },
  },
  {
    name: 'rule-editor',
    path: '/fences',
    ready: 'Hits of',
    act: async (page) => {
      await page.getByRole('button', { name: 'Edit rule login-pace' }).click();
      await page.getByText(/^Matches .* of [1-9]/).waitFor();
      await page.getByRole('button', { name: /^Action: / }).click();
      await page.getByText('Requests that pass').waitFor();
    },
  },
  { name: 'readiness', path: '/readiness?fence=originals-watch', ready: 'Look at these clients first' },
  {
    name: 'revisions',
    path: '/fences',
    ready: 'Hits of',
    act: async (page) => {
      await setState(page, { fence: 'ticket-desk', rule: 'resale', state: 'on' });
      await page.goto('/revisions');
      await page.getByText('At the gate tickets').first().waitFor();
      await page.getByText('of Larkmoor').first().waitFor();
    },
    after: (page) => setState(page, { fence: 'ticket-desk', rule: 'resale', state: 'trial' }),
  },
  {
    name: 'findings',
    path: '/fences',
    ready: 'Hits of',
    act: async (page) => {
      const base = { kind: 'add-rule', position: { at: 'top' } };
      await edit(page, [
        { ...base, fence: 'picture-api', text: 'rule readers allow when path under /api' },
        { ...base, fence: 'visitors', text: 'rule large-files block when path under /download' },
        { ...base, fence: 'ticket-desk', text: 'rule other-hosts block when host ends "resale.example"' },
      ]);
      await page.goto('/findings');
      await page.getByText('is never reached').first().waitFor();
      await page.getByText('A request that shows it').first().click();
    },
    after: (page) =>
      edit(page, [
        { kind: 'remove-rule', fence: 'picture-api', rule: 'readers' },
        { kind: 'remove-rule', fence: 'visitors', rule: 'large-files' },
        { kind: 'remove-rule', fence: 'ticket-desk', rule: 'other-hosts' },
      ]),
  },
  {
    name: 'expectations',
    path: '/expectations',
    ready: 'must be',
    act: async (page) => {
      await page
        .getByRole('button', { name: /^Edit: / })
        .first()
        .click();
    },
  },
  // The last, since it leaves another replay behind.
  {
    name: 'compare',
    path: '/compare',
    ready: 'The same log judged twice',
    act: async (page) => {
      // What the rule that is in trial would do, were it on.
      await setState(page, { fence: 'ticket-desk', rule: 'resale', state: 'on' });
      await page.getByRole('button', { name: 'Compare', exact: true }).click();
      await page.getByRole('button', { name: 'show these' }).first().waitFor();
      await setState(page, { fence: 'ticket-desk', rule: 'resale', state: 'trial' });
    },
  },
];

await main(async () => {
  const chromium = await findChromium();
  const wanted = process.argv.slice(2);
  return withDemo({ port: '0' }, async ({ address, signIn, log }) => {
    const { chromium: launcher } = await import('playwright-core');
    const browser = await launcher.launch({
      executablePath: chromium,
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    });
    try {
      const isWanted = (name) => wanted.length === 0 || wanted.includes(name);
      for (const page of PAGES.filter(({ name }) => isWanted(name)))
        await step(`Picture of ${page.name}`, () => shoot(browser, page, address, signIn));
      if (isWanted('judge'))
        await step('Picture of judge', () =>
          shootTerminal(browser, 'judge', [
            'judge',
            log,
            '--fences',
            'demo/fences',
            '--country-table',
            'demo/data/countries.csv',
          ]),
        );
    } finally {
      await browser.close();
    }
    return 0;
  });
});

/** Sets the state of a rule of the demo's draft. */
function setState(page, rule) {
  return edit(page, [{ kind: 'set-rule', ...rule }]);
}

/** Edits the draft of the demo. */
async function edit(page, edits) {
  const { version } = await (await page.request.get('/api/v1/draft')).json();
  const response = await page.request.post('/api/v1/draft/edits', {
    headers: { 'if-match': `"${version}"` },
    data: { edits },
  });
  if (!response.ok()) throw new Error(`The edit answered ${response.status()}: ${await response.text()}`);
}

async function shoot(browser, { name, path, ready, act, after, dark }, address, signIn) {
  const context = await browser.newContext({ baseURL: address, viewport: SIZE, colorScheme: dark ? 'dark' : 'light' });
  const page = await context.newPage();
  const response = await context.request.post(`${address}/api/v1/session`, {
    data: { name: signIn.name, password: signIn.password },
  });
  if (!response.ok()) throw new Error(`The sign-in answered ${response.status()}`);
  await page.goto(`${address}${path}`);
  await page.getByText(ready).first().waitFor();
  await act?.(page);
  await page.waitForFunction(() => !document.body.innerText.includes('Loading …'));
  await page.waitForTimeout(400);
  await page.screenshot({ path: join(ROOT, 'docs/screenshots', `${name}.png`) });
  await after?.(page);
  await context.close();
}

/** A terminal view: what the command prints, in a page that looks like a terminal. */
async function shootTerminal(browser, name, args) {
  const text = execFileSync(process.execPath, ['bin/jadefence', ...args], {
    cwd: ROOT,
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  const shown =
    `$ jadefence ${args.map((arg) => arg.replace(/.*[/]demo[/]inbound/, 'inbound')).join(' ')}\n${text}`.replace(
      /^.*[/]demo[/]inbound/m,
      'inbound',
    );
  const context = await browser.newContext({ viewport: SIZE });
  const page = await context.newPage();
  await page.setContent(
    `<body style="margin:0;background:#171512"><pre style="margin:0;padding:20px;color:#f0ece5;font:14px/1.35 'DejaVu Sans Mono',monospace"></pre></body>`,
  );
  await page.locator('pre').evaluate((element, value) => (element.textContent = value), shown);
  await page.screenshot({ path: join(ROOT, 'docs/screenshots', `${name}.png`), fullPage: true });
  await context.close();
}
