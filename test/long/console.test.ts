// The console in a real browser, as a developer uses it.
import { readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'puppeteer-core';
import { openBrowser, servingFiles } from '../kit/browser.ts';
import { openConsole, press, until } from '../kit/console-page.ts';
import type { Watched } from '../kit/console-page.ts';
import { kinds, testDatabases } from '../kit/databases.ts';
import { demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';
import type { RunningProgram } from '../kit/program.ts';

const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
const NOTE = 'model: note\nfields:\n  text: { type: string, maxLength: 50 }\n';
const database = testDatabases();
let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterAll(() => browser.close());

const opened = (service: RunningProgram, dark = false): Promise<Watched> => openConsole(browser, service, dark);

async function axe(page: Page): Promise<string[]> {
  await page.evaluate(AXE);
  return page.evaluate(async () => {
    const { violations } = await (
      globalThis as never as { axe: { run(): Promise<{ violations: never[] }> } }
    ).axe.run();
    return (violations as { id: string; nodes: { html: string }[] }[]).map(
      ({ id, nodes }) => `${id}: ${nodes.map(({ html }) => html.slice(0, 120)).join(' ')}`,
    );
  });
}

const lookAs = (page: Page, who: string, at = 1): Promise<string[]> =>
  page.select(`.eyes .switch:nth-child(${at}) select`, who);

/** Tabs until the focus is on what is wanted. */
async function tabTo(page: Page, wanted: (text: string, id: string) => boolean): Promise<void> {
  for (let at = 0; at < 150; at += 1) {
    const [text, id] = (await page.evaluate(
      "[document.activeElement?.textContent ?? '', document.activeElement?.id ?? '']",
    )) as [string, string];
    if (wanted(text, id)) return;
    await page.keyboard.press('Tab');
  }
  throw new Error('the keyboard does not lead there');
}

describe.each(kinds)('%s', (kind) => {
  let folder: string;
  let service: RunningProgram;
  beforeAll(async () => {
    folder = kind === 'sqlite' ? demoFolder() : demoFolder(await database(kind, 'console'));
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    service = await serving(folder);
  });
  afterAll(() => service.stop());

  test('the keyboard alone finds a record, changes it, meets a 422, mends it and takes it back', async () => {
    const { page, wrong } = await opened(service);
    await page.focus('.eyes select');
    await page.keyboard.type('ines');
    await page.focus('body');
    await tabTo(page, (text) => text.startsWith('huts'));
    await page.keyboard.press('Enter');
    await until(page, 'td', 'Grey Hut');
    await page.focus('.filter .cm-content');
    await page.keyboard.type("slug = 'grey");
    await page.keyboard.press('Enter');
    await until(page, '.fault', 'at character');
    await page.keyboard.type("-hut'");
    await page.keyboard.press('Enter');
    await until(page, '.pages', '1 of 1');
    await tabTo(page, (text) => text === 'Grey Hut');
    await page.keyboard.press('Enter');
    await until(page, '.record h2', 'Grey Hut, Askdal');
    await tabTo(page, (text) => text === 'Change');
    await page.keyboard.press('Enter');
    await tabTo(page, (_text, id) => id === 'field-beds');
    await page.keyboard.type('999');
    await page.keyboard.press('Enter');
    await until(page, '#field-beds-faults', 'must be 120 or less, got 999');
    expect(await page.evaluate('document.activeElement.id')).toBe('field-beds');
    await page.keyboard.type('41');
    await page.keyboard.down('Control');
    await page.keyboard.press('a');
    await page.keyboard.up('Control');
    await page.keyboard.type('41');
    await page.keyboard.press('Enter');
    await until(page, '.done', 'Changed Grey Hut, Askdal: beds.');
    await until(page, '.journal', 'update by Ines Askheim');
    await tabTo(page, (text) => text === 'Undo');
    await page.keyboard.press('Enter');
    await until(page, '.done', 'Taken back');
    await until(page, 'td', '40');
    // The journal of the record, its related records by their labels, and what is worked out.
    await until(page, '.journal ol li:nth-child(1)', 'beds: 41 40');
    await page.waitForSelector('.related li button');
    expect(wrong).toEqual([]);
  });

  test('records are made and deleted; 409 and 412 tell the way out', async () => {
    const { page, wrong } = await opened(service);
    await lookAs(page, 'member/ines');
    await press(page, '.rail', 'amenities');
    await press(page, '.bar', 'New amenity');
    await page.waitForSelector('#field-name');
    await page.type('#field-name', `Library ${kind}`);
    await page.type('#field-slug', `library-${kind}`);
    await press(page, '.record', 'Make the amenity');
    await until(page, '.done', `Made Library ${kind}`);
    await press(page, '.bar', 'New amenity');
    await page.waitForSelector('#field-name');
    await page.type('#field-name', 'Another');
    await page.type('#field-slug', `library-${kind}`);
    await press(page, '.record', 'Make the amenity');
    await until(page, '.refusal', '409');
    await until(page, '.refusal', 'another record has this value');
    await press(page, '.record', 'Cancel');
    // Somebody else is quicker.
    await until(page, 'td', `Library ${kind}`);
    await press(page, 'tbody', `Library ${kind}`);
    await press(page, '.record', 'Change');
    await page.waitForSelector('#field-name');
    const changed = await vantfell([
      ...['send', 'PATCH', `/v1/amenities/library-${kind}`, '{"name":"Reading room"}', '--as', 'ines', '-C', folder],
    ]);
    expect(changed.code).toBe(0);
    await page.type('#field-name', '!');
    await press(page, '.record', 'Save');
    await until(page, '.refusal', 'Somebody has changed the record since it was loaded');
    await press(page, '.refusal', 'Load what it is now');
    await until(page, '.record h2', 'Reading room');
    await press(page, '.record', 'Delete …');
    await press(page, '.sure', 'Delete');
    await until(page, '.done', 'Deleted Reading room');
    expect(wrong).toEqual([]);
  });

  test('two callers beside each other, the matrix, the map, and the statements with their plan', async () => {
    const { page, wrong } = await opened(service);
    await lookAs(page, 'member/ines');
    await lookAs(page, 'member/tor', 2);
    await press(page, '.rail', 'members');
    await page.waitForSelector('td.only-one');
    const hidden = await page.$$eval('td.only-one', (cells) => cells.map((cell) => cell.textContent));
    expect(hidden).toContain('ines@fellhuts.example');
    expect(hidden).not.toContain('tor@fellhuts.example');
    await press(page, '.rail', 'stays');
    await page.waitForSelector('tr.only-one');
    await lookAs(page, '(nobody)');
    await until(page, '.trail', '401');
    await press(page, '.top nav', 'Who may what');
    await until(page, '.matrix', 'night.hut.warden');
    expect(await page.$$eval('.matrix .may-none', (cells) => cells.length)).toBeGreaterThan(8);
    await press(page, '.top nav', 'Map');
    await page.waitForSelector('.map .box');
    await page.$eval('.map .box', (box) => (box as unknown as { focus(): void }).focus());
    await page.keyboard.press('Enter');
    await page.waitForSelector('.records');
    await page.click('.trail ol li .line button');
    await press(page, '.inside', 'How the database goes about it');
    await page.waitForSelector('.plan');
    expect(wrong).toEqual([]);
  });

  test('what was done is kept as a trial, which passes', async () => {
    const { page, wrong } = await opened(service);
    await lookAs(page, 'member/tor');
    await press(page, '.top nav', 'Request');
    const send = async (path: string, body: string): Promise<void> => {
      await page.select('.request select', 'POST');
      await page.$eval('.request .wide', (input) => ((input as unknown as { value: string }).value = ''));
      await page.type('.request .wide', path);
      await page.type('.request .cm-content', body);
      await press(page, '.request', 'Send');
      await page.waitForSelector('.request pre');
    };
    const huts = await vantfell(['send', 'GET', '/v1/huts?slug=raven-hut', '--quiet', '-C', folder]);
    const { id } = (JSON.parse(huts.out) as { data: { id: string }[] }).data[0]!;
    await send('/v1/reports', JSON.stringify({ hut_id: id, title: `Snow ${kind}`, seen_on: '2026-06-01' }));
    await until(page, '.request h3', '201');
    await page.click('.trail ol li:first-child input');
    await page.type('.keep input', `snow-${kind}`);
    await press(page, '.keep', 'Keep');
    // Once it is written, it is tried.
    await until(page, '.verdict', '1 passed, 0 failed', 60_000);
    await until(page, '.kept', `trials/snow-${kind}.yaml`);
    expect(readFileSync(join(folder, `trials/snow-${kind}.yaml`), 'utf8')).toMatch(/sample: hut\/raven-hut/);
    const ran = await vantfell(['trial', '-C', folder, '--only', `snow ${kind}`]);
    expect([ran.code, ran.out]).toEqual([0, expect.stringContaining('1 passed, 0 failed')]);
    expect(wrong).toEqual([]);
  });

  test.each([false, true])('nothing that stands in the way of anybody, dark: %s', async (dark) => {
    const { page } = await opened(service, dark);
    await lookAs(page, 'member/ines');
    await press(page, '.rail', 'huts');
    await until(page, 'td', 'Grey Hut');
    await press(page, 'tbody', 'Grey Hut');
    await until(page, '.journal', 'create');
    expect(await axe(page)).toEqual([]);
    await press(page, '.record', 'Change');
    await page.waitForSelector('#field-beds');
    await page.$eval('#field-name', (input) => (input as unknown as { select(): void }).select());
    await page.type('#field-name', 'x');
    await press(page, '.record', 'Save');
    await until(page, '.faults', '3 characters');
    expect(await axe(page)).toEqual([]);
    await press(page, '.top nav', 'Who may what');
    await until(page, '.matrix', 'steward');
    expect(await axe(page)).toEqual([]);
    await press(page, '.top nav', 'Map');
    await page.waitForSelector('.map .box');
    expect(await axe(page)).toEqual([]);
    await press(page, '.top nav', 'Request');
    await page.click('.trail ol li .line button');
    expect(await axe(page)).toEqual([]);
  });
});

test('with --watch the page follows the files, tells what is wrong, and opens failures as requests', async () => {
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: Notes }\n',
    'models/note.yaml': NOTE,
    'trials/wrong.yaml': 'trial: This can not be\nsteps:\n  - { send: GET /notes, expect: { status: 404 } }\n',
  });
  const service = await serving(folder, ['--watch']);
  const { page, wrong } = await opened(service);
  const change = (text: string): void => writeFileSync(join(folder, 'models/note.yaml'), text);
  change(NOTE.replace('maxLength', 'maxLenght'));
  await until(page, '.problems', 'models/note.yaml:3:');
  await until(page, '.problems', 'did you mean maxLength?');
  change(`${NOTE}  weight: { type: integer }\n`);
  await page.waitForFunction("document.querySelector('.problems') === null");
  await press(page, '.bar', 'New note');
  await until(page, '.field label', 'weight');
  await press(page, '.top nav', 'Trials');
  await page.type('.trials input', 'This can not be');
  await press(page, '.trials', 'Try these');
  await page.waitForSelector('.failures li', { timeout: 30_000 });
  expect(await axe(page)).toEqual([]);
  await press(page, '.failures', 'Open as a request');
  expect(await page.$eval('.request .wide', (input) => (input as unknown as { value: string }).value)).toBe('/notes');
  await press(page, '.request', 'Send');
  await until(page, '.request h3', '200');
  expect(wrong).toEqual([]);
  await service.stop();
});

