import { request as plainRequest } from 'node:http';
import { connect } from 'node:net';
import { beforeAll, describe, expect, test } from '@jest/globals';
import { openService } from '../../src/index.ts';
import { asking, demoFolder, serving, tokenFor, vantfell } from '../kit/program.ts';
import type { Ask, RunningProgram } from '../kit/program.ts';

let server: RunningProgram;
let folder: string;
let v1: string;
/** As a steward, who may do most things. */
let ask: Ask;

const mistHut = { name: 'Mist Hut', slug: 'mist-hut', valley: 'Askdal', beds: 12, altitude_m: 1204 };
let turn = 0;
const newHut = (more: Record<string, unknown> = {}) => ({
  ...mistHut,
  name: `Hut ${(turn += 1)}`,
  slug: `hut-${turn}`,
  ...more,
});

beforeAll(async () => {
  folder = demoFolder();
  expect((await vantfell(['seed', '-C', folder])).code).toBe(0);
  server = await serving(folder);
  v1 = `${server.url}/v1`;
  ask = await asking(folder, 'ines');
});

describe('records', () => {
  test('are made, read, replaced, changed and deleted', async () => {
    const made = await ask(`${v1}/huts`, 'POST', { ...mistHut, name: '  Mist Hut  ' });
    expect(made.status).toBe(201);
    const { id, created_at } = made.body.data;
    expect(made.headers.get('location')).toBe(`/v1/huts/${id}`);
    // Whoever makes it owns it.
    expect(made.body.data.warden_id).toBe((await ask(`${v1}/me`)).body.data.id);
    expect(made.body.data).toEqual({
      ...mistHut,
      id,
      kind: 'self-service',
      latitude: null,
      opens_on: null,
      closes_on: null,
      winter_room: false,
      about: null,
      warden_id: made.body.data.warden_id,
      amenity_ids: [],
      altitude_ft: 3950,
      nights_open: 0,
      cheapest: null,
      created_at,
      updated_at: created_at,
    });
    expect(id).toMatch(/^[0-9a-f]{8}-[0-9a-f]{4}-7/);
    const url = `${v1}/huts/${id}`;
    expect((await ask(url)).body).toEqual(made.body);

    const replaced = await ask(url, 'PUT', { ...mistHut, beds: 14, kind: 'staffed', created_at });
    expect(replaced.body.data).toMatchObject({ beds: 14, kind: 'staffed', created_at });
    const changed = await ask(url, 'PATCH', { about: 'Cold.', kind: null });
    expect(changed.body.data).toMatchObject({ beds: 14, kind: null, about: 'Cold.' });
    const again = await ask(url, 'PUT', mistHut);
    expect(again.body.data).toMatchObject({ kind: 'self-service', about: null, beds: 12 });

    expect(await ask(url, 'DELETE')).toMatchObject({ status: 204, body: '' });
    expect((await ask(url)).status).toBe(404);
    expect((await ask(url, 'DELETE')).status).toBe(404);
  });

  test('what was read can be sent back, and a stamp that moved on is 412', async () => {
    const { body } = await ask(`${v1}/huts`, 'POST', newHut());
    const url = `${v1}/huts/${body.data.id}`;
    expect(await ask(url, 'PUT', body.data)).toMatchObject({ status: 200, body });
    expect(await ask(url, 'PATCH', { beds: 13 })).toMatchObject({ status: 200 });
    const late = await ask(url, 'PATCH', { ...body.data, beds: 15, updated_at: '2020-01-01T00:00:00.000Z' });
    expect(late).toMatchObject({
      status: 412,
      body: { type: '/problems/moved-on', errors: [{ pointer: '/updated_at' }] },
    });
    const other = await ask(url, 'PATCH', { id: '019b76da-a800-7000-8000-000000000000' });
    expect(other).toMatchObject({ status: 422, body: { errors: [{ pointer: '/id', rule: 'readOnly' }] } });
  });

  test('all failures of a body come together, with pointers and the nearest name', async () => {
    const { status, headers, body } = await ask(`${v1}/huts`, 'POST', {
      ...newHut(),
      beds: 0,
      valley: 'Askdale',
      altitude_m: '12',
      opens_on: '2027-02-30',
      naem: 1,
      slug: 'Not A Slug',
      id: 1,
    });
    expect(status).toBe(422);
    expect(headers.get('content-type')).toBe('application/problem+json');
    expect(body).toMatchObject({
      type: '/problems/invalid-body',
      title: 'The record breaks 7 rules',
      status: 422,
      instance: '/v1/huts',
    });
    expect(body.request).toMatch(/^[0-9a-f-]{36}$/);
    const told = Object.fromEntries(
      body.errors.map((error: Record<string, string>) => [`${error.pointer} ${error.rule}`, error.detail]),
    );
    expect(told).toEqual({
      '/beds minimum': 'must be 1 or more, got 0',
      '/valley enum': 'must be one of Askdal, Brattdal, Sulvik, got "Askdale"',
      '/altitude_m type': 'must be a whole number, got "12"',
      '/opens_on format': 'must be a date that exists, like 2026-06-12, got "2027-02-30"',
      '/naem unknown': 'no such field; did you mean name?',
      '/slug pattern': 'must be lower-case words joined by hyphens, like grey-hut',
      '/id readOnly': 'is set by the service alone; leave it out',
    });
  });

  test('a taken value is 409 with the field, and the store goes on', async () => {
    const hut = newHut();
    expect((await ask(`${v1}/huts`, 'POST', hut)).status).toBe(201);
    for (let again = 0; again < 3; again += 1) {
      const { status, body } = await ask(`${v1}/huts`, 'POST', { ...hut, name: `Other ${again}` });
      expect(status).toBe(409);
      expect(body.errors).toEqual([{ pointer: '/slug', rule: 'unique', detail: 'another hut has this slug' }]);
    }
    expect((await ask(`${v1}/huts`, 'POST', newHut())).status).toBe(201);
    const email = { name: 'I', email: ' INES@fellhuts.example ', joined_on: '2026-01-01' };
    expect((await ask(`${v1}/members`, 'POST', email)).body.errors[0].detail).toBe('is registered already');
  });

  test('relations: an unknown record, one still referred to, and parts that go along', async () => {
    const none = await ask(`${v1}/huts`, 'POST', newHut({ warden_id: '019b76da-a800-7000-8000-000000000000' }));
    expect(none).toMatchObject({ status: 422, body: { errors: [{ pointer: '/warden_id', rule: 'unknown-record' }] } });
    const warden = (
      await ask(`${v1}/members`, 'POST', { name: 'W', email: 'w@fellhuts.example', joined_on: '2026-01-01' })
    ).body.data.id;
    const hut = (await ask(`${v1}/huts`, 'POST', newHut({ warden_id: warden }))).body.data.id;
    const refused = await ask(`${v1}/members/${warden}`, 'DELETE');
    expect(refused).toMatchObject({ status: 409, body: { type: '/problems/still-referred-to' } });
    expect(refused.body.errors[0].detail).toMatch(/^1 hut refers to it as warden: ".+, .+"$/);

    const night = await ask(`${v1}/huts/${hut}/nights`, 'POST', { date: '2026-06-12', price: 29.5, beds_left: 3 });
    expect(night).toMatchObject({ status: 201, body: { data: { hut_id: hut, price: '29.50' } } });
    expect((await ask(`${v1}/huts/${hut}/nights`)).body.data).toHaveLength(1);
    const elsewhere = { hut_id: warden, date: '2026-06-13', price: '1', beds_left: 1 };
    expect((await ask(`${v1}/huts/${hut}/nights`, 'POST', elsewhere)).status).toBe(422);
    const url = `${v1}/nights/${night.body.data.id}`;
    expect((await ask(url, 'PATCH', { date: '2026-06-14' })).body.errors[0].rule).toBe('immutable');
    expect((await ask(`${v1}/huts/${hut}`, 'DELETE')).status).toBe(204);
    expect((await ask(url)).status).toBe(404);
    for (const method of ['GET', 'POST']) {
      const body = method === 'POST' ? { date: '2026-06-12', price: '1', beds_left: 1 } : undefined;
      expect((await ask(`${v1}/huts/${hut}/nights`, method, body)).status).toBe(404);
    }
  });
});

