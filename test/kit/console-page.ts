import { expect } from '@jest/globals';
import type { Browser, ElementHandle, Page } from 'puppeteer-core';
import type { RunningProgram } from './program.ts';

/** What a page has said and asked for that it should not. */
export interface Watched {
  readonly page: Page;
  readonly wrong: string[];
}

/** Opens the console of a service that runs. */
export async function openConsole(browser: Browser, service: RunningProgram, dark = false): Promise<Watched> {
  const context = await browser.createBrowserContext();
  const page = await context.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  if (dark) await page.emulateMediaFeatures([{ name: 'prefers-color-scheme', value: 'dark' }]);
  const wrong: string[] = [];
  page.on('pageerror', (error) => wrong.push(String(error)));
  page.on('console', (message) => {
    if (message.type() === 'error' || message.type() === 'warn') wrong.push(message.text());
  });
  page.on('request', (request) => {
    // The browser has icons of its own, as of a calendar.
    const isOurs = request.url().startsWith(`${new URL(service.url).origin}/console`);
    if (!isOurs && !request.url().startsWith('data:')) wrong.push(request.url());
  });
  await page.goto(await address(service));
  await page.waitForSelector('.rail button');
  expect(new URL(page.url()).search).toBe('');
  return { page, wrong };
}

async function address(service: RunningProgram): Promise<string> {
  for (;;) {
    const found = service.said().match(/http:\/\/\S+\/console\?key=[\w-]+/g);
    if (found !== null) return found.at(-1)!;
    await service.more();
  }
}

/** Resolves once a part of the page has such a text. */
export const until = (page: Page, selector: string, text: string, timeout = 120_000): Promise<unknown> =>
  page
    .waitForFunction(
      `[...document.querySelectorAll(${JSON.stringify(selector)})]` +
        `.some((one) => one.textContent.includes(${JSON.stringify(text)}))`,
      { timeout },
    )
    .catch(() => {
      throw new Error(`${selector} has not come to say ${text}`);
    });

async function button(page: Page, within: string, text: string): Promise<ElementHandle> {
  await until(page, `${within} button`, text);
  for (const one of await page.$$(`${within} button`)) {
    if ((await one.evaluate((element) => element.textContent)).trim().startsWith(text)) return one;
  }
  throw new Error(`no button ${text}`);
}

export const press = async (page: Page, within: string, text: string): Promise<void> =>
  (await button(page, within, text)).click();
