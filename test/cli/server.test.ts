import { request } from 'node:http';
import { connect } from 'node:net';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startServer } from '../../src/server/server.ts';
import type { Server } from '../../src/server/server.ts';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestService } from '../kit/open-test-service.ts';
import { ask } from '../kit/program.ts';

const ARCHIVE = fileURLToPath(new URL('../fixtures/access/archive', import.meta.url));
const PAGE = 'https://pages.example';

let on: TestService;
let server: Server;
beforeAll(async () => {
  on = await openTestService(ARCHIVE, { origins: [PAGE], limits: { rate: 40 } });
  server = await startServer(on.service, { host: '127.0.0.1', port: 0, largestBody: 10_000, proxies: ['127.0.0.0/8'] });
});
afterAll(async () => {
  await server.close();
  await on.close();
});

describe('pages of other origins', () => {
  const options = (headers: Record<string, string>) => ask(`${server.url}/notes`, 'OPTIONS', undefined, headers);

  // What stands in Origin and the like is for browsers to say: `fetch` would not send it.
  const asked = (
    method: string,
    headers: Record<string, string>,
  ): Promise<Record<string, string | string[] | undefined>> =>
    new Promise((resolve, reject) => {
      const sent = request(`${server.url}/notes`, { method, headers }, (response) => {
        response.resume();
        resolve({ ...response.headers, status: String(response.statusCode) });
      });
      sent.on('error', reject).end();
    });

  test('those that are declared may ask, and read what they need of the answer', async () => {
    const may = await asked('OPTIONS', { origin: PAGE, 'access-control-request-method': 'PATCH' });
    expect(may).toMatchObject({
      status: '204',
      'access-control-allow-origin': PAGE,
      // The path has no PATCH, which the page learns from the 405.
      'access-control-allow-methods': 'GET, POST, DELETE, HEAD, OPTIONS, PATCH',
      allow: 'GET, POST, DELETE, HEAD, OPTIONS',
      'access-control-max-age': '600',
      vary: 'Authorization, Origin',
    });
    expect(may['access-control-allow-headers']).toContain('Authorization');
    for (const [method, headers] of [
      ['GET', {}],
      ['POST', { 'content-type': 'text/plain' }],
    ] as const) {
      const answer = await asked(method, { origin: PAGE, ...headers });
      expect(answer['access-control-allow-origin']).toBe(PAGE);
      expect(answer['access-control-expose-headers']).toContain('ETag');
      expect(answer).not.toHaveProperty('access-control-allow-credentials');
    }
  });

  test('others are told nothing, and nor are those that are nearly alike', async () => {
    for (const origin of ['https://other.example', `${PAGE}.other.example`, 'http://pages.example', 'null']) {
      const may = await asked('OPTIONS', { origin, 'access-control-request-method': 'GET' });
      expect(Object.keys(may).filter((name) => name.startsWith('access-control'))).toEqual([]);
      expect((await asked('GET', { origin })).vary).toBe('Authorization, Origin');
    }
    expect((await options({})).headers.get('allow')).toBe('GET, POST, DELETE, HEAD, OPTIONS');
  });
});

test('proxies that are trusted name the client; what a client writes of itself is not believed', async () => {
  const status = async (forwarded: string): Promise<number> =>
    (await ask(`${server.url}/notes`, 'GET', undefined, { 'x-forwarded-for': forwarded })).status;
  // The last address that is no proxy's own is the client: what stands before it may be made up.
  for (let at = 0; at < 40; at += 1) expect(await status(`10.9.9.${at}, 10.1.1.1`)).toBe(200);
  // What a slow machine has given back meanwhile is used up, too.
  let last = 200;
  for (let at = 40; at < 120 && last === 200; at += 1) last = await status(`10.9.9.${at}, 10.1.1.1, 127.0.0.2`);
  expect(last).toBe(429);
  expect(await status('10.1.1.2')).toBe(200);
  expect(await status('no address')).toBe(200);
});

describe('what is too long', () => {
  test('a URL is 414, headers are 431, a body is 413', async () => {
    expect(
      (
        await ask(`${server.url}/notes?filter=${'x'.repeat(8_100)}`, 'GET', undefined, {
          'x-forwarded-for': '10.2.0.1',
        })
      ).body,
    ).toMatchObject({ type: '/problems/url-too-long', status: 414 });
    const long = connect(Number(new URL(server.url).port), '127.0.0.1');
    long.write(`GET /notes HTTP/1.1\r\nHost: x\r\nX-Long: ${'x'.repeat(20_000)}\r\n\r\n`);
    const said = await new Promise<string>((resolve) => long.on('data', (chunk: Buffer) => resolve(chunk.toString())));
    expect(said).toMatch(/^HTTP\/1\.1 431 /);
    const body = JSON.stringify({ body: 'x'.repeat(20_000) });
    expect((await ask(`${server.url}/notes`, 'POST', body, { 'x-forwarded-for': '10.2.0.2' })).status).toBe(413);
  });

  test('a body with a name that means something else in JavaScript is 400, at any depth', async () => {
    const keeper = await on.service.token(
      String((await on.ask('POST', '/people', { name: 'pat', word: 'pat-knows-this' })).body.data.id),
      60,
    );
    const headers = { authorization: `Bearer ${keeper}` };
    for (const body of [
      '{"__proto__":{"a":1}}',
      '{"place":{"\\u005f_proto__":1}}',
      '[{"body":"x","place":{"__proto__":{}}}]',
    ]) {
      const answer = await ask(`${server.url}/notes`, 'POST', body, headers);
      expect([body, answer.status, answer.body.detail]).toEqual([body, 400, expect.stringContaining('__proto__')]);
    }
    expect((await ask(`${server.url}/notes`, 'POST', '{"constructor":{"prototype":{}}}', headers)).status).toBe(422);
  });
});