describe('lists', () => {
  const names = (body: { data: { name: string }[] }) => body.data.map(({ name }) => name);

  test('filters, sort, fields and pages go together; links lead on and back', async () => {
    const first = await ask(
      `${v1}/huts?valley=Askdal&valley=Sulvik&kind=shelter&sort=-altitude_m&limit=1&fields=name,beds`,
    );
    expect(first.body.data).toEqual([{ name: 'Long Scree Shelter', beds: 6 }]);
    expect(first.body.page).toMatchObject({ limit: 1, prev: null });
    const second = await ask(server.url + first.body.page.next);
    expect(names(second.body)).toEqual(['North Stair Shelter']);
    expect(second.body.page.next).toBeNull();
    expect((await ask(server.url + second.body.page.prev)).body.data).toEqual(first.body.data);
    expect(second.headers.get('link')).toMatch(/rel="first", <\/v1\/huts\?.+>; rel="prev"$/);
  });

  test.each(['opens_on', '-opens_on', 'warden_id,-altitude_m', 'valley,-name', 'kind', '-latitude,beds', 'id'])(
    'paging by %s visits each record once, forward and back',
    async (sort) => {
      const all = (await ask(`${v1}/huts?sort=${sort}&limit=100`)).body.data.map(({ id }: { id: string }) => id);
      const seen: string[] = [];
      let last = '';
      for (let next: string | null = `/v1/huts?sort=${sort}&limit=4&fields=id`; next !== null;) {
        const { body } = await ask(server.url + next);
        seen.push(...body.data.map(({ id }: { id: string }) => id));
        [last, next] = [next, body.page.next];
      }
      expect(seen).toEqual(all);
      const back: string[] = [];
      for (let prev: string | null = last; prev !== null;) {
        const { body } = await ask(server.url + prev);
        back.unshift(...body.data.map(({ id }: { id: string }) => id));
        prev = body.page.prev;
      }
      expect(back).toEqual(all);
    },
  );

  test('no record is skipped or shown twice while others come and go', async () => {
    const before = (await ask(`${v1}/members?sort=name&limit=100&fields=id`)).body.data as { id: string }[];
    const seen: string[] = [];
    for (let next: string | null = '/v1/members?sort=name&limit=3'; next !== null;) {
      const { body } = await ask(server.url + next);
      seen.push(...body.data.map(({ id }: { id: string }) => id));
      await ask(`${v1}/members`, 'POST', {
        name: 'Aaa',
        email: `a${(turn += 1)}@fellhuts.example`,
        joined_on: '2026-01-01',
      });
      next = body.page.next;
    }
    expect(seen).toEqual(before.map(({ id }) => id));
  });

  test.each([
    ['naem=x', 'naem', 'did you mean name?'],
    ['sort=naem', 'sort', 'did you mean name?'],
    ['sort=name,name', 'sort', 'twice'],
    ['fields=beds,nmae', 'fields', 'did you mean name?'],
    ['beds=many', 'beds', 'must be a whole number'],
    ['opens_on=2026-02-30', 'opens_on', 'a date that exists'],
    ['limit=0', 'limit', '0 goes with total=true'],
    ['limit=0&total=false', 'limit', '0 goes with total=true'],
    ['limit=-1', 'limit', 'from 1 to 100'],
    ['limit=101', 'limit', 'from 1 to 100'],
    ['limit=5&limit=6', 'limit', 'once'],
    ['after=nonsense', 'after', 'no cursor of this list'],
    ['after=a&before=b', 'before', 'together'],
  ])('?%s is a 400 that names %s', async (query, parameter, detail) => {
    const { status, body } = await ask(`${v1}/huts?${query}`);
    expect(status).toBe(400);
    expect(body.type).toBe('/problems/invalid-parameter');
    expect(body.errors[0].parameter).toBe(parameter);
    expect(body.errors[0].detail).toContain(detail);
  });

  test('a cursor is good for its own list alone, and can not be altered', async () => {
    const next = new URL((await ask(`${v1}/huts?sort=name&limit=2`)).body.page.next, server.url);
    const cursor = next.searchParams.get('after')!;
    expect((await ask(`${v1}/huts?sort=name&limit=5&after=${cursor}`)).status).toBe(200);
    for (const query of [
      `sort=-name&after=${cursor}`,
      `sort=name&beds=4&after=${cursor}`,
      `sort=name&after=${cursor.slice(0, -2)}xx`,
      'sort=name&after=',
    ]) {
      expect((await ask(`${v1}/huts?${query}`)).status).toBe(400);
    }
    expect((await ask(`${v1}/members?sort=name&after=${cursor}`)).status).toBe(400);
  });
});

