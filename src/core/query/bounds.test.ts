import { describe, expect, test } from '@jest/globals';
import { clientScope } from '../access/client-scope.ts';
import { permissionsFor } from '../access/permissions.ts';
import { SERVICE } from '../access/viewer.ts';
import { compile } from '../compile.ts';
import { parse } from '../expression/parse.ts';
import { typedCondition } from '../expression/type.ts';
import { wantedOrders, withKey } from '../model/indexes.ts';
import type { Ordering } from '../model/indexes.ts';
import { askedOf, boundsOf } from './bounds.ts';

const MODELS = `
model: hut
sort: -altitude,name
fields:
  name: { type: string, required: true }
  slug: { type: string, unique: true }
  valley: { type: string }
  altitude: { type: integer }
  beds: { type: integer }
relations:
  warden: { to: person }
  reports: { from: report.hut }
unique: [[valley, name]]
index: [[valley, altitude], [beds]]
---
model: person
fields: { name: { type: string, required: true, unique: true } }
---
model: report
within: hut
sort: -seen
fields: { seen: { type: date }, number: { type: integer, required: true } }
unique: [[hut, number]]
`;

const source = { service: { file: 's', text: 'service: { name: X }' }, models: [{ file: 'm', text: MODELS }] };
const graph = compile({ ...source, environment: {} }).graph!;
const hut = graph.byName.get('hut')!;
const field = (name: string) => hut.byMember.get(name)!;

function orderOf(text: string): Ordering {
  const keys = text
    .split(',')
    .map((part) => ({ field: field(part.replace('-', '')), descending: part.startsWith('-') }));
  return withKey(keys, hut);
}

const written = (order: Ordering): string => order.map((key) => (key.descending ? '-' : '') + key.field.member).join();

test('orders end with the key, or where no two records can be alike', () => {
  expect(wantedOrders(graph, hut).map(written)).toEqual([
    'valley,altitude,id',
    'beds,id',
    'warden_id,id',
    '-altitude,name,id',
  ]);
  expect(wantedOrders(graph, graph.byName.get('report')!).map(written)).toEqual(['-hut_id,-seen,-id', '-seen,-id']);
});

describe('a list is bounded where an index gives it in order', () => {
  const bounds = boundsOf(graph, hut);

  test.each([
    ['', 'id', true],
    ['', '-id', true],
    ['', '-altitude,name', true],
    ['', 'altitude,-name,-id', true],
    ['', 'altitude,name', false],
    ['', 'beds', true],
    ['', '-beds', true],
    ['', 'beds,name', false],
    ['', 'name', false],
    ["valley = 'x'", 'altitude', true],
    ["valley = 'x' AND altitude > 3", '-altitude', true],
    ["valley = 'x' AND 3 > altitude AND altitude >= 1", 'altitude', true],
    ["valley = 'x' AND altitude BETWEEN 1 AND 2", 'altitude', true],
    ["valley = 'x'", 'name', true],
    ["valley = 'x'", 'id', false],
    ["valley = 'x' AND name = 'y'", 'beds', true],
    ["slug = 'x' AND beds > 3 AND altitude * 2 = 4", 'name', true],
    ['beds > 3', 'beds', true],
    ['beds > 3', 'id', false],
    ['beds > altitude', 'beds', false],
    ['beds = 3 OR beds = 4', 'beds', false],
    ['NOT beds = 3', 'beds', false],
    ["altitude > 3 AND valley LIKE 'x%'", '-altitude,name', false],
    ["warden.name = 'x'", 'id', false],
  ])('%s sorted by %s: %s', (condition, sort, bounded) => {
    const asked =
      condition === ''
        ? { equal: [], ranges: [], more: false }
        : askedOf(typedCondition(parse(condition), clientScope(permissionsFor(graph, SERVICE), hut)));
    expect(bounds.isBounded({ ...asked, order: orderOf(sort) })).toBe(bounded);
  });
});
