import { describe, expect, test } from '@jest/globals';
import { fromJson } from './json.ts';
import { parse } from './parse.ts';
import { print } from './print.ts';
import { ExpressionError, LIMITS } from './syntax.ts';

/** What is wrong with a text: the characters at fault, and in what way. */
function faultOf(read: () => unknown): [string | undefined, string] {
  try {
    read();
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    const { spot, message } = error;
    return ['from' in spot ? `${spot.from}-${spot.to}` : spot.pointer, message];
  }
  return [undefined, 'nothing'];
}

describe('what is wrong is told with its place', () => {
  test.each<[string, string, string]>([
    ['', '0-1', 'this expression is empty'],
    ['beds >', '6-7', 'the expression ends where a value should stand'],
    ['beds > > 3', '7-8', 'a value is missing before >'],
    ['beds == 3', '6-7', 'a value is missing before ='],
    ['beds != 3', '5-7', '!= means nothing here'],
    ['a && b', '2-4', '&& means nothing here'],
    ["name = 'grey", '7-12', "this text has no end: its closing ' is missing"],
    ['"name = 3', '0-9', 'this name has no end: its closing " is missing'],
    ['beds = 3 name', '9-13', 'name can not follow here'],
    ['1 < beds < 5', '9-10', 'comparisons do not chain'],
    ['beds IS 3', '8-9', 'IS goes with NULL alone'],
    ['beds = NULL', '7-11', 'NULL can not stand here'],
    ['beds BETWEEN 3 OR 5', '15-17', 'BETWEEN needs AND and a second value'],
    ['beds IN 3', '8-9', 'IN needs a list in parentheses'],
    ['beds IN ()', '9-10', 'this list is empty'],
    ['(beds = 3', '9-10', 'a ( before this place is not closed'],
    ['hut. = 3', '5-6', 'a name is missing after the dot'],
    ['S_WITHIN(a, b)', '0-8', 'there are no spatial predicates'],
    ['DATE(2026)', '5-9', 'DATE needs one text in single quotes'],
    ['T_DURING(a, INTERVAL(1))', '12-20', 'an interval has two ends'],
    ['beds § 3', '5-6', '§ means nothing here'],
  ])('%j', (text, place, message) => {
    expect(faultOf(() => parse(text))).toEqual([place, message]);
  });

  test('length, terms and depth are bounded, and which of them is said', () => {
    expect(faultOf(() => parse(`a = '${'x'.repeat(LIMITS.characters)}'`))[1]).toMatch(/8006 characters; 8000/);
    expect(faultOf(() => parse(Array(200).fill('a = 1').join(' OR ')))[1]).toMatch(/more than 400 terms/);
    expect(faultOf(() => parse(`${'('.repeat(60)}a = 1${')'.repeat(60)}`))[1]).toMatch(/more than 40 deep/);
    expect(faultOf(() => parse(`${'NOT '.repeat(60)}a = 1`))[1]).toMatch(/more than 40 deep/);
    expect(faultOf(() => parse(`${'- '.repeat(3000)}1`))[1]).toMatch(/more than/);
  });

  test.each<[unknown, string, string]>([
    [{ op: '=', args: [{ property: 'a' }] }, '/args', '= takes 2 arguments, got 1'],
    [{ op: 'and', args: [true, { op: '=', args: [1, null] }] }, '/args/1/args/1', 'null can not be compared with'],
    [{ op: 'in', args: [{ property: 'a' }, 'b'] }, '/args/1', 'in needs a list that is not empty'],
    [{ operator: '=' }, '', 'this object is no part of an expression'],
    [{ op: 'not', args: [{ property: 7 }] }, '/args/0', 'this object is no part of an expression'],
  ])('in JSON: %j', (value, pointer, message) => {
    expect(faultOf(() => fromJson(value))).toEqual([pointer, message]);
  });
});

test.each([
  ['a or b and not c', 'a OR b AND NOT c'],
  ['(a OR b) AND c', '(a OR b) AND c'],
  ['a - (b - c) - d', 'a - (b - c) - d'],
  ['(a + b) * c DIV 2', '(a + b) * c DIV 2'],
  ['a ^ b ^ c', 'a ^ b ^ c'],
  ['(a ^ b) ^ c', '(a ^ b) ^ c'],
  ['-a < -3', '0 - a < -3'],
  ['x not in (1, 2) and y is not null', 'NOT x IN (1, 2) AND NOT y IS NULL'],
  [`"and" = 'it''s' and date = DATE('2026-06-12')`, `"and" = 'it''s' AND date = DATE('2026-06-12')`],
  ["a_overlaps(amenities.slug, ('stove', 'sauna'))", "A_OVERLAPS(amenities.slug, ('stove', 'sauna'))"],
  ["casei(name) like casei('G%')", "CASEI(name) LIKE CASEI('G%')"],
])('%s is written as %s', (text, written) => {
  expect(print(parse(text))).toBe(written);
  expect(print(parse(written))).toBe(written);
});
