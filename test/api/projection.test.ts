import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { everyStore } from '../kit/every-store.ts';
import type { Body, EveryStore } from '../kit/every-store.ts';
import { folderWith } from '../kit/program.ts';

// Models that show one thing each: a tree of places, to-many and many-to-many relations, parts of objects, hidden
// members.
const MODELS = `
model: place
key: code
sort: rank,code
fields:
  code: { type: string, required: true }
  rank: { type: integer }
  share: { type: number }
  price: { type: decimal }
  open: { type: boolean, default: false }
  seen: { type: date-time }
  at: { type: time }
  spot: { type: object, properties: { lat: { type: number }, grid: { type: object, properties: { x: { type: integer }, y: { type: integer } } } } }
  tags: { type: array, items: { type: string } }
  note: { type: json }
  pin: { type: string, writeOnly: true }
relations:
  above: { to: place }
  below: { from: place.above }
  marks: { with: mark }
  pages: { from: page.place }
  front: { from: cover.place, one: true }
computed:
  twice: { type: number, value: share * 2 }
  halves: { type: decimal, scale: 3, value: price / 2 }
  is_high: { type: boolean, value: rank > 2 }
  pages_there: { type: integer, value: count(pages) }
  above_rank: { type: integer, value: above.rank }
index: [[rank]]
views:
  card: [code, spot.grid.x, above.code, above.above.rank, front.title, twice, mark_ids]
---
model: mark
key: serial
stamps: false
fields: { word: { type: string, required: true, unique: true } }
relations: { places: { from: place.marks } }
---
model: page
within: place
key: serial
sort: -number
fields: { number: { type: integer, required: true }, text: { type: text } }
relations: { lines: { from: line.page } }
---
model: line
within: page
key: serial
fields: { words: { type: string } }
---
model: number
key: serial
stamps: false
endpoints: [list, read]
fields: { value: { type: number } }
---
model: cover
key: serial
stamps: false
fields: { title: { type: string } }
relations: { place: { to: place, required: true } }
`;

const samples = {
  'samples/place.yaml': `
a: { code: a, rank: 1, share: 0.1, price: 2.01, open: true, seen: 2026-06-12T10:00:00Z, at: "08:30:00", spot: { lat: 61.5, grid: { x: 1, y: 2 } }, tags: [one, "tw\\"o"], note: { k: [1, null] }, pin: hush }
b: { code: "b/ü€", rank: 3, share: 0.30000000000000004, price: -0.01, above: a, spot: { lat: 1e-7 }, pin: other }
c: { code: c, above: b }
`,
  'samples/mark.yaml': 'x: { word: x }\ny: { word: y }\n',
  'samples/page.yaml': Array.from({ length: 25 }, (_none, at) => `p${at}: { place: a, number: ${at} }`).join('\n'),
  'samples/line.yaml':
    'l1: { page: p24, words: first }\nl2: { page: p24, words: second }\nl3: { page: p0, words: far }\n',
  'samples/cover.yaml': 'f: { place: b, title: Front }\n',
};

let both: EveryStore;
beforeAll(async () => {
  const files = { 'vantfell.yaml': 'service: { name: X }\n', 'models/all.yaml': MODELS, ...samples };
  both = await everyStore(folderWith(files), 'shown');
  for (const [place, mark] of [
    ['a', 2],
    ['a', 1],
    ['c', 2],
  ] as const) {
    await both.run('INSERT INTO places_marks (place_id, mark_id) VALUES (?, ?)', [place, mark]);
  }
});
afterAll(() => both.close());

const B = encodeURIComponent('b/ü€');
const textOf = async (target: string): Promise<string> => String((await both.reply(target)).body);
const dataOf = async (target: string): Promise<Record<string, unknown>> =>
  (JSON.parse(await textOf(target)) as { data: Record<string, unknown> }).data;
const listOf = async (target: string): Promise<Body['data']> => (await both.ask(target)).body.data;
const errorsOf = async (target: string): Promise<unknown> => {
  const { status, body } = await both.ask(target);
  expect(status).toBe(400);
  return (body as unknown as { errors: unknown }).errors;
};

