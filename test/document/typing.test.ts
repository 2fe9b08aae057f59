import { describe, expect, test } from '@jest/globals';
import { compile } from '../../src/core/compile.ts';
import { parse } from '../../src/core/expression/parse.ts';
import { ExpressionError } from '../../src/core/expression/syntax.ts';
import { typed, typedCondition } from '../../src/core/expression/type.ts';
import type { Model } from '../../src/core/model/model.ts';
import { graph as world, scopeOver } from '../kit/expressions/world.ts';

describe('an expression over the models', () => {
  test.each([
    ["whole = 'many'", '8-14 `whole` is an integer, and this is text → write a number, without quotes'],
    ["day < 'soon'", '6-12 this text must be a date that exists, like 2026-06-12, got "soon" → write a date here'],
    ["price = 'x'", '8-11 this text must be a decimal number as text, like "12.50", got "x" → write a decimal here'],
    ['wrod = 1', '0-4 thing has no field or relation `wrod` → did you mean word?'],
    [
      'hidden = 1',
      '0-6 thing has no field or relation `hidden` → known: id, word, other, kind, ' +
        'whole, count, real, price, exact, flag, day, at and 15 more',
    ],
    ['up = 1', '0-2 `up` is a record → name one of its members, as up.id'],
    ['up.wrod = 1', '0-7 thing has no field or relation `wrod` → did you mean word?'],
    ['place.latt = 1', '0-10 `place` has no `latt` → did you mean lat?'],
    ['word.length = 1', '0-11 `word` has nothing inside it called `length` → write word alone'],
    [
      'notes.size > 1',
      '0-10 `notes.size` is a list: notes may be many → ask for some of them, as ' +
        "A_CONTAINS(notes.size, ('…')); or use min, max, sum or avg",
    ],
    ['count(word) > 1', '6-10 count takes a relation to many → write count(nights)'],
    ['sum(notes.on) > 1', '4-12 sum can not take a date → give it numbers'],
    [
      'any = any',
      '0-3 a JSON value can not be compared like this → ' +
        'say what it is, as number(…) or text(…); or ask whether it IS NULL',
    ],
    ['tags = tags', '0-4 a list can not be compared like this → use A_CONTAINS, A_CONTAINEDBY, A_OVERLAPS or A_EQUALS'],
    ['flag > TRUE', '0-4 a condition can not be compared like this → use = or <>'],
    ['word + 1 > 2', '0-4 + can not take text → it takes integers, decimals and numbers'],
    ['whole LIKE 1', '0-5 this is an integer, where text is needed → name a field of text here'],
    ['word LIKE other', "10-15 LIKE takes a text in single quotes on its right → write it as LIKE 'grey%'"],
    ["word LIKE 'a\\'", '10-14 the pattern ends with a single \\ → double it to mean itself'],
    [
      'sizes(1) = 2',
      '0-8 there is no function sizes → known: casei, accenti, lower, upper, length, ' +
        'now, today, me, has_role, verified, add, days_between and 24 more',
    ],
    [
      "add(day, '14 days') > day",
      "9-18 this is no duration of ISO 8601 in single quotes → write one as 'P14D', 'P1Y6M' or '-PT2H30M'",
    ],
    ...['P', 'PT', 'P1', 'P1DT', 'P1.5D', 'p1d', 'P1D1M', 'PT1.0005S', '--P1D', 'P1234567Y'].map(
      (wrong): [string, string] => [
        `add(at, '${wrong}') > at`,
        `8-${10 + wrong.length} this is no duration of ISO 8601 in single quotes ` +
          "→ write one as 'P14D', 'P1Y6M' or '-PT2H30M'",
      ],
    ),
    [
      "add(day, 'PT1H') > day",
      '9-15 a date has no time of day → write days, weeks, months or years; or add to a date and time',
    ],
    ["add(at, 'P10001Y') > at", '8-17 this duration has more than 10000 years → write a shorter one'],
    ["add(word, 'P1D') > day", '4-8 add takes dates and times, and this is text → name a date here'],
    ['add(day) > day', '0-8 add(…) takes 2 values, got 1 → give it 2 values'],
    ['weekday(time) = 1', '8-12 weekday takes dates and times, and this is a time of day → name a date here'],
    ["has_role('stewart')", '9-18 there is no role stewart → did you mean steward?'],
    ['9007199254740993 = whole', '0-16 integers lie within ±9007199254740991 → write a smaller one'],
    ["T_AFTER(word, '2026-01-01')", '14-26 `word` is text, and this is a date → write text here'],
  ])('%s', (text, told) => {
    const shown = (() => {
      try {
        typed(parse(text), scopeOver('thing'));
        return 'nothing is wrong';
      } catch (error) {
        const { message, remedy, spot } = error as ExpressionError;
        return 'from' in spot ? `${spot.from}-${spot.to} ${message} → ${remedy}` : message;
      }
    })();
    expect(shown).toBe(told);
  });

  test('a condition is asked for where one is needed; its author is told of values that never occur', () => {
    expect(() => typedCondition(parse('whole + 1'), scopeOver('thing'))).toThrow(
      'this is an integer, where a condition is needed',
    );
    const told: string[] = [];
    typed(parse("kind = 'gren' OR kind IN ('red', 'bleu')"), {
      ...scopeOver('thing'),
      strange: (what, remedy) => told.push(`${what}: ${remedy}`),
    });
    expect(told).toEqual([
      "the value 'gren' never occurs here: did you mean green?",
      "the value 'bleu' never occurs here: did you mean blue?",
    ]);
    expect(() => typed(parse('hidden = 1'), scopeOver('thing', true))).toThrow('`hidden` is never shown');
    expect(world.models).toHaveLength(5);
  });
});

