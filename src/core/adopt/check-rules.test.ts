import { expect, test } from '@jest/globals';
import { checkRules } from './check-rules.ts';
import { makeNames, memberNameOf, modelNameOf, relationNameOf } from './names.ts';

test.each([
  ['(price >= (0)::numeric)', 'price', { minimum: 0 }],
  [
    "((status)::text = ANY ((ARRAY['new'::character varying, 'it''s'::character varying])::text[]))",
    'status',
    { enum: ['new', "it's"] },
  ],
  ['("Total Sum" < (10)::numeric)', 'Total Sum', { exclusiveMaximum: 10 }],
  ["`state` in ('a','b')", 'state', { enum: ['a', 'b'] }],
  ['char_length("code") between 2 and 8', 'code', { minLength: 2, maxLength: 8 }],
  ['length ( name ) >= 1', 'name', { minLength: 1 }],
  ['(char_length(code) > 2)', 'code', { minLength: 3 }],
  ['"k" MOD 2 + 0 = 0', 'k', { multipleOf: 2 }],
  ['stars BETWEEN 1 AND 5', 'stars', { minimum: 1, maximum: 5 }],
  ["(code ~ '^[A-Z]+$'::text)", 'code', { pattern: '^[A-Z]+$' }],
  ['(is_open = true)', 'is_open', { const: true }],
  ['[amount] > -2.5', 'amount', { exclusiveMinimum: -2.5 }],
])('%s says a rule of %s', (words, column, rules) => {
  expect(checkRules(words)).toEqual([{ column, rules }]);
});

test('rules that AND joins are each of their column', () => {
  expect(checkRules("((a > 0) AND (b < 5) AND (c = ' and '))")).toEqual([
    { column: 'a', rules: { exclusiveMinimum: 0 } },
    { column: 'b', rules: { exclusiveMaximum: 5 } },
    { column: 'c', rules: { enum: [' and '] } },
  ]);
});

test.each([
  ...['a < b', 'a > 0 OR b > 0', 'weight * 2 < 20', "lower(a) = 'x'", 'NOT (a > 1)', "code ~ '(?i)x'", "a IN (b, 'x')"],
  ...['(', "'", 'a = ', 'x'.repeat(5_000), '('.repeat(5_000), `${'('.repeat(999)}a > 1${')'.repeat(999)} AND`],
])('%j says nothing that a rule could', (words) => {
  expect(checkRules(words)).toBeUndefined();
});

test.each([
  ['OrderLines', 'order-line', 'order_lines'],
  ['ORDER_LINES', 'order-line', 'order_lines'],
  ['order lines', 'order-line', 'order_lines'],
  ['Größen', 'grossen', 'grossen'],
  ['2024 sales', 'n-2024-sale', 'n_2024_sales'],
  ['日本', 'n', 'n'],
  ['HTTPServer', 'http-server', 'http_server'],
])('%s becomes the model %s', (name, model, member) => {
  expect([modelNameOf(name), memberNameOf(name)]).toEqual([model, member]);
});

test('a relation is called like its column, without the word that says so', () => {
  expect(['customer_id', 'customerId', 'CUSTOMER_KEY', 'id', 'parent'].map(relationNameOf)).toEqual([
    ...['customer', 'customer', 'customer', 'id', 'parent'],
  ]);
  const names = makeNames();
  expect(['a', 'a', 'a', 'a_2'].map((name) => names.take(name))).toEqual(['a', 'a_2', 'a_3', 'a_2_2']);
});
