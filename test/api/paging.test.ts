import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { everyStore } from '../kit/every-store.ts';
import type { EveryStore } from '../kit/every-store.ts';
import { folderWith } from '../kit/program.ts';

// Orders over indexes and without them, over values that may be null, are alike, are worked out, or are another
// record's.
const MODELS = `
model: item
key: serial
stamps: false
fields:
  group: { type: string }
  size: { type: integer }
  share: { type: number }
  must: { type: integer, required: true }
relations:
  box: { to: box }
computed:
  twice: { type: integer, value: size * 2 }
index: [[group, size], [size], [must, share]]
---
model: box
key: serial
stamps: false
fields: { name: { type: string } }
`;

let both: EveryStore;
beforeAll(async () => {
  const files = {
    'vantfell.yaml': 'service: { name: X }\n',
    'models/all.yaml': MODELS,
    'samples/box.yaml': 'a: { name: B }\nb: { name: a }\nc: {}\n',
  };
  both = await everyStore(folderWith(files), 'paging');
});
afterAll(() => both.close());

interface Item {
  group: string | null;
  size: number | null;
  share: number | null;
  must: number;
  box_id: number | null;
}

const few = fc.option(fc.integer({ min: -2, max: 2 }));
const item: fc.Arbitrary<Item> = fc.record({
  group: fc.option(fc.constantFrom('x', 'X', 'ä', '')),
  size: few,
  share: fc.option(fc.constantFrom(0.1, -1.5, 1e-9, 1 / 3)),
  must: fc.integer({ min: 0, max: 3 }),
  box_id: fc.option(fc.integer({ min: 1, max: 3 })),
});
const orders = fc.uniqueArray(
  fc.tuple(fc.constantFrom('group', 'size', 'share', 'must', 'twice', 'box.name', 'box_id'), fc.boolean()),
  { minLength: 0, maxLength: 3, selector: ([name]) => name },
);
const filters = fc.constantFrom('', '&group=x', '&filter=must>0', '&filter=size>0 OR size IS NULL', '&size=1&size=2');

const COLUMNS = '"group", size, share, must, box_id';
const valuesOf = ({ group, size, share, must, box_id }: Item) => [group, size, share, must, box_id];

async function fill(items: readonly Item[]): Promise<void> {
  await both.run('DELETE FROM items', []);
  for (const [at, one] of items.entries()) {
    await both.run(`INSERT INTO items (id, ${COLUMNS}) VALUES (?, ?, ?, ?, ?, ?)`, [at + 1, ...valuesOf(one)]);
  }
}

const sortOf = (order: readonly (readonly [string, boolean])[]): string =>
  order.map(([name, descending]) => (descending ? '-' : '') + name).join();

async function idsOf(path: string): Promise<{ ids: number[]; next: string | null; prev: string | null }> {
  const { status, body } = await both.ask(path);
  expect(status).toBe(200);
  return { ids: body.data.map(({ id }) => id as number), next: body.page.next, prev: body.page.prev };
}

describe('pages by cursor', () => {
  test('forward and back are the whole list, cut up', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(item, { maxLength: 14 }),
        orders,
        filters,
        fc.integer({ min: 1, max: 5 }),
        async (items, order, filter, limit) => {
          await fill(items);
          const query = `sort=${sortOf([...order, ['id', order.at(-1)?.[1] ?? false]])}${encodeURI(filter)}`;
          const whole = await idsOf(`/items?${query}&limit=100`);
          const pages: number[][] = [];
          let last = `/items?${query}&limit=${limit}`;
          for (let next: string | null = last; next !== null;) {
            const page = await idsOf(next);
            pages.push(page.ids);
            [last, next] = [next, page.next];
          }
          expect(pages.flat()).toEqual(whole.ids);
          expect(pages.slice(0, -1).every(({ length }) => length === limit)).toBe(true);
          const back: number[][] = [];
          for (let prev = (await idsOf(last)).prev; prev !== null;) {
            const page = await idsOf(prev);
            back.unshift(page.ids);
            prev = page.prev;
          }
          expect(back).toEqual(pages.slice(0, -1));
        },
      ),
      { numRuns: Number(process.env.PAGING_RUNS ?? 40) },
    );
  }, 240_000);

  test('show each record once while others come and go', async () => {
    const change = fc.oneof(fc.record({ add: item }), fc.record({ remove: fc.integer({ min: 0, max: 13 }) }));
    await fc.assert(
      fc.asyncProperty(
        fc.array(item, { minLength: 4, maxLength: 14 }),
        orders,
        fc.integer({ min: 1, max: 3 }),
        fc.boolean(),
        fc.array(change, { minLength: 1, maxLength: 8 }),
        async (items, order, limit, backward, changes) => {
          await fill(items);
          const query = `sort=${sortOf([...order, ['id', order.at(-1)?.[1] ?? false]])}`;
          const whole = await idsOf(`/items?${query}&limit=100`);
          const left = new Set(whole.ids);
          const seen: number[] = [];
          let path: string | null = `/items?${query}&limit=${limit}`;
          if (backward) {
            // From the last record of all, towards the beginning.
            const end = await idsOf(`/items?${query}&limit=1&offset=${items.length - 1}`);
            seen.push(...end.ids);
            path = end.prev?.replace('limit=1', `limit=${limit}`) ?? null;
          }
          let added = items.length;
          const waiting = [...changes];
          while (path !== null) {
            const page = await idsOf(path);
            if (backward) seen.unshift(...page.ids);
            else seen.push(...page.ids);
            path = backward ? page.prev : page.next;
            const next = waiting.shift();
            if (next === undefined) continue;
            if ('add' in next) {
              added += 1;
              await both.run(`INSERT INTO items (id, ${COLUMNS}) VALUES (?, ?, ?, ?, ?, ?)`, [
                added,
                ...valuesOf(next.add),
              ]);
            } else {
              await both.run('DELETE FROM items WHERE id = ?', [next.remove + 1]);
              left.delete(next.remove + 1);
            }
          }
          // Nothing twice, nothing left out of what was there all the time, and that in its order.
          expect(new Set(seen).size).toBe(seen.length);
          expect(seen.filter((id) => left.has(id))).toEqual(whole.ids.filter((id) => left.has(id)));
        },
      ),
      { numRuns: Number(process.env.PAGING_RUNS ?? 40) },
    );
  }, 240_000);
});

