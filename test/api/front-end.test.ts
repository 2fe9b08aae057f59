// What a browser, and those who write for one, meet: requests of other origins, retries, ETags, and failures in data.
import { get } from 'node:http';
import { gunzipSync } from 'node:zlib';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startServer } from '../../src/server/server.ts';
import type { Server } from '../../src/server/server.ts';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestService } from '../kit/open-test-service.ts';
import { demoFolder, folderWith } from '../kit/program.ts';

const PAGE = 'https://pages.example';
const INES = { email: 'ines@fellhuts.example', passphrase: 'kettle on the ridge' };

let on: TestService;
let server: Server;
let authorization: Record<string, string>;
beforeAll(async () => {
  const folder = demoFolder();
  on = await openTestService(folder, { origins: [PAGE], limits: { rate: 1000 } });
  server = await startServer(on.service, { host: '127.0.0.1', port: 0, largestBody: 1_000 });
  const { body } = await on.ask('POST', '/v1/tokens', INES);
  authorization = { authorization: `Bearer ${body.access_token}` };
});
afterAll(async () => {
  await server.close();
  await on.close();
});

describe('credentials', () => {
  test.each(['Bearer none-of-ours', 'Basic aW5lczp4', `Bearer ${'a.b.c'.repeat(20)}`])(
    'are judged by themselves, whatever comes with them: %s',
    async (header) => {
      const { status, body } = await on.ask('POST', '/v1/tokens', INES, { authorization: header });
      expect([status, body.token_type]).toEqual([200, 'Bearer']);
      expect(
        (await on.ask('POST', '/v1/tokens', { ...INES, passphrase: 'x' }, { authorization: header })).body,
      ).toMatchObject({
        type: '/problems/wrong-credentials',
      });
      expect((await on.ask('GET', '/v1/me', undefined, { authorization: header })).status).toBe(401);
    },
  );
});

describe('pages of other origins', () => {
  const asked = (path: string): Promise<{ status: number; headers: Readonly<Record<string, string>> }> =>
    on.ask('OPTIONS', path, undefined, { origin: PAGE, 'access-control-request-method': 'PUT' });

  test.each(['/v1/huts', '/v1/me', '/v1/tokens', '/', '/openapi.json', '/v1/hutz', '/nowhere', '/a-long-path'])(
    'a preflight of %s succeeds',
    async (path) => {
      const { status, headers } = await asked(path === '/a-long-path' ? path.repeat(900) : path);
      expect([status, headers['access-control-allow-origin']]).toEqual([204, PAGE]);
    },
  );

  test('a preflight counts for no limit', async () => {
    for (let at = 0; at < 1_100; at += 1) expect((await asked('/v1/huts')).status).toBe(204);
    expect((await on.ask('GET', '/v1/huts?limit=1')).status).toBe(200);
  });

  test.each([
    ['413', 'POST', '/v1/huts', 'x'.repeat(2_000), 413],
    ['415 of nothing known', 'POST', '/v1/huts', 'x', 401],
    ['404', 'GET', '/v1/nowhere', undefined, 404],
    ['414', 'GET', `/v1/huts?filter=${'x'.repeat(9_000)}`, undefined, 414],
    ['405', 'PUT', '/v1/huts', undefined, 405],
    ['a method that no service has', 'PURGE', '/v1/huts', undefined, 405],
  ])('%s can be read by the page', async (_what, method, path, body, wanted) => {
    const answer = await fetch(server.url + path, { method, body: body ?? null, headers: { origin: PAGE } });
    expect([answer.status, answer.headers.get('access-control-allow-origin')]).toEqual([wanted, PAGE]);
    expect(answer.headers.get('content-type')).toBe('application/problem+json');
  });

  test('patterns of origins, credentials and headers are as declared', async () => {
    const text = `service: { name: X }
cors:
  origins: ['https://*.huts.example', 'http://localhost:*', 'http://[::1]:8080']
  credentials: true
  headers: [X-Page]
  expose: [Server-Timing]
  max-age: 1h
`;
    const files = { 'vantfell.yaml': text, 'models/a.yaml': 'model: shelf\nfields: { name: { type: string } }\n' };
    const other = await openTestService(folderWith(), { files });
    const headersFor = async (origin: string) =>
      (await other.ask('OPTIONS', '/shelves', undefined, { origin, 'access-control-request-method': 'GET' })).headers;
    for (const origin of [
      'https://a.huts.example',
      'https://a.b.huts.example',
      'http://localhost',
      'http://localhost:5173',
    ])
      expect((await headersFor(origin))['access-control-allow-origin']).toBe(origin);
    for (const origin of [
      'https://huts.example',
      'https://xhuts.example',
      'https://a.huts.example:81',
      'http://a.huts.example',
      'http://localhost:x',
      'http://localhost.evil.example',
      'https://a.huts.example.evil.example',
    ])
      expect(await headersFor(origin)).not.toHaveProperty('access-control-allow-origin');
    expect(await headersFor('http://[::1]:8080')).toMatchObject({
      'access-control-allow-credentials': 'true',
      'access-control-max-age': '3600',
      'access-control-allow-headers': expect.stringMatching(/, X-Page$/),
      'access-control-expose-headers': expect.stringMatching(/, Server-Timing$/),
    });
    await other.close();
  });
});

