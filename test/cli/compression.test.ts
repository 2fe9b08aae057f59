// Answers as those take them who ask for them compressed.
import { request } from 'node:http';
import type { IncomingHttpHeaders } from 'node:http';
import { brotliDecompressSync, gunzipSync } from 'node:zlib';
import { beforeAll, expect, test } from '@jest/globals';
import { asking, demoFolder, serving, vantfell } from '../kit/program.ts';
import type { Ask } from '../kit/program.ts';

let url = '';
let kit: Ask;
beforeAll(async () => {
  const folder = demoFolder();
  ({ url } = await serving(folder));
  await vantfell(['seed', '-C', folder]);
  kit = await asking(folder, 'ines');
});

interface Bytes {
  readonly status: number;
  readonly headers: IncomingHttpHeaders;
  readonly body: Buffer;
}

/** An answer as it comes over the wire. */
const get = (path: string, headers: Record<string, string> = {}, method = 'GET'): Promise<Bytes> =>
  new Promise((resolve, reject) => {
    const sent = request(url + path, { method, headers }, (response) => {
      const chunks: Buffer[] = [];
      response.on('data', (chunk: Buffer) => chunks.push(chunk));
      response.on('end', () =>
        resolve({ status: response.statusCode!, headers: response.headers, body: Buffer.concat(chunks) }),
      );
    });
    sent.on('error', reject).end();
  });

const LIST = '/v1/huts?limit=20';

test.each([
  [undefined, undefined],
  ['identity', undefined],
  ['deflate', undefined],
  ['gzip;q=0', undefined],
  ['br;q=0, gzip;q=0, *;q=0', undefined],
  ['identity, gzip;q=0.5', undefined],
  ['', undefined],
  ['nonsense;;;', undefined],
  ['gzip', 'gzip'],
  ['gzip, deflate, br, zstd', 'br'],
  ['br;q=0.1, gzip', 'gzip'],
  ['GZIP', 'gzip'],
  ['*', 'br'],
])('Accept-Encoding: %j gets %j', async (accepted, coding) => {
  const plain = await get(LIST);
  const { status, headers, body } = await get(LIST, accepted === undefined ? {} : { 'accept-encoding': accepted });
  expect([status, headers['content-encoding']]).toEqual([200, coding]);
  expect(headers.vary).toContain('Accept-Encoding');
  expect(headers['content-length']).toBe(String(body.length));
  const read = coding === 'br' ? brotliDecompressSync(body) : coding === 'gzip' ? gunzipSync(body) : body;
  expect(read.toString()).toBe(plain.body.toString());
  if (coding !== undefined) expect(body.length).toBeLessThan(plain.body.length / 2);
  expect(headers.etag).toBe(
    coding === undefined ? plain.headers.etag : plain.headers.etag!.replace(/"$/, `-${coding}"`),
  );
});

test('a copy is good in whichever coding it was taken, and a write may name any of its tags', async () => {
  const { headers } = await get(LIST, { 'accept-encoding': 'br' });
  for (const accepted of ['br', 'gzip', 'identity']) {
    const again = await get(LIST, { 'accept-encoding': accepted, 'if-none-match': headers.etag! });
    expect([again.status, again.headers.etag, again.body.length]).toEqual([304, headers.etag, 0]);
  }
  const weak = await get(LIST, { 'if-none-match': `W/${headers.etag}, "other"` });
  expect(weak.status).toBe(304);
  expect((await get(LIST, { 'if-none-match': headers.etag!.replace('br', 'zip') })).status).toBe(200);

  const [hut] = (JSON.parse((await get(LIST)).body.toString()) as { data: { id: string }[] }).data;
  const path = `/v1/huts/${hut!.id}`;
  const about = 'Grey stones. '.repeat(150);
  expect((await kit(url + path, 'PATCH', { about })).status).toBe(200);
  const long = await get(path, { 'accept-encoding': 'gzip' });
  expect(long.headers.etag).toMatch(/-gzip"$/);
  const patched = await kit(url + path, 'PATCH', { beds: 12 }, { 'if-match': long.headers.etag! });
  expect(patched.status).toBe(200);
  const late = await kit(url + path, 'PATCH', { beds: 13 }, { 'if-match': long.headers.etag! });
  expect(late.status).toBe(412);
});

test('what is short, has no body or is a secret is left as it is', async () => {
  const accepted = { 'accept-encoding': 'br, gzip' };
  for (const path of ['/health/live', '/v1/huts?limit=1', '/v1/nowhere']) {
    expect((await get(path, accepted)).headers['content-encoding']).toBeUndefined();
  }
  const head = await get(LIST, accepted, 'HEAD');
  const whole = await get(LIST, accepted);
  expect([head.status, head.body.length]).toEqual([200, 0]);
  for (const name of ['etag', 'content-encoding', 'content-length', 'vary']) {
    expect(head.headers[name]).toBe(whole.headers[name]);
  }
  const metrics = await get('/metrics', accepted);
  expect(metrics.headers['content-encoding']).toBeUndefined();
});

test('many clients at once each get the whole of theirs', async () => {
  const plain = (await get(LIST)).body.toString();
  const all = await Promise.all(
    Array.from({ length: 60 }, (_one, at) => get(LIST, { 'accept-encoding': at % 2 === 0 ? 'br' : 'gzip' })),
  );
  for (const [at, { body }] of all.entries()) {
    expect((at % 2 === 0 ? brotliDecompressSync(body) : gunzipSync(body)).toString()).toBe(plain);
  }
});

test('what was compressed is sent again as it was, until the answer is another', async () => {
  const zipped = async (): Promise<Bytes> => get(LIST, { 'accept-encoding': 'gzip' });
  const [first, again] = [await zipped(), await zipped()];
  expect(again).toEqual({ ...first, headers: { ...again.headers, date: first.headers.date } });
  const { data } = JSON.parse(gunzipSync(first.body).toString()) as { data: { id: string; beds: number }[] };
  const { id, beds } = data[0]!;
  expect((await kit(`${url}/v1/huts/${id}`, 'PATCH', { beds: beds + 1 })).status).toBe(200);
  const changed = await zipped();
  expect(gunzipSync(changed.body).toString()).toBe((await get(LIST)).body.toString());
  expect(changed.headers.etag).not.toBe(first.headers.etag);
});
