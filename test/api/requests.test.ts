import { cpSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestReply, TestService } from '../kit/open-test-service.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { folderWith } from '../kit/program.ts';

const PROJECT = fileURLToPath(new URL('../fixtures/writing', import.meta.url));
const NOBODY = '00000000-0000-7000-8000-000000000000';
const JSON_PATCH = { 'content-type': 'application/json-patch+json' };

const database = serverDatabases();

describe.each(kinds)('requests that write, on %s', (kind) => {
  let on: TestService;
  beforeAll(async () => {
    on = await openTestService(PROJECT, {
      database: await database(kind, 'requests'),
      samples: false,
    });
    await on.ask('POST', '/marks', [{ name: 'icy' }, { name: 'steep' }, { name: 'wide' }]);
  });
  afterAll(() => on.close());

  let made = 0;
  const depot = async (values: object = {}): Promise<string> => {
    const { status, body } = await on.ask('POST', '/depots', { name: `Depot ${(made += 1)}`, sleds: 42, ...values });
    expect(status).toBe(201);
    return body.data.id as string;
  };
  const read = async (path: string) => (await on.ask('GET', path)).body.data;
  const errorsOf = ({ body }: TestReply): string[] =>
    (body.errors as { pointer: string; rule: string }[]).map(({ pointer, rule }) => `${pointer} ${rule}`);
  const total = async (list: string): Promise<number> =>
    (await on.ask('GET', `${list}${list.includes('?') ? '&' : '?'}total=true`)).body.page.total as number;

  test('many records are made by one request, all or none, and every failure has its place', async () => {
    const { status, body, headers } = await on.ask('POST', '/depots', [
      { name: 'One', sleds: 2 },
      { name: 'Two', sleds: 3 },
    ]);
    expect([status, headers.location]).toEqual([201, undefined]);
    expect(body.data).toMatchObject([
      { name: 'One', slug: 'one' },
      { name: 'Two', slug: 'two' },
    ]);
    const before = await on.everything();
    const broken = await on.ask('POST', '/depots', [
      { name: 'Three', sleds: 1 },
      { sleds: 3, id: NOBODY },
    ]);
    expect(errorsOf(broken)).toEqual(['/0/sleds minimum', '/1/name required', '/1/id readOnly']);
    expect(broken.body.title).toBe('The records break 3 rules');
    const taken = await on.ask('POST', '/depots', [
      { name: 'Three', sleds: 3 },
      { name: 'Four', slug: 'one', sleds: 3 },
    ]);
    expect([taken.status, ...errorsOf(taken)]).toEqual([409, '/1/slug unique']);
    expect(await on.everything()).toEqual(before);
    const minimal = await on.ask('POST', '/marks', [{ name: `m${kind}` }], { prefer: 'return=minimal' });
    expect([minimal.status, minimal.body]).toEqual([201, undefined]);
  });

  test('a record is made under its parent', async () => {
    const id = await depot();
    const { status, body } = await on.ask('POST', `/depots/${id}/shelves`, [{ label: 'low' }, { label: 'high' }]);
    expect([status, body.data.map(({ depot_id }: { depot_id: string }) => depot_id)]).toEqual([201, [id, id]]);
    expect((await on.ask('POST', `/depots/${NOBODY}/shelves`, { label: 'x' })).status).toBe(404);
    const other = await on.ask('POST', `/depots/${id}/shelves`, [{ label: 'x' }, { label: 'y', depot_id: NOBODY }]);
    expect(errorsOf(other)).toEqual(['/1/depot_id immutable']);
  });

  describe('links', () => {
    test('are set by their keys, replaced, cleared and journalled', async () => {
      const id = await depot({ mark_ids: ['steep', 'icy'] });
      expect((await read(`/depots/${id}?include=marks`)).marks.data).toMatchObject([
        { name: 'icy' },
        { name: 'steep' },
      ]);
      const etag = (await on.ask('GET', `/depots/${id}`)).headers.etag!;
      const patched = await on.ask('PATCH', `/depots/${id}`, { mark_ids: ['wide', 'icy'] });
      expect(patched.body.data.mark_ids).toEqual(['icy', 'wide']);
      // The state of a record has moved with its links.
      expect((await on.ask('PATCH', `/depots/${id}`, { note: 'late' }, { 'if-match': etag })).status).toBe(412);
      const added = await on.ask(
        'PATCH',
        `/depots/${id}`,
        [{ op: 'add', path: '/mark_ids/-', value: 'steep' }],
        JSON_PATCH,
      );
      expect(added.body.data.mark_ids).toEqual(['icy', 'steep', 'wide']);
      const whole = await read(`/depots/${id}`);
      expect((await on.ask('PUT', `/depots/${id}`, whole)).body.data).toEqual(whole);
      expect((await on.ask('PUT', `/depots/${id}`, { name: 'Bare' })).body.data.mark_ids).toEqual([]);
      const lines = (await read(`/depots/${id}/journal`)) as { changes: { mark_ids?: object } }[];
      expect(lines.map(({ changes }) => changes.mark_ids)).toEqual([
        { before: ['icy', 'steep', 'wide'], after: [] },
        { before: ['icy', 'wide'], after: ['icy', 'steep', 'wide'] },
        { before: ['icy', 'steep'], after: ['icy', 'wide'] },
        { after: ['icy', 'steep'] },
      ]);
    });

    test('lead to records that are there, each once', async () => {
      const give = (mark_ids: unknown) => on.ask('POST', '/depots', { name: 'Linked', sleds: 9, mark_ids });
      expect(errorsOf(await give(['icy', 'flat']))).toEqual(['/mark_ids/1 unknown-record']);
      expect(errorsOf(await give(['icy', 'icy']))).toEqual(['/mark_ids uniqueItems']);
      expect(errorsOf(await give(['icy', 7]))).toEqual(['/mark_ids/1 type']);
      expect(errorsOf(await give(null))).toEqual(['/mark_ids required']);
    });
  });

  describe('JSON Patch', () => {
    const patch = (id: string, ...steps: object[]) => on.ask('PATCH', `/depots/${id}`, steps, JSON_PATCH);

    test('changes a record as it is read, step by step', async () => {
      const id = await depot({ note: 'old', spot: { x: 1 }, code: 'c' });
      const { status, body } = await patch(
        id,
        { op: 'test', path: '/note', value: 'old' },
        { op: 'replace', path: '/note', value: 'new' },
        { op: 'add', path: '/spot/y', value: 2 },
        { op: 'move', from: '/spot/x', path: '/spot/y' },
        { op: 'replace', path: '/code', value: 'never shown' },
        { op: 'test', path: '/loaned', value: null },
      );
      expect([status, body.data.note, body.data.spot]).toEqual([200, 'new', { y: 1 }]);
      expect(
        (await patch(id, { op: 'remove', path: '/note' }, { op: 'copy', from: '/slug', path: '/note' })).body.data.note,
      ).toBe(body.data.slug);
      expect((await patch(id, { op: 'remove', path: '/note' })).body.data.note).toBeNull();
    });

    test('that can not be applied changes nothing, and tells where', async () => {
      const id = await depot({ note: 'old', code: 'hidden', pass: 'secret' });
      const before = await read(`/depots/${id}`);
      const test = await patch(
        id,
        { op: 'replace', path: '/note', value: 'x' },
        { op: 'test', path: '/note', value: 'y' },
      );
      expect([test.status, test.body.type, ...errorsOf(test)]).toEqual([409, '/problems/test-failed', '/1 test']);
      const refused: [object, string][] = [
        [{ op: 'test', path: '/code', value: 'hidden' }, '/0 test'],
        [{ op: 'copy', from: '/code', path: '/note' }, '/0/from patch'],
        [{ op: 'remove', path: '/pass' }, '/0/path patch'],
        [{ op: 'remove', path: '/nothing' }, '/0/path patch'],
        [{ op: 'add', path: '/nothing', value: 1 }, '/nothing unknown'],
        [{ op: 'replace', path: '/name', value: '' }, '/name required'],
        [{ op: 'remove', path: '/name' }, '/name required'],
        [{ op: 'replace', path: '/loaned', value: 3 }, '/loaned readOnly'],
        [{ op: 'replace', path: '/opened_on', value: '2027-01-01' }, '/opened_on immutable'],
        [{ op: 'grow', path: '/note' }, '/0/op patch'],
        [{ op: 'add', path: 'note', value: 1 }, '/0/path patch'],
        [{ op: 'add', path: '', value: {} }, '/0/path patch'],
        [{ op: 'add', path: '/__proto__/x', value: 1 }, '/0/path patch'],
        [{ op: 'add', path: '/note' }, '/0/value patch'],
      ];
      for (const [step, error] of refused) expect([step, ...errorsOf(await patch(id, step))]).toEqual([step, error]);
      const doubled = Array.from({ length: 40 }, () => ({ op: 'copy', from: '/spot', path: '/spot/x' }));
      expect((await patch(id, { op: 'add', path: '/spot', value: { x: 1 } }, ...doubled)).status).toBe(422);
      expect((await on.ask('PATCH', `/depots/${id}`, { note: 'x' }, JSON_PATCH)).status).toBe(422);
      expect(await read(`/depots/${id}`)).toEqual(before);
      expect(({} as { x?: number }).x).toBeUndefined();
    });
  });

  describe('conditions and preferences', () => {
    test('If-Match names the state that a write is about; a model may ask for it', async () => {
      const id = await depot();
      const { body, headers } = await on.ask('POST', `/depots/${id}/shelves`, { label: 'low' });
      const path = `/shelves/${body.data.id as string}`;
      for (const [method, sent] of [
        ['PUT', { label: 'x' }],
        ['PATCH', { label: 'x' }],
        ['DELETE', undefined],
      ] as const) {
        expect((await on.ask(method, path, sent)).status).toBe(428);
        expect((await on.ask(method, path, sent, { 'if-match': '"other"' })).status).toBe(412);
      }
      const changed = await on.ask('PATCH', path, { label: 'high' }, { 'if-match': `"x", ${headers.etag!}` });
      expect(changed.status).toBe(200);
      expect((await on.ask('GET', path)).headers.etag).toBe(changed.headers.etag);
      expect((await on.ask('DELETE', path, undefined, { 'if-match': headers.etag! })).status).toBe(412);
      expect((await on.ask('DELETE', path, undefined, { 'if-match': '*' })).status).toBe(204);
    });

    test('Prefer asks for less of an answer, or for more', async () => {
      const id = await depot();
      const minimal = { prefer: 'respond-async, return=minimal' };
      const { status, body, headers } = await on.ask('PATCH', `/depots/${id}`, { note: 'x' }, minimal);
      expect([status, body, headers['preference-applied']]).toEqual([204, undefined, 'return=minimal']);
      expect(headers.etag).toBe((await on.ask('GET', `/depots/${id}`)).headers.etag);
      const one = await on.ask('POST', '/depots', { name: 'Quiet', sleds: 5 }, minimal);
      expect([one.status, one.body]).toEqual([201, undefined]);
      expect((await on.ask('GET', one.headers.location!)).body.data.name).toBe('Quiet');
      const last = await on.ask('DELETE', `/depots/${id}`, undefined, { prefer: 'return="representation"' });
      expect([last.status, last.body.data.id, last.headers['preference-applied']]).toEqual([
        200,
        id,
        'return=representation',
      ]);
    });
  });

  test('a delete of many takes those that its query asks for, and never all', async () => {
    for (const note of ['a', 'a', 'b']) await depot({ note, name: 'Cleared' });
    expect((await on.ask('DELETE', '/depots')).status).toBe(400);
    expect((await on.ask('DELETE', '/depots?limit=1&note=a')).body.errors[0].parameter).toBe('limit');
    expect((await on.ask('DELETE', '/depots?nte=a')).status).toBe(400);
    expect((await on.ask('DELETE', '/depots?name=Cleared&note=a')).body).toEqual({ data: { deleted: 2 } });
    expect((await on.ask('DELETE', `/depots?filter=${encodeURIComponent("name = 'Cleared'")}`)).body.data.deleted).toBe(
      1,
    );
    expect((await on.ask('DELETE', '/depots?name=Cleared')).body.data.deleted).toBe(0);
    expect((await on.ask('DELETE', '/marks?name=icy')).status).toBe(405);
    for (let at = 0; at < 21; at += 1) await depot({ name: 'Crowd' });
    const many = await on.ask('DELETE', '/depots?name=Crowd');
    expect([many.status, many.body.type]).toEqual([409, '/problems/too-many-at-once']);
    expect(await total('/depots?name=Crowd')).toBe(21);
  });

  test('what goes along with a record is bounded', async () => {
    const id = await depot({ sleds: 90 });
    await on.ask(
      'POST',
      '/loans',
      Array.from({ length: 20 }, () => ({ depot_id: id, amount: 1 })),
    );
    await on.ask('POST', `/depots/${id}/shelves`, { label: 'low' });
    const before = await on.everything();
    const refused = await on.ask('DELETE', `/depots/${id}`);
    expect([refused.status, refused.body.type]).toEqual([409, '/problems/too-many-at-once']);
    expect(await on.everything()).toEqual(before);
    const [{ id: one }] = await read(`/loans?depot_id=${id}`);
    expect((await on.ask('DELETE', `/loans/${one}`)).status).toBe(204);
    expect((await on.ask('DELETE', `/depots/${id}`)).status).toBe(204);
    expect(await total(`/shelves?depot_id=${id}`)).toBe(0);
  });

  test('the journal keeps what was done, never secrets, and nobody changes it', async () => {
    const id = await depot({ note: 'a', code: 'code words', pass: 'pass words' });
    await on.ask('PATCH', `/depots/${id}`, { note: 'b', spot: { x: 1 }, pass: 'other words' });
    await on.ask('PATCH', `/depots/${id}`, { note: 'b' });
    const { status, body } = await on.ask('GET', `/depots/${id}/journal?limit=1`);
    expect([status, body.data]).toEqual([
      200,
      [
        {
          id: expect.any(String),
          record: id,
          at: expect.stringMatching(/^2\d{3}-.*Z$/),
          by: null,
          action: 'update',
          changes: { note: { before: 'a', after: 'b' }, spot: { before: null, after: { x: 1 } } },
          operation: null,
        },
      ],
    ]);
    const earlier = await on.ask('GET', body.page.next as string);
    expect(earlier.body.data).toMatchObject([{ action: 'create', changes: { note: { after: 'a' } } }]);
    expect(JSON.stringify(await on.everything())).toContain('code words');
    expect((await on.everything()).vantfell_journal).not.toMatch(/code words|pass words|scrypt/);
    expect((await on.ask('DELETE', `/depots/${id}`)).status).toBe(204);
    expect((await read(`/depots/${id}/journal?action=delete`))[0].changes.note).toEqual({ before: 'b' });
    expect((await on.ask('GET', `/depots/${NOBODY}/journal`)).status).toBe(404);
    expect((await on.ask('GET', '/depots/x/journal')).status).toBe(404);
    expect((await on.ask('GET', '/depots/journal?by=x')).body.data).toEqual([]);
    for (const method of ['POST', 'PUT', 'DELETE']) {
      expect((await on.ask(method, '/depots/journal', {})).status).toBe(405);
    }
  });

  describe('operations', () => {
    test('take what they declare, from the body or the query', async () => {
      const id = await depot();
      expect(await read(`/depots/${id}/stock`)).toEqual({ sleds: 42 });
      expect(await read(`/depots/${id}/stock?more=3`)).toEqual({ sleds: 45 });
      expect((await on.ask('GET', `/depots/${id}/stock?more=x`)).body.errors).toMatchObject([{ parameter: 'more' }]);
      expect((await on.ask('GET', `/depots/${id}/stock?mor=1`)).body.errors[0].detail).toContain('did you mean more?');
      expect((await on.ask('POST', `/depots/${id}/stock`, {})).status).toBe(405);
      expect((await on.ask('GET', `/depots/${NOBODY}/stock`)).status).toBe(404);
      const wrong = await on.ask('POST', '/depots/swap', { first: 'x', more: 1 });
      expect(wrong.body.title).toBe('The request breaks 3 rules');
      expect(errorsOf(wrong).sort()).toEqual(['/first format', '/more unknown', '/second required']);
      expect((await on.ask('POST', '/depots/swap?x=1', {})).status).toBe(400);
      const gone = await on.ask('POST', '/depots/swap', { first: id, second: NOBODY });
      expect(gone.status).toBe(404);
    });

    test('answer with what they declare, or not at all', async () => {
      const id = await depot();
      const ran = await on.ask('POST', `/depots/${id}/wait`, { ms: 0 });
      expect([ran.status, ran.body.data.note]).toEqual([200, 'waited 0']);
      const quiet = await on.ask('POST', `/depots/${id}/wait`, { ms: 1 }, { prefer: 'return=minimal' });
      expect([quiet.status, quiet.body]).toEqual([204, undefined]);
      expect((await on.ask('POST', `/depots/${id}/wait`, { ms: 1 }, { 'if-match': '"old"' })).status).toBe(412);
      const before = await on.everything();
      expect((await on.ask('POST', `/depots/${id}/wrong`)).status).toBe(500);
      expect(on.defects.at(-1)).toMatch(/^CodeError: depot\.wrong: gave back another output than it declares: /);
      expect((await on.ask('GET', `/depots/${id}/stock?more=99`)).status).toBe(500);
      expect(on.defects.at(-1)).toContain('an operation that reads can not write');
      expect(await on.everything()).toEqual(before);
    });
  });
});

