import { appendFileSync, copyFileSync, cpSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'puppeteer-core';
import { openBrowser, servingFiles } from '../kit/browser.ts';
import { compiled } from '../kit/compiled.ts';
import { ask, demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';

const FIXTURE = fileURLToPath(new URL('../fixtures/page', import.meta.url));
const [folder, away] = [demoFolder(), folderWith()];
let browser: Browser;
let files: Awaited<ReturnType<typeof servingFiles>>;

beforeAll(async () => {
  appendFileSync(join(folder, 'vantfell.yaml'), "cors: { origins: ['http://127.0.0.1:*'] }\n");
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  expect((await vantfell(['export', 'client', '-C', folder, '--out', join(away, 'client.ts')])).code).toBe(0);
  copyFileSync(join(FIXTURE, 'page.ts'), join(away, 'page.ts'));
  expect(compiled(away)).toBe('');
  cpSync(join(away, 'out'), join(away, 'site'), { recursive: true });
  copyFileSync(join(FIXTURE, 'index.html'), join(away, 'site/index.html'));
  [browser, files] = [await openBrowser(), await servingFiles(join(away, 'site'))];
});
afterAll(async () => {
  files?.stop();
  await browser?.close();
});

/** What the page says, once it has done something. */
async function said(page: Page, done: RegExp): Promise<string> {
  // What runs in the page is text here: this file knows no `document`.
  await page.waitForFunction(`${String(done)}.test(document.getElementById('said').textContent)`, { timeout: 60_000 });
  return page.$eval('#said', (at) => at.textContent ?? '');
}

const DONE = /^(?!…|ready)./;

async function press(page: Page, selector: string): Promise<string> {
  await page.$eval('#said', (at) => void (at.textContent = '…'));
  await page.click(selector);
  return said(page, DONE);
}

async function opened(url: string, token?: string): Promise<Page> {
  const page = await browser.newPage();
  const query = new URLSearchParams({ api: url, ...(token === undefined ? {} : { token }) });
  await page.goto(`${files.url}/index.html?${query.toString()}`);
  await said(page, /^ready/);
  await page.type('#email', 'ines@fellhuts.example');
  await page.type('#passphrase', 'kettle on the ridge');
  return page;
}

const linesOf = (page: Page): Promise<string[]> =>
  page.$$eval('#huts li', (all) => all.map((li) => li.textContent ?? ''));

/** Goes through everything that the page does. */
async function walkThrough(page: Page): Promise<void> {
  expect(await press(page, '#sign-in button')).toBe('4 of 18, signed in after 0');
  expect(await page.$eval('#who', (at) => at.textContent)).toBe('Ines Askheim');
  const first = await linesOf(page);
  expect(await press(page, '#after')).toBe('4 of 18');
  expect(await linesOf(page)).not.toEqual(first);
  expect(await press(page, '#before')).toBe('4 of 18');
  expect(await linesOf(page)).toEqual(first);
  expect(await press(page, '#huts li')).toMatch(/^may update, replace, delete, journal, book/);
  await page.$eval('#about', (at) => void ((at as unknown as { value: string }).value = 'Swept and aired.'));
  expect(await press(page, '#edit button')).toBe('saved: Swept and aired.');
  expect(await press(page, '#book')).toBe('booked 1');
  expect(await press(page, '#undo')).toBe('cancelled');
}

describe('a page of another origin, over the exported client', () => {
  test('signs in, pages, edits, books and takes back', async () => {
    const { url } = await serving(folder);
    await walkThrough(await opened(url));
  });

  test('meets an edit of somebody else with 412, and signs in with an expired token at hand', async () => {
    const { url } = await serving(folder);
    const out = await vantfell(['token', 'member/ines', '-C', folder, '--lifetime', '1s', '--quiet']);
    const token = out.out.trim();
    while ((await ask(`${url}/v1/me`, 'GET', undefined, { authorization: `Bearer ${token}` })).status === 200);
    const page = await opened(url, token);
    expect(await press(page, '#after')).toBe('401 invalid-token');
    expect(await press(page, '#sign-in button')).toBe('4 of 18, signed in after 1');
    await press(page, '#huts li');
    const signedIn = (
      await ask(`${url}/v1/tokens`, 'POST', {
        email: 'ines@fellhuts.example',
        passphrase: 'kettle on the ridge',
      })
    ).body as { access_token: string };
    const authorization = `Bearer ${signedIn.access_token}`;
    const [{ id }] = ((await ask(`${url}/v1/huts?sort=name&limit=1`)).body as { data: [{ id: string }] }).data;
    const changed = await ask(`${url}/v1/huts/${id}`, 'PATCH', { beds: 13 }, { authorization });
    expect(changed.status).toBe(200);
    expect(await press(page, '#edit button')).toBe('412 moved-on');
  });

  test('goes on with a slow service', async () => {
    const { url } = await serving(folder, ['--slow', '300ms']);
    await walkThrough(await opened(url));
  });

  test('goes on with a service that fails every fifth time', async () => {
    const { url } = await serving(folder, ['--fail', '20%']);
    await walkThrough(await opened(url));
  });
});

test('the page works where it is no secure context', async () => {
  const { url } = await serving(folder);
  const page = await browser.newPage();
  // A browser has no randomUUID there.
  await page.evaluateOnNewDocument('delete Crypto.prototype.randomUUID');
  await page.goto(`${files.url}/index.html?${new URLSearchParams({ api: url }).toString()}`);
  await page.type('#email', 'ines@fellhuts.example');
  await page.type('#passphrase', 'kettle on the ridge');
  await walkThrough(page);
});
