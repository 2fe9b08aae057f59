import { describe, expect, test } from '@jest/globals';
import { compile } from '../../src/core/compile.ts';
import type { Graph } from '../../src/core/model/graph.ts';

const SERVICE = 'service: { name: X }\nidentity: { model: member, login: email, secret: word }\n';
const MEMBER =
  'model: member\nfields: { email: { type: email, required: true, unique: true }, word: { type: secret } }\n---\n';

function compiled(text: string): { graph?: Graph; told: string[] } {
  const { graph, problems } = compile({
    service: { file: 'vantfell.yaml', text: SERVICE },
    models: [{ file: 'm', text: MEMBER + text }],
    environment: {},
  });
  const errors = problems.filter(({ severity }) => severity === 'error');
  return { graph, told: errors.map(({ place, code }) => `${place.line - 3}:${place.column} ${code}`) };
}

describe('what is wrong is told at its place', () => {
  test.each<[string, string, string[]]>([
    [
      'fields inside fields',
      'model: a\nfields: { o: { type: object, properties: { x: { type: array, ' +
        'items: { type: integer, minimum: 5, maximum: 1 } } } } }',
      ['2:107 empty-range'],
    ],
    [
      'a default deep inside',
      'model: a\nfields: { o: { type: object, properties: { n: { type: integer, maximum: 3, default: 4 } } } }',
      ['2:85 default-breaks-rule'],
    ],
    [
      'a default list with a bad item',
      'model: a\nfields: { o: { type: array, items: { enum: [x, y] }, default: [x, z] } }',
      ['2:54 default-breaks-rule'],
    ],
    [
      'an enum value that is too long',
      'model: a\nfields: { n: { enum: [aa, bbb], maxLength: 2 } }',
      ['2:27 enum-breaks-rule'],
    ],
    ['a secret inside', 'model: a\nfields: { o: { type: array, items: { type: secret } } }', ['2:44 nested-secret']],
    [
      'a rule of items that items do not have',
      'model: a\nfields: { o: { type: array, items: { type: string, unique: true } } }',
      ['2:52 unknown-key'],
    ],
    [
      'a message for no rule',
      'model: a\nfields: { o: { type: string, maxLength: 3, message: { maxLenght: x } } }',
      ['2:55 unknown-rule'],
    ],
    ['a key that can not be one', 'model: a\nkey: n\nfields: { n: { type: boolean } }', ['2:6 bad-key']],
    [
      'a list in an index',
      'model: a\nindex: [[n]]\nfields: { n: { type: array, items: { type: string } } }',
      ['2:10 not-comparable'],
    ],
    ['an order by a list', 'model: a\nsort: -n\nfields: { n: { type: json } }', ['2:8 not-comparable']],
    [
      'an order by a secret',
      'model: a\nsort: n\nfields: { n: { type: string, writeOnly: true } }',
      ['2:7 secret-shown'],
    ],
    ['an order with a field twice', 'model: a\nsort: n,-n\nfields: { n: { type: string } }', ['2:10 duplicate-value']],
    ['a read-only secret', 'model: a\nfields: { n: { type: secret, readOnly: true } }', ['2:30 nobody-can-use']],
    ['a relation of two kinds', 'model: a\nrelations: { r: { to: a, with: a } }', ['2:14 wrong-relation']],
    ['a relation of none', 'model: a\nrelations: { r: { required: true } }', ['2:14 wrong-relation']],
    ['the other end of none', 'model: a\nrelations: { r: { from: b.x } }\n---\nmodel: b', ['2:25 unknown-relation']],
    [
      'the other end of another',
      'model: a\nrelations: { r: { from: b.x } }\n---\nmodel: b\nrelations: { x: { to: b } }',
      ['2:25 other-end-elsewhere'],
    ],
    [
      'links on a table that is taken',
      'model: a\nrelations: { r: { with: a } }\n---\nmodel: b\ntable: as_r',
      ['2:14 same-table'],
    ],
    [
      'a relation named like a field',
      'model: a\nfields: { r: { type: string } }\nrelations: { r: { to: a } }',
      ['3:14 same-member'],
    ],
    [
      'a computed value named like the keys of links',
      'model: a\nrelations: { tags: { with: a } }\ncomputed: { tag_ids: { type: integer, value: 1 + 1 } }',
      ['2:14 same-member'],
    ],
    [
      'a computed value of a list',
      'model: a\nfields: { n: { type: array, items: { type: string } } }\ncomputed: { c: { type: string, value: n } }',
      ['3:39 wrong-type'],
    ],
    [
      'a computed value of another kind',
      'model: a\nfields: { n: { type: string } }\ncomputed: { c: { type: integer, value: n } }',
      ['3:40 wrong-type'],
    ],
    [
      'a computed value of a type that holds others',
      'model: a\ncomputed: { c: { type: object, value: 1 + 1 } }',
      ['2:24 wrong-type'],
    ],
    [
      'a rule at a member that is none',
      'model: a\nfields: { n: { type: integer } }\nrules: [{ check: n > 1, message: x, at: m }]',
      ['3:41 unknown-field'],
    ],
    [
      'a rule that is no condition',
      'model: a\nfields: { n: { type: integer } }\nrules: [{ check: n + 1, message: x }]',
      ['3:18 wrong-type'],
    ],
    ['a label with a brace too few', 'model: a\nlabel: "{id"', ['2:9 unreadable-expression']],
    [
      'an owner through a part',
      'model: a\nowner: b\nrelations: { b: { to: b } }\n---\nmodel: b\nowner: m\nrelations: { m: { to: member } }',
      ['2:8 owner-elsewhere'],
    ],
    [
      'a view of what is not inside',
      'model: a\nfields: { o: { type: object, properties: { x: { type: integer } } } }\nviews: { v: [o.y, id, id] }',
      ['3:14 unknown-field', '3:23 duplicate-value'],
    ],
    [
      'a view of many',
      'model: a\nrelations: { as: { with: a } }\nviews: { v: [as, list] }',
      ['3:14 record-in-view', '3:18 unknown-field'],
    ],
    [
      'a view of what is far away',
      'model: a\nrelations: { up: { to: a } }\nviews: { v: [up.up.up.up.id, up.up.up.up.up.id] }',
      ['3:30 view-too-deep'],
    ],
    ['an operation like a part', 'model: a\noperations: { bs: {} }\n---\nmodel: b\nwithin: a', ['2:15 same-path']],
    [
      'an operation that reads an object',
      'model: a\noperations: { o: { reads: true, input: { x: { type: json } } } }',
      ['2:53 wrong-type'],
    ],
    ['an output of two kinds', 'model: a\noperations: { o: { output: { one: a, many: a } } }', ['2:20 wrong-output']],
    [
      'an output without content',
      'model: a\noperations: { o: { status: 204, output: { one: a } } }',
      ['2:28 wrong-status'],
    ],
    [
      'a draw through another record',
      'model: a\nrelations: { s: { to: b } }\ndraws: [{ from: s.n, amount: s.n ' +
        '}]\n---\nmodel: b\nfields: { n: { type: integer } }',
      ['3:30 beyond-the-record'],
    ],
    [
      'a draw of a number from an integer',
      'model: a\nfields: { x: { type: number } }\n' +
        'relations: { s: { to: b } }\ndraws: [{ from: s.n, amount: x }]\n' +
        '---\nmodel: b\nfields: { n: { type: integer } }',
      ['4:30 wrong-type'],
    ],
    [
      'a message of a draw with an unknown name',
      'model: a\nfields: { x: { type: integer } }\n' +
        'relations: { s: { to: b } }\ndraws: [{ from: s.n, amount: x, refuse: ' +
        '"only {available} of {s.m}" }]\n---\nmodel: b\n' +
        'fields: { n: { type: integer } }',
      ['4:63 unknown-field'],
    ],
    ['who sees a field that is none', 'model: a\nmay: { fields: { n: owner } }', ['2:18 unknown-field']],
    ['an owner where there is none', 'model: a\nmay: { update: owner }', ['2:16 no-owner']],
    ['a role where there are none', 'model: a\nmay: { update: role:steward }', ['2:16 no-roles']],
    ['a where that is no condition', 'model: a\nmay: { update: { where: "id" } }', ['2:26 wrong-type']],
    ['a trial of a member that is none', 'model: a\ntrial: { example: { n: 1 } }', ['2:21 unknown-field']],
    [
      'a trial of a value that breaks a rule',
      'model: a\nfields: { n: { type: integer, maximum: 1 } }\ntrial: { example: { n: 2 } }',
      ['3:24 example-breaks-rule'],
    ],
  ])('%s', (_what, text, told) => {
    expect(compiled(text).told).toEqual(told);
  });
});