describe('what is meant to harm', () => {
  const refused = async (path: string): Promise<string> => {
    const before = both.asked();
    const { status, body } = await both.ask(path);
    const wanted = path.length > 8_000 ? 414 : 400;
    expect([path.slice(0, 80), status]).toEqual([path.slice(0, 80), wanted]);
    expect(both.asked()).toBe(before);
    return JSON.stringify(body);
  };

  test('altered cursors are no cursors, at any place, and cost no statement', async () => {
    await fill([
      { group: 'x', size: 1, share: 0.1, must: 1, box_id: null },
      { group: 'y', size: 2, share: 0.2, must: 2, box_id: null },
      { group: 'z', size: 3, share: 0.3, must: 3, box_id: null },
    ]);
    const { next } = await idsOf('/items?sort=group,-size&limit=1');
    const cursor = new URL(next!, 'http://x.example').searchParams.get('after')!;
    const go = (text: string): string => `/items?sort=group,-size&limit=1&after=${encodeURIComponent(text)}`;
    expect((await idsOf(go(cursor))).ids).toEqual([2]);
    for (let at = 0; at < cursor.length; at += 1) {
      const other = cursor[at] === 'A' ? 'B' : 'A';
      expect(await refused(go(cursor.slice(0, at) + other + cursor.slice(at + 1)))).toContain(
        'is no cursor of this list',
      );
    }
    const forged = Buffer.from(JSON.stringify(['x', 1, "1' OR '1'='1"])).toString('base64url');
    for (const text of [
      '',
      cursor.slice(0, -1),
      `${cursor}A`,
      cursor.slice(22) + cursor.slice(0, 22),
      cursor.slice(0, 22) + forged,
      '\0',
      'ü'.repeat(50),
    ]) {
      await refused(go(text));
    }
    // Good for its own list alone: another order, filter or path makes another list.
    for (const list of ['sort=group,size', 'sort=group,-size&group=x', 'sort=group,-size&filter=must>0', 'sort=size']) {
      await refused(`/items?limit=1&after=${cursor}&${encodeURI(list)}`);
    }
    await refused(`/boxes?after=${cursor}`);
  });

  test.each([
    [
      'a filter of 10 000 terms',
      `filter=${encodeURIComponent(Array.from({ length: 10_000 }, (_none, at) => `size=${at}`).join(' OR '))}`,
    ],
    ['a filter of 10 000 words', `filter=size IN (${Array.from({ length: 10_000 }, () => '1').join()})`],
    [
      'a filter in JSON as deep',
      `filter-lang=cql2-json&filter=${'{"op":"not","args":['.repeat(2_000)}true${']}'.repeat(2_000)}`,
    ],
    ['parentheses without end', `filter=${'('.repeat(5_000)}`],
    ['a number without end', `filter=size > ${'9'.repeat(5_000)}`],
    ['a huge limit', 'limit=999999999999'],
    ['a negative limit', 'limit=-1'],
    ['a limit that is none', 'limit=1e2'],
    ['an offset beyond reason', 'offset=99999999999999999999'],
    ['a path that goes round', `fields=${Array.from({ length: 500 }, () => 'box').join('.')}.name`],
    ['includes that go round', `include=${Array.from({ length: 500 }, () => 'box').join('.')}`],
    ['an order without end', `sort=${Array.from({ length: 3_000 }, () => 'size').join()}`],
    ['text for SQL in a name', `sort=size;DROP TABLE items`],
    ['text for SQL in a field', `fields=id) FROM items--`],
    ['text for SQL in a value', `must=1 OR 1=1`],
    ['a name of every object', 'fields=__proto__'],
    ['a view of every object', 'view=constructor'],
    ['broken percent-encoding', 'filter=%E0%A4%A'],
  ])('%s: 400, and no statement', async (_what, query) => {
    await refused(`/items?${query.includes('%') ? query : encodeURI(query)}`);
  });

  test('text for SQL in a filter is a text', async () => {
    expect((await idsOf(`/items?filter=${encodeURIComponent("group = 'x'' OR 1=1 --'")}`)).ids).toEqual([]);
    expect((await idsOf("/items?group=x'%20OR%20'1'='1")).ids).toEqual([]);
    expect((await idsOf('/items?limit=100')).ids).toHaveLength(3);
  });
});