test('hostile values are shown as the text that they are', async () => {
  const nasty = [
    '<img src=x onerror=alert(1)>',
    '"><script>alert(1)</script>',
    '\u202Eevil',
    '😀'.repeat(30),
    'x'.repeat(400),
  ];
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: "<b>Nasty</b>" }\n',
    'models/note.yaml': 'model: note\nlabel: "{text}"\nfields: { text: { type: string, maxLength: 500 } }\n',
    'samples/notes.yaml': JSON.stringify(Object.fromEntries(nasty.map((text, at) => [`n${at}`, { text }]))),
  });
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const service = await serving(folder);
  const { page, wrong } = await opened(service);
  await page.waitForSelector('tbody tr');
  const shown = await page.$$eval('tbody td:first-child', (cells) => cells.map((cell) => cell.textContent));
  for (const text of nasty.slice(0, 3)) expect(shown).toContain(text);
  for (const row of await page.$$('tbody .opens')) {
    await row.click();
    await page.waitForSelector('.record .values');
  }
  expect(await page.$$eval('table img, .record img, tbody b, .record script', (found) => found.length)).toBe(0);
  expect(wrong).toEqual([]);
  await service.stop();
});

test('a page of another origin gets nothing of it', async () => {
  const folder = demoFolder();
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const service = await serving(folder);
  const other = await servingFiles(folderWith({ 'index.html': '<!doctype html><title>Elsewhere</title>' }));
  const { page } = await opened(service);
  const stranger = await page.browserContext().newPage();
  await stranger.goto(`${other.url}/index.html`);
  const origin = new URL(service.url).origin;
  const got = await stranger.evaluate(async (target: string) => {
    const tried = async (work: () => Promise<Response>): Promise<string> =>
      work().then(
        async (answer) => `${answer.status} ${await answer.text()}`,
        (error: unknown) => String(error),
      );
    return Promise.all([
      tried(() => fetch(`${target}/console`, { credentials: 'include' })),
      tried(() => fetch(`${target}/console/api/service`, { method: 'POST', credentials: 'include', body: '{}' })),
      tried(() =>
        fetch(`${target}/console/api/service`, { method: 'POST', credentials: 'include', mode: 'no-cors', body: '{}' }),
      ),
    ]);
  }, origin);
  for (const answer of got) expect(answer).not.toMatch(/^200|models/);
  const framed = await stranger.evaluate(`(async () => {
    const frame = document.createElement('iframe');
    frame.src = '${origin}/console';
    document.body.append(frame);
    await new Promise((resolve) => (frame.onload = resolve));
    return frame.contentDocument === null || frame.contentDocument.body.textContent === '';
  })()`);
  expect(framed).toBe(true);
  other.stop();
  await service.stop();
});
