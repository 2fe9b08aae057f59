import { request } from 'node:http';
import { describe, expect, test } from '@jest/globals';
import { ask, demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';

const KILLS = 20;
const HOSTILE = 20_000;

describe('killed in the middle of a load of writes', () => {
  test('every acknowledged write is there, and none is half there', async () => {
    const folder = folderWith({
      'vantfell.yaml': 'service: { name: Ledger }\n',
      'models/entry.yaml': `
model: account
fields: { name: { type: string, required: true } }
---
model: entry
within: account
fields: { number: { type: integer, required: true, unique: true }, text: { type: text, required: true } }
`,
    });
    const acknowledged: number[] = [];
    let next = 0;
    for (let kill = 0; kill < KILLS; kill += 1) {
      const server = await serving(folder);
      const account = (await ask(`${server.url}/accounts`, 'POST', { name: `Run ${kill}` })).body.data.id as string;
      let written = 0;
      const writer = async (): Promise<void> => {
        for (;;) {
          const number = (next += 1);
          const answer = await ask(`${server.url}/entries`, 'POST', {
            account_id: account,
            number,
            text: 'x'.repeat(2000),
          });
          expect(answer.status).toBe(201);
          acknowledged.push(number);
          // Somewhere in the middle, at another moment each time, with other writes under way.
          if ((written += 1) === 20 + kill * 3) void server.stop('SIGKILL');
        }
      };
      await Promise.allSettled(Array.from({ length: 8 }, writer));
      await server.stop('SIGKILL');
    }

    const server = await serving(folder);
    const kept: { number: number; text: string }[] = [];
    for (let path: string | null = '/entries?limit=100&fields=number,text'; path !== null;) {
      const { body } = await ask(server.url + path);
      kept.push(...body.data);
      path = body.page.next;
    }
    const numbers = new Set(kept.map(({ number }) => number));
    expect(acknowledged.length).toBeGreaterThan(KILLS * 20);
    expect(acknowledged.filter((number) => !numbers.has(number))).toEqual([]);
    expect(numbers.size).toBe(kept.length);
    expect(kept.every(({ text }) => text.length === 2000)).toBe(true);
  });
});

describe('hostile requests', () => {
  /** The same numbers for the same seed (mulberry32). */
  function dice(seed: number): (below: number) => number {
    let state = seed;
    return (below) => {
      state = (state + 0x6d2b79f5) | 0;
      let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
      mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
      return ((mixed ^ (mixed >>> 14)) >>> 0) % below;
    };
  }

  const TEXTS = [
    "' OR 1=1 --", '"; DROP TABLE huts', '%00', '%', '%ff', '../../etc/passwd', '__proto__', 'constructor', '\u202e', '😀'.repeat(50),
    '1e999', '-0', '9'.repeat(400), 'null', '', '*', '${1+1}', '{{7*7}}', '<script>', 'a'.repeat(6000), '%2e%2e%2f', ';', '&', '=', '[]',
  ]; // prettier-ignore
  const BODIES = [
    '{', '[', '"', '{"name":', '\u0000', '{"name":"x","name":"y"}', '{"__proto__":{"a":1}}', '{"constructor":{"prototype":{}}}',
    `${'['.repeat(5000)}`, '{"beds":1e400}', '{"beds":-1e-400}', '{"name":"\\ud800"}', '{"name":{"toString":1}}', 'null', 'true', '0',
    `{"name":"${'x'.repeat(900_000)}"}`, '{"valley":["Askdal"]}', '{"opens_on":"9999-99-99"}', '\ufeff{}', '{"latitude":"1;--"}',
  ]; // prettier-ignore
  const METHODS = ['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'HEAD', 'OPTIONS', 'TRACE', 'PROPFIND'];
  const TYPES = [
    'application/json',
    'application/merge-patch+json',
    'text/plain',
    '',
    'application/json; charset=utf-16',
    '/;;',
  ];

  test(`${HOSTILE} of them: no 500, no crash, and the service answers as before`, async () => {
    const folder = demoFolder();
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    const server = await serving(folder);
    const { hostname, port } = new URL(server.url);
    const before = (await ask(`${server.url}/v1/members?limit=100`)).body;
    const roll = dice(7);
    const pick = <Item>(items: readonly Item[]): Item => items[roll(items.length)]!;

    const attack = (): Promise<{ status: number; text: string; sent: string }> => {
      const text = pick(TEXTS);
      const value = roll(2) === 0 ? encodeURIComponent(text) : text.replaceAll(/[^\x21-\x7e]/g, '');
      const field = pick(['name', 'beds', 'opens_on', 'sort', 'limit', 'after', 'before', 'fields', value]);
      const path = pick([
        `/v1/huts?${field}=${value}`,
        `/v1/huts/${value}`,
        `/v1/${value}`,
        `/v1/huts/${value}/nights?${field}=${value}`,
        '/v1/huts',
        `/${value}`,
      ]);
      const method = pick(METHODS);
      const body = method === 'GET' || method === 'HEAD' ? undefined : pick(BODIES);
      const type = pick(TYPES);
      return new Promise((resolve, reject) => {
        const headers: Record<string, string | number> = { 'x-odd': value.slice(0, 200) };
        headers.accept = pick(['*/*', 'application/json', value.slice(0, 100)]);
        if (type !== '') headers['content-type'] = type;
        // The client leaves it out for some methods, and the bytes would stand there as the next request.
        if (body !== undefined) headers['content-length'] = Buffer.byteLength(body);
        const sent = request({ hostname, port, method, path, headers });
        sent.on('response', (response) => {
          let got = '';
          response.on('data', (chunk: Buffer) => (got += chunk.toString()));
          response.on('end', () =>
            resolve({ status: response.statusCode!, text: got, sent: `${method} ${path} ${body?.slice(0, 80)}` }),
          );
        });
        // A body that is far too large may be cut off: that is an answer too.
        sent.on('error', (error: NodeJS.ErrnoException) =>
          error.code === 'ECONNRESET' || error.code === 'EPIPE'
            ? resolve({ status: 0, text: '', sent: '' })
            : reject(new Error(`${method} ${path} ${type} ${body?.slice(0, 80)}: ${error.message}`)),
        );
        sent.end(body);
      });
    };

    const statuses = new Map<number, number>();
    for (let sent = 0; sent < HOSTILE; sent += 20) {
      for (const { status, text, sent: what } of await Promise.all(Array.from({ length: 20 }, attack))) {
        statuses.set(status, (statuses.get(status) ?? 0) + 1);
        expect({ what, status }).not.toMatchObject({ status: 500 });
        expect(text).not.toMatch(/sqlite|SELECT|node_modules|\.ts:|at .+\(/i);
      }
    }
    expect([...statuses.keys()]).toEqual(expect.arrayContaining([200, 400, 404, 405, 415, 422]));
    const after = await ask(`${server.url}/v1/members?limit=100`);
    expect(after.body).toEqual(before);
    expect(server.said()).not.toContain('"level":50');
    expect(await server.stop()).toBe(0);
  });
});
