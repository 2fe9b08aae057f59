import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { evaluate } from '../../src/core/expression/evaluate.ts';
import { toJson } from '../../src/core/expression/json.ts';
import { letters } from '../../src/core/expression/letters.ts';
import { parse } from '../../src/core/expression/parse.ts';
import { typedCondition } from '../../src/core/expression/type.ts';
import { everyStore } from '../kit/every-store.ts';
import type { Body, EveryStore } from '../kit/every-store.ts';
import { demoFolder } from '../kit/program.ts';

let both: EveryStore;
beforeAll(async () => void (both = await everyStore(demoFolder(), 'lists')));
afterAll(() => both.close());

const ask: EveryStore['ask'] = (path, parameters) => both.ask(path, parameters);

/** All huts, with all their members. */
const whole = { limit: '100', view: 'default' };

const errorsOf = async (parameters: Record<string, string>): Promise<unknown[]> => {
  const { status, body } = await ask('/v1/huts', parameters);
  expect(status).toBe(400);
  return (body as unknown as { errors: unknown[] }).errors;
};

describe('filter', () => {
  test.each([
    "valley = 'Askdal'",
    'beds BETWEEN 10 AND 30 AND NOT winter_room = true',
    "name LIKE '%Hut' OR altitude_m > 1500",
    "CASEI(name) LIKE CASEI('%SCREE%')",
    'opens_on IS NULL',
    'closes_on IS NOT NULL AND beds > 30',
    "valley IN ('Sulvik', 'Brattdal') AND altitude_m * 2 < 2000.5",
    "opens_on < DATE('2026-05-01')",
    'latitude > 61.25',
    'altitude_ft > 4000',
  ])('%s: in both encodings, as plain JavaScript reads it', async (text) => {
    const { graph } = both;
    const hut = graph.byName.get('hut')!;
    const scope = {
      model: hut,
      models: graph.byName,
      computedNames: () => [],
      computed: (_model: string, name: string) => hut.computed.find(({ member }) => member === name)?.value,
      letters,
    };
    const condition = typedCondition(parse(text), scope);
    const all = (await ask('/v1/huts', whole)).body.data;
    const wanted = all.filter((values) => evaluate(condition, { values: values as never, now: new Date() }) === true);
    expect(wanted.length).toBeGreaterThan(0);
    expect(wanted.length).toBeLessThan(all.length);
    const asked = await ask('/v1/huts', { ...whole, filter: text });
    expect(asked.body.data).toEqual(wanted);
    const json = JSON.stringify(toJson(parse(text)));
    expect((await ask('/v1/huts', { ...whole, filter: json, 'filter-lang': 'cql2-json' })).body.data).toEqual(wanted);
  });

  test('goes along paths, counts, and through other parameters and pages', async () => {
    const kept = await ask('/v1/huts', { filter: "warden.name LIKE 'I%'", fields: 'name', total: 'true' });
    expect(kept.body.data.length).toBe(kept.body.page.total);
    expect(kept.body.data.length).toBeGreaterThan(0);
    const many = await ask('/v1/huts', { filter: 'count(nights) > 0', limit: '5', sort: '-beds', total: 'true' });
    expect(many.body.data).toHaveLength(5);
    expect(many.body.page.total).toBeGreaterThan(5);
    const next = await ask(many.body.page.next!);
    expect(next.body.page.total).toBe(many.body.page.total);
    expect(next.body.data[0]).not.toEqual(many.body.data[0]);
    const first = many.body.data[0] as { id: string };
    const nights = await ask(`/v1/huts/${first.id}/nights`, { filter: 'beds_left >= 0', valley: 'x' }).then(
      ({ status }) => status,
    );
    expect(nights).toBe(400);
    const under = await ask(`/v1/huts/${first.id}/nights`, {
      filter: "date >= DATE('2026-06-14')",
      limit: '100',
      total: 'true',
    });
    expect(under.body.data.length).toBe(under.body.page.total);
    expect(under.body.data.every(({ hut_id: hut }) => hut === first.id)).toBe(true);
  });

  test('a moment of its own is that of the request, not of the first one', async () => {
    const { body } = await ask('/v1/huts', { filter: 'created_at < now()', total: 'true' });
    expect(body.page.total).toBe(18);
    expect((await ask('/v1/huts', { filter: 'opens_on > today()', total: 'true' })).body.page.total).toBe(0);
  });

  test.each([
    [{ filter: 'bed > 3' }, 'filter', 'at character 1: hut has no field or relation `bed`; did you mean beds?'],
    [{ filter: 'beds >' }, 'filter', 'at character '],
    [{ filter: 'beds + 1' }, 'filter', 'where a condition is needed'],
    [{ filter: 'name = 3' }, 'filter', 'at character'],
    [{ filter: 'warden.passphrase IS NULL' }, 'filter', 'member has no field or relation `passphrase`'],
    [{ filter: '{"op":"="', 'filter-lang': 'cql2-json' }, 'filter', 'this is not JSON'],
    [
      { filter: '{"op":"=","args":[{"property":"bed"},1]}', 'filter-lang': 'cql2-json' },
      'filter',
      'did you mean beds?',
    ],
    [{ filter: 'beds > 3', 'filter-lang': 'cql-text' }, 'filter-lang', 'did you mean cql2-text?'],
    [{ 'filter-lang': 'cql2-text' }, 'filter-lang', 'goes with filter'],
    [{ filter: Array.from({ length: 600 }, (_none, at) => `beds=${at}`).join('OR ') }, 'filter', ''],
    [{ filter: `${'('.repeat(500)}beds = 1${')'.repeat(500)}` }, 'filter', ''],
    [{ offset: '-1' }, 'offset', 'must be a whole number'],
    [{ offset: '5', after: 'x' }, 'offset', 'together with after'],
    [{ total: 'yes' }, 'total', 'must be true or false'],
  ])('%#: what is wrong is told with its place', async (parameters, parameter, detail) => {
    const given = Object.fromEntries(Object.entries(parameters).filter(([, value]) => value !== undefined)) as Record<
      string,
      string
    >;
    expect(await errorsOf(given)).toEqual(
      expect.arrayContaining([{ parameter, detail: expect.stringContaining(detail) as unknown }]),
    );
  });
});