describe('lists', () => {
  test('have an ETag, of the page as it is shown', async () => {
    const first = await on.ask('GET', '/v1/huts?limit=3');
    const etag = first.headers.etag!;
    expect((await on.ask('GET', '/v1/huts?limit=3', undefined, { 'if-none-match': etag })).status).toBe(304);
    expect((await on.ask('GET', '/v1/huts?limit=4', undefined, { 'if-none-match': etag })).status).toBe(200);
    const { id, beds } = first.body.data[0] as { id: string; beds: number };
    await on.ask('PATCH', `/v1/huts/${id}`, { beds: beds + 1 }, authorization);
    expect((await on.ask('GET', '/v1/huts?limit=3', undefined, { 'if-none-match': etag })).status).toBe(200);
  });

  test('have the ETags of their records, on pages of up to 25', async () => {
    const { body } = await on.ask('GET', '/v1/huts?etags=true&limit=3&sort=-name&view=default');
    const [first] = body.data as { id: string; beds: number }[];
    const read = await on.ask('GET', `/v1/huts/${first!.id}`);
    expect([body.etags.length, body.etags[0].split('-')[0]]).toEqual([3, read.headers.etag!.split('-')[0]]);
    const back = await on.ask('GET', `${(await on.ask('GET', body.page.next as string)).body.page.prev as string}`);
    expect(back.body.etags).toEqual(body.etags);
    const [old] = body.etags as string[];
    const change = { beds: first!.beds + 1 };
    const patch = (): Promise<{ status: number }> =>
      on.ask('PATCH', `/v1/huts/${first!.id}`, change, { ...authorization, 'if-match': old! });
    expect([(await patch()).status, (await patch()).status]).toEqual([200, 412]);
    expect((await on.ask('GET', '/v1/huts?etags=true&limit=26')).body.errors[0].detail).toContain('from 1 to 25');
  });

  test('limit=0 counts alone', async () => {
    const { body } = await on.ask('GET', '/v1/huts?limit=0&total=true&valley=Askdal');
    expect(body).toMatchObject({ data: [], page: { limit: 0, next: null, prev: null } });
    expect(body.page.total).toBeGreaterThan(3);
  });

  test('are sorted regardless of case, and paged so', async () => {
    for (const name of ['zeta Hut', 'ZETA hut 2', 'alpha hut', 'ALPHA hut 2'])
      expect(
        (await on.ask('POST', '/v1/huts', { name, valley: 'Sulvik', beds: 1, altitude_m: 1 }, authorization)).status,
      ).toBe(201);
    const namesBy = async (sort: string): Promise<string[]> => {
      const names: string[] = [];
      for (let next: string | null = `/v1/huts?limit=3&fields=name&sort=${sort}`; next !== null;) {
        const { body } = await on.ask('GET', next);
        names.push(...(body.data as { name: string }[]).map(({ name }) => name));
        next = body.page.next as string | null;
      }
      return names;
    };
    const names = await namesBy('CASEI(name)');
    expect(names).toEqual([...names].sort((one, other) => (one.toLowerCase() < other.toLowerCase() ? -1 : 1)));
    expect(await namesBy('-casei(name)')).toEqual([...names].reverse());
    expect(await namesBy('ACCENTI(CASEI(warden.name)),name')).toHaveLength(names.length);
    for (const [sort, detail] of [
      ['CASEI(beds)', 'is no text'],
      ['CASEI(nmae)', 'did you mean name?'],
      ['CASEI(CASEI(CASEI(name)))', 'CASEI(name)'],
      ['CASEI(name', 'CASEI(name'],
    ])
      expect((await on.ask('GET', `/v1/huts?sort=${sort!}`)).body.errors[0].detail).toContain(detail);
  });

  test('take sort, fields and include again and again, as with commas', async () => {
    const one = await on.ask('GET', '/v1/huts?sort=valley,-name&fields=name,valley&limit=5');
    const other = await on.ask('GET', '/v1/huts?sort=valley&sort=-name&fields=name&fields=valley&limit=5');
    expect(other.body.data).toEqual(one.body.data);
    expect((await on.ask('GET', '/v1/huts?include=warden&include=nights&limit=1')).body.data[0]).toMatchObject({
      nights: { data: expect.any(Array) },
      warden: null,
    });
    expect((await on.ask('GET', '/v1/huts?view=card&view=card')).status).toBe(400);
  });
});

