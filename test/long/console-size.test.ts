// The console over many models and many records: as quick as over few.
import { createRequire } from 'node:module';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { readdirSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Browser, Page } from 'puppeteer-core';
import { openBrowser } from '../kit/browser.ts';
import { openConsole, press, until } from '../kit/console-page.ts';
import { folderWith, serving, vantfell } from '../kit/program.ts';

const Database = createRequire(import.meta.url)('libsql') as new (file: string) => {
  exec(sql: string): void;
  close(): void;
};

const PAGE = fileURLToPath(new URL('../../dist/console/', import.meta.url));
const RECORDS = 100_000;
const TURNS = 9;

let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterAll(() => browser.close());

/** 60 models, of which one has very many records. */
const models = Array.from({ length: 60 }, (_none, at) => {
  const up = at === 0 ? '' : `relations: { up: { to: thing-${Math.floor((at - 1) / 2)} } }\n`;
  const fields = `name: { type: string, maxLength: 40 }, size: { type: integer }`;
  return `model: thing-${at}\nlabel: '{name}'\nfields: { ${fields} }\n${up}`;
}).join('---\n');

/** Milliseconds from a click on a model to its rows and their count, told by the page itself; the middle of some. */
async function opening(page: Page, model: string, shown: string): Promise<number> {
  const times: number[] = [];
  for (let turn = 0; turn < TURNS; turn += 1) {
    await press(page, '.rail', 'thing-9s');
    await until(page, 'h2', 'thing-9s');
    await page.waitForSelector('.records .empty');
    times.push(
      await page.evaluate(
        (name, text) =>
          new Promise<number>((resolve) => {
            interface Element {
              readonly textContent: string;
              click(): void;
            }
            const { document, performance, requestAnimationFrame } = globalThis as unknown as {
              document: { querySelectorAll(selector: string): Iterable<Element> };
              performance: { now(): number };
              requestAnimationFrame(then: () => void): void;
            };
            const among = (selector: string): Element[] => [...document.querySelectorAll(selector)];
            const begun = performance.now();
            among('.rail button')
              .find((one) => one.textContent.trim().startsWith(name))!
              .click();
            const look = (): void => {
              const isThere = among('.records .pages, .records .empty').some((one) => one.textContent.includes(text));
              const isTitled = among('.records h2').some((one) => one.textContent.startsWith(name));
              if (isThere && isTitled) resolve(performance.now() - begun);
              else requestAnimationFrame(look);
            };
            look();
          }),
        model,
        shown,
      ),
    );
  }
  return times.sort((one, other) => one - other)[Math.floor(TURNS / 2)]!;
}

test('100 000 records of one among 60 models are opened about as quickly as none', async () => {
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: Things }\nstore: sqlite:./things.db\n',
    'models/things.yaml': models,
  });
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  const database = new Database(join(folder, 'things.db'));
  const key = "printf('00000000-0000-7000-8000-%012x', n)";
  const time = "'2026-06-01T08:00:00.000Z'";
  database.exec(
    `WITH RECURSIVE counted(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM counted WHERE n < ${RECORDS}) ` +
      'INSERT INTO thing_0s (id, name, size, created_at, updated_at) ' +
      `SELECT ${key}, 'thing number ' || n, n % 1000, ${time}, ${time} FROM counted; ANALYZE`,
  );
  database.close();
  const service = await serving(folder);
  const { page, wrong } = await openConsole(browser, service);
  const full = await opening(page, 'thing-0s', '100000');
  const empty = await opening(page, 'thing-1s', 'no thing-1s');
  console.log(`opening 100 000 records takes ${(full / empty).toFixed(2)} of what none take (${full.toFixed(0)} ms)`);
  expect(full).toBeLessThan(Math.max(100, 8 * empty));
  expect(wrong).toEqual([]);
  await service.stop();
});

test('the page is below 150 kB, compressed', () => {
  const sizes = readdirSync(PAGE).map((file) => gzipSync(readFileSync(join(PAGE, file)), { level: 9 }).length);
  expect(sizes.reduce((sum, size) => sum + size)).toBeLessThan(150_000);
});
