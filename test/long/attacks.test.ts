import { fileURLToPath } from 'node:url';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { compile } from '../../src/core/compile.ts';
import { letters } from '../../src/core/expression/letters.ts';
import { openTestService } from '../kit/open-test-service.ts';
import type { TestReply, TestService, TestServiceOptions } from '../kit/open-test-service.ts';
import { otherProgram } from '../kit/other-program.ts';
import { kinds, serverDatabases } from '../kit/databases.ts';

// What strangers have tried with requests, and what each of them is answered. What ends or stops a whole program stands
// in attacks-on-program.test.ts.

const ATTACKED = fileURLToPath(new URL('../fixtures/attacked', import.meta.url));
/** Every name that objects, lists and texts inherit. */
const INHERITED = [
  ...new Set([Object.prototype, Array.prototype, String.prototype].flatMap((one) => Object.getOwnPropertyNames(one))),
];

/** How a text stands in a statement of each kind. */
const PLACE = { sqlite: '?1', postgres: '$1::text', mariadb: 'CAST(?1 AS CHAR)' } as const;

const database = serverDatabases();

describe.each(kinds)('attacks, on %s', (kind) => {
  let on: TestService;
  let address: string | undefined;
  const tokens = new Map<string, string>();
  const opened = async (name: string, options: TestServiceOptions = {}): Promise<TestService> =>
    openTestService(ATTACKED, {
      database: await database(kind, name),
      ...options,
      // What is tried here is not how long a busy machine takes.
      limits: { transaction: 60_000, ...options.limits },
    });
  const asService = <Result>(work: Parameters<TestService['service']['writes']['run']>[1]): Promise<Result> =>
    on.service.writes.run(null, work) as Promise<Result>;
  const make = (model: string, values: Record<string, unknown>): Promise<Record<string, never>> =>
    asService((work) =>
      on.service.writes
        .scopeOf(work)
        .model(model)
        .create(values as never),
    );
  const stored = (model: string, key: unknown): Promise<Record<string, unknown>> =>
    asService((work) =>
      on.service.writes
        .scopeOf(work)
        .model(model)
        .get(key as string),
    );

  beforeAll(async () => {
    on = await opened('attacked');
    address = on.store.address;
    for (const name of ['ada', 'bo', 'kit']) {
      const roles = name === 'kit' ? ['warden'] : [];
      await make('person', { name, email: `${name}@attacked.example`, passphrase: `${name} grey stones`, roles });
      tokens.set(name, await on.service.token(name, 3600));
    }
  });
  afterAll(async () => {
    expect(on.defects).toEqual([]);
    await on.close();
  });

  const as = (name: string) => ({ authorization: `Bearer ${tokens.get(name)}` });
  const ask = (name: string, method: string, target: string, body?: unknown, headers = {}): Promise<TestReply> =>
    on.ask(method, target, body, { ...(name === 'nobody' ? {} : as(name)), ...headers });
  /** A body as it is sent, to the letter. */
  async function sent(name: string, method: string, target: string, text: string, headers = {}): Promise<TestReply> {
    const own = { 'content-type': 'application/json', ...as(name), ...headers };
    const body = new TextEncoder().encode(text);
    const reply = await on.service.handle({ method, target, headers: own, body, client: '10.0.0.1' });
    return { ...reply, body: JSON.parse(reply.body ?? 'null') as unknown };
  }
  const rulesOf = ({ status, body }: TestReply): string[] => [
    `${status}`,
    ...((body.errors ?? []) as { pointer: string; rule: string }[]).map(({ pointer, rule }) => `${pointer} ${rule}`),
  ];
  const noteOf = async (name: string, more = {}): Promise<string> =>
    (await ask(name, 'POST', '/notes', { title: 'A note', ...more })).body.data.id as string;

  describe('names that everything inherits', () => {
    test('are no place of a JSON Patch, and nothing is written through them', async () => {
      const id = await noteOf('ada', { tags: ['a', 'b'], place: { x: 1 }, extra: { a: [1] } });
      const before = JSON.stringify(await stored('note', id));
      const patch = { 'content-type': 'application/json-patch+json' };
      const places = INHERITED.flatMap((name) => [
        `/${name}`,
        `/${name}/call`,
        `/tags/${name}`,
        `/title/${name}`,
        `/extra/a/${name}`,
        `/place/${name}/${name}`,
      ]);
      const odd = ['/tags/-1', '/tags/01', '/tags/1e0', '/tags/ 1', '/tags/2', '/extra/a/-', '/title/0'];
      for (const path of [...places, ...odd]) {
        for (const step of [
          { op: 'replace', path, value: 10_000_000 },
          { op: 'remove', path },
          { op: 'copy', from: path, path: '/text' },
        ]) {
          const told = await sent('ada', 'PATCH', `/notes/${id}`, JSON.stringify([step]), patch);
          expect([step, told.status]).toEqual([step, 422]);
        }
        const told = await sent(
          'ada',
          'PATCH',
          `/notes/${id}`,
          JSON.stringify([{ op: 'add', path: `${path}/x`, value: 1 }]),
          patch,
        );
        expect([path, told.status]).toEqual([path, 422]);
      }
      expect(JSON.stringify(await stored('note', id))).toBe(before);
    });

    test.each(INHERITED)('%s is nothing, wherever a name may stand', async (name) => {
      const encoded = encodeURIComponent(name);
      for (const query of [
        `${encoded}=1`,
        `sort=${encoded}`,
        `fields=${encoded}`,
        `include=${encoded}`,
        `view=${encoded}`,
        `fields=author.${encoded}`,
        `filter=${encodeURIComponent(`"${name}" = 1`)}`,
        `filter=${encodeURIComponent(`${name}(title) = 'x'`)}`,
        `filter=${encodeURIComponent(`place.${name} = 1`)}`,
        `filter-lang=${encoded}&filter=x`,
        `filter-lang=cql2-json&filter=${encodeURIComponent(JSON.stringify({ op: name, args: [] }))}`,
        `filter-lang=cql2-json&filter=${encodeURIComponent(`{"${name}":[]}`)}`,
      ]) {
        expect([query, (await ask('ada', 'GET', `/notes?${query}`)).status]).toEqual([query, 400]);
      }
      expect((await ask('ada', 'GET', `/${encoded}`)).status).toBe(404);
      expect((await ask('ada', 'GET', `/notes/${encoded}`)).status).toBe(404);
      expect((await ask('ada', 'GET', `/problems/${encoded}`)).status).toBe(404);
      expect([404, 405]).toContain((await ask('ada', 'POST', `/notes/${encoded}`, {})).status);
      const wrong = await sent('ada', 'POST', '/notes', `{"title":"x","${name}":1}`);
      expect(rulesOf(wrong)).toEqual(name === '__proto__' ? ['400'] : ['422', `/${name} unknown`]);
      const nested = await sent('ada', 'POST', '/notes', `{"title":"x","place":{"${name}":1}}`);
      expect(rulesOf(nested)).toEqual(name === '__proto__' ? ['400'] : ['422', `/place/${name} unknown`]);
      if (name === '__proto__') return;
      const kept = await sent('ada', 'POST', '/notes', `{"title":"x","extra":{"${name}":{"a":1}}}`);
      expect(kept.body.data.extra).toEqual(Object.fromEntries([[name, { a: 1 }]]));
      const merged = await ask('ada', 'PATCH', `/notes/${kept.body.data.id}`, { extra: { [name]: { b: 2 } } });
      expect(merged.body.data.extra).toEqual(Object.fromEntries([[name, { a: 1, b: 2 }]]));
    });
  });

  describe('letters', () => {
    const alphabet = [...'aZéÉßẞςΣıİǅ𝒳𐐀ﬁ日\u0301 '];
    const textOf = (length: number): string =>
      Array.from({ length }, (_one, at) => alphabet[(at * 7 + length) % alphabet.length]!).join('');

    test('of texts of any length are what JavaScript makes of them', async () => {
      const lengths = [...Array.from({ length: 70 }, (_one, at) => at + 1), 255, 256, 257, 4_095, 4_096, 9_999, 10_000];
      for (const length of lengths) {
        const text = textOf(length);
        const { body } = await ask('ada', 'POST', '/notes', { title: 'letters', text, tale: text });
        expect([length, body.data.loud]).toEqual([length, letters.upper(text)]);
        if (length > 400) continue;
        for (const change of ['CASEI', 'ACCENTI', 'lower', 'upper'] as const) {
          const made = letters[change.toLowerCase() as 'casei'](text).replaceAll("'", "''");
          const found = await ask(
            'ada',
            'GET',
            `/notes?id=${body.data.id}&filter=${encodeURIComponent(`${change}(tale) = '${made}'`)}`,
          );
          expect([change, length, found.status, found.body.data?.length]).toEqual([change, length, 200, 1]);
        }
      }
      expect(rulesOf(await ask('ada', 'POST', '/notes', { title: 'x', text: textOf(10_001) }))).toEqual([
        '422',
        '/text maxLength',
      ]);
    });

    test('cost what there are of them, and not its square', async () => {
      const sql = 'SELECT ' + `length(${on.store.dialect.expressions.letters('casei', PLACE[kind])})`;
      const timeOf = async (length: number): Promise<number> => {
        const times: number[] = [];
        for (let tries = 0; tries < 5; tries += 1) {
          const start = performance.now();
          await on.store.first({ sql }, [textOf(length)]);
          times.push(performance.now() - start);
        }
        return Math.min(...times);
      };
      await timeOf(1_000);
      const [few, many] = [await timeOf(4_000), await timeOf(40_000)];
      // Ten times as many: the square would be a hundred.
      expect(many / few).toBeLessThan(40);
    });
  });

  describe('numbers', () => {
    test.each([
      ['price', '9007199254740993.01', '9007199254740993.01'],
      ['price', '1234567890123456.78', '1234567890123456.78'],
      ['price', '1.25e1', '12.50'],
      ['price', '-0.00', '0.00'],
      ['weight', '0.10000000000000001', 0.1],
      ['weight', '1e-7', 1e-7],
      ['extra', '0.10000000000000001', 0.1],
      ['extra', '[1e21,123456789012345]', [1e21, 123456789012345]],
      ['count', '-9007199254740991', -9007199254740991],
    ])('%s takes %s as it is', async (member, digits, shown) => {
      const made = await sent('ada', 'POST', '/notes', `{"title":"x","${member}":${digits}}`);
      expect([made.status, made.body.data?.[member]]).toEqual([201, shown]);
    });

    test.each([
      ['price', '12345678901234567.89', 'type'],
      ['price', '1e400', 'type'],
      ['price', '0.001', 'scale'],
      ['price', `1${'0'.repeat(100_000)}`, 'type'],
      ['price', `"${'9'.repeat(500_000)}"`, 'type'],
      ['count', '9007199254740993', 'type'],
      ['count', '1.00000000000000000001', 'type'],
      ['count', '1e400', 'type'],
      ['weight', '1e400', 'type'],
      ['weight', '1e-400', 'type'],
      ['extra', '1234567890123456.78', 'type'],
      ['extra', '{"a":[1e400]}', 'type'],
      ['title', '12345678901234567890', 'type'],
    ])('%s refuses %s', async (member, digits, rule) => {
      const refused = await sent(
        'ada',
        'POST',
        '/notes',
        `{"title":"x","${member}":${digits}}`.replace('"title":"x","title"', '"title"'),
      );
      expect(rulesOf(refused)).toEqual(['422', `/${member} ${rule}`]);
      expect(JSON.stringify(refused.body)).not.toMatch(/\\u0000|[0-9a-f]{8}-[0-9a-f]{4}-4/);
    });

    test('in filters are exact in both encodings', async () => {
      await ask('ada', 'POST', '/notes', { title: 'exact', price: '1234567890123456.78' });
      const json = (digits: string): string =>
        `filter-lang=cql2-json&filter=${encodeURIComponent(`{"op":"=","args":[{"property":"price"},${digits}]}`)}`;
      for (const query of [
        `filter=${encodeURIComponent('price = 1234567890123456.78')}`,
        json('1234567890123456.78'),
      ]) {
        const { body } = await ask('ada', 'GET', `/notes?${query}`);
        expect((body.data as { title: string }[]).some(({ title }) => title === 'exact')).toBe(true);
      }
      expect((await ask('ada', 'GET', `/notes?${json('1234567890123456.79')}`)).body.data).toEqual([]);
    });
  });

  describe('bodies', () => {
    test('with hundreds of thousands of wrong values are refused at once, in few words', async () => {
      const bodies = [
        `{"title":"x","sizes":[${'-1,'.repeat(120_000)}-1]}`,
        `{"title":"x","sizes":[${'-1,'.repeat(9_000)}-1]}`,
        `{"title":"x","tags":[${'1,'.repeat(120_000)}1]}`,
        `{"title":"x",${Array.from({ length: 9_990 }, (_one, at) => `"n${at}":1`).join(',')}}`,
        `{"title":"x","place":{${Array.from({ length: 9_990 }, (_one, at) => `"n${at}":1`).join(',')}}}`,
        `[${'{"titel":1},'.repeat(9_999)}{}]`,
      ];
      for (const text of bodies) {
        const told = await sent('ada', 'POST', '/notes', text);
        expect(told.status).toBe(422);
        expect(told.body.errors.length).toBeLessThanOrEqual(100);
        expect(JSON.stringify(told.body).length).toBeLessThan(30_000);
      }
      const many = await sent('ada', 'POST', '/notes', `{"title":"x","sizes":[${'-1,'.repeat(450_000)}-1]}`);
      expect(many.status).toBe(413);
      const told = await sent('ada', 'POST', '/notes', bodies[1]!);
      expect(told.body).toMatchObject({
        title: 'The record breaks more than 100 rules',
        detail: 'the first 100 are told; there are more',
      });
    });

    test('lists have an end where none is declared', async () => {
      const sizes = (count: number) => ({ title: 'x', sizes: Array.from({ length: count }, () => 1) });
      expect((await ask('ada', 'POST', '/notes', sizes(10_000))).status).toBe(201);
      expect(rulesOf(await ask('ada', 'POST', '/notes', sizes(10_001)))).toEqual(['422', '/sizes maxItems']);
    });

    test('texts that have to have a form have an end, too, and are not even looked at beyond it', async () => {
      const code = (letters: number) => ({ title: 'x', code: 'a'.repeat(letters) });
      expect((await ask('ada', 'POST', '/notes', code(10_000))).status).toBe(201);
      expect(rulesOf(await ask('ada', 'POST', '/notes', code(10_001)))).toEqual(['422', '/code maxLength']);
      const site = `https://attacked.example/${'a'.repeat(900_000)}`;
      expect(rulesOf(await ask('ada', 'POST', '/notes', { title: 'x', site }))).toEqual(['422', '/site format']);
    });

    test('a few secrets may stand in one request', async () => {
      const people = (count: number) =>
        Array.from({ length: count }, (_one, at) => ({
          name: `p${count}-${at}`,
          email: `p${count}-${at}@attacked.example`,
          passphrase: 'grey',
        }));
      expect(rulesOf(await ask('nobody', 'POST', '/people', people(400)))).toEqual(['422', ' maxItems']);
      expect((await ask('nobody', 'POST', '/people', people(10))).status).toBe(201);
    });

    test.each([
      ['{"a":1,}', 'line 1, column 8'],
      ['{"a" 1}', 'line 1, column 6'],
      ['[1 2]', 'line 1, column 4'],
      ['{"a":tru}', 'line 1, column 9'],
      ['{\n "a": "b\\x"}', 'line 2, column 10'],
      ['[1,]', 'line 1, column 4'],
      ['{"é𝒳": ?}', 'line 1, column 9'],
      ['"a', 'line 1, column 3'],
      [`${'[1],\n'.repeat(3)}`, 'line 1, column 4'],
    ])('%j is told to break at %s', async (text, place) => {
      const told = await sent('ada', 'POST', '/notes', text);
      expect([told.status, told.body.detail]).toEqual([400, expect.stringContaining(place)]);
    });

    test('that are encoded are refused, not misread', async () => {
      const told = await sent('ada', 'POST', '/notes', '{"title":"x"}', { 'content-encoding': 'gzip' });
      expect([told.status, told.headers['accept-encoding']]).toEqual([415, 'identity']);
      expect((await sent('ada', 'POST', '/notes', '{"title":"x"}', { 'content-encoding': 'identity' })).status).toBe(
        201,
      );
    });
  });

  describe('owners', () => {
    const ways = ['PATCH', 'PUT'] as const;

    test.each(ways)('whoever may change a record does not become its owner by %s', async (method) => {
      for (const [owner, value] of [
        ['ada', 'bo'],
        ['ada', 'kit'],
        ['ada', null],
        [null, 'bo'],
        [null, 'ada'],
      ] as const) {
        const { id } = await make('note', { title: 'theirs', author_id: owner, open: true });
        const body = method === 'PUT' ? { title: 'theirs', open: true, author_id: value } : { author_id: value };
        // By the grant `where`, which anybody has; and for the owner's own, by that.
        for (const name of ['bo', 'ada', 'kit']) {
          const told = await ask(name, method, `/notes/${String(id)}`, body);
          expect([name, owner, value, ...rulesOf(told)]).toEqual([name, owner, value, '403', '/author_id may']);
        }
        expect((await stored('note', id)).author_id).toBe(owner);
        expect((await ask('nobody', method, `/notes/${String(id)}`, body)).status).toBe(401);
      }
    });

    test('a JSON Patch is no way round it', async () => {
      const { id } = await make('note', { title: 'theirs', author_id: 'ada', open: true });
      const steps = JSON.stringify([{ op: 'replace', path: '/author_id', value: 'bo' }]);
      const told = await sent('bo', 'PATCH', `/notes/${String(id)}`, steps, {
        'content-type': 'application/json-patch+json',
      });
      expect(rulesOf(told)).toEqual(['403', '/author_id may']);
    });

    test('a role that may change a record may give it to another', async () => {
      const { id } = await make('house', { title: 'Grey', keeper_id: 'ada' });
      const path = `/houses/${String(id)}`;
      expect(rulesOf(await ask('ada', 'PATCH', path, { keeper_id: 'bo' }))).toEqual(['403', '/keeper_id may']);
      expect(rulesOf(await ask('ada', 'PATCH', path, { keeper_id: null }))).toEqual(['403', '/keeper_id may']);
      expect((await ask('kit', 'PATCH', path, { keeper_id: 'bo' })).status).toBe(200);
      expect((await ask('kit', 'PATCH', path, { keeper_id: null })).status).toBe(200);
      expect((await ask('kit', 'PATCH', path, { keeper_id: 'kit' })).status).toBe(200);
    });

    test('to move a record so that its owner changes is the same thing', async () => {
      const house = async (keeper: string | null) => (await make('house', { title: 'h', keeper_id: keeper })).id;
      const [mine, other, theirs, nobodys] = [
        await house('ada'),
        await house('ada'),
        await house('bo'),
        await house(null),
      ];
      const { id } = await make('room', { title: 'r', house_id: mine, open: true });
      const path = `/rooms/${String(id)}`;
      for (const [name, house_id] of [
        ['bo', theirs],
        ['ada', theirs],
        ['ada', nobodys],
        ['ada', null],
        ['bo', null],
      ] as const) {
        for (const [method, body] of [
          ['PATCH', { house_id }],
          ['PUT', { title: 'r', open: true, house_id }],
        ] as const) {
          const told = await ask(name, method, path, body);
          expect([name, house_id, ...rulesOf(told)]).toEqual([name, house_id, '403', '/house_id may']);
        }
      }
      expect((await ask('ada', 'PATCH', path, { house_id: other })).status).toBe(200);
      expect((await stored('room', id)).house_id).toBe(other);
    });
  });

  describe('journals', () => {
    test('are of one life of a record, for those who have its key later, and for those who had it before', async () => {
      const actions = async (name: string, target: string): Promise<unknown> => {
        const { status, body } = await ask(name, 'GET', target);
        return status === 200
          ? (body.data as { action: string; by: string }[]).map(({ action, by }) => `${action} ${by}`)
          : status;
      };
      const ofA = '/shelves/a/journal';
      await ask('ada', 'POST', '/shelves', { code: 'a', secret_note: 'under the stone' });
      await ask('ada', 'PATCH', '/shelves/a', { secret_note: 'in the well' });
      // A list that is kept by its query must not outlive the record.
      const seen = ['update ada', 'create ada'];
      expect(await actions('ada', ofA)).toEqual(seen);
      expect(await actions('ada', '/shelves/journal?record=a')).toEqual(seen);
      expect(await actions('bo', ofA)).toBe(403);
      await ask('ada', 'DELETE', '/shelves/a');
      expect(await actions('ada', ofA)).toEqual(['delete ada', ...seen]);
      expect(await actions('bo', ofA)).toBe(403);

      await ask('bo', 'POST', '/shelves', { code: 'a' });
      expect(await actions('bo', ofA)).toEqual(['create bo']);
      expect(await actions('ada', ofA)).toBe(403);
      expect(await actions('bo', '/shelves/journal?record=a')).toEqual(['create bo']);
      expect(await actions('ada', '/shelves/journal?record=a')).toEqual(['delete ada', ...seen]);
      await ask('bo', 'DELETE', '/shelves/a');
      expect(await actions('bo', ofA)).toEqual(['delete bo', 'create bo']);
      await ask('ada', 'POST', '/shelves', { code: 'a' });
      expect(await actions('ada', ofA)).toEqual(['create ada']);
      expect(await actions('bo', '/shelves/journal?record=a')).toEqual(['delete bo', 'create bo']);
      expect(
        (await ask('bo', 'GET', '/shelves/journal?record=a')).body.data.every(
          (line: object) => !JSON.stringify(line).includes('stone'),
        ),
      ).toBe(true);
    });
  });

  describe('draws', () => {
    test('that are finer than their stock are an error of check', () => {
      const text = (scale: number) =>
        'model: tank\nfields: { level: { type: decimal, scale: 1, required: true } }\n' +
        `---\nmodel: pour\nfields: { litres: { type: decimal, scale: ${scale}, required: true } }\n` +
        'relations: { tank: { to: tank, required: true } }\n' +
        'draws:\n  - { from: tank.level, amount: litres }\n';
      const codes = (scale: number) =>
        compile({
          service: { file: 's', text: 'service: { name: X }' },
          models: [{ file: 'm', text: text(scale) }],
          environment: {},
        }).problems.map(({ code, severity }) => `${severity} ${code}`);
      expect(codes(2)).toContain('error inexact-amount');
      expect(codes(1)).not.toContain('error inexact-amount');
    });

    test('of more than a value can be, of less than nothing and of the record itself are refused', async () => {
      const { id: tank } = await make('tank', { level: '100.0' });
      const pour = (litres: string, times: string) => ask('nobody', 'POST', '/pours', { tank_id: tank, litres, times });
      expect(rulesOf(await pour('99999999999999999.9', '999999999999999999'))).toEqual(['422', '/tank_id draw']);
      expect(rulesOf(await pour('-0.1', '1'))).toEqual(['422', '/tank_id draw']);
      const made = await pour('2.5', '4');
      expect([made.status, (await stored('tank', tank)).level]).toEqual([201, '90.0']);
      const path = `/pours/${made.body.data.id}`;
      expect(
        rulesOf(await ask('nobody', 'PATCH', path, { litres: '99999999999999999.9', times: '999999999999999999' })),
      ).toEqual(['422', '/tank_id draw']);
      expect((await stored('tank', tank)).level).toBe('90.0');
      const itself = await ask('nobody', 'PATCH', `/tanks/${String(tank)}`, { source_id: tank, poured: 5 });
      expect(rulesOf(itself)).toEqual(['422', '/poured draw']);
      expect((await ask('nobody', 'POST', '/tanks', { level: '1', source_id: tank, poured: 5 })).status).toBe(201);
      expect((await stored('tank', tank)).level).toBe('85.0');
    });
  });

  test('what the database deletes along with a record is bounded, too', async () => {
    const small = await opened('attacked_along', { limits: { cascade: 6 } });
    const run = <Result>(work: (scope: ReturnType<TestService['service']['writes']['scopeOf']>) => Promise<Result>) =>
      small.service.writes.run(null, (at) => work(small.service.writes.scopeOf(at)));
    const person = { name: 'ada', email: 'ada@attacked.example', passphrase: 'grey stones' };
    await run((scope) => scope.model('person').create(person));
    const own = { authorization: `Bearer ${await small.service.token('ada', 3600)}` };
    for (const [beds, status] of [
      [3, 204],
      [4, 409],
    ] as const) {
      const house = await run(async (scope) => {
        const { id } = await scope.model('house').create({ title: 'h', keeper_id: 'ada' });
        for (const title of ['a', 'b', 'c']) {
          const ward = await scope.model('ward').create({ title, house_id: id! });
          if (title === 'a')
            for (let at = 0; at < beds; at += 1) await scope.model('bed').create({ ward_id: ward.id! });
        }
        return id as string;
      });
      const told = await small.ask('DELETE', `/houses/${house}`, undefined, own);
      expect([beds, told.status]).toEqual([beds, status]);
      expect((await small.ask('GET', `/houses/${house}`)).status).toBe(status === 204 ? 404 : 200);
    }
    await small.close();
  });

  test('a rule over other records holds, however many write at once', async () => {
    const { id } = await make('team', { most: 5 });
    const sent = Array.from({ length: 25 }, (_one, at) =>
      ask('nobody', 'POST', '/players', { team_id: id, name: `p${at}` }),
    );
    const statuses = (await Promise.all(sent)).map(({ status }) => status);
    expect(statuses.filter((one) => one === 201)).toHaveLength(5);
    expect(statuses.filter((one) => one === 422)).toHaveLength(20);
    const { body } = await ask('nobody', 'GET', `/players?team_id=${String(id)}`);
    expect(body.data).toHaveLength(5);
  });

  test('a delete of many deletes what matches when it goes', async () => {
    for (let at = 0; at < 20; at += 1) await make('note', { title: `clear ${at}`, author_id: 'ada', count: 77 });
    const cleared = (): Promise<TestReply> => ask('ada', 'DELETE', `/notes?filter=${encodeURIComponent('count = 77')}`);
    if (kind === 'sqlite') {
      expect((await cleared()).body.data).toEqual({ deleted: 20 });
      return;
    }
    const other = await otherProgram(address!);
    await other.run('BEGIN');
    await other.run('UPDATE notes SET count = 78 WHERE count = 77');
    const clearing = cleared();
    const isWaiting =
      kind === 'postgres'
        ? `SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`
        : `SELECT count(*) FROM information_schema.PROCESSLIST WHERE DB = database() AND ID <> connection_id()
            AND COMMAND <> 'Sleep' AND TIME_MS > 200`;
    while (Number((await other.run(isWaiting))[0]![0]) === 0) await new Promise(setImmediate);
    await other.run('COMMIT');
    await other.end();
    expect((await clearing).body.data).toEqual({ deleted: 0 });
    expect((await ask('ada', 'GET', `/notes?count=78&limit=100`)).body.data).toHaveLength(20);
  });

  test('thousands of records of one name cost little more than one each, and reads go by', async () => {
    // PostgreSQL is a dozen answers away for each.
    const count = kind === 'sqlite' ? 1500 : 400;
    const records = Array.from({ length: count }, () => ({ title: 'the same' }));
    let reads = 0;
    const making = ask('ada', 'POST', '/notes', records, { prefer: 'return=minimal' });
    let isDone = false;
    void making.then(() => (isDone = true));
    while (!isDone) {
      await ask('ada', 'GET', '/people/ada');
      await new Promise(setImmediate);
      reads += 1;
    }
    expect((await making).status).toBe(201);
    // A hundredth of a second is the longest that it keeps the thread for itself.
    expect(reads).toBeGreaterThan(10);
    expect((await ask('ada', 'GET', `/notes?slug=the-same-${count}`)).body.data).toHaveLength(1);
    expect((await ask('ada', 'GET', `/notes?slug=the-same-${count + 1}`)).body.data).toHaveLength(0);
  });
});

