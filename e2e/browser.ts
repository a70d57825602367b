import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';

export const CHROMIUM = process.env.CHROMIUM ?? '/usr/bin/chromium';

const FLAGS = [
  '--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking',
  '--autoplay-policy=no-user-gesture-required', '--disable-component-update', '--disable-sync',
];

export const launch = (more: string[] = []): Promise<Browser> =>
  chromium.launch({ executablePath: CHROMIUM, headless: true, args: [...FLAGS, ...more] });

export interface Opened {
  readonly context: BrowserContext;
  readonly page: Page;
  /** Requests to anything but the page's own server. */
  readonly outside: string[];
  /** Errors that no one caught. */
  readonly errors: string[];
}

/** A page of its own, watched. */
export async function open(browser: Browser, address: string, path = '/', init?: (context: BrowserContext) => Promise<void>): Promise<Opened> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, baseURL: address });
  await init?.(context);
  const page = await context.newPage();
  const outside: string[] = [];
  const errors: string[] = [];
  page.on('request', (request) => {
    const url = request.url();
    if (!url.startsWith(address) && !/^(data|blob|about):/.test(url)) outside.push(url);
  });
  page.on('pageerror', (error) => errors.push(error.message));
  await page.goto(path);
  return { context, page, outside, errors };
}