describe('a record', () => {
  test('shows its fields, keys of others, computed values and stamps, and nothing that is only written', async () => {
    const stamp = '2026-06-01T10:00:00.';
    expect((await textOf('/places/a')).replaceAll(/"2026-06-01T10:00:00\.\d+Z"/g, `"${stamp}"`)).toBe(
      `{"data":{"code":"a","rank":1,"share":0.1,"price":"2.01","open":true,"seen":"2026-06-12T10:00:00.000Z","at":"08:30:00",` +
        `"spot":{"lat":61.5,"grid":{"x":1,"y":2}},"tags":["one","tw\\"o"],"note":{"k":[1,null]},"above_id":null,` +
        `"mark_ids":[1,2],"twice":0.2,"halves":"1.005","is_high":false,"pages_there":25,"above_rank":null,` +
        `"created_at":"${stamp}","updated_at":"${stamp}"}}`,
    );
    expect(await dataOf(`/places/${B}`)).toMatchObject({
      share: 0.30000000000000004,
      twice: 0.6000000000000001,
      halves: '-0.005',
      is_high: true,
      mark_ids: [],
      above_rank: 1,
      at: null,
    });
    expect(await dataOf('/places/c')).toMatchObject({
      twice: null,
      halves: null,
      is_high: null,
      spot: null,
      tags: null,
    });
  });

  test('tells what the caller may do with it, also where that is nothing', async () => {
    expect((await dataOf('/marks/1?may=true')).may).toEqual(['update', 'replace', 'delete']);
    await both.run('INSERT INTO numbers (id, value) VALUES (?, ?)', [1_000_000, 1]);
    expect(await dataOf('/numbers/1000000?may=true')).toEqual({ id: 1_000_000, value: 1, may: [] });
    expect(await listOf('/numbers?may=true')).toEqual([{ id: 1_000_000, value: 1, may: [] }]);
    await both.run('DELETE FROM numbers WHERE id = ?', [1_000_000]);
  });

  test('shows a view: paths nest, parts of objects stand alone, what is not there is null', async () => {
    expect(await dataOf(`/places/c?view=card`)).toEqual({
      code: 'c',
      spot: null,
      above: { code: 'b/ü€', above: { rank: 1 } },
      front: null,
      twice: null,
      mark_ids: [2],
    });
    expect(await dataOf(`/places/${B}?view=card`)).toMatchObject({
      spot: { grid: null },
      above: { code: 'a', above: null },
      front: { title: 'Front' },
    });
  });

  test('shows the fields that are asked for, in that order', async () => {
    expect(await textOf('/places/c?fields=rank,above.halves,code,above.above.spot.lat,mark_ids')).toBe(
      '{"data":{"rank":null,"above":{"halves":"-0.005","above":{"spot":{"lat":61.5}}},"code":"c","mark_ids":[2]}}',
    );
    expect(await textOf('/places/a?fields=pages.number,pages.lines.words&include=marks')).toContain(
      '{"data":{"pages":{"data":[{"number":24,"lines":{"data":[{"words":"first"},' +
        '{"words":"second"}],"more":false}},{"number":23,',
    );
  });
});

test('numbers are written alike, and read back to the last bit', async () => {
  // From 2^53 on PostgreSQL now and then writes a digit more than is needed: the same number, and other bytes.
  const finite = fc.double({ noNaN: true, min: -(2 ** 53), max: 2 ** 53 }).map((value) => value + 0);
  const given = [
    ...fc.sample(finite, 300),
    ...[
      1e15,
      1e16,
      1e17,
      1e21,
      1e22,
      123456789012345.6,
      1234567890123456,
      9007199254740992,
      2.5e15 + 0.5,
      1e-4,
      1e-5,
      0.00012,
      5e-324,
      1.7976931348623157e308,
      1 / 3,
    ],
  ];
  for (const [at, share] of given.entries()) {
    await both.run('INSERT INTO numbers (id, value) VALUES (?, ?)', [at + 1, share]);
  }
  const read: unknown[] = [];
  for (let path: string | null = '/numbers?limit=100&sort=id'; path !== null;) {
    const { body } = await both.ask(path);
    read.push(...body.data.map(({ value }) => value));
    path = body.page.next;
  }
  expect(read).toEqual(given);
});