const IDENTITY = 'service: { name: X }\nidentity: { model: member, login: email, secret: word, roles: roles }\n';
const MEMBER =
  'model: member\nfields: { email: { type: email, required: true, unique: true }, word: { type: ' +
  'secret }, roles: { type: array, items: { enum: [walker, steward] } } }\n' +
  '---\n';

function modelsOf(text: string): { models: ReadonlyMap<string, Model>; told: string[] } {
  const { graph, problems } = compile({
    service: { file: 'vantfell.yaml', text: IDENTITY },
    models: [{ file: 'm', text: MEMBER + text }],
    environment: {},
  });
  const told = problems.map(({ place, code }) => `${place.line - 3}:${place.column} ${code}`);
  return { models: graph?.byName ?? new Map<string, Model>(), told };
}

describe('ownership and grants', () => {
  const TREE = `model: hut
owner: warden
relations: { warden: { to: member } }
may: { read: anybody, update: [owner, role:steward] }
---
model: night
within: hut
---
model: bed
within: night
may: { read: hutch }
`.replace('hutch', 'night.hut.warden');

  test('a part has its whole’s owner, at any depth, and its whole’s grants', () => {
    const { models, told } = modelsOf(TREE);
    expect(told).toEqual([]);
    const owner = (name: string) => models.get(name)!.owner?.map((relation) => relation.name);
    expect([owner('hut'), owner('night'), owner('bed'), owner('member')]).toEqual([
      ['warden'],
      ['hut', 'warden'],
      ['night', 'hut', 'warden'],
      [],
    ]);
    const verbs = (name: string) => models.get(name)!.access.verbs;
    expect(verbs('hut')).toMatchObject({
      read: [{ kind: 'anybody' }],
      create: [{ kind: 'nobody' }],
      replace: [{ kind: 'owner' }, { kind: 'role', role: 'steward' }],
      clear: [{ kind: 'nobody' }],
    });
    expect(verbs('night')).toMatchObject({
      read: [{ kind: 'parent', verb: 'read' }],
      create: [{ kind: 'parent', verb: 'update' }],
    });
    expect(verbs('bed').read).toMatchObject([
      { kind: 'path', path: [{ name: 'night' }, { name: 'hut' }, { name: 'warden' }] },
    ]);
    expect(verbs('member')).toMatchObject({ read: [{ kind: 'signed-in' }], update: [{ kind: 'owner' }] });
    expect(models.get('member')!.access.set).toEqual(
      new Map([
        ['roles', [{ kind: 'nobody' }]],
        ['word', [{ kind: 'owner' }, { kind: 'maker' }]],
      ]),
    );
  });

  test.each([
    [
      'a view of more than its readers see',
      'model: a\nrelations: { of: { to: b } }\nmay: { read: anybody }\n' +
        'label: "{of.id}"\n---\nmodel: b\nmay: { read: owner }\n' +
        'owner: by\nrelations: { by: { to: member } }\n',
      ['4:8 reveals'],
    ],
    [
      'the same, said to be meant',
      'model: a\nrelations: { of: { to: b } }\nmay: { read: anybody }\n' +
        'label: { text: "{of.id}", reveals: true }\n' +
        '---\nmodel: b\nmay: { read: owner }\nowner: by\n' +
        'relations: { by: { to: member } }\n',
      [],
    ],
    ['a part that shows of its whole what its readers see', `${TREE}label: "{night.hut.warden_id}"\n`, []],
    [
      'a rule over a hidden field',
      'model: a\nfields: { n: { type: integer }, m: { type: integer } }\n' +
        'may: { read: anybody, fields: { n: role:steward } }\n' +
        'rules: [{ check: n > m, message: x }]\n',
      ['4:18 reveals'],
    ],
    [
      'a computed value as hidden as what it is made of',
      'model: a\nfields: { n: { type: integer } }\n' +
        'may: { read: anybody, fields: { n: role:steward, twice: role:steward } }\n' +
        'computed: { twice: { type: integer, value: n * 2 } }\n',
      [],
    ],
    [
      'an order by a hidden field',
      'model: a\nsort: n\nfields: { n: { type: integer } }\nmay: { read: anybody, fields: { n: role:steward } }\n',
      ['2:7 reveals'],
    ],
    [
      'a slug of a secret',
      'model: a\nfields: { s: { type: text, writeOnly: true }, t: { type: string, from: slug(s) } }\n',
      ['2:72 secret-shown'],
    ],
    [
      'an operation without code words',
      'model: a\noperations: { go: { status: 302 } }\nmay: { read: anybody, go: anybody }\n',
      ['2:29 wrong-status'],
    ],
    ['a grant that is none', 'model: a\nmay: { read: everybody }\n', ['2:14 unknown-grant']],
  ])('%s', (_what, text, told) => {
    expect(modelsOf(text).told).toEqual(told);
  });

  test('an outside issuer needs its keys, and claims for every required field', () => {
    const service =
      'service: { name: X }\nidentity: { model: member, subject: sub, tokens: { jwks: ' +
      'keys.json, issuer: x, audience: y, create: { name: name } } }\n';
    const text =
      'model: member\nfields: { sub: { type: string, unique: true }, name: { type: ' +
      'string, required: true }, email: { type: email, required: true } }\n';
    const { problems } = compile({
      service: { file: 'v', text: service },
      models: [{ file: 'm', text }],
      environment: {},
    });
    expect(problems.map(({ code, message }) => `${code}: ${message}`)).toEqual([
      'wrong-identity: a member needs email, which no claim gives',
    ]);
  });
});
