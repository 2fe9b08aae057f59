import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { compile } from '../../src/core/compile.ts';
import { countRisks, summaryText } from '../../src/core/migrations/count.ts';
import { indexNames } from '../../src/core/migrations/follow.ts';
import { makeOwnTables } from '../../src/core/migrations/own-tables.ts';
import type { Store } from '../../src/core/store/contract.ts';
import { changeSummaries } from '../../src/core/tables/change-summary.ts';
import { scriptText } from '../../src/core/tables/ddl.ts';
import { designTables } from '../../src/core/tables/design.ts';
import { questionsOf } from '../../src/core/tables/match.ts';
import { backwards, diffSchemas, noDecisions } from '../../src/core/tables/schema-diff.ts';
import type { Decisions } from '../../src/core/tables/schema-diff.ts';
import type { Table } from '../../src/core/tables/table.ts';
import { openStore } from '../../src/store/open.ts';
import { kinds, testDatabases } from '../kit/databases.ts';

const database = testDatabases();

/** The tables of a hut whose one field is this. */
function tables(field: object): Table[] {
  const hut = { model: 'hut', key: 'serial', stamps: false, fields: { v: field } };
  const service = { file: 'vantfell.yaml', text: 'service: { name: Inside }' };
  const compiled = compile({ service, models: [{ file: 'hut.yaml', text: JSON.stringify(hut) }], environment: {} });
  return designTables(compiled.graph!);
}

const object = (properties: object): object => ({ type: 'object', properties });
const list = (items: object): object => ({ type: 'array', items });
const text = { type: 'string' };

interface Case {
  readonly from: object;
  readonly to: object;
  readonly renames?: Record<string, string>;
  readonly rows: readonly string[];
  /** What is said, with what was counted. */
  readonly told: readonly string[];
  /** What stands afterwards; undefined where it stops. */
  readonly then?: readonly string[];
  /** What stands when it was taken back, where that is not all of it. */
  readonly back?: readonly string[];
}

const cases: Record<string, Case> = {
  'a member with another name': {
    from: object({ street: text, no: { type: 'number' } }),
    to: object({ road: text, no: { type: 'number' } }),
    renames: { 'hut.v.street': 'hut.v.road' },
    rows: ['{"street":"Æ \\" 1","no":1.50}', '{"no":12345678901234567890}', '{}'],
    told: ['hut.v.street: is called hut.v.road now', 'hut.v: its values change inside'],
    then: ['{"road":"Æ \\" 1","no":1.50}', '{"no":12345678901234567890}', '{}'],
  },
  'two that change places': {
    from: object({ a: text, b: text }),
    to: object({ b: text, a: text }),
    renames: { 'hut.v.a': 'hut.v.b', 'hut.v.b': 'hut.v.a' },
    rows: ['{"a":"1","b":"2"}', '{"b":"3"}'],
    told: ['hut.v.a: is called hut.v.b now', 'hut.v.b: is called hut.v.a now', 'hut.v: its values change inside'],
    then: ['{"b":"1","a":"2"}', '{"a":"3"}'],
  },
  'a member that goes': {
    from: object({ street: text, no: { type: 'integer' } }),
    to: object({ no: { type: 'integer' } }),
    rows: ['{"street":"A","no":1}', '{"street":null}', '{"no":2}'],
    told: ['hut.v.street: goes; loses 1 value', 'hut.v: its values change inside'],
    then: ['{"no":1}', '{}', '{"no":2}'],
    back: ['{"no":1}', '{}', '{"no":2}'],
  },
  'a member in items, deep inside': {
    from: object({ beds: list(object({ nr: { type: 'integer' } })) }),
    to: object({ beds: list(object({ number: { type: 'integer' } })) }),
    renames: { 'hut.v.beds.nr': 'hut.v.beds.number' },
    rows: ['{"beds":[{"nr":1},{},{"nr":2}]}', '{"beds":[]}', '{"beds":null}'],
    told: ['hut.v.beds.nr: is called hut.v.beds.number now', 'hut.v: its values change inside'],
    then: ['{"beds":[{"number":1},{},{"number":2}]}', '{"beds":[]}', '{"beds":null}'],
  },
  'a member of another type': {
    from: object({ no: text }),
    to: object({ no: { type: 'integer' } }),
    rows: ['{"no":"1"}', '{}'],
    told: [
      'hut.v.no: string becomes integer',
      'hut.v: its values change inside; 1 row has a value that has another form ("{\\"no\\":\\"1\\"}"), which stops it',
    ],
  },
  'a new member that is required': {
    from: object({ a: text }),
    to: object({ a: text, b: { type: 'date', required: true } }),
    rows: ['{"a":"x"}'],
    told: [
      'hut.v.b: new, required date',
      'hut.v: its values change inside; 1 row has a value that has another form ("{\\"a\\":\\"x\\"}"), which stops it',
    ],
  },
  'anything becomes an object': {
    from: { type: 'json' },
    to: object({ on: { type: 'date' }, at: { type: 'decimal', scale: 2 }, all: list({ type: 'boolean' }) }),
    rows: ['{"on":"2026-06-12","at":"12.50","all":[true]}', '{}', '{"on":null}'],
    told: ['hut.v: json becomes object'],
    then: ['{"on":"2026-06-12","at":"12.50","all":[true]}', '{}', '{"on":null}'],
  },
  'what has another form': {
    from: { type: 'json' },
    to: object({ on: { type: 'date' }, at: { type: 'decimal', scale: 2 }, all: list({ type: 'boolean' }) }),
    rows: [
      '{"on":"2026-02-30"}',
      '{"at":"12.5"}',
      '{"at":12.5}',
      '{"all":[null]}',
      '{"more":1}',
      '[]',
      '"x"',
      '1',
      'null',
      '{"all":{}}',
    ],
    told: [
      "hut.v: json becomes object; 10 rows have a value that can't become " +
        'object unchanged (as "\\"x\\""), which stops it',
    ],
  },
  'items of another type': {
    from: list({ type: 'integer' }),
    to: list({ type: 'number' }),
    rows: ['[1,2]', '[]'],
    told: ['hut.v: its items: integer becomes number', 'hut.v: its values change inside'],
    then: ['[1,2]', '[]'],
  },
  'an array is no object': {
    from: list(text),
    to: object({ a: text }),
    rows: ['["x"]', '[]'],
    told: ['hut.v: goes; loses 2 values', 'hut.v: new, object'],
    then: [],
    back: [],
  },
};

