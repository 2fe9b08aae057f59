import { existsSync, readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { extname, join, normalize } from 'node:path';
import puppeteer from 'puppeteer-core';
import type { Browser } from 'puppeteer-core';

const PLACES = ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'];

/** A browser without a window: the one of the system, or of `VANTFELL_TEST_BROWSER`. */
export function openBrowser(): Promise<Browser> {
  const executablePath = process.env.VANTFELL_TEST_BROWSER ?? PLACES.find((place) => existsSync(place));
  if (executablePath === undefined)
    throw new Error('no Chromium here: apt-get install chromium, or name one in VANTFELL_TEST_BROWSER');
  return puppeteer.launch({ executablePath, args: ['--no-sandbox', '--disable-dev-shm-usage'] });
}

const TYPES = new Map([
  ['.html', 'text/html'],
  ['.js', 'text/javascript'],
]);

/** Serves the files of a folder, from an origin of its own. */
export async function servingFiles(folder: string): Promise<{ url: string; stop(): void }> {
  const server = createServer((request, response) => {
    const file = join(folder, normalize(request.url!.split('?')[0]!));
    if (!existsSync(file)) response.writeHead(404).end();
    else response.writeHead(200, { 'content-type': TYPES.get(extname(file)) ?? 'text/plain' }).end(readFileSync(file));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  return { url: `http://127.0.0.1:${port}`, stop: () => void server.close() };
}
