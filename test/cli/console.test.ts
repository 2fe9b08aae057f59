// The doors of the console, and what it answers beside the API.
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { demoFolder, folderWith, serving, vantfell } from '../kit/program.ts';
import type { RunningProgram } from '../kit/program.ts';
import { raw } from '../kit/raw.ts';
import type { RawAnswer } from '../kit/raw.ts';

let folder: string;
let service: RunningProgram;
let host: string;
let cookie: string;
beforeAll(async () => {
  folder = demoFolder();
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  service = await serving(folder);
  host = new URL(service.url).host;
  cookie = await opened(await address());
});
afterAll(() => service.stop());

/** The address that the service shows. */
async function address(count = 1): Promise<string> {
  const pattern = /http:\/\/\S+\/console\?key=[\w-]+/g;
  for (;;) {
    const found = service.said().match(pattern) ?? [];
    if (found.length >= count) return found.at(-1)!;
    await service.more();
  }
}

async function opened(url: string): Promise<string> {
  const answer = await raw(url, { headers: { host } });
  expect([answer.status, answer.headers.location]).toEqual([303, '/console']);
  const [set = ''] = [answer.headers['set-cookie'] ?? []].flat();
  expect(set).toMatch(/^vantfell-console-\d+=[\w-]{32}; HttpOnly; SameSite=Strict; Path=\/console$/);
  return set.split(';')[0]!;
}

const knock = (path: string, headers: Record<string, string> = {}, method = 'GET'): Promise<RawAnswer> =>
  raw(service.url + path, { method, headers: { host, ...headers }, ...(method === 'POST' && { body: '{}' }) });

async function call(name: string, input: object = {}, headers: Record<string, string> = {}): Promise<RawAnswer> {
  return raw(`${service.url}/console/api/${name}`, {
    method: 'POST',
    headers: { host, origin: `http://${host}`, cookie, ...headers },
    body: JSON.stringify(input),
  });
}

const answered = async (name: string, input: object = {}): Promise<never> => {
  const { status, body } = await call(name, input);
  expect({ name, status, body: status === 200 ? '' : body }).toEqual({ name, status: 200, body: '' });
  return JSON.parse(body) as never;
};

test('whoever has no session gets nothing; an address opens the page once, and the next one is shown', async () => {
  for (const path of ['/console', '/console/page.js', '/console/page.css', '/console/other', '/console/api/service']) {
    expect([path, (await knock(path)).status]).toEqual([path, 401]);
    expect([path, (await knock(path, { cookie: `${cookie}x` })).status]).toEqual([path, 401]);
  }
  const second = await address(2);
  await opened(second);
  expect((await knock(new URL(second).pathname + new URL(second).search)).status).toBe(401);
  expect((await knock('/console?key=')).status).toBe(401);
  // Who is in already needs no key, and uses none up.
  const third = await address(3);
  expect((await knock(new URL(third).pathname + new URL(third).search, { cookie })).status).toBe(303);
  await opened(third);
});

test('a page of elsewhere, and a name that leads here, get nothing', async () => {
  const strangers: Record<string, string>[] = [
    { host: 'evil.example' },
    { host: `evil.example:${host.split(':')[1]}` },
    { origin: 'http://evil.example' },
    { origin: 'null' },
    { origin: `https://${host}` },
    { origin: `http://localhost:1` },
  ];
  for (const headers of strangers) {
    for (const path of [
      '/console',
      '/console/page.js',
      new URL(await address()).pathname + new URL(await address()).search,
    ]) {
      expect([headers, (await knock(path, { cookie, ...headers })).status]).toEqual([headers, 403]);
    }
    expect((await call('service', {}, headers)).status).not.toBe(200);
  }
  const plain = await raw(`${service.url}/console/api/service`, {
    method: 'POST',
    headers: { host, cookie },
    body: '{}',
  });
  expect([plain.status, plain.body]).toEqual([403, expect.stringContaining('without an Origin')]);
  expect((await call('service', {}, { 'sec-fetch-site': 'cross-site' })).status).toBe(403);
  expect((await knock('/console/api/service', { cookie })).status).toBe(405);
  expect((await knock('/console/page.js', { cookie, origin: `http://${host}` }, 'POST')).status).toBe(405);
});