describe.each(kinds)('%s', (kind) => {
  let store: Store;
  beforeAll(async () => {
    store = await openStore(await database(kind, 'inside'));
  });
  afterAll(() => store.close());

  const values = async (): Promise<string[]> =>
    (await store.all({ sql: 'SELECT v FROM huts WHERE v IS NOT NULL ORDER BY id' }, [])).map(([v]) => String(v));

  test.each(Object.entries(cases))('%s', async (_what, { from, to, renames = {}, rows, told, then, back = rows }) => {
    const [before, after] = [tables(from), tables(to)];
    const how = { ...noDecisions, renames: new Map(Object.entries(renames)) };
    const plan = diffSchemas(before, after, how);
    const change = (one: Table[], other: Table[], decisions: Decisions = how): Promise<void> =>
      store.alter((alteration) =>
        alteration.script(
          scriptText('a change', store.ddl.diff(diffSchemas(one, other, decisions))),
          indexNames(one),
          'a change',
        ),
      );
    await store.alter(async (alteration) => {
      await makeOwnTables(alteration, store);
      await alteration.script(store.ddl.drop(['huts']));
    });
    await change([], before, noDecisions);
    const insert = { sql: `INSERT INTO huts (v) VALUES (${store.dialect.placeholder(1)})` };
    await store.transaction(async (transaction) => {
      for (const row of [...rows, null]) await transaction.run(insert, [row]);
    });
    const counted = await countRisks(changeSummaries(plan, how), { reader: store, ddl: store.ddl });
    expect(counted.map(summaryText)).toEqual(told);
    if (then === undefined) {
      await expect(change(before, after)).rejects.toMatchObject({ fault: { kind: 'refused' } });
      return expect(await values()).toEqual(rows);
    }
    await change(before, after);
    expect(await values()).toEqual(then);
    await change(after, before, backwards(how, new Map()));
    expect(await values()).toEqual(back);
  });
});

test('a member that is gone and a new one beside it are asked about', () => {
  const [before, after] = [tables(object({ street: text, zip: text })), tables(object({ road: text, zip: text }))];
  const asked = questionsOf(before, after, new Map(), new Set());
  expect(asked).toEqual([{ kind: 'column', from: 'hut.v.street', to: 'hut.v.road' }]);
  expect(questionsOf(before, after, new Map([['hut.v.street', 'hut.v.road']]), new Set())).toEqual([]);
  expect(questionsOf(before, after, new Map(), new Set(['hut.v.street']))).toEqual([]);
});

test('a snapshot that says nothing of what is inside is no change', () => {
  const now = tables(object({ a: text }));
  const old = now.map((table) => ({ ...table, columns: table.columns.map(({ shape: _shape, ...column }) => column) }));
  expect(changeSummaries(diffSchemas(old, now, noDecisions), noDecisions)).toEqual([]);
});
