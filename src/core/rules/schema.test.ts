import { describe, expect, test } from '@jest/globals';
import { compile } from '../compile.ts';
import type { Model } from '../model/model.ts';
import { bodyReader } from './schema.ts';
import type { WriteKind } from './schema.ts';

const MODELS = `
model: hut
key: uuid
fields:
  name: { type: string, required: true, trim: true, minLength: 3, maxLength: 5 }
  slug: { type: string, letters: lower, pattern: '^[a-z-]+$', message: { pattern: lower-case words, type: never } }
  kind: { enum: [a, b], default: a, required: true }
  beds: { type: integer, minimum: 1, exclusiveMaximum: 10, multipleOf: 3 }
  share: { type: number, exclusiveMinimum: 0, maximum: 1, multipleOf: 0.1 }
  price: { type: decimal, minimum: 0.5, maximum: 99.95, multipleOf: 0.05 }
  opens: { type: date, immutable: true }
  state: { type: string, readOnly: true }
  fixed: { type: boolean, const: true }
  note: { type: text, message: no such note }
relations:
  warden: { to: member, required: true }
---
model: member
key: serial
`;

const { graph } = compile({
  service: { file: 's', text: 'service: { name: X }' },
  models: [{ file: 'm', text: MODELS }],
  environment: {},
});
const hut: Model = graph!.byName.get('hut')!;
const sound = { name: 'Mist', warden_id: 1 };

/** Each failure as `/pointer rule: detail`. */
function failuresOf(body: unknown, kind: WriteKind = 'create'): string[] {
  return bodyReader(hut, kind)(body).failures.map(({ pointer, rule, detail }) => `${pointer} ${rule}: ${detail}`);
}

describe('a body', () => {
  test('that keeps every rule is read into canonical values', () => {
    const body = { ...sound, name: '  Mist ', slug: 'MIST-HUT', beds: 9, share: 0.3, price: 12.5, fixed: true };
    expect(bodyReader(hut, 'create')(body)).toEqual({
      values: { ...sound, slug: 'mist-hut', beds: 9, share: 0.3, price: '12.50', fixed: true },
      repeated: new Map(),
      derived: new Map(),
      patches: new Map(),
      failures: [],
    });
  });

  test.each<[Record<string, unknown>, string]>([
    [{ name: 'ab' }, '/name minLength: must have 3 characters or more, got "ab"'],
    [{ name: 'abcdef' }, '/name maxLength: must have 5 characters or fewer, got "abcdef"'],
    [{ name: 'x'.repeat(50) }, '/name maxLength: must have 5 characters or fewer, got 50 characters'],
    [{ name: '   ' }, '/name minLength: must have 3 characters or more, got ""'],
    [{ name: null }, '/name required: must not be null'],
    [{ name: undefined }, '/name required: must be given'],
    [{ name: 7 }, '/name type: must be text, got 7'],
    [{ slug: 'not a slug' }, '/slug pattern: lower-case words'],
    [{ kind: 'c' }, '/kind enum: must be one of a, b, got "c"'],
    [{ kind: null }, '/kind required: must not be null'],
    [{ beds: 0 }, '/beds minimum: must be 1 or more, got 0'],
    [{ beds: 12 }, '/beds exclusiveMaximum: must be less than 10, got 12'],
    [{ beds: 4 }, '/beds multipleOf: must be a multiple of 3, got 4'],
    [{ beds: '3' }, '/beds type: must be a whole number, got "3"'],
    [{ share: 0 }, '/share exclusiveMinimum: must be more than 0, got 0'],
    [{ share: 1.1 }, '/share maximum: must be 1 or less, got 1.1'],
    [{ share: 0.25 }, '/share multipleOf: must be a multiple of 0.1, got 0.25'],
    [{ price: '0.45' }, '/price minimum: must be 0.5 or more, got "0.45"'],
    [{ price: '100.00' }, '/price maximum: must be 99.95 or less, got "100.00"'],
    [{ price: '1.01' }, '/price multipleOf: must be a multiple of 0.05, got "1.01"'],
    [{ price: '1.005' }, '/price scale: must have at most 2 digits after the point, got "1.005"'],
    [{ fixed: false }, '/fixed const: must be true, got false'],
    [{ note: 5 }, '/note type: no such note'],
    [{ warden_id: null }, '/warden_id required: must not be null'],
    [{ warden_id: 'x' }, '/warden_id type: must be a whole number, got "x"'],
    [{ wardn_id: 1 }, '/wardn_id unknown: no such field; did you mean warden_id?'],
    [{ zzzzzzzz: 1 }, '/zzzzzzzz unknown: no such field'],
    [{ 'a/b~c': 1 }, '/a~1b~0c unknown: no such field'],
  ])('with %j fails once, with its rule and pointer', (more, expected) => {
    expect(failuresOf({ ...sound, ...more })).toEqual([expected]);
  });

  test('tells every failure at once', () => {
    expect(failuresOf({ name: 'x', beds: 40, price: 'free', nmae: 1 })).toHaveLength(6);
  });

  test.each([[null], [[]], ['text'], [5]])('that is %j is no record', (body) => {
    expect(failuresOf(body)).toEqual([expect.stringMatching(/^ type: must be an object/)]);
  });

  test('may leave out what has a default or may be null', () => {
    expect(failuresOf(sound)).toEqual([]);
    expect(failuresOf({ ...sound, beds: null, slug: null, price: null })).toEqual([]);
  });
});

describe('the kinds of writes', () => {
  test('an update takes any part, and no null for what is required', () => {
    expect(failuresOf({}, 'update')).toEqual([]);
    expect(failuresOf({ name: null }, 'update')).toEqual(['/name required: must not be null']);
  });

  test('what can not be set is set aside, to be compared with the record', () => {
    const members = (kind: WriteKind) =>
      [...bodyReader(hut, kind)({ ...sound, opens: '2026-01-01', state: 'x', id: 'y' }).repeated.keys()].map(
        ({ member }) => member,
      );
    expect(members('create')).toEqual(['state', 'id']);
    expect(members('replace')).toEqual(['opens', 'state', 'id']);
    expect(members('update')).toEqual(['opens', 'state', 'id']);
    expect(members('load')).toEqual([]);
  });

  test('a sample may set everything, and must keep the rules', () => {
    const sample = {
      ...sound,
      state: 'new',
      id: '019b76da-a800-7000-8000-000000000000',
      created_at: '2026-01-01T00:00:00Z',
    };
    expect(failuresOf(sample, 'load')).toEqual([]);
    expect(failuresOf({ ...sample, id: 'x', beds: 0 }, 'load')).toHaveLength(2);
  });
});