test('the page loads nothing from elsewhere, and may not be framed', async () => {
  for (const [path, type] of [
    ['/console', 'text/html'],
    ['/console/page.js', 'text/javascript'],
    ['/console/page.css', 'text/css'],
    ['/console/icon.svg', 'image/svg+xml'],
  ] as const) {
    const { status, headers, body } = await knock(path, { cookie });
    expect([path, status, String(headers['content-type']).split(';')[0]]).toEqual([path, 200, type]);
    const policy = String(headers['content-security-policy']);
    expect(policy).toContain("default-src 'none'; script-src 'self'; style-src 'self'");
    expect(policy).toContain("frame-ancestors 'none'");
    expect(body).not.toMatch(/(?:src|href)="(?:https?:)?\/\//);
  }
});

interface Answered {
  readonly id: number;
  readonly status: number;
  readonly body: string;
  readonly statements: readonly { readonly sql: string }[];
}

const ask = (as: string | null, method: string, target: string, body?: object): Promise<Answered> =>
  answered('ask', {
    ...{ as, method, target },
    ...(body && { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }),
  });

test('it asks as anybody, tells the SQL and its plan, and who may what', async () => {
  expect((await ask(null, 'GET', '/v1/stays')).status).toBe(401);
  const list = await ask('member/ines', 'GET', '/v1/huts?filter=beds%20%3E%2020&sort=-beds');
  expect([list.status, list.statements.at(-1)!.sql]).toEqual([200, expect.stringContaining('ORDER BY')]);
  const plans: { verdict: string; add: string[] | null }[] = await answered('plans', { id: list.id });
  expect(plans.at(-1)).toMatchObject({ isServed: false, model: 'hut', add: expect.anything() as unknown });
  const access: { rows: { name: string; cells: { may: string; by: string }[] }[] } = await answered('access', {
    model: 'stay',
    people: ['member/ines', 'member/tor'],
  });
  const rowOf = (name: string) => access.rows.find((row) => row.name === name)!.cells;
  expect(rowOf('read').map(({ may }) => may)).toEqual(['none', 'all', 'some']);
  expect(rowOf('read')[2]!.by).toBe('owner or night.hut.warden');
  expect(rowOf('delete').map(({ may, by }) => `${may} ${by}`)).toEqual([
    'none role:steward',
    'all role:steward',
    'none role:steward',
  ]);
  // Many at once: each gets its own answer.
  const paths = Array.from({ length: 12 }, (_none, at) => `/v1/huts?limit=${at + 1}`);
  const many = await Promise.all(paths.map((path) => ask(at(path) % 2 === 0 ? null : 'member/tor', 'GET', path)));
  many.forEach(({ body, statements }, index) => {
    expect((JSON.parse(body) as { data?: unknown[] }).data?.length ?? body).toBe(index + 1);
    expect(statements.length).toBeGreaterThan(0);
  });
  function at(path: string): number {
    return Number(path.split('=')[1]);
  }
});

test('what was asked is kept as a trial, which passes; wrong names and wrong questions are told', async () => {
  const huts = await ask(null, 'GET', '/v1/huts?slug=grey-hut&fields=id');
  const hut = (JSON.parse(huts.body) as { data: { id: string }[] }).data[0]!.id;
  const made = await ask('member/tor', 'POST', '/v1/reports', {
    hut_id: hut,
    title: 'A loose step',
    seen_on: '2026-06-01',
  });
  const report = (JSON.parse(made.body) as { data: { id: string } }).data.id;
  const changed = await ask('member/tor', 'PATCH', `/v1/reports/${report}`, { severity: 'urgent' });
  const refused = await ask('member/maret', 'DELETE', `/v1/reports/${report}`);
  // No names of a scenario, and no text that something stands for.
  const odd = [await ask(null, 'GET', '/v1/huts?slug={hut}'), await ask(null, 'GET', '/v1/huts/%zz')];
  const ids = [made, changed, refused, ...odd].map(({ id }) => id);
  const { text, file }: { text: string; file: string } = await answered('keep', {
    name: 'loose-step',
    ids,
    write: true,
  });
  expect(text).toMatch(/hut_id:\s+sample: hut\/grey-hut/);
  expect(text).toContain('PATCH /v1/reports/{report_1}');
  expect(text).toContain('GET /v1/huts?slug=%7Bhut%7D');
  expect(text).toContain('GET /v1/huts/%zz');
  expect(text).not.toContain(hut);
  expect(text).not.toContain(report);
  expect(readFileSync(join(folder, file), 'utf8')).toBe(text);
  const ran = await vantfell(['trial', '-C', folder, '--only', 'loose step']);
  expect([ran.code, ran.out]).toEqual([0, expect.stringContaining('1 passed, 0 failed')]);
  for (const [name, input, words] of [
    ['keep', { name: 'loose-step', ids, write: true }, 'is there already'],
    ['keep', { name: '../x', ids }, 'small letters'],
    ['keep', { name: 'x', ids: [] }, 'choose'],
    ['plans', { id: 99_999 }, 'too long ago'],
    ['access', { model: 'hutt', people: [] }, 'did you mean hut?'],
    ['access', { model: '__proto__', people: [] }, 'no model'],
    ['ask', { method: 'GET', target: 'v1' }, 'slash'],
    ['ask', { method: 'TRACE', target: '/' }, 'methods'],
    ['ask', { as: 'member/nobody-such', method: 'GET', target: '/v1/huts' }, 'there is no member'],
  ] as const) {
    const { status, body } = await call(name, input);
    expect([name, status, body]).toEqual([name, 422, expect.stringContaining(words)]);
  }
  expect((await call('constructor')).status).toBe(404);
  const broken = await raw(`${service.url}/console/api/ask`, {
    method: 'POST',
    headers: { host, origin: `http://${host}`, cookie },
    body: '{',
  });
  expect(broken.status).toBe(422);
  expect(existsSync(join(folder, 'trials/x.yaml'))).toBe(false);
});

test('there is none on other hosts, where it is not wanted, and where the API has its path', async () => {
  const quiet = await serving(demoFolder(), ['--no-console']);
  expect((await raw(`${quiet.url}/console`)).status).toBe(404);
  expect(quiet.said()).not.toContain('/console?');
  const project = folderWith({
    'vantfell.yaml': 'service: { name: Games }\n',
    'models/console.yaml': 'model: console\nplural: console\nfields: { name: { type: string } }\n',
  });
  const games = await serving(project);
  expect((await raw(`${games.url}/console`)).body).toContain('"data":[]');
  await Promise.all([quiet.stop(), games.stop()]);
});
