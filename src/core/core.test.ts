import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { hooks } from './change/hooks.ts';
import { operation } from './change/operation.ts';
import { didYouMean, nearest } from './text/nearest.ts';
import { readJson } from './http/request/json-body.ts';
import { makeCursors } from './query/cursor.ts';
import { makeDocumentJudge } from './trial/document-judge.ts';
import { judge } from './trial/judge.ts';
import { pathWithKept, valueAt, withKept } from './trial/kept.ts';

describe('the nearest name', () => {
  test.each([
    ['naem', 'name'],
    ['alt', 'altitude_m'],
    ['BEDS', 'beds'],
    ['zzz', undefined],
    ['q', undefined],
  ])('%s: %s', (unknown, known) => {
    expect(nearest(unknown, ['name', 'beds', 'altitude_m'])).toBe(known);
  });

  test('or else what there is', () => {
    expect(didYouMean('zzz', ['a', 'b'])).toBe('known: a, b');
    expect(didYouMean('zzz', [])).toBe('there are none yet');
    expect(
      didYouMean(
        '?',
        Array.from({ length: 30 }, (_none, at) => `n${at}`),
      ),
    ).toMatch(/and 18 more$/);
  });
});

describe('cursors', () => {
  const cursors = makeCursors(['k'.repeat(32)]);
  const positions = fc.array(fc.oneof(fc.string(), fc.integer(), fc.constant(null), fc.boolean()), {
    minLength: 1,
    maxLength: 4,
  });

  test('come back as they were written, for the same list and key alone', () => {
    fc.assert(
      fc.property(fc.string(), positions, (binding, position) => {
        const text = cursors.write(binding, position);
        expect(text).toMatch(/^[\w-]+$/);
        expect(cursors.read(binding, text)).toEqual(position);
        expect(cursors.read(`${binding}x`, text)).toBeUndefined();
        expect(makeCursors(['other'.repeat(8)]).read(binding, text)).toBeUndefined();
      }),
    );
  });

  test('are refused with any character changed', () => {
    fc.assert(
      fc.property(positions, fc.nat(), fc.constantFrom(...'AZaz09-_'), (position, at, letter) => {
        const text = cursors.write('b', position);
        const index = at % text.length;
        const altered = text.slice(0, index) + letter + text.slice(index + 1);
        const decoded = (cursor: string) => Buffer.from(cursor.slice(22), 'base64url').toString();
        // The last character of base64 may hold bits that mean nothing.
        if (altered.slice(0, 22) === text.slice(0, 22) && decoded(altered) === decoded(text)) return;
        expect(cursors.read('b', altered)).toBeUndefined();
      }),
    );
    expect(cursors.read('b', '')).toBeUndefined();
    expect(cursors.read('b', 'ü'.repeat(40))).toBeUndefined();
  });
});

describe('JSON bodies', () => {
  const bytes = (text: string) => new TextEncoder().encode(text);

  test('any JSON is read as JSON.parse reads it', () => {
    const json = fc.json().filter((text) => !text.includes('"__proto__"'));
    fc.assert(fc.property(json, (text) => expect(readJson(bytes(text))).toEqual(JSON.parse(text))));
  });

  test('a name that stands twice in one object is found, and in two objects is fine', () => {
    const names = fc.string({ minLength: 1 }).filter((name) => name !== '__proto__');
    const values = fc.jsonValue().filter((value) => !JSON.stringify(value).includes('__proto__'));
    fc.assert(
      fc.property(names, values, (name, value) => {
        const member = `${JSON.stringify(name)}:${JSON.stringify(value)}`;
        expect(() => readJson(bytes(`{"a":[{${member},${member}}]}`))).toThrow('twice');
        expect(() => readJson(bytes(`[{${member}},{${member}}]`))).not.toThrow();
      }),
    );
  });
});

describe('judging answers', () => {
  const answer = { status: 201, headers: { location: '/huts/1' }, body: { data: { id: 1, beds: 3 } } };

  test('what is as expected has no fault', () => {
    const expected = { status: 201, data: { beds: { kept: 'n' } }, location: '/huts' };
    expect(judge(expected, answer, new Map([['n', 3]]))).toEqual([]);
  });

  test.each([
    [{ status: 200 }, 'status'],
    [{ status: 201, data: { beds: 4 } }, 'data.beds'],
    [{ status: 201, data: { name: null } }, 'data.name'],
    [{ status: 201, length: 1 }, 'the number of records'],
    [{ status: 201, error: { rule: 'minimum', pointer: '/beds' } }, 'an error'],
    [{ status: 201, location: '/members' }, 'Location'],
  ])('%j is told as a fault of %s', (expected, what) => {
    expect(judge(expected, answer, new Map())).toEqual([expect.objectContaining({ what })]);
  });

  test('the document is held against status, content type and body', () => {
    const schema = { type: 'object', properties: { data: { type: 'integer' } }, required: ['data'] };
    const document = makeDocumentJudge({
      openapi: '3.1.0',
      paths: {
        '/huts/{id}': { get: { responses: { 200: { content: { 'application/json': { schema } } }, 204: {} } } },
      },
    });
    const judged = (status: number, type: string, body: unknown, path = '/huts/1') =>
      document.judge('GET', path, { status, headers: { 'content-type': type }, body }).map(({ what }) => what);
    expect(judged(200, 'application/json', { data: 1 })).toEqual([]);
    expect(judged(204, '', undefined)).toEqual([]);
    expect(judged(200, 'application/json', { data: 'x' })).toEqual(['the document, at /data']);
    expect(judged(200, 'text/html', { data: 1 })).toEqual(['the content type']);
    expect(judged(404, 'application/json', {})).toEqual(['the document']);
    expect(judged(204, 'application/json', {})).toEqual(['the document']);
    expect(judged(200, 'application/json', { data: 1 }, '/members')).toEqual(['the document']);
  });

  test('kept values go into bodies and paths, pointers find what to keep', () => {
    const kept = new Map<string, unknown>([['hut', 'a/b']]);
    expect(withKept({ list: [{ kept: 'hut' }], n: null }, kept)).toEqual({ list: ['a/b'], n: null });
    expect(pathWithKept('/huts/{hut}', kept)).toBe('/huts/a%2Fb');
    expect(valueAt('/data/a~1b/0', { data: { 'a/b': [7] } })).toBe(7);
    expect(valueAt('/data/x/y', { data: {} })).toBeUndefined();
  });
});

test('hooks and operations are named things, and wrong names are refused at once', () => {
  expect(hooks('stay', { beforeCreate: () => undefined })).toMatchObject({ kind: 'hooks', model: 'stay' });
  expect(() => hooks('stay', { beforeCraete: () => undefined } as never)).toThrow('has no hook beforeCraete');
  expect(operation('hut.book', () => undefined)).toMatchObject({ kind: 'operation', model: 'hut', name: 'book' });
  expect(() => operation('book', () => undefined)).toThrow('<model>.<operation>');
});
