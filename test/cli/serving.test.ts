import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';
import type { RunningProgram } from '../kit/program.ts';

const SHELF = 'model: shelf\nfields: { name: { type: string, maxLength: 5 } }\n';

/** One request, and no other, as the kit's own would send for the document of a service. */
async function ask(
  url: string,
  method = 'GET',
  body?: object,
  headers = {},
): Promise<{ status: number; headers: Headers; body: { data: { width?: number }; detail?: string } }> {
  const sent = body === undefined ? {} : { body: JSON.stringify(body) };
  const answer = await fetch(url, { method, headers: { 'content-type': 'application/json', ...headers }, ...sent });
  return {
    status: answer.status,
    headers: answer.headers,
    body: (await answer.json()) as { data: { width?: number } },
  };
}

/** Resolves when the program has said something. */
async function heard(server: RunningProgram, what: string, times = 1): Promise<string> {
  while (server.said().split(what).length <= times) await server.more();
  return server.said();
}

const linesOf = (server: RunningProgram): Record<string, unknown>[] =>
  server
    .said()
    .split('\n')
    .filter((line) => line.startsWith('{'))
    .map((line) => JSON.parse(line) as Record<string, unknown>);

test('serve greets with its address, its store, its models and endpoints, and what is open to all', async () => {
  const folder = demoFolder();
  const server = await serving(folder);
  const said = await heard(server, 'Ctrl+C stops it');
  expect(said).toContain(`Fell Huts 1.0.0 at ${server.url}/v1\n`);
  expect(said).toMatch(/\n {2}store +sqlite:.*fell-huts\.db\n {2}models +11, with 79 endpoints\n/);
  expect(said).toMatch(/\n {2}callers +sign in with email and passphrase at POST \/v1\/tokens\n/);
  expect(said).toMatch(/\n {2}open to all +read amenity, hut, night, report\n +create member\n +call hut\.calendar\n/);
  expect(await server.stop()).toBe(0);
});

test(
  'serve tells of each request: method, path, status, time, ' + 'statements; and of no query, which may hold anything',
  async () => {
    const server = await serving(folderWith({ 'vantfell.yaml': 'service: { name: X }\n', 'models/a.yaml': SHELF }));
    await ask(`${server.url}/shelves?passphrase=mellon`);
    await ask(`${server.url}/shelves`, 'POST', { name: 'Oak' });
    await ask(`${server.url}/shelves?name=Oak`);
    await heard(server, '"path":"/shelves"', 3);
    expect(linesOf(server)).toMatchObject([
      { msg: 'request', method: 'GET', path: '/shelves', status: 400, statements: 0 },
      { method: 'POST', path: '/shelves', status: 201, milliseconds: expect.any(Number) },
      { method: 'GET', path: '/shelves', status: 200, statements: 1 },
    ]);
    expect(server.said()).not.toContain('mellon');
  },
);

test('--quiet tells of nothing', async () => {
  const server = await serving(folderWith({ 'vantfell.yaml': 'service: { name: X }\n', 'models/a.yaml': SHELF }), [
    '--quiet',
  ]);
  await ask(`${server.url}/shelves`);
  expect(await server.stop()).toBe(0);
  expect(server.said()).toBe('');
});

test('--trace shows the SQL of each request, with time and rows, and no value', async () => {
  const server = await serving(folderWith({ 'vantfell.yaml': 'service: { name: X }\n', 'models/a.yaml': SHELF }), [
    '--trace',
  ]);
  await ask(`${server.url}/shelves`, 'POST', { name: 'Oak' });
  await ask(`${server.url}/shelves?limit=2&name=Oak`);
  const said = await heard(server, '/shelves?limit=2&name=Oak');
  const [, written, read] = said.split(/^\d\d:\d\d:\d\d {2}/m);
  expect(written).toMatch(/^POST {4}\/shelves +201 +[\d.]+ ms {2}\d statements?\n/);
  expect(written).toMatch(/ms +BEGIN\n[^]*ms {2}1 row +INSERT INTO "shelves" [^\n]*\n[^]*ms +COMMIT\n/);
  expect(written).not.toContain('Oak');
  expect(read).toMatch(/ms {2}1 row +SELECT [^\n]*"shelves"\."name" = \?1/);
});

describe('a service that is worse on purpose', () => {
  const folder = folderWith({
    'vantfell.yaml': 'service: { name: X }\ncors: { origins: ["https://app.example"] }\n',
    'models/a.yaml': SHELF,
  });

  test('--slow lets every request wait, and says so', async () => {
    const server = await serving(folder, ['--slow', '300ms']);
    await heard(server, '300 ms slower');
    const begun = performance.now();
    expect((await ask(`${server.url}/shelves`)).status).toBe(200);
    expect(performance.now() - begun).toBeGreaterThanOrEqual(295);
  });

  test('--fail answers with 503 before anything is done, for pages of other origins, too', async () => {
    const server = await serving(folder, ['--fail', '100%']);
    await heard(server, '100% of requests fail');
    const answer = await ask(`${server.url}/shelves`, 'POST', { name: 'Oak' }, { origin: 'https://app.example' });
    expect(answer).toMatchObject({ status: 503, body: { detail: 'serve --fail asked for this' } });
    expect(answer.headers.get('retry-after')).toBe('1');
    expect(answer.headers.get('access-control-allow-origin')).toBe('https://app.example');
    expect(linesOf(server).filter(({ level }) => level === 50)).toEqual([]);
    await server.stop();
    const kept = await vantfell(['send', 'GET', '/shelves', '-C', folder, '--json']);
    expect(JSON.parse(kept.out)).toMatchObject({ body: { data: [] } });
  });

  test.each([
    ['--slow', '800', 'like 800ms or 2s'],
    ['--slow', '2h', 'like 800ms or 2s'],
    ['--fail', '0.05', 'like 5%'],
    ['--fail', '120%', 'like 5%'],
  ])('%s %s is told with the way out', async (option, value, remedy) => {
    const ran = await vantfell(['serve', '-C', folder, option, value]);
    expect(ran.code).toBe(2);
    expect(ran.err).toContain(remedy);
  });
});

test('--watch serves what changes; a mistake is shown, and the old service goes on', async () => {
  const folder = folderWith({ 'vantfell.yaml': 'service: { name: X }\n', 'models/a.yaml': SHELF });
  const model = join(folder, 'models/a.yaml');
  const server = await serving(folder, ['--watch']);
  const shelves = `${server.url}/shelves`;
  expect((await ask(shelves, 'POST', { name: 'Long shelf' })).status).toBe(422);

  writeFileSync(model, SHELF.replace('maxLength', 'maxLenth'));
  await heard(server, 'the service goes on as it was before');
  expect(server.said()).toContain('did you mean maxLength?');
  expect((await ask(shelves, 'POST', { name: 'Long shelf' })).status).toBe(422);

  writeFileSync(model, SHELF.replace('5 }', '50 }, width: { type: integer }'));
  await heard(server, 'changed models/a.yaml: the new service answers from now on');
  expect(server.said()).toContain('shelf.width: new, integer');
  const made = await ask(shelves, 'POST', { name: 'Long shelf', width: 3 });
  expect([made.status, made.body.data.width]).toEqual([201, 3]);

  writeFileSync(join(folder, 'vantfell.yaml'), 'service: { name: X }\n# nobody answers for what is lost\n');
  writeFileSync(model, SHELF.replace('5 }', '50 }'));
  await heard(server, 'shelf.width: goes; loses 1 value');
  expect((await ask(shelves)).body.data).toMatchObject([{ width: 3 }]);
  expect(await server.stop()).toBe(0);
});