describe('records along relations', () => {
  test('come whole, in the order of their own lists, twenty at most, and say where there are more', async () => {
    const { pages, marks, front } = (await dataOf('/places/a?include=pages.lines,marks,front')) as unknown as Record<
      string,
      { data: Record<string, unknown>[]; more: boolean }
    >;
    expect(pages!.more).toBe(true);
    expect(pages!.data.map(({ number }) => number)).toEqual(Array.from({ length: 20 }, (_none, at) => 24 - at));
    expect(pages!.data[0]!.lines).toMatchObject({ data: [{ words: 'first' }, { words: 'second' }], more: false });
    expect(pages!.data[1]!.lines).toEqual({ data: [], more: false });
    expect(marks).toEqual({
      data: [
        { id: 1, word: 'x' },
        { id: 2, word: 'y' },
      ],
      more: false,
    });
    expect(front).toBeNull();
    await both.run('DELETE FROM pages WHERE number < ?', [5]);
    expect(await dataOf('/places/a?include=pages')).toMatchObject({ pages: { more: false } });
  });

  test('are included in lists, deep, and along the other end of many-to-many', async () => {
    const places = await listOf('/places?include=above.above,below&fields=code');
    expect(places.map(({ code }) => code)).toEqual(['a', 'b/ü€', 'c']);
    expect(places[2]).toMatchObject({
      above: { code: 'b/ü€', twice: 0.6000000000000001, above: { code: 'a', mark_ids: [1, 2] } },
    });
    expect(places[0]).toMatchObject({ above: null, below: { data: [{ code: 'b/ü€' }], more: false } });
    const marks = await listOf('/marks?include=places.pages&sort=-word');
    expect(marks[0]).toMatchObject({
      word: 'y',
      places: { data: [{ code: 'a' }, { code: 'c', pages: { data: [] } }] },
    });
  });

  test('of whom members are named come with these, and those of a view come whole', async () => {
    expect(await dataOf('/places/c?fields=code,above.code&include=above.marks')).toEqual({
      code: 'c',
      above: { code: 'b/ü€', marks: { data: [], more: false } },
    });
    expect(await dataOf('/places/c?view=card&include=above')).toMatchObject({ above: { rank: 3, halves: '-0.005' } });
  });

  test('as deep as may be, with every kind of value on the way, is one statement on both databases', async () => {
    const [place] = await listOf('/places?limit=1&include=below.below.above,marks.places');
    const below = place!.below as { data: { below: { data: Record<string, unknown>[] } }[] };
    expect(below.data[0]!.below.data[0]).toMatchObject({ code: 'c', above: { is_high: true, pages_there: 0 } });
    const deep = await dataOf('/places/a?include=below.below,above.above.above,pages.lines.page');
    expect(deep).toMatchObject({ below: { data: [{ below: { data: [{ code: 'c', is_high: null }] } }] } });
    expect((deep.pages as { data: unknown[] }).data[0]).toMatchObject({
      lines: { data: [{ page: { place_id: 'a' } }, { words: 'second' }] },
    });
    const codes = await dataOf(
      '/places/a?fields=below.below.below.code,below.below.twice,above.above.above.above.code',
    );
    expect(codes).toMatchObject({ below: { data: [{ below: { data: [{ twice: null, below: { data: [] } }] } }] } });
  });

  test('pages of lists with included records lead on by the same cursors', async () => {
    const first = await both.ask('/places?limit=2&include=pages&sort=-above.rank,rank');
    const next = await both.ask(first.body.page.next!);
    expect([...first.body.data, ...next.body.data].map(({ code }) => code)).toEqual(['c', 'b/ü€', 'a']);
    expect(next.body.data[0]).toHaveProperty('pages.data');
  });
});

