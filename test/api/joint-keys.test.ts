// Keys of several fields, what refers to them, and keys that have such a reference in them.
import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { compile } from '../../src/core/compile.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestService } from '../kit/open-test-service.ts';

const CELLAR = fileURLToPath(new URL('../fixtures/sound/cellar', import.meta.url));
const database = serverDatabases();

describe.each(kinds)('keys of several fields, on %s', (kind) => {
  let on: TestService;
  beforeAll(async () => {
    on = await openTestService(CELLAR, { database: await database(kind, 'joint'), everybody: true });
  });
  afterAll(() => on.close());
  const ask = async (method: string, target: string, body?: unknown) => on.ask(method, target, body);
  const data = async (target: string) => (await ask('GET', target)).body.data;

  test('are written with commas in paths, and texts in them so that no two are alike', async () => {
    expect(await data('/shelves/1,2?fields=id,rack_id,level')).toEqual({ id: '1,2', rack_id: 1, level: 2 });
    const odd = { ref: '1,2,a%2Cb%25', shelf_id: '1,2', code: 'a,b%' };
    expect(await data(`/seals/${encodeURIComponent('1,2,a%2Cb%25')}`)).toMatchObject(odd);
    expect(await data('/seals/2,1,%C3%BC%2F%3F')).toMatchObject({ code: 'ü/?', set_on: '2026-06-12' });
    const none = ['1', '1,2,3', '1,', ',2', '1,x', '1.0,2', '1,%202', '1,2%2541', '9'.repeat(40), '1,%00', 'a,b%'];
    for (const key of none) expect([key, (await ask('GET', `/shelves/${key}`)).status]).toEqual([key, 404]);
    for (const key of ['1,2,a%2Cb%25', '1,2,a%252Cb%2525x', '1,2,a%252cb%2525'])
      expect([key, (await ask('GET', `/seals/${key}`)).status]).toEqual([key, 404]);
  });

  test('are found, sorted and paged by what they are made of', async () => {
    for (const level of [10, 3])
      expect((await ask('POST', '/shelves', { rack_id: 2, level, wine: 'x' })).status).toBe(201);
    const ids = async (query: string) => (await data(`/shelves?${query}`)).map(({ id }: { id: string }) => id);
    expect(await ids('limit=50')).toEqual(['1,1', '1,2', '2,1', '2,3', '2,10']);
    expect(await ids('sort=-id')).toEqual(['2,10', '2,3', '2,1', '1,2', '1,1']);
    expect(await ids('sort=-level,id')).toEqual(['2,10', '2,3', '1,2', '1,1', '2,1']);
    expect(await ids('sort=wine,-level')).toEqual(['2,1', '1,1', '1,2', '2,10', '2,3']);
    expect(await ids('id=2,3&id=1,1')).toEqual(['1,1', '2,3']);
    expect(await ids(`filter=${encodeURIComponent("id LIKE '2,1%' AND rack.name = 'South wall'")}`)).toEqual([
      '2,1',
      '2,10',
    ]);
    for (const sort of ['id', '-id', 'wine', '-room,level']) {
      const there: string[] = [];
      let page: string | null = `/shelves?limit=2&sort=${sort}`;
      while (page !== null) {
        const { body } = await ask('GET', page);
        there.push(...body.data.map(({ id }: { id: string }) => id));
        page = body.page.next;
      }
      expect(there).toEqual(await ids(`limit=50&sort=${sort}`));
    }
    expect((await ask('GET', '/shelves?id=2')).status).toBe(400);
    for (const level of [10, 3]) expect((await ask('DELETE', `/shelves/2,${level}`)).status).toBe(204);
  });

  test('are set once, by their fields, and are taken once', async () => {
    const made = await ask('POST', '/shelves', { rack_id: 2, level: 7, wine: 'new' });
    expect([made.status, made.headers.location, made.body.data.id]).toEqual([201, '/shelves/2,7', '2,7']);
    const again = await ask('POST', '/shelves', { rack_id: 2, level: 7, wine: 'new' });
    const taken = { pointer: '/level', rule: 'unique', detail: 'another shelf has this rack_id and level' };
    expect([again.status, again.body.errors]).toEqual([409, [taken]]);
    const wrong = await ask('POST', '/shelves', { id: '2,8', wine: 'new' });
    expect(wrong.body.errors.map(({ pointer, rule }: Record<string, string>) => `${rule} ${pointer}`).sort()).toEqual([
      'readOnly /id',
      'required /level',
      'required /rack_id',
    ]);
    for (const [body, rule] of [
      [{ level: 8 }, 'immutable'],
      [{ rack_id: 1 }, 'immutable'],
      [{ id: '2,8' }, 'readOnly'],
    ])
      expect((await ask('PATCH', '/shelves/2,7', body)).body.errors[0].rule).toBe(rule);
    const same = await ask('PATCH', '/shelves/2,7', { id: '2,7', level: 7, rack_id: 2, wine: 'old' });
    expect([same.status, same.body.data.wine]).toEqual([200, 'old']);
    expect((await ask('DELETE', '/shelves/2,7')).status).toBe(204);
    const [gone, changed, first] = await data('/shelves/2,7/journal');
    expect([gone.action, changed.changes.wine, first.record]).toEqual([
      'delete',
      { before: 'new', after: 'old' },
      '2,7',
    ]);
  });

  test('are referred to by all of their values: included, drawn on, held to be there', async () => {
    const crate = await ask('POST', '/crates', { shelf_id: '1,2', bottles: 6, takes: 5 });
    expect(crate.body.data).toMatchObject({ shelf_id: '1,2', bottles: 6 });
    const { id } = crate.body.data as { id: string };
    expect(await data('/shelves/1,2?include=crates,rack,seals.ribbon')).toMatchObject({
      room: 15,
      bottles: 6,
      rack: { name: 'North wall' },
      crates: { data: [{ id }] },
      seals: { data: [{ ref: '1,2,a%2Cb%25', ribbon: { colour: 'red' } }] },
    });
    expect(await data(`/crates?shelf_id=1,2&include=shelf.rack&fields=id,shelf.rack.name`)).toEqual([
      { id, shelf: { rack: { name: 'North wall' } } },
    ]);
    for (const [shelf_id, rule] of [
      ['1,99', 'unknown-record'],
      ['1', 'format'],
      [12, 'type'],
    ])
      expect((await ask('POST', '/crates', { shelf_id, bottles: 6 })).body.errors).toMatchObject([
        { pointer: '/shelf_id', rule },
      ]);
    const twin = await ask('POST', '/crates', { shelf_id: '1,2', bottles: 6 });
    expect(twin.body.errors).toMatchObject([{ pointer: '/bottles', rule: 'unique' }]);
    const second = await ask('POST', '/ribbons', { seal_id: '1,2,a%2Cb%25', colour: 'red' });
    expect([second.status, second.body.errors[0].pointer]).toEqual([409, '/seal_id']);
    const few = await ask('POST', '/crates', { shelf_id: '1,2', bottles: 1 });
    expect(few.body.errors).toMatchObject([{ pointer: '/bottles', rule: 'check' }]);
  });

  test('go: what refers to them goes along, is cleared, or stands in the way', async () => {
    const inTheWay = await ask('DELETE', '/racks/1');
    expect([inTheWay.status, inTheWay.body.type]).toEqual([409, '/problems/still-referred-to']);
    const seal = encodeURIComponent('1,2,a%2Cb%25');
    expect((await ask('DELETE', `/seals/${seal}`)).status).toBe(409);
    const [ribbon] = await data('/ribbons?colour=red');
    expect((await ask('PATCH', `/ribbons/${ribbon.id}`, { seal_id: null })).body.data.seal_id).toBeNull();
    expect((await ask('DELETE', `/seals/${seal}`)).status).toBe(204);
    const [note] = await data('/notes?shelf_id=1,2');
    expect((await ask('DELETE', '/racks/1')).status).toBe(204);
    expect((await ask('GET', '/shelves/1,2')).status).toBe(404);
    expect(await data('/crates')).toHaveLength(1);
    expect((await data(`/notes/${note.id}`)).shelf_id).toBeNull();
    const [line] = await data(`/notes/${note.id}/journal`);
    expect(line.changes.shelf_id).toEqual({ before: '1,2', after: null });
    expect(on.defects).toEqual([]);
  });
});

