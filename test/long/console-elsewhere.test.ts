// The console where others than this machine are served: its door, and what it leaves out.
import { appendFileSync } from 'node:fs';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { demoFolder, folderWith, serving, tokenFor, vantfell } from '../kit/program.ts';
import type { RunningProgram } from '../kit/program.ts';
import { raw } from '../kit/raw.ts';
import type { RawAnswer } from '../kit/raw.ts';

const KEY = 'a-key-of-32-bytes-or-more-for-trying-out';
const INES = { login: 'ines@fellhuts.example', secret: 'kettle on the ridge' };
let folder: string;
let service: RunningProgram;
let host: string;
beforeAll(async () => {
  folder = demoFolder();
  appendFileSync(`${folder}/vantfell.yaml`, `\nkey: ${KEY}\nconsole: { role: steward }\n`);
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  service = await serving(folder, ['--host', '0.0.0.0']);
  host = new URL(service.url).host;
});
afterAll(() => service.stop());

const enter = (form: Record<string, string>, headers: Record<string, string> = {}): Promise<RawAnswer> =>
  raw(`${service.url}/console/enter`, {
    method: 'POST',
    headers: { host, origin: `http://${host}`, ...headers },
    body: new URLSearchParams(form).toString(),
  });

async function cookieFor(form: Record<string, string>, headers: Record<string, string> = {}): Promise<string> {
  const answer = await enter(form, headers);
  expect([answer.status, answer.headers.location, answer.body]).toEqual([303, '/console', '']);
  return String(answer.headers['set-cookie']);
}

const get = (path: string, headers: Record<string, string> = {}): Promise<RawAnswer> =>
  raw(service.url + path, { headers: { host, ...headers } });

const call = (name: string, cookie: string, input: object = {}): Promise<RawAnswer> =>
  raw(`${service.url}/console/api/${name}`, {
    method: 'POST',
    headers: { host, origin: `http://${host}`, cookie },
    body: JSON.stringify(input),
  });

test('whoever has not signed in sees a page without a script, and nothing else', async () => {
  const address = /console +http:\/\/0\.0\.0\.0:\d+\/console\n/;
  while (!address.test(service.said())) await service.more();
  const page = await get('/console');
  expect([page.status, page.body]).toEqual([401, expect.stringContaining('<label for="login">email</label>')]);
  expect(page.body).not.toContain('<script');
  for (const path of ['/console/page.js', '/console/page.css', '/console/other'])
    expect([path, (await get(path)).status]).toEqual([path, 401]);
  for (const cookie of ['', `vantfell-console-${host.split(':')[1]}=x`])
    expect((await call('service', cookie)).status).toBe(401);
  expect((await get('/console/enter')).status).toBe(405);
  expect((await get('/console?key=x')).status).toBe(401);
});

test('a page of elsewhere signs nobody in', async () => {
  const strange: Record<string, string>[] = [
    { origin: 'http://evil.example' },
    { origin: 'null' },
    { 'sec-fetch-site': 'cross-site' },
  ];
  for (const headers of strange) expect((await enter(INES, headers)).status).toBe(403);
  const silent = await raw(`${service.url}/console/enter`, { method: 'POST', headers: { host }, body: '' });
  expect([silent.status, silent.body]).toEqual([403, expect.stringContaining('without an Origin')]);
});

test('only those with the role come in, by their secret or a token, and trials stay where the project is', async () => {
  const tor = await enter({ login: 'tor@fellhuts.example', secret: 'seven grey stones' });
  expect([tor.status, tor.body]).toEqual([403, expect.stringContaining('Only those with the role steward')]);
  expect(tor.headers['set-cookie']).toBeUndefined();
  const cookie = await cookieFor(INES);
  expect(cookie).toMatch(/^vantfell-console-\d+=[\w-]{32}; HttpOnly; SameSite=Strict; Path=\/console$/);
  const shown = await call('service', cookie.split(';')[0]!);
  expect([shown.status, JSON.parse(shown.body)]).toEqual([200, expect.objectContaining({ isLocal: false })]);
  for (const [name, input] of [
    ['keep', { ids: [1], name: 'x', write: true }],
    ['trial', { start: true }],
  ] as const) {
    const { status, body } = await call(name, cookie.split(';')[0]!, input);
    expect([name, status, body]).toEqual([name, 422, expect.stringContaining('on the machine itself')]);
  }
  expect(await cookieFor({ token: await tokenFor(folder, 'ines') }, { origin: `https://${host}` })).toMatch(
    /; Secure$/,
  );
  expect((await enter({ token: await tokenFor(folder, 'tor') })).status).toBe(403);
  expect((await enter({ token: 'x'.repeat(100) })).body).toContain('not one of the service');
  expect((await enter({ token: 'x'.repeat(9_000) })).status).toBe(413);
});

test('a session ends with the role, at once', async () => {
  const cookie = (await cookieFor({ token: await tokenFor(folder, 'halvor') })).split(';')[0]!;
  expect((await call('service', cookie)).status).toBe(200);
  const authorization = `Bearer ${await tokenFor(folder, 'ines')}`;
  const { body } = await get('/v1/members?fields=id,roles&filter=name%20LIKE%20%27Halvor%25%27', { authorization });
  const { id } = (JSON.parse(body) as { data: { id: string }[] }).data[0]!;
  const changed = await raw(`${service.url}/v1/members/${id}`, {
    method: 'PATCH',
    headers: { host, authorization, 'content-type': 'application/merge-patch+json' },
    body: JSON.stringify({ roles: ['walker'] }),
  });
  expect(changed.status).toBe(200);
  expect((await call('service', cookie)).status).toBe(401);
  expect((await get('/console', { cookie })).body).toContain('Come in');
});

test('wrong secrets are told in the words of the API, counted, and shown as the text that they are', async () => {
  const nasty = '"><script>alert(1)</script>';
  const wrong = await enter({ login: nasty, secret: 'x' });
  expect([wrong.status, wrong.body]).toEqual([401, expect.stringContaining('no member has this email')]);
  expect(wrong.body).toContain('value="&quot;&gt;&lt;script&gt;');
  const answers: number[] = [];
  for (let at = 0; at < 12; at += 1) answers.push((await enter({ login: 'liv@fellhuts.example', secret: 'x' })).status);
  expect(answers).toEqual([...Array<number>(10).fill(401), 429, 429]);
});

test('without a role there is none, and a role that nobody can have is refused', async () => {
  const note = { 'models/note.yaml': 'model: note\nfields: { text: { type: string } }\n' };
  const plain = folderWith({ 'vantfell.yaml': `service: { name: Notes }\nkey: ${KEY}\n`, ...note });
  const other = await serving(plain, ['--host', '0.0.0.0']);
  expect((await raw(`${other.url}/console`)).status).toBe(404);
  expect(other.said()).not.toMatch(/console +http/);
  await other.stop();
  const nobody = folderWith({ 'vantfell.yaml': 'service: { name: Notes }\nconsole: { role: steward }\n', ...note });
  const checked = await vantfell(['check', '-C', nobody]);
  expect([checked.code, checked.out + checked.err]).toEqual([1, expect.stringContaining('vantfell.yaml:2:18')]);
});