describe('the edges of HTTP', () => {
  test.each([
    ['GET', '/v1/hutz', 404, 'unknown-path'],
    ['GET', '/v1/huts/', 404, 'unknown-path'],
    ['GET', '/v1/huts/x', 404, 'not-found'],
    ['GET', '/v1/huts/019b76da-a800-7000-8000-000000000000?nope=1', 400, 'invalid-parameter'],
    ['GET', '/v1/huts/%E0%A4%A', 404, 'unknown-path'],
    ['DELETE', '/v1/huts/%E0%A4%A', 404, 'unknown-path'],
    ['GET', '/v1/huts?name=%E0%A4%A', 400, 'malformed-request'],
    ['GET', '/v1/members/x/nights', 404, 'unknown-path'],
    ['PATCH', '/v1/huts', 405, 'method-not-allowed'],
    ['POST', '/openapi.json', 405, 'method-not-allowed'],
    ['GET', '/../../etc/passwd', 404, 'unknown-path'],
    ['GET', 'http://huts.example/v1/huts/x', 404, 'not-found'],
    ['GET', 'http://huts.example', 200, undefined],
  ])('%s %s is %d %s', async (method, path, status, name) => {
    // fetch would tidy the path first.
    const answer = await new Promise<{ status?: number; text: string }>((resolve, reject) => {
      const sent = plainRequest(server.url, { method, path }, (response) => {
        let text = '';
        response.on('data', (chunk: Buffer) => (text += chunk.toString()));
        response.on('end', () => resolve({ status: response.statusCode!, text }));
      });
      sent.on('error', reject).end();
    });
    expect(answer.status).toBe(status);
    if (name !== undefined) expect(JSON.parse(answer.text)).toMatchObject({ type: `/problems/${name}`, status });
  });

  test('405 and OPTIONS list the methods, a 404 the nearest endpoints', async () => {
    expect((await ask(`${v1}/huts`, 'DELETE')).headers.get('allow')).toBe('GET, POST, HEAD, OPTIONS');
    const options = await ask(`${v1}/huts/x`, 'OPTIONS');
    expect(options.status).toBe(204);
    expect(options.headers.get('accept-patch')).toBe(
      'application/merge-patch+json, application/json, application/json-patch+json',
    );
    expect((await ask(`${v1}/hut`)).body.detail).toContain('/v1/huts');
  });

  const json = 'application/json';
  test.each([
    ['with a comma too many', '{"name": "x",}', json, 400, 'line 1, column 14'],
    ['cut off', '{"name":\n', json, 400, 'it ends too early at line 2'],
    ['that is empty', '', json, 400, 'empty'],
    ['with a member twice', '{"beds": 1, "be\\u0064s": 2}', json, 400, 'the member "beds" twice'],
    ['nested deeply', '['.repeat(70) + ']'.repeat(70), json, 400, 'levels deep'],
    ['that is an empty list', '[]', json, 422, 'at least one record'],
    ['that is a list of no objects', '[1]', json, 422, 'must be an object'],
    ['with a prototype', '{"__proto__": {"beds": 1}}', json, 400, '__proto__'],
    ['of a form', 'name=x', 'application/x-www-form-urlencoded', 415, 'send application/json; got application/x-www'],
    ['over the limit', `{"about": "${'x'.repeat(1_000_001)}"}`, json, 413, '1000000 bytes'],
  ])('a body %s', async (_what, body, type, status, words) => {
    const answer = await ask(`${v1}/huts`, 'POST', body, { 'content-type': type });
    expect(answer.status).toBe(status);
    expect(answer.body.detail ?? JSON.stringify(answer.body.errors)).toContain(words);
  });

  test('bytes that are no UTF-8 are a 400', async () => {
    const response = await fetch(`${v1}/huts`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', authorization: `Bearer ${await tokenFor(folder, 'ines')}` },
      body: new Uint8Array([0x7b, 0x22, 0xff, 0x22, 0x3a, 0x31, 0x7d]),
    });
    expect(response.status).toBe(400);
  });

  test('Accept that rules JSON out is 406; HEAD has the headers of GET and no body', async () => {
    expect((await ask(`${v1}/huts`, 'GET', undefined, { accept: 'text/csv' })).status).toBe(406);
    expect((await ask(`${v1}/huts`, 'GET', undefined, { accept: 'text/html, */*;q=0.1' })).status).toBe(200);
    const [head, get] = [
      await ask(`${v1}/huts`, 'HEAD', undefined, { 'accept-encoding': 'identity' }),
      await fetch(`${v1}/huts`, { headers: { 'accept-encoding': 'identity' } }),
    ];
    expect(head).toMatchObject({ status: 200, body: '' });
    expect(head.headers.get('content-length')).toBe(String((await get.arrayBuffer()).byteLength));
  });

  test('the service tells about itself: index, health, and a page for each problem', async () => {
    const index = (await ask(server.url)).body.data;
    expect(index).toMatchObject({ name: 'Fell Huts', links: { huts: '/v1/huts', openapi: '/openapi.json' } });
    for (const path of Object.values(index.links as Record<string, string>)) {
      expect((await ask(server.url + path)).status).toBe(200);
    }
    const page = await ask(`${server.url}/problems/invalid-body`);
    expect(page.headers.get('content-type')).toContain('text/html');
    expect(page.body).toContain('breaks a rule');
  });

  test('headers beyond all measure are a 431, and a body over the limit ends the connection', async () => {
    await expect(ask(v1, 'GET', undefined, { 'x-long': 'x'.repeat(20_000) })).resolves.toMatchObject({ status: 431 });
    const large = await ask(`${v1}/huts`, 'POST', `"${'x'.repeat(1_000_001)}"`);
    expect(large).toMatchObject({ status: 413, body: { type: '/problems/too-large' } });
    expect(large.headers.get('connection')).toBe('close');
  });

  test('what is no HTTP at all is answered and does no harm', async () => {
    const { port } = new URL(server.url);
    const socket = connect(Number(port), '127.0.0.1');
    const text = await new Promise<string>((resolve) => {
      let got = '';
      socket.on('data', (chunk) => (got += chunk.toString()));
      socket.on('close', () => resolve(got));
      socket.write('\u0000\u0001nonsense\r\n\r\n');
    });
    expect(text).toMatch(/^HTTP\/1\.1 400/);
    expect((await ask(`${v1}/huts`)).status).toBe(200);
  });

  test('values from outside are values in SQL, never its text', async () => {
    const trick = `x'); DROP TABLE huts; --`;
    expect((await ask(`${v1}/huts?name=${encodeURIComponent(trick)}`)).body.data).toEqual([]);
    const made = await ask(`${v1}/huts`, 'POST', newHut({ name: trick, about: '"}],"page":\n{' }));
    expect(made).toMatchObject({ status: 201, body: { data: { name: trick, about: '"}],"page":\n{' } } });
    expect((await ask(`${v1}/huts?name=${encodeURIComponent(trick)}`)).body.data).toHaveLength(1);
  });
});