test('a program does its own jobs in transactions, with the same rules', async () => {
  const { openService } = await import('../../src/index.ts');
  const folder = folderWith();
  cpSync(PROJECT, folder, { recursive: true });
  const service = await openService(folder);
  try {
    const name = await service.transaction(async (scope) => {
      const made = await scope.model('depot').create({ name: 'A job', sleds: 5 });
      const id = made.id as string;
      await scope.model('loan').create({ depot_id: id, amount: 2 });
      expect((await scope.model('depot').get(id)).sleds).toBe(3);
      expect(await scope.model('depot').find("name LIKE 'A j%'", { sort: '-name' })).toHaveLength(1);
      await expect(scope.model('loan').create({ depot_id: id, amount: 2 })).rejects.toThrow();
      expect(() => scope.model('sled')).toThrow('there is no model sled');
      return (await scope.model('depot').first({ sleds: [3, 4], note: null }))?.name as string;
    });
    expect(name).toBe('A job');
    const failing = service.transaction(async (scope) => {
      await scope.model('depot').create({ name: 'Half a job', sleds: 5 });
      throw new Error('no more');
    });
    await expect(failing).rejects.toThrow('no more');
    const answer = await service.fetch(new Request('http://depots.example/depots?slug=half-a-job'));
    expect(((await answer.json()) as { data: unknown[] }).data).toEqual([]);
  } finally {
    await service.close();
  }
});