describe('a key that can’t be one', () => {
  const problemsOf = (text: string): string[] => {
    const source = { service: { file: 's', text: 'service: { name: X }\n' }, models: [{ file: 'm', text }] };
    const { problems } = compile({ ...source, environment: {} });
    return problems.filter(({ severity }) => severity === 'error').map(({ code, message }) => `${code}: ${message}`);
  };
  const FIELDS = 'fields: { a: { type: integer }, b: { type: date }, c: { type: number }, d: { type: secret } }\n';
  const OTHER = '---\nmodel: other\nkey: [x, y]\nfields: { x: { type: integer }, y: { type: integer } }\n';

  test.each([
    ['key: [a]', ['wrong-kind: `key` must be a list with at least 2 entries, got a list']],
    ['key: [a, a]', ['duplicate-value: the key has `a` twice']],
    ['key: [a, e]', ['unknown-field: the key has `e` in it, which is neither a field nor a relation to one record']],
    ['key: [a, c]', ['bad-key: `c` is a number; a key is made of a string, a integer, a uuid, a date, a email']],
    [
      'key: [a, constructor]',
      ['unknown-field: the key has `constructor` in it, which is neither a field nor a relation to one record'],
    ],
    ['key: {}', ['bad-key: this key says neither `type` nor `fields`']],
    ['key: { type: serial, fields: [a, b] }', ['bad-key: a key of several fields has `fields`, and a `name` at most']],
    ['key: { fields: [a, b], name: a }', ['same-member: thing would have two members `a`: the key and a field']],
    ['key: { fields: [a, b], column: c }', ['bad-key: a key of several fields has `fields`, and a `name` at most']],
  ])('%s', (key, problems) => {
    expect(problemsOf(`model: thing\n${key}\n${FIELDS}`)).toEqual(problems);
  });

  test.each([
    ['other: { to: other, columns: [p] }', '`columns`'],
    ['other: { to: other, columns: [p, q, r] }', 'the key of other is put together of 2 columns'],
    ['other: { to: other, column: p }', 'other has a key of several fields, which needs a column each'],
    ['other: { to: other, columns: [p, a] }', '`other_id` and `a` share the column a'],
    ['others: { with: other }', 'other has a key of several fields, which no table of links holds'],
  ])('relations: %s', (relation, message) => {
    const found = problemsOf(`model: thing\n${FIELDS}relations: { ${relation} }\n${OTHER}`);
    expect(found.join('\n')).toContain(message);
  });

  test('a key shows what it is made of, and says so where fewer may read that than the record', () => {
    const identity = 'service: { name: X }\nidentity: { model: who, login: name, secret: word }\n';
    const models = (key: string): string => `
model: who
fields: { name: { type: string, required: true, unique: true }, word: { type: secret } }
may: { read: signed-in }
---
model: box
fields: { name: { type: string } }
relations: { who: { to: who } }
may: { read: who }
---
model: lid
key: ${key}
fields: { size: { type: integer } }
relations: { box: { to: box } }
may: { read: anybody }
`;
    const codes = (key: string): string[] => {
      const files = { service: { file: 's', text: identity }, models: [{ file: 'm', text: models(key) }] };
      return compile({ ...files, environment: {} }).problems.flatMap(({ code, severity }) =>
        severity === 'error' ? [code] : [],
      );
    };
    expect(codes('[box, size]')).toEqual(['reveals']);
    expect(codes('{ fields: [box, size], reveals: true }')).toEqual([]);
  });

  test('eight columns make a key, and nine do not', () => {
    const model = (count: number): string => {
      const names = Array.from({ length: count }, (_none, at) => `f${at}`);
      const fields = names.map((name) => `${name}: { type: integer }`);
      return `model: thing\nkey: [${names.join(', ')}]\nfields: { ${fields.join(', ')} }\n`;
    };
    expect(problemsOf(model(8))).toEqual([]);
    expect(problemsOf(model(9))).toEqual(['bad-key: a key is put together of 8 columns at most']);
  });

  test('keys may not be put together of each other', () => {
    const models = `model: one\nkey: [two, a]\nfields: { a: { type: integer } }\nrelations: { two: { to: two } }\n---\nmodel: two\nkey: [one, b]\nfields: { b: { type: integer } }\nrelations: { one: { to: one } }\n`;
    expect(problemsOf(models)[0]).toBe('bad-key: keys in a circle: one → two → one');
  });
});
