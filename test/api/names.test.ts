// Tables, columns and stamps that are called otherwise than the tool would call them.
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { compile } from '../../src/core/compile.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestService } from '../kit/open-test-service.ts';
import { folderWith } from '../kit/program.ts';

const MODELS = `
model: order
table: Order Lines, (größe) 5 %
journal: true
label: An order
stamps: { created: entered_on, updated: { name: changed_on, column: Changed On } }
fields:
  number: { type: integer, required: true, column: 'Number, no 1' }
  part: { type: string, required: true, column: select, maxLength: 20, unique: [number] }
  amount: { type: integer, column: "it's, ?1 $1 (a)", unique: true }
relations: { group: { to: group, column: Group Id } }
---
model: group
table: group
key: serial
stamps: { updated: when }
fields: { user: { type: string, column: user, unique: true, maxLength: 20 } }
relations: { orders: { from: order.group }, friends: { with: group } }
---
model: letter
key: { type: serial, name: no, column: The No }
stamps: false
fields:
  r: { type: number }
  t: { type: text }
  j: { type: json }
  k: { type: decimal, scale: 2, multipleOf: 1 }
  x: { type: boolean }
  rows: { type: integer }
relations:
  others: { with: letter, table: 'Pairs, (of) letters', columns: { own: one, other: an other } }
`;

const database = serverDatabases();

describe.each(kinds)('odd names on %s', (kind) => {
  let on: TestService;
  beforeAll(async () => {
    const folder = folderWith({ 'vantfell.yaml': 'service: { name: X }\n', 'models/all.yaml': MODELS });
    on = await openTestService(folder, { database: await database(kind, 'names') });
  });
  afterAll(() => on.close());

  test('records are made, found, ordered, changed and deleted', async () => {
    const made = await on.ask('POST', '/groups', { user: 'ünlü' });
    expect(made.body.data).toEqual({ id: 1, user: 'ünlü', friend_ids: [], when: expect.any(String) });
    const orders = [1, 2, 3].map((number) => ({ number, part: `p${number}`, amount: 10 - number, group_id: 1 }));
    expect((await on.ask('POST', '/orders', orders)).status).toBe(201);
    const filter = encodeURIComponent("amount < 9 AND group.user = 'ünlü' AND entered_on <= changed_on");
    const { body } = await on.ask('GET', `/orders?filter=${filter}&sort=amount&include=group&total=true`);
    expect(body.page.total).toBe(2);
    expect(body.data.map(({ part }: { part: string }) => part)).toEqual(['p3', 'p2']);
    const [{ id, entered_on, changed_on, group }] = body.data;
    expect([entered_on, group.user]).toEqual([changed_on, 'ünlü']);

    on.later(60);
    const changed = await on.ask('PATCH', `/orders/${id}`, { amount: 1 });
    expect(changed.body.data.entered_on).toBe(entered_on);
    expect(Date.parse(changed.body.data.changed_on) - Date.parse(changed_on)).toBeGreaterThanOrEqual(60_000);
    const [line] = (await on.ask('GET', `/orders/${id}/journal`)).body.data;
    expect(line.changes).toEqual({ amount: { before: 7, after: 1 } });
    expect((await on.ask('DELETE', `/orders/${id}`)).status).toBe(204);
    expect((await on.ask('GET', '/groups/1?include=orders')).body.data.orders.data).toHaveLength(2);
    expect(on.defects).toEqual([]);
  });

  test('what statements call things themselves may be the name of a member; keys and links may have any', async () => {
    const given = { r: 1.5, t: 'x', j: { a: 1 }, k: '-3.00', x: true, rows: 2 };
    expect((await on.ask('POST', '/letters', given)).body.data).toEqual({ no: 1, ...given, other_ids: [] });
    const made = await on.ask('POST', '/letters', { ...given, other_ids: [1] });
    expect(made.body.data).toEqual({ no: 2, ...given, other_ids: [1] });
    const { body } = await on.ask('GET', '/letters?include=others&sort=-r,t,k,rows,-no&filter=k%20%3D%20-3%20AND%20x');
    expect(body.data.map(({ no, others }: Record<string, unknown>) => [no, others])).toEqual([
      [2, { data: [{ no: 1, ...given, other_ids: [] }], more: false }],
      [1, { data: [], more: false }],
    ]);
    const half = await on.ask('POST', '/letters', { k: '-2.50' });
    expect([half.status, half.body.errors[0].rule]).toEqual([422, 'multipleOf']);
    expect(on.defects).toEqual([]);
  });

  test('what is taken is told by its members, and stamps are the service’s', async () => {
    const taken = await on.ask('POST', '/orders', { number: 1, part: 'p1' });
    expect([taken.status, taken.body.errors[0].pointer]).toEqual([409, '/part']);
    const amount = await on.ask('POST', '/orders', { number: 7, part: 'p7', amount: 8 });
    expect([amount.status, amount.body.errors[0].pointer]).toEqual([409, '/amount']);
    const held = await on.ask('DELETE', '/groups/1');
    expect([held.status, JSON.stringify(held.body)]).toEqual([409, expect.stringContaining('An order')]);
    const user = await on.ask('POST', '/groups', { user: 'ünlü' });
    expect([user.status, user.body.errors[0].pointer]).toEqual([409, '/user']);
    const other = await on.ask('POST', '/orders', { number: 9, part: 'p9', changed_on: '2020-01-01T00:00:00Z' });
    expect([other.status, other.body.errors[0].pointer]).toEqual([422, '/changed_on']);
    expect(on.defects).toEqual([]);
  });
});

test.each([
  ['table: a.b', '2:8'],
  ['table: "a\\"b"', '2:8'],
  ['table: " a"', '2:8'],
  [`table: ${'ü'.repeat(32)}`, '2:1'],
  ['stamps: { created: made, updated: made }', '2:1'],
  ['stamps: { created: Made }', '2:20'],
  ['stamps: { created: constructor }', '2:1'],
  ['stamps: { created: { column: Made } }', '2:11'],
  ['stamps: { made: made }', '2:11'],
  ['stamps: [made]', '2:1'],
  [`fields: { beds: { type: integer, column: ${'n'.repeat(64)} } }`, '2:42'],
  [`fields: { beds: { type: integer, column: ${'€'.repeat(22)} } }`, '2:11'],
])('%s is told at its place', (line, place) => {
  const model = { file: 'models/a.yaml', text: `model: a\n${line}\n` };
  const { problems } = compile({
    service: { file: 'vantfell.yaml', text: 'service: { name: X }\n' },
    models: [model],
    environment: {},
  });
  expect(problems.map(({ place: { line: at, column } }) => `${at}:${column}`)).toEqual([place]);
});