describe('limits', () => {
  const people = (on: TestService): Promise<unknown> =>
    on.service.writes.run(null, (work) =>
      on.service.writes
        .scopeOf(work)
        .model('person')
        .create({ name: 'ada', email: 'ada@attacked.example', passphrase: 'grey stones' }),
    );

  test.each<[string, string, string, Record<string, string>]>([
    ['bad tokens', 'GET', '/notes', { authorization: 'Bearer abc.def.ghi' }],
    ['unknown paths', 'GET', '/nothing', {}],
    ['the document', 'GET', '/openapi.json', {}],
    ['OPTIONS', 'OPTIONS', '/notes', {}],
    ['wrong methods', 'TRACE', '/notes', {}],
    ['lists', 'GET', '/notes', {}],
  ])('of requests count %s', async (_what, method, target, headers) => {
    const on = await openTestService(ATTACKED, { limits: { rate: 5 } });
    const statusOf = async (client: string): Promise<number> =>
      (await on.service.handle({ method, target, headers, client })).status;
    const statuses: number[] = [];
    for (let at = 0; at < 7; at += 1) statuses.push(await statusOf('10.0.0.9'));
    expect(statuses.slice(0, 5)).not.toContain(429);
    expect(statuses.slice(5)).toEqual([429, 429]);
    expect(await statusOf('10.0.0.8')).not.toBe(429);
    expect(
      (await on.service.handle({ method: 'GET', target: '/health/ready', headers: {}, client: '10.0.0.9' })).status,
    ).toBe(200);
    await on.close();
  });

  test('nobody uses up an address for others with sign-ins that are refused', async () => {
    const on = await openTestService(ATTACKED, { limits: { signIn: 2 } });
    await people(on);
    const sign = (email: string, passphrase: string): Promise<TestReply> =>
      on.ask('POST', '/tokens', { email, passphrase });
    const statuses: number[] = [];
    for (let at = 0; at < 40; at += 1) statuses.push((await sign('victim@attacked.example', 'guess')).status);
    expect(statuses.slice(0, 3)).toEqual([401, 401, 429]);
    expect((await sign('ada@attacked.example', 'grey stones')).status).toBe(200);
    await on.close();
  });
});

test('an input, a member or a computed value that everything has by nature is an error of check', () => {
  const text = (part: string) => `model: a\nfields: { b: { type: string } }\n${part}\n`;
  const codes = (part: string) =>
    compile({
      service: { file: 's', text: 'service: { name: X }' },
      models: [{ file: 'm', text: text(part) }],
      environment: {},
    }).problems.map(({ code }) => code);
  for (const part of [
    'operations: { try: { input: { constructor: { type: string } } } }',
    'operations: { try: { output: { constructor: { type: string } } } }',
    'operations: { constructor: {} }',
    "computed: { constructor: { type: string, value: 'lower(b)' } }",
    'relations: { constructor: { to: a } }',
    'views: { constructor: [b] }',
  ]) {
    expect([part, codes(part)]).toEqual([part, expect.arrayContaining(['reserved-name'])]);
  }
});