describe('what is wrong is told', () => {
  test.each([
    ['view=crad', 'view', 'place has no view "crad"; did you mean card?'],
    ['view=card&fields=code', 'fields', 'together with view'],
    ['fields=cod', 'fields', 'did you mean code?'],
    ['fields=pin', 'fields', 'place has no field "pin"'],
    ['fields=above', 'fields', '"above" is a whole record; name its members, as above.code, or ask for include=above'],
    ['fields=pages', 'fields', '"pages" is many records'],
    ['fields=code.x', 'fields', '"code" has no such parts'],
    ['fields=spot.grid.z', 'fields', 'has no such parts'],
    ['fields=', 'fields', 'place has no field ""'],
    ['include=above_id', 'include', 'did you mean above?'],
    ['include=page', 'include', 'did you mean pages?'],
    ['include=code', 'include', 'place has no relation "code"'],
    ['include=above.above.above.above.above', 'include', 'goes too deep: three relations to many'],
    [`include=${Array.from({ length: 13 }, () => 'above').join()}`, 'include', 'names 13; 12 is the most'],
    [`fields=${Array.from({ length: 201 }, () => 'code').join()}`, 'fields', 'names 201; 200 is the most'],
    [
      'include=below.below.below',
      'include',
      'up to 168420 records would come along, and 10000 is the most; include less, or set limit to 1 at most',
    ],
    ['include=below.below.below.below', 'include', 'goes too deep'],
    ['fields=below.below.below.below.code', 'fields', 'goes too deep'],
    ['fields=below.below.below.code', 'include', '10000 is the most'],
    ['view=card&view=card', 'view', 'must be given once'],
  ])('%s', async (query, parameter, detail) => {
    expect(await errorsOf(`/places?${query}`)).toContainEqual({
      parameter,
      detail: expect.stringContaining(detail) as unknown,
    });
  });

  test('for a record too, and not more of it than helps', async () => {
    expect(await errorsOf('/places/a?veiw=card&include=x')).toEqual([
      { parameter: 'veiw', detail: 'no such parameter; did you mean view?' },
      { parameter: 'include', detail: expect.stringContaining('place has no relation "x"') as unknown },
    ]);
    expect(await errorsOf('/places/a?include=below.below.below.below')).toHaveLength(1);
    expect(await errorsOf(`/places?${Array.from({ length: 3_000 }, () => 'x').join('&')}`)).toHaveLength(20);
  });
});

describe('ETag', () => {
  const tagOf = async (target: string): Promise<string> => (await both.reply(target)).headers.etag!;

  test('tells answers apart, and its first part states of the record', async () => {
    const [whole, card, code] = [
      await tagOf('/places/a'),
      await tagOf('/places/a?view=card'),
      await tagOf('/places/a?fields=code'),
    ];
    expect(whole).toMatch(/^"[0-9a-f]{24}-[0-9a-f]{24}"$/);
    expect(new Set([whole, card, code]).size).toBe(3);
    const version = (tag: string): string => tag.slice(1, 25);
    expect(new Set([whole, card, code].map(version)).size).toBe(1);
    // What nobody sees is a part of the state too, and what follows from other records is not.
    await both.run("UPDATE places SET pin = ? WHERE code = 'a'", ['changed']);
    expect(version(await tagOf('/places/a'))).not.toBe(version(whole));
    expect((await tagOf('/places/a?fields=code')).slice(26)).toBe(code.slice(26));
    const before = await tagOf('/places/a');
    await both.run('DELETE FROM pages WHERE number = ?', [20]);
    const after = await tagOf('/places/a');
    expect(version(after)).toBe(version(before));
    expect(after).not.toBe(before);
  });

  test('that a client has is answered with 304 and nothing else', async () => {
    const etag = await tagOf('/marks/1');
    for (const given of [etag, `"x", W/${etag}`, '*']) {
      const reply = await both.reply('/marks/1', { 'if-none-match': given });
      expect([reply.status, reply.body, reply.headers.etag]).toEqual([304, undefined, etag]);
      expect(reply.headers).not.toHaveProperty('content-type');
    }
    const other = await both.reply('/marks/1', { 'if-none-match': `${etag.slice(0, 26)}0"` });
    expect(other.status).toBe(200);
    // All that is stored of a mark is shown: its state is its answer.
    expect(etag.slice(1, 25)).toBe(etag.slice(26, 50));
    expect((await tagOf('/marks/1?fields=word')).slice(1, 25)).toBe(etag.slice(1, 25));
  });
});