test('a replayed answer has the headers of the first', async () => {
  const headers = { ...authorization, 'idempotency-key': 'again-and-again' };
  const body = { name: 'Twice Hut', valley: 'Askdal', beds: 4, altitude_m: 900 };
  const [first, second] = [
    await on.ask('POST', '/v1/huts', body, headers),
    await on.ask('POST', '/v1/huts', body, headers),
  ];
  expect(second).toEqual(first);
  expect(second.headers).toMatchObject({
    etag: expect.stringMatching(/^"/),
    location: expect.stringMatching(/^\/v1\/huts\//),
  });
  const changed = await on.ask(
    'PATCH',
    first.headers.location!,
    { beds: 5 },
    { ...authorization, 'if-match': second.headers.etag! },
  );
  expect(changed.status).toBe(200);
  const short = { ...headers, 'idempotency-key': 'short', prefer: 'return=minimal' };
  const few = { ...body, name: 'Short Hut' };
  const [one, two] = [await on.ask('POST', '/v1/huts', few, short), await on.ask('POST', '/v1/huts', few, short)];
  expect([two, two.headers['preference-applied']]).toEqual([one, 'return=minimal']);
});

test('a failure has what its rule asks for, so that it can be said in other words', async () => {
  const wrong = { name: 'X', valley: 'Nowhere', beds: 0, altitude_m: 3000, slug: 'Not a slug', latitude: 91 };
  const { status, body } = await on.ask('POST', '/v1/huts', wrong, authorization);
  expect(status).toBe(422);
  expect(body.errors).toMatchObject([
    { pointer: '/name', rule: 'minLength', minLength: 3 },
    { pointer: '/slug', rule: 'pattern', pattern: expect.any(String) },
    { pointer: '/valley', rule: 'enum', enum: ['Askdal', 'Brattdal', 'Sulvik'] },
    { pointer: '/beds', rule: 'minimum', minimum: 1 },
    { pointer: '/altitude_m', rule: 'maximum', maximum: 2400 },
    { pointer: '/latitude', rule: 'maximum', maximum: 90 },
  ]);
});

test('the document is short as it is served, and compressed for those who take it so', async () => {
  const plain = await fetch(`${server.url}/openapi.json`, { headers: { 'accept-encoding': 'identity' } });
  const whole = await plain.text();
  expect(whole).toBe(JSON.stringify(JSON.parse(whole)));
  const { headers, bytes } = await raw(`${server.url}/openapi.json`, 'gzip');
  expect([headers['content-encoding'], headers.vary]).toEqual(['gzip', 'Authorization, Accept-Encoding, Origin']);
  expect(gunzipSync(bytes).toString()).toBe(whole);
  expect(bytes.length).toBeLessThan(whole.length / 8);
  expect(headers.etag).not.toBe(plain.headers.get('etag'));
});

/** An answer as it comes over the wire: `fetch` undoes codings. */
function raw(url: string, encoding: string): Promise<{ headers: Record<string, unknown>; bytes: Buffer }> {
  return new Promise((resolve, reject) => {
    get(url, { headers: { 'accept-encoding': encoding } }, (response) => {
      const chunks: Buffer[] = [];
      response.on('data', (chunk: Buffer) => chunks.push(chunk));
      response.on('end', () => resolve({ headers: response.headers, bytes: Buffer.concat(chunks) }));
    }).on('error', reject);
  });
}

test('a hook gives what nobody else can its value, and a defect tells where it does not', async () => {
  const other = await openTestService(folderWith(), {
    files: {
      'vantfell.yaml': 'service: { name: X }\n',
      'models/a.yaml':
        'model: shelf\nfields:\n  name: { type: string, required: true }\n' +
        '  code: { type: string, required: true, readOnly: true }\n',
      'code/shelf.hooks.ts':
        "import { hooks } from 'vantfell';\nexport default hooks('shelf', {\n" +
        "  beforeCreate(draft) { if (draft.name !== 'none') draft.code = `code of ${draft.name}`; },\n});\n",
    },
  });
  const made = await other.ask('POST', '/shelves', { name: 'Oak' });
  expect([made.status, made.body.data.code]).toEqual([201, 'code of Oak']);
  expect((await other.ask('POST', '/shelves', { name: 'Oak', code: 'mine' })).body.errors).toMatchObject([
    { pointer: '/code', rule: 'readOnly' },
  ]);
  expect((await other.ask('POST', '/shelves', { name: 'none' })).status).toBe(500);
  expect(other.defects).toEqual([expect.stringContaining('shelf.beforeCreate: must set code')]);
  await other.close();
});