describe('what is right is resolved', () => {
  test('relations of every kind, and the unique end of one', () => {
    const { graph, told } = compiled(`model: hut
relations: { amenities: { with: amenity }, nights: { from: night.hut }, page: { from: page.hut, one: true } }
---
model: amenity
relations: { huts: { from: hut.amenities } }
---
model: night
within: hut
---
model: page
relations: { hut: { to: hut } }
`);
    expect(told).toEqual([]);
    const model = (name: string) => graph!.byName.get(name)!;
    expect(model('hut').links).toMatchObject([
      { member: 'amenity_ids', table: 'huts_amenities', near: 'hut_id', far: 'amenity_id' },
    ]);
    expect(model('amenity').links).toMatchObject([
      { table: 'huts_amenities', near: 'amenity_id', far: 'hut_id', target: 'hut' },
    ]);
    expect(model('hut').reverses).toMatchObject([
      { name: 'nights', source: 'night', relation: 'hut', one: false },
      { name: 'page', source: 'page', relation: 'hut', one: true },
    ]);
    expect(model('page').unique.map((set) => set.map(({ member }) => member))).toEqual([['hut_id']]);
  });

  test('views nest, and the whole view leaves secrets out', () => {
    const { graph, told } = compiled(`model: a
fields: { n: { type: string }, s: { type: secret }, o: { type: object, properties: { x: { type: integer } } } }
relations: { up: { to: a } }
computed: { c: { type: integer, value: length(n) } }
views: { card: [n, up.up.n, up.n, o.x], list: card }
`);
    expect(told).toEqual([]);
    const { views, listView } = graph!.byName.get('a')!;
    expect(listView).toBe('card');
    const up = { name: 'up', inside: [{ name: 'up', inside: [{ name: 'n' }] }, { name: 'n' }] };
    expect(views.get('card')).toEqual([{ name: 'n' }, up, { name: 'o', inside: [{ name: 'x' }] }]);
    expect(views.get('default')!.map(({ name }) => name)).toEqual([
      'id',
      'n',
      'o',
      'up_id',
      'c',
      'created_at',
      'updated_at',
    ]);
  });

  test('operations and draws', () => {
    const { graph, told } = compiled(`model: stay
fields: { party: { type: integer }, state: { enum: [on, off] } }
relations: { night: { to: night } }
operations:
  move: { input: { days: { type: integer, default: 1 } }, output: { one: stay } }
  total: { target: list, reads: true, output: { beds: { type: integer } } }
draws: [{ from: night.beds, amount: party, while: "state = 'on'", refuse: "only {available} left of {night.id}" }]
---
model: night
fields: { beds: { type: integer } }
`);
    expect(told).toEqual([]);
    const { operations, draws } = graph!.byName.get('stay')!;
    expect(operations).toMatchObject([
      { name: 'move', target: 'record', status: 200, reads: false, output: { kind: 'one', model: 'stay' } },
      { name: 'total', target: 'list', reads: true, output: { kind: 'fields' } },
    ]);
    expect(draws).toMatchObject([{ from: 'night', field: { member: 'beds' }, relation: { name: 'night' } }]);
    expect(draws[0]!.refuse).toMatchObject(['only {available} left of ', { op: 'at' }]);
  });

  test('a draw may take the same from each', () => {
    const { graph, told } = compiled(`model: stay
relations: { night: { to: night } }
draws: [{ from: night.beds, amount: 1 }]
---
model: night
fields: { beds: { type: integer } }
`);
    expect(told).toEqual([]);
    expect(graph!.byName.get('stay')!.draws).toMatchObject([{ amount: { op: 'constant', value: 1 } }]);
  });
});
