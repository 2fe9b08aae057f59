// What records are called, wherever a person reads of them: in refusals and in journals, under their grants.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { TestService } from '../kit/open-test-service.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { signUp } from '../kit/signed-up.ts';
import type { SignedUp } from '../kit/signed-up.ts';

const MODELS = `
model: member
label: 'Mx. {name}'
fields:
  name: { type: string, required: true, unique: true }
  word: { type: secret, required: true, minLength: 8 }
may: { read: signed-in, create: anybody }
---
model: shelf
key: code
label: 'Regal {code} – {height_m} m'
journal: true
fields:
  code: { type: string, required: true }
  height_m: { type: decimal, scale: 2, required: true }
may: { read: signed-in, create: signed-in, update: signed-in, delete: signed-in, journal: signed-in }
---
model: box
label: { text: '{shelf.code}/{number}, {packed_on} {open}', reveals: true }
journal: true
owner: keeper
fields:
  number: { type: integer, required: true }
  packed_on: { type: date }
  open: { type: boolean, default: false }
relations:
  shelf: { to: shelf, required: true }
  keeper: { to: member, required: true }
  tags: { with: tag }
may:
  read: [owner, { where: open = TRUE }]
  create: signed-in
  update: signed-in
  delete: owner
  journal: signed-in
---
model: tag
fields: { text: { type: string, required: true } }
may: { read: signed-in, create: signed-in }
`;

interface Line {
  readonly record: string;
  readonly action: string;
  readonly label: string | null;
  readonly changes: Readonly<Record<string, Readonly<Record<string, unknown>>>>;
}

const database = serverDatabases();

describe.each(kinds)('labels, on %s', (kind) => {
  let on: TestService;
  let ask: SignedUp['ask'];
  const shelf = (code: string, height_m = '1.50') => ask('ada', 'POST', '/shelves', { code, height_m });
  const box = async (who: string, shelf_id: string, number: number, more: object = {}): Promise<string> =>
    (await ask(who, 'POST', '/boxes', { shelf_id, number, ...more })).body.data.id;
  const lines = async (who: string, path: string, query = 'labels=true') =>
    (await ask(who, 'GET', `${path}?${query}`)).body.data as Line[];

  beforeAll(async () => {
    ({ on, ask } = await signUp(MODELS, ['ada', 'bo'], await database(kind, 'labels')));
  });
  afterAll(() => on.close());

  test('a refused delete names the first records that refer to it, and none that is hidden', async () => {
    await shelf('Köln');
    const why = async (who: string) => {
      const { status, body } = await ask(who, 'DELETE', '/shelves/K%C3%B6ln');
      return [status, ...(body.errors ?? []).map(({ detail }: { detail: string }) => detail)];
    };
    await box('bo', 'Köln', 1);
    expect(await why('ada')).toEqual([409]);
    expect(await why('bo')).toEqual([409, '1 box refers to it as shelf: "Köln/1,  false"']);
    await box('ada', 'Köln', 2, { packed_on: '2026-02-28', open: true });
    expect(await why('ada')).toEqual([409, '1 box refers to it as shelf: "Köln/2, 2026-02-28 true"']);
    expect((await why('bo'))[1]).toBe('2 boxes refer to it as shelf: "Köln/1,  false" and "Köln/2, 2026-02-28 true"');
    for (const number of [3, 4]) await box('ada', 'Köln', number);
    expect((await why('ada'))[1]).toMatch(/^3 boxes refer to it as shelf: "Köln\/2.*", "Köln\/3.*" and "Köln\/4.*"$/);
    await box('ada', 'Köln', 5);
    expect((await why('ada'))[1]).toMatch(
      /^4 boxes refer to it as shelf, such as "Köln\/2.*", "Köln\/3.*" and "Köln\/4.*"$/,
    );
  });

  test('lines of a journal say what their record, its changer and changed keys are called', async () => {
    await shelf('a');
    await shelf('b');
    const tag = (await ask('ada', 'POST', '/tags', { text: 'fragile' })).body.data.id as string;
    const id = await box('ada', 'a', 7, { open: true, tag_ids: [tag] });
    expect((await ask('bo', 'PATCH', `/boxes/${id}`, { shelf_id: 'b' })).status).toBe(200);
    const [moved, made] = await lines('ada', `/boxes/${id}/journal`);
    expect(moved).toMatchObject({ label: 'b/7,  true', by_label: 'Mx. bo' });
    expect(moved!.changes.shelf_id).toEqual({
      before: 'a',
      after: 'b',
      before_label: 'Regal a – 1.50 m',
      after_label: 'Regal b – 1.50 m',
    });
    // What has no label is called by its key.
    expect(made!.changes).toMatchObject({
      tag_ids: { after: [tag], after_label: [tag] },
      keeper_id: { after_label: 'Mx. ada' },
    });
    const plain = await ask('ada', 'GET', `/boxes/${id}/journal?labels=false`);
    expect(JSON.stringify(plain.body)).not.toContain('label');
  });

  test('the links of a page keep the parameter; other lists have none, and wrong ones are told', async () => {
    const first = await ask('ada', 'GET', '/boxes/journal?limit=1&labels=true');
    expect(first.body.page.next).toContain('labels=true');
    const second = await ask('ada', 'GET', first.body.page.next);
    expect(second.body.data[0]).toHaveProperty('label');
    const told = async (target: string): Promise<unknown> => {
      const { status, body } = await ask('ada', 'GET', target);
      return [status, body.errors?.[0]?.parameter];
    };
    expect(await told('/boxes?labels=true')).toEqual([400, 'labels']);
    expect(await told('/boxes/journal?labels=1')).toEqual([400, 'labels']);
    expect(await told('/boxes/journal?labels=true&labels=true')).toEqual([400, 'labels']);
  });

  test('a hidden record has no label in any line; one that is gone has its last', async () => {
    await shelf('c');
    const id = await box('ada', 'c', 9, { open: true });
    const seen = async (who: string) => (await lines(who, '/boxes/journal')).filter(({ record }) => record === id);
    expect((await seen('bo'))[0]).toMatchObject({ label: 'c/9,  true' });
    await ask('ada', 'PATCH', `/boxes/${id}`, { open: false });
    expect(await seen('bo')).toEqual([]);
    expect((await seen('ada'))[0]).toMatchObject({ label: 'c/9,  false' });
    await ask('ada', 'DELETE', `/boxes/${id}`);
    const [gone] = await seen('ada');
    expect(gone).toMatchObject({ action: 'delete', label: 'c/9,  false', by_label: 'Mx. ada' });
    expect(gone!.changes.shelf_id!.before_label).toBe('Regal c – 1.50 m');
    expect(await seen('bo')).toEqual([]);
    const [short] = await lines('ada', `/boxes/${id}/journal`, 'labels=true&fields=record,action');
    expect(short).toEqual({ record: id, action: 'delete', label: 'c/9,  false' });
  });

  test('a key that was used again: each line has the label of its own record', async () => {
    await shelf('again', '1.00');
    await ask('ada', 'DELETE', '/shelves/again');
    await shelf('again', '2.00');
    const all = (await lines('bo', '/shelves/journal')).filter(({ record }) => record === 'again');
    expect(all.map(({ action, label }) => `${action} ${label}`)).toEqual([
      'create Regal again – 2.00 m',
      'delete Regal again – 1.00 m',
      'create Regal again – 1.00 m',
    ]);
    // Without the id, nobody can tell which life a line is from.
    expect((await lines('bo', '/shelves/journal', 'labels=true&fields=record'))[0]).not.toHaveProperty('label');
  });
});