describe('sort', () => {
  const byPoints = (one: string, other: string): number => Buffer.compare(Buffer.from(one), Buffer.from(other));

  /** Every record, page by page forward, and then backward from the end. */
  async function pages(sort: string, limit: number): Promise<unknown[][]> {
    const ids = (body: Body): unknown[] => body.data.map(({ id }) => id);
    const [forward, back]: [unknown[], unknown[]] = [[], []];
    let { body } = await ask('/v1/huts', { sort, limit: String(limit) });
    for (forward.push(...ids(body)); body.page.next !== null; forward.push(...ids(body)))
      ({ body } = await ask(body.page.next));
    for (back.unshift(...ids(body)); body.page.prev !== null; back.unshift(...ids(body)))
      ({ body } = await ask(body.page.prev));
    return [forward, back];
  }

  test.each([
    'warden.name,-beds',
    '-warden.name',
    'altitude_ft,name',
    '-cheapest,nights_open',
    'nights_open,-warden.joined_on',
  ])('%s: forward and back, each record once, in the order of plain JavaScript', async (sort) => {
    const huts = (await ask('/v1/huts', whole)).body.data;
    const members = new Map(
      (await ask('/v1/members', { limit: '100' })).body.data.map((member) => [member.id, member]),
    );
    const nights = (await ask('/v1/nights', { limit: '100', sort: 'price' })).body;
    const all = [...nights.data];
    for (let next = nights.page.next; next !== null;) {
      const { body } = await ask(next);
      all.push(...body.data);
      next = body.page.next;
    }
    const valueOf = (hut: Record<string, unknown>, name: string): string | number | null => {
      const own = all.filter(({ hut_id: of }) => of === hut.id);
      if (name === 'nights_open') return own.length;
      if (name === 'cheapest') return own.length === 0 ? null : Math.min(...own.map(({ price }) => Number(price)));
      if (name === 'altitude_ft') return Math.round(Number(hut.altitude_m) * 3.28084);
      if (name.startsWith('warden.')) return (members.get(hut.warden_id)?.[name.slice(7)] ?? null) as string | null;
      return hut[name] as string | number;
    };
    const wanted = [...huts].sort((one, other) => {
      const last = sort.split(',').at(-1)!.startsWith('-') ? '-id' : 'id';
      for (const part of [...sort.split(','), last]) {
        const name = part.replace('-', '');
        const [a, b] = [valueOf(one, name), valueOf(other, name)];
        if (a === b) continue;
        if (a === null || b === null) return a === null ? 1 : -1;
        const compared = typeof a === 'number' ? a - Number(b) : byPoints(a, String(b));
        return part.startsWith('-') ? -compared : compared;
      }
      return 0;
    });
    for (const seen of [await pages(sort, 4), await pages(sort, 7)].flat())
      expect(seen).toEqual(wanted.map(({ id }) => id));
  });

  test.each([
    ['warden', '`warden` is a record'],
    ['nights.price', 'is a list'],
    ['warden.nam', 'did you mean name?'],
    ['warden.passphrase', 'no field or relation `passphrase`'],
    ['name,-name', 'names name twice'],
    ['altitude', 'did you mean altitude_m?'],
  ])('%s: what can not be sorted by is told', async (sort, detail) => {
    expect(await errorsOf({ sort })).toEqual([
      { parameter: 'sort', detail: expect.stringContaining(detail) as unknown },
    ]);
  });
});

describe('offset', () => {
  test('jumps, and pages go on from there by cursors', async () => {
    const all = (await ask('/v1/huts', { limit: '100', sort: '-altitude_m' })).body.data;
    const page = await ask('/v1/huts', { limit: '4', sort: '-altitude_m', offset: '6', total: 'true' });
    expect(page.body.data).toEqual(all.slice(6, 10));
    expect(page.body.page.total).toBe(all.length);
    expect((await ask(page.body.page.next!)).body.data).toEqual(all.slice(10, 14));
    expect((await ask(page.body.page.prev!)).body.data).toEqual(all.slice(2, 6));
    expect((await ask('/v1/huts', { offset: '1000' })).body).toMatchObject({ data: [], page: { next: null } });
  });
});
