import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';
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
