import AxeBuilder from '@axe-core/playwright';
import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';
import { expect } from 'vitest';
import type { TestService } from './service.js';

const CHROMIUM_FLAGS = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];
export function launchBrowser(): Promise<Browser> {
  return chromium.launch({ executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium', args: CHROMIUM_FLAGS });
}

export interface Look {
  readonly isSignedOut?: boolean;
  readonly isDark?: boolean;
  readonly width?: number;
}

/** A separate page, signed in unless specified; its errors are collected. */
export async function openPage(
  service: TestService,
  browser: Browser,
  path: string,
  { isSignedOut = false, isDark = false, width = 1280 }: Look = {},
): Promise<{ page: Page; context: BrowserContext; errors: string[] }> {
  const context = await browser.newContext({
    viewport: { width, height: 800 },
    colorScheme: isDark ? 'dark' : 'light',
  });
  const { name, password } = service.signIn;
  if (!isSignedOut) await context.request.post(`${service.address}/api/v1/session`, { data: { name, password } });
  context.setDefaultTimeout(30_000);
  const page = await context.newPage();
  const errors: string[] = [];
  page.on('pageerror', (error) => errors.push(error.message));
  page.on(
    'console',
    (message) => message.type() === 'error' && !message.text().includes('401') && errors.push(message.text()),
  );
  await page.goto(`${service.address}${path}`);
  return { page, context, errors };
}

/** Answers that refuse something, which pages show to the person, and lost connections: no errors of the page. */
const SHOWN = /40\d|41\d|422|ERR_INTERNET_DISCONNECTED/;

/** Does some work on a page, which must have no errors. */
export async function onPage(
  service: TestService,
  browser: Browser,
  path: string,
  work: (page: Page) => Promise<void>,
): Promise<void> {
  const { page, context, errors } = await openPage(service, browser, path);
  await work(page);
  expect(errors.filter((error) => !SHOWN.test(error))).toEqual([]);
  await context.close();
}

/** The same; in the end everyone must be able to use the page. */
export function onAccessiblePage(...[service, browser, path, work]: Parameters<typeof onPage>): Promise<void> {
  return onPage(service, browser, path, async (page) => {
    await work(page);
    const { violations } = await new AxeBuilder({ page }).withTags(['wcag2a', 'wcag2aa', 'wcag22aa']).analyze();
    expect(violations.map(({ id, nodes }) => `${id}: ${nodes.map((node) => node.html).join(' ')}`)).toEqual([]);
  });
}
