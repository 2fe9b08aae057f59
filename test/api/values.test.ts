import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { isSecret } from '../../src/core/identity/secret.ts';
import { ask, folderWith, serving } from '../kit/program.ts';
import type { RunningProgram } from '../kit/program.ts';

const MODEL = `model: walk
fields:
  name: { type: string, required: true }
  slug: { type: string, from: slug(name), unique: true, maxLength: 12 }
  day: { type: date, default: { expr: today() } }
  tags: { type: array, items: { type: string, trim: true, minLength: 2 }, maxItems: 3, uniqueItems: true }
  start:
    type: object
    properties:
      at: { type: time, required: true }
      note: { type: string, default: none }
      stops: { type: array, items: { type: object, properties: { km: { type: decimal, minimum: 0 } } } }
  extra: { type: json }
  host: { type: string, format: hostname }
  word: { type: secret, minLength: 8 }
  hint: { type: string, writeOnly: true }
  low: { type: integer }
  high: { type: integer }
relations: { up: { to: walk } }
rules:
  - { check: high > low, message: must be above low, at: high }
  - { check: up.low <= low, message: must not be below that of its upper walk, at: low }
`;

let server: RunningProgram;
let walks: string;
const folder = folderWith({ 'vantfell.yaml': 'service: { name: X }\nstore: sqlite:x.db\n', 'models/walk.yaml': MODEL });

beforeAll(async () => {
  server = await serving(folder);
  walks = `${server.url}/walks`;
});
afterAll(() => server.stop());

const make = async (body: object) => (await ask(walks, 'POST', { name: 'Some Walk', ...body })).body.data;
const refusals = async (body: object) => {
  const { status, body: answer } = await ask(walks, 'POST', { name: 'X', ...body });
  const errors = (answer.errors ?? []) as { pointer: string; rule: string }[];
  return [status, ...errors.map(({ pointer, rule }) => `${pointer} ${rule}`).sort()];
};

describe('nested values', () => {
  test('come back in their one form, with defaults inside', async () => {
    const made = await make({
      tags: ['  fog ', 'sun'],
      start: { at: '09:30:00', stops: [{ km: 1.5 }, {}] },
      extra: [1, { a: null }],
    });
    expect(made).toMatchObject({
      tags: ['fog', 'sun'],
      start: { at: '09:30:00', note: 'none', stops: [{ km: '1.50' }, {}] },
      extra: [1, { a: null }],
    });
    expect((await ask(`${walks}/${made.id}`)).body.data).toEqual(made);
    expect(await ask(`${walks}/${made.id}`, 'PUT', made)).toMatchObject({ status: 200, body: { data: made } });
  });

  test('every failure inside is told, with its whole pointer', async () => {
    const start = { note: 7, stops: [{ km: '-1.00' }, { km: '1.005' }, 'x'], end: 1 };
    expect(await refusals({ tags: ['a', 'bb', 'bb', null], start })).toEqual([
      422,
      '/start/at required',
      '/start/end unknown',
      '/start/note type',
      '/start/stops/0/km minimum',
      '/start/stops/1/km scale',
      '/start/stops/2 type',
      '/tags maxItems',
      '/tags uniqueItems',
      '/tags/0 minLength',
      '/tags/3 required',
    ]);
    expect(await refusals({ tags: 'fog', start: [], host: 'no host!' })).toEqual([
      422,
      '/host format',
      '/start type',
      '/tags type',
    ]);
    expect(await refusals({ extra: 'a\0b' })).toEqual([422, '/extra type']);
  });

  test('a patch is merged into an object, and what it makes must keep the rules', async () => {
    const { id } = await make({ start: { at: '09:30:00', note: 'early' }, extra: { a: 1, b: 2 } });
    const changed = await ask(`${walks}/${id}`, 'PATCH', {
      start: { note: null, stops: [] },
      extra: { b: null, c: 3 },
    });
    expect(changed.body.data).toMatchObject({
      start: { at: '09:30:00', note: 'none', stops: [] },
      extra: { a: 1, c: 3 },
    });
    const refused = await ask(`${walks}/${id}`, 'PATCH', { start: { at: null } });
    expect(refused).toMatchObject({ status: 422, body: { errors: [{ pointer: '/start/at', rule: 'required' }] } });
    expect((await ask(`${walks}/${id}`, 'PATCH', { start: null })).body.data.start).toBeNull();
  });

  test('lists and objects are neither sorted nor narrowed by', async () => {
    expect((await ask(`${walks}?sort=tags`)).body.errors[0].detail).toBe('tags is an array, which has no order');
    expect((await ask(`${walks}?tags=fog`)).status).toBe(400);
  });
});

