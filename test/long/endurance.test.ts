import { readFileSync } from 'node:fs';
import { request } from 'node:http';
import { describe, expect, test } from '@jest/globals';
import { ask, demoFolder, serving, tokenFor, vantfell } from '../kit/program.ts';

const HOSTILE = 100_000;
const AT_ONCE = 20;
/** What the process may have grown by since the first of them, in bytes. */
const MOST_GROWTH = 120_000_000;

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
    "' OR 1=1 --",
    '"; DROP TABLE huts',
    '%00',
    '%',
    '%ff',
    '../../etc/passwd',
    '__proto__',
    'constructor',
    '\u202e',
    '😀'.repeat(50),
    '1e999',
    '-0',
    '9'.repeat(400),
    'null',
    '',
    '*',
    '${1+1}',
    '{{7*7}}',
    '<script>',
    'a'.repeat(6000),
    '%2e%2e%2f',
    ';',
    '&',
    '=',
    '[]',
  ];
  const BODIES = [
    '{',
    '[',
    '"',
    '{"name":',
    '\u0000',
    '{"name":"x","name":"y"}',
    '{"__proto__":{"a":1}}',
    '{"constructor":{"prototype":{}}}',
    `${'['.repeat(5000)}`,
    '{"beds":1e400}',
    '{"beds":-1e-400}',
    '{"name":"\\ud800"}',
    '{"name":{"toString":1}}',
    'null',
    'true',
    '0',
    `{"name":"${'x'.repeat(900_000)}"}`,
    '{"valley":["Askdal"]}',
    '{"opens_on":"9999-99-99"}',
    '\ufeff{}',
    '{"latitude":"1;--"}',
  ];
  const WHO = ['', '', 'tor', 'tor', 'ines', 'Bearer x.y.z', 'Basic eDp5', 'Bearer', `Bearer ${'a'.repeat(3000)}`];
  const METHODS = ['GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'HEAD', 'OPTIONS', 'TRACE', 'PROPFIND'];
  const TYPES = [
    'application/json',
    'application/merge-patch+json',
    'text/plain',
    '',
    'application/json; charset=utf-16',
    '/;;',
  ];

  /** Bytes of memory that a process holds. */
  const residentOf = (pid: number): number =>
    Number(/VmRSS:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))![1]) * 1000;

  test(`${HOSTILE} of them: no 500, no crash, and the service answers as before`, async () => {
    const folder = demoFolder();
    expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
    const server = await serving(folder);
    const { hostname, port } = new URL(server.url);
    const as = async (who: string) => ({ authorization: `Bearer ${await tokenFor(folder, who)}` });
    const [steward, walker] = [await as('ines'), await as('tor')];
    const everything = async (): Promise<unknown[]> => {
      const lists = [
        'members',
        'huts',
        'stays',
        'messages',
        'reports',
        'supplies',
        'supply-draws',
        'guests',
        'profiles',
        'amenities',
      ];
      const answers = lists.map((list) => ask(`${server.url}/v1/${list}?limit=100`, 'GET', undefined, steward));
      return (await Promise.all(answers)).map(({ body }) => body as unknown);
    };
    const before = await everything();
    const [, , , messages] = before as { data: { text: string; sender_id: string; recipient_id: string }[] }[];
    const members = (before[0] as { data: { id: string; phone: string | null; email: string }[] }).data;
    const tor = (await ask(`${server.url}/v1/me`, 'GET', undefined, walker)).body.data.id as string;
    // What neither nobody nor tor may read; messages of others the steward doesn't read either.
    const secrets = [
      ...members.filter(({ id }) => id !== tor).flatMap(({ phone, email }) => [phone ?? email, email]),
      ...messages!.data.filter((one) => ![one.sender_id, one.recipient_id].includes(tor)).map(({ text }) => text),
    ];
    const roll = dice(7);
    const pick = <Item>(items: readonly Item[]): Item => items[roll(items.length)]!;

    const attack = (): Promise<{ status: number; text: string; sent: string; isSteward?: boolean }> => {
      const text = pick(TEXTS);
      const value = roll(2) === 0 ? encodeURIComponent(text) : text.replaceAll(/[^\x21-\x7e]/g, '');
      const field = pick(['name', 'beds', 'opens_on', 'sort', 'limit', 'after', 'before', 'fields', value]);
      const path = pick([
        `/v1/huts?${field}=${value}`,
        `/v1/huts/${value}`,
        `/v1/${value}`,
        `/v1/huts/${value}/nights?${field}=${value}`,
        `/v1/members?${field}=${value}`,
        `/v1/messages?filter=${value}`,
        `/v1/stays/${value}/cancel`,
        `/v1/huts/journal?${field}=${value}`,
        '/v1/tokens',
        '/v1/me',
        '/v1/huts',
        `/${value}`,
      ]);
      const method = pick(METHODS);
      const body = method === 'GET' || method === 'HEAD' ? undefined : pick(BODIES);
      const type = pick(TYPES);
      return new Promise((resolve, reject) => {
        const headers: Record<string, string | number> = { 'x-odd': value.slice(0, 200) };
        headers.accept = pick(['*/*', 'application/json', value.slice(0, 100)]);
        const who = pick(WHO);
        if (who === 'tor') Object.assign(headers, walker);
        else if (who === 'ines') Object.assign(headers, steward);
        else if (who !== '') headers.authorization = who;
        if (type !== '') headers['content-type'] = type;
        // The client leaves it out for some methods, and the bytes would stand there as the next request.
        if (body !== undefined) headers['content-length'] = Buffer.byteLength(body);
        const sent = request({ hostname, port, method, path, headers });
        sent.on('response', (response) => {
          let got = '';
          response.on('data', (chunk: Buffer) => (got += chunk.toString()));
          response.on('end', () =>
            resolve({
              status: response.statusCode!,
              text: got,
              isSteward: who === 'ines',
              sent: `${method} ${path} ${body?.slice(0, 80)}`,
            }),
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
    let small = 0;
    for (let sent = 0; sent < HOSTILE; sent += AT_ONCE) {
      if (sent === HOSTILE / 10) small = residentOf(server.pid);
      const answers = await Promise.all(Array.from({ length: AT_ONCE }, attack));
      for (const { status, text, sent: what, isSteward = false } of answers) {
        statuses.set(status, (statuses.get(status) ?? 0) + 1);
        if (status >= 500 && status !== 501) throw new Error(`${what}: ${status} ${text}`);
        if (/sqlite|SELECT|node_modules|\.ts:|at .+\(|\$scrypt/i.test(text)) throw new Error(`${what}: ${text}`);
        const told = isSteward ? undefined : secrets.find((secret) => text.includes(secret));
        if (told !== undefined) throw new Error(`${what} tells ${told}`);
      }
    }
    expect([...statuses.keys()]).toEqual(expect.arrayContaining([200, 400, 401, 403, 404, 405, 415, 422]));
    expect(residentOf(server.pid) - small).toBeLessThan(MOST_GROWTH);
    expect(await everything()).toEqual(before);
    expect(server.said()).not.toContain('"level":50');
    expect(await server.stop()).toBe(0);
  });
});
