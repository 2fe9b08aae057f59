import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestReply, TestService } from '../kit/open-test-service.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';

const ARCHIVE = fileURLToPath(new URL('../fixtures/access/archive', import.meta.url));
const PEOPLE = ['kit', 'ada', 'bo', 'cy'] as const;
type Name = (typeof PEOPLE)[number];

const database = serverDatabases();

describe.each(kinds)('grants on what is written, on %s', (kind) => {
  let on: TestService;
  const tokens = new Map<Name, string>();
  const ids = new Map<string, string>();
  beforeAll(async () => {
    on = await openTestService(ARCHIVE, {
      database: await database(kind, 'grants'),
    });
    await on.service.writes.run(null, async (work) => {
      const scope = on.service.writes.scopeOf(work);
      for (const [model, member] of [
        ['person', 'name'],
        ['note', 'body'],
        ['box', 'mark'],
        ['room', 'title'],
      ] as const) {
        for (const row of await scope.model(model).find()) ids.set(row[member] as string, row.id as string);
      }
    });
    for (const name of PEOPLE) tokens.set(name, await on.service.token(ids.get(name)!, 3600));
  });
  afterAll(() => on.close());

  const as = (name: Name) => ({ authorization: `Bearer ${tokens.get(name)}` });
  const ask = (name: Name, method: string, target: string, body?: unknown, headers = {}): Promise<TestReply> =>
    on.ask(method, target, body, { ...as(name), ...headers });
  const note = (body: string): string => `/notes/${ids.get(body)}`;
  /** All that is stored of a record, whoever sees it. */
  const stored = (model: string, id: string) =>
    on.service.writes.run(null, (work) => on.service.writes.scopeOf(work).model(model).get(id));
  const rulesOf = ({ status, body }: TestReply): string[] => [
    `${status}`,
    ...((body.errors ?? []) as { pointer: string; rule: string }[]).map(({ pointer, rule }) => `${pointer} ${rule}`),
  ];

  test('a record is its maker’s, unless a role lets them choose another', async () => {
    const made = await ask('ada', 'POST', '/notes', { body: 'mine' });
    expect([made.status, made.body.data.author_id]).toEqual([201, ids.get('ada')]);
    expect(rulesOf(await ask('ada', 'POST', '/notes', { body: 'x', author_id: ids.get('cy') }))).toEqual([
      '422',
      '/author_id unknown-record',
    ]);
    expect(rulesOf(await ask('bo', 'POST', '/notes', { body: 'x', author_id: ids.get('ada') }))).toEqual([
      '403',
      '/author_id may',
    ]);
    expect((await ask('kit', 'POST', '/notes', { body: 'x', author_id: ids.get('cy') })).status).toBe(201);
    const path = `/notes/${made.body.data.id}`;
    expect(rulesOf(await ask('ada', 'PATCH', path, { author_id: ids.get('ada') }))).toEqual(['200']);
    // Updates have no role: nobody gives a note away, nor takes it from under themselves.
    expect((await ask('ada', 'PATCH', path, { author_id: ids.get('kit') })).status).toBe(422);
    expect((await ask('ada', 'PUT', path, { body: 'mine again' })).body.data).toMatchObject({
      author_id: ids.get('ada'),
      body: 'mine again',
    });
    const room = await ask('kit', 'POST', '/rooms', { title: 'a room for bo', head_id: ids.get('bo') });
    expect([room.status, room.body.data.head_id]).toEqual([201, ids.get('bo')]);
    expect((await on.ask('POST', '/notes', { body: 'x', author_id: ids.get('ada') })).status).toBe(401);
  });

  test('members outside may.set may be sent back as they were read, and no other way', async () => {
    const path = note('note-body-00001');
    const { body } = await ask('ada', 'GET', path);
    expect(rulesOf(await ask('ada', 'PUT', path, body.data))).toEqual(['200']);
    expect(rulesOf(await ask('ada', 'PATCH', path, { rank: 9 }))).toEqual(['403', '/rank may']);
    expect(rulesOf(await ask('ada', 'PATCH', path, { rank: 3, place: { row: 7 } }))).toEqual(['200']);
    // An editor sees no place, and may not set it either.
    expect(rulesOf(await ask('bo', 'PATCH', path, { place: { row: 1 } }))).toEqual(['403', '/place may']);
    expect(rulesOf(await ask('bo', 'PATCH', path, { place: null }))).toEqual(['403', '/place may']);
    expect(rulesOf(await ask('ada', 'POST', '/notes', { body: 'x', rank: 5 }))).toEqual(['403', '/rank may']);
    expect(rulesOf(await ask('ada', 'POST', '/notes', { body: 'x', rank: 0 }))).toEqual(['201']);
    expect(rulesOf(await ask('kit', 'POST', '/notes', { body: 'x', rank: 5, place: { row: 1 } }))).toEqual(['201']);
    expect(
      rulesOf(await on.ask('POST', '/people', { name: 'eve', word: 'eve-knows-this', roles: ['keeper'] })),
    ).toEqual(['401']);
    expect(rulesOf(await on.ask('POST', '/people', { name: 'eve', word: 'eve-knows-this', roles: [] }))).toEqual([
      '201',
    ]);
  });

  test('PUT and PATCH keep what their caller does not see', async () => {
    const path = note('note-body-00001');
    const id = ids.get('note-body-00001')!;
    const before = await stored('note', id);
    // bo edits ada's note: the hint is not theirs to see, the shy tag and its link neither.
    const seen = (await ask('bo', 'GET', path)).body.data as Record<string, unknown>;
    expect([Object.keys(seen).includes('hint'), seen.tag_ids]).toEqual([false, ['tag-plain-00001']]);
    expect((await ask('bo', 'PUT', path, { ...seen, body: 'edited' })).status).toBe(200);
    expect(await stored('note', id)).toMatchObject({
      body: 'edited',
      hint: before.hint,
      place: before.place,
      tag_ids: ['tag-plain-00001', 'tag-shy-0000001'],
    });
    expect((await ask('bo', 'PATCH', path, { tag_ids: ['tag-warm-000001'] })).body.data.tag_ids).toEqual([
      'tag-warm-000001',
    ]);
    expect((await stored('note', id)).tag_ids).toEqual(['tag-shy-0000001', 'tag-warm-000001']);
    // Whether a hidden link is there can't be found out by asking for it.
    for (const key of ['tag-shy-0000001', 'tag-none-000001']) {
      expect(rulesOf(await ask('bo', 'PATCH', path, { tag_ids: [key] }))).toEqual(['422', '/tag_ids/0 unknown-record']);
    }
    // Nobody can take themselves out: the grant has to hold before and after. Nor are they nobody to what they are not.
    expect((await ask('bo', 'PUT', path, { body: 'edited', state: 'published' })).status).toBe(403);
    const last = { body: 'edited', state: 'published', editor_id: ids.get('bo') };
    expect((await ask('bo', 'PUT', path, last)).status).toBe(200);
    expect(await stored('note', id)).toMatchObject({
      hint: before.hint,
      author_id: before.author_id,
      tag_ids: ['tag-shy-0000001'],
    });
    expect((await ask('kit', 'PATCH', path, { body: 'x' })).status).toBe(403);
    await ask('ada', 'PATCH', path, { editor_id: null, body: 'note-body-00001' });
  });

  test('a relation to a hidden record is null, kept, and can not be guessed', async () => {
    const path = note('note-body-00003');
    const id = ids.get('note-body-00003')!;
    // cy edits bo's published note, whose box stands in a vault that is shut to them; bo is not listed either.
    await on.service.writes.run(null, (work) =>
      on.service.writes
        .scopeOf(work)
        .model('note')
        .update(id, { editor_id: ids.get('cy')! }),
    );
    const seen = (await ask('cy', 'GET', path)).body.data as Record<string, unknown>;
    expect([seen.box_id, seen.author_id, seen.editor_id]).toEqual([null, null, ids.get('cy')]);
    expect((await ask('cy', 'PUT', path, { ...seen, body: 'by cy' })).status).toBe(200);
    expect((await ask('cy', 'PATCH', path, { box_id: null, author_id: null })).status).toBe(200);
    expect(await stored('note', id)).toMatchObject({
      body: 'by cy',
      box_id: ids.get('box-vault-00001'),
      author_id: ids.get('bo'),
    });
    // The right guess is refused like a wrong one.
    for (const box_id of [
      ids.get('box-vault-00001'),
      ids.get('box-vault-00002'),
      '01a20ac6-d246-77c9-be12-6bcd5ddfd14f',
    ]) {
      const { status, body } = await ask('cy', 'PATCH', path, { box_id });
      expect([status, body.errors]).toEqual([
        422,
        [{ pointer: '/box_id', rule: 'unknown-record', detail: `there is no box "${box_id}"` }],
      ]);
    }
    const patch = { 'content-type': 'application/json-patch+json' };
    for (const value of [ids.get('box-vault-00001'), 'hint-of-n3-0001']) {
      const steps = [
        { op: 'test', path: value === undefined || value.startsWith('hint') ? '/hint' : '/box_id', value },
      ];
      expect([409, 422]).toContain((await ask('cy', 'PATCH', path, steps, patch)).status);
    }
    expect((await ask('cy', 'PATCH', path, [{ op: 'copy', from: '/hint', path: '/body' }], patch)).status).toBe(422);
    expect((await ask('cy', 'PATCH', path, { box_id: ids.get('box-hall-000001') })).body.data.box_id).toBe(
      ids.get('box-hall-000001'),
    );
  });

  test('what is refused tells of others only what its caller may know', async () => {
    // ada is referred to by her rooms, notes and more; who may not read all of them gets no numbers of the rest.
    const refused = await ask('kit', 'DELETE', `/people/${ids.get('cy')}`);
    expect([refused.status, refused.body.type]).toEqual([409, '/problems/still-referred-to']);
    const told = JSON.stringify(refused.body.errors ?? []);
    const known = (
      await ask('kit', 'GET', `/notes?filter=${encodeURIComponent(`author_id = '${ids.get('cy')}'`)}&total=true`)
    ).body.page.total as number;
    expect(told.includes(`${known} note`) || known === 0).toBe(true);
    const taken = await on.ask('POST', '/people', { name: 'bo', word: 'somebody-elses' });
    expect([taken.status, taken.body.errors]).toEqual([
      409,
      [{ pointer: '/name', rule: 'unique', detail: 'another person has this name' }],
    ]);
    for (const word of [12345678, 'short-1']) {
      const { body } = await ask('ada', 'PATCH', `/people/${ids.get('ada')}`, { word });
      expect(JSON.stringify(body)).not.toMatch(/12345678|short-1/);
    }
  });

  test('whoever may write but not read gets the key alone', async () => {
    const made = await ask('ada', 'POST', '/badges', { text: 'a new badge' });
    expect([made.status, Object.keys(made.body.data as object), made.headers.etag]).toEqual([201, ['id'], undefined]);
    expect((await ask('ada', 'GET', made.headers.location!)).status).toBe(403);
    expect((await on.ask('GET', made.headers.location!)).status).toBe(401);
  });

  test('an answer is given again as far as its caller may still see it', async () => {
    const key = { 'idempotency-key': 'again' };
    const first = await ask(
      'ada',
      'POST',
      '/notes',
      { body: 'given twice', hint: 'told once', box_id: ids.get('box-hall-000001') },
      key,
    );
    expect(first.body.data).toMatchObject({ hint: 'told once' });
    const send = (name: Name, body: object): Promise<TestReply> => ask(name, 'POST', '/notes', body, key);
    const body = { body: 'given twice', hint: 'told once', box_id: ids.get('box-hall-000001') };
    expect((await send('ada', body)).body).toEqual(first.body);
    // A key belongs to whoever sent it.
    expect((await send('kit', body)).body.data.id).not.toBe(first.body.data.id);
    expect((await on.ask('POST', '/notes', body, key)).status).toBe(400);
    const { id } = first.body.data as { id: string };
    const give = (values: object) =>
      on.service.writes.run(null, (work) =>
        on.service.writes
          .scopeOf(work)
          .model('note')
          .update(id, values as never),
      );
    await give({ author_id: ids.get('kit')!, state: 'published' });
    const less = (await send('ada', body)).body.data as Record<string, unknown>;
    expect([less.id, less.body, Object.hasOwn(less, 'hint')]).toEqual([id, 'given twice', false]);
    await give({ state: 'draft', box_id: ids.get('box-vault-00001')! });
    expect((await send('ada', body)).body.data).toEqual({ id });
    await on.service.writes.run(null, (work) => on.service.writes.scopeOf(work).model('note').delete(id));
    const gone = (await send('ada', body)).body.data as Record<string, unknown>;
    // Of what it referred to nobody can say any more whether they may know of it.
    expect([gone.id, gone.body, Object.hasOwn(gone, 'hint'), gone.box_id]).toEqual([id, 'given twice', false, null]);
  });

  test('a delete of many takes what its caller may both read and delete', async () => {
    for (const name of ['ada', 'bo'] as const)
      await ask(name, 'POST', '/notes', { body: 'to be cleared', state: 'published' });
    expect((await on.ask('DELETE', '/notes?body=x')).status).toBe(401);
    const { body } = await ask('ada', 'DELETE', `/notes?filter=${encodeURIComponent("body = 'to be cleared'")}`);
    expect(body.data.deleted).toBe(1);
    expect((await ask('ada', 'DELETE', `/notes?hint=${'hint-of-n3-0001'}`)).body.data.deleted).toBe(0);
    expect((await ask('ada', 'DELETE', '/notes')).status).toBe(400);
  });

  test('a deleted record keeps its journal, under the grants of its last state', async () => {
    const made = await ask('cy', 'POST', '/notes', { body: 'soon gone', hint: 'for cy alone' });
    const path = `/notes/${made.body.data.id}`;
    await ask('cy', 'PATCH', path, { state: 'published' });
    expect((await ask('cy', 'DELETE', path)).status).toBe(204);
    const lines = (await ask('cy', 'GET', `${path}/journal`)).body.data as {
      action: string;
      by: string;
      changes: object;
    }[];
    expect(lines.map(({ action }) => action)).toEqual(['delete', 'update', 'create']);
    expect(lines[0]).toMatchObject({ by: ids.get('cy'), changes: { hint: { before: 'for cy alone' } } });
    const others = (await ask('kit', 'GET', `${path}/journal`)).body.data as { by?: string; changes: object }[];
    expect(others[0]!.changes).not.toHaveProperty('hint');
    // It was published, so others may know of it; its journal is not for them.
    expect((await ask('ada', 'GET', `${path}/journal`)).status).toBe(403);
    expect((await on.ask('GET', `${path}/journal`)).status).toBe(401);
    const all = (await ask('cy', 'GET', `/notes/journal?limit=100&record=${made.body.data.id}`)).body.data as object[];
    expect(all).toHaveLength(3);
    expect((await ask('ada', 'GET', `/notes/journal?limit=100&record=${made.body.data.id}`)).body.data).toEqual([]);
    // Who did something is for those who may know of them: cy is not listed.
    const shown = (await ask('ada', 'GET', '/notes/journal?limit=100')).body.data as { by?: string }[];
    expect(shown.every(({ by }) => by === undefined || by === null || by === ids.get('ada'))).toBe(true);
    expect((await ask('ada', 'GET', `/notes/journal?by=${ids.get('kit')}`)).body.data).toEqual([]);
  });
});