describe('what is never shown', () => {
  test('a secret is kept as a slow hash, and stands in no answer', async () => {
    const made = await make({ word: 'open sesame', hint: 'a door' });
    expect(made).not.toHaveProperty('word');
    expect(made).not.toHaveProperty('hint');
    const list = await ask(`${walks}?fields=word`);
    expect([list.status, list.body.errors[0].detail]).toEqual([400, expect.stringContaining('no field "word"')]);
    expect((await ask(`${walks}?word=x`)).status).toBe(400);
    expect(await refusals({ word: 'short' })).toEqual([422, '/word minLength']);
    expect(JSON.stringify((await ask(walks, 'POST', { name: 'X', word: 'short' })).body)).not.toContain('short');
    await ask(`${walks}/${made.id}`, 'PUT', { name: 'Another name' });
    // The file itself holds the hash and not the word; replacing the record kept it.
    const bytes = ['x.db', 'x.db-wal'].map((file) => readFileSync(join(folder, file), 'latin1')).join('');
    expect(bytes).not.toContain('open sesame');
    const hashes = [...new Set(bytes.match(/\$scrypt\$ln=15,r=8,p=1\$[A-Za-z0-9+/]{22}\$[A-Za-z0-9+/]{43}/g))];
    expect(hashes).toHaveLength(1);
    expect([
      await isSecret('open sesame', hashes[0]!),
      await isSecret('open', hashes[0]!),
      await isSecret('x', 'y'),
    ]).toEqual([true, false, false]);
  });
});

describe('what is worked out', () => {
  test('a slug is derived, numbered where it is taken, and kept by a replace', async () => {
    const slugs = [];
    for (const name of [
      'Über the Ridge!',
      'über the ridge',
      'Uber the   Ridge',
      '日本',
      'Sølvhytta',
      'Łódź',
      'Пик',
      '!?',
    ])
      slugs.push((await make({ name })).slug);
    expect(slugs).toEqual([
      'uber-the-rid',
      'uber-the-r-2',
      'uber-the-r-3',
      'riben',
      'solvhytta',
      'lodz',
      'pik',
      'untitled',
    ]);
    const made = await make({ name: 'Loop', slug: 'my-loop' });
    expect(made.slug).toBe('my-loop');
    expect((await ask(`${walks}/${made.id}`, 'PUT', { name: 'Circle' })).body.data.slug).toBe('my-loop');
    expect(await ask(walks, 'POST', { name: 'X', slug: 'my-loop' })).toMatchObject({ status: 409 });
  });

  test('a default of today, and rules across fields and records', async () => {
    expect((await make({})).day).toBe(new Date().toISOString().slice(0, 10));
    expect(await refusals({ low: 5, high: 5 })).toEqual([422, '/high check']);
    const upper = await make({ low: 5, high: 9 });
    expect(await refusals({ low: 4, up_id: upper.id })).toEqual([422, '/low check']);
    const lower = await make({ low: 5, up_id: upper.id });
    const refused = await ask(`${walks}/${lower.id}`, 'PATCH', { low: 1 });
    expect(refused.body.errors).toEqual([
      { pointer: '/low', rule: 'check', detail: 'must not be below that of its upper walk' },
    ]);
    expect((await ask(`${walks}/${lower.id}`)).body.data.low).toBe(5);
    // What touches a null is unknown, and holds.
    expect((await ask(`${walks}/${lower.id}`, 'PATCH', { low: null })).status).toBe(200);
  });
});