test('many writers at once: each gets its turn, and no update is lost', async () => {
  const { id } = (await ask(`${v1}/huts`, 'POST', newHut({ beds: 1 }))).body.data;
  const answers = await Promise.all(
    Array.from({ length: 60 }, (_none, at) => ask(`${v1}/huts/${id}`, 'PATCH', { beds: 1 + at })),
  );
  expect(answers.every(({ status }) => status === 200)).toBe(true);
  const made = await Promise.all(
    Array.from({ length: 40 }, () => ask(`${v1}/huts`, 'POST', newHut({ slug: 'one-of-forty' }))),
  );
  expect(made.map(({ status }) => status).sort()).toEqual([201, ...Array.from({ length: 39 }, () => 409)]);
});

test('openService answers WHATWG requests without a socket', async () => {
  const service = await openService(folder);
  const answer = await service.fetch(new Request('http://huts.example/v1/huts?limit=2'));
  expect(answer.status).toBe(200);
  expect(((await answer.json()) as { data: unknown[] }).data).toHaveLength(2);
  const made = await service.fetch(
    new Request('http://huts.example/v1/huts', {
      method: 'POST',
      headers: { 'content-type': 'application/json', authorization: `Bearer ${await tokenFor(folder, 'ines')}` },
      body: JSON.stringify(newHut({ slug: 'by-fetch' })),
    }),
  );
  expect(made.status).toBe(201);
  const large = new Request('http://huts.example/v1/huts', { method: 'POST', body: 'x'.repeat(1_000_001) });
  expect((await service.fetch(large)).status).toBe(413);
  await service.close();
  await expect(openService('/no/such/folder')).rejects.toThrow('there is no folder');
});
