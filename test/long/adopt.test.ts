// Databases that were there before their models: adopted, checked, served, and tried.
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { adopt } from '../../src/core/adopt/models.ts';
import { compile } from '../../src/core/compile.ts';
import type { StoreKind } from '../../src/core/model/service.ts';
import { foundTables, keepingFound } from '../../src/core/tables/found.ts';
import { diffSchemas, noDecisions } from '../../src/core/tables/schema-diff.ts';
import { changeSummaries } from '../../src/core/tables/change-summary.ts';
import { designTables } from '../../src/core/tables/design.ts';
import type { Description } from '../../src/core/tables/description.ts';
import { adoptedText } from '../../src/cli/adopt/model-text.ts';
import { openDatabase } from '../../src/project/database.ts';
import { readProject } from '../../src/project/project.ts';
import type { SoundProject } from '../../src/project/project.ts';
import { openStore } from '../../src/store/open.ts';
import { adopted, asking, make, openService, send } from '../kit/adopted.ts';
import { ANYTHING, AWKWARD, KINDS, SEVERAL, SHOP, VALUES } from '../kit/awkward.ts';
import { kinds, testDatabases } from '../kit/databases.ts';
import { folderWith, vantfell } from '../kit/program.ts';
import { randomProject } from '../kit/random-project.ts';
import { dropProject, errorsIn, writeProject } from '../kit/try-project.ts';

const database = testDatabases();
const serverKinds = kinds.filter((kind) => kind !== 'sqlite');

const query = (filter: string): string => `filter=${encodeURIComponent(filter)}&total=true`;

describe.each(kinds)('a database of %s that was there already', (kind) => {
  test('every type is read, written, found and sorted by', async () => {
    const address = await database(kind, 'kinds');
    await make(address, KINDS[kind]);
    const { folder, said } = await adopted(address);
    const leftOut = said.notes.filter(({ what }) => what === 'left out').map(({ at }) => at);
    const { first, given, found, sorts, missing } = VALUES[kind];
    expect(leftOut).toEqual(missing);
    const service = await openService(folder);
    try {
      const ask = asking(service);
      expect((await ask('GET', '/kinds/1')).body.data).toEqual({ id: 1, ...first });
      const made = await ask('POST', '/kinds', given);
      expect([made.status, made.body]).toEqual([201, { data: expect.objectContaining({ id: 2, ...given }) }]);
      expect((await ask('GET', '/kinds/2')).body.data).toEqual(made.body.data);
      const same = await ask('PUT', '/kinds/2', given);
      expect([same.status, same.body.data]).toEqual([200, expect.objectContaining(given)]);
      const all = await ask('GET', `/kinds?${query(found.join(' AND '))}`);
      expect([all.status, all.body.page?.total]).toEqual([200, 1]);
      for (const [member, value] of Object.entries(first)) {
        if (!['string', 'number', 'boolean'].includes(typeof value)) continue;
        const one = await ask('GET', `/kinds?${member}=${encodeURIComponent(value as string)}`);
        expect([member, one.status, one.body.data?.some(({ id }) => id === 1)]).toEqual([member, 200, true]);
        // Far beyond what a column may have room for.
        const far = typeof value === 'number' ? '99999999999' : typeof value === 'string' ? '日本' : 'false';
        expect([200, 400]).toContain((await ask('GET', `/kinds?${member}=${encodeURIComponent(far)}`)).status);
      }
      for (const member of sorts) {
        const page = await ask('GET', `/kinds?limit=1&sort=${member}`);
        const rest = await ask('GET', page.body.page.next!);
        const keys = [...page.body.data, ...rest.body.data].map(({ id }) => Number(id));
        expect([member, keys.sort()]).toEqual([member, [1, 2]]);
      }
    } finally {
      await service.close();
    }
  }, 300_000);

  test('an awkward one is adopted, and passes its trial', async () => {
    const address = await database(kind, 'awkward');
    await make(address, AWKWARD[kind]);
    const { folder, said } = await adopted(address);
    expect(said.models.map(({ model, table }) => `${model}: ${table}`).sort()).toEqual([
      'a: a',
      'b: b',
      'child: child',
      'comp: comp',
      'customer: Customers',
      'line-2: LINE 2',
      'line: line',
      'order: order',
      'tag: tags',
      'young: young',
    ]);
    const notes = said.notes.map(({ at, text }) => `${at}: ${text}`);
    expect(notes).toContain('line.amount: its default 0 breaks a rule of its own');
    expect(notes).toContain('log: a table without a key in which no column tells the rows apart');
    expect((await vantfell(['check', '-C', folder])).out).toContain('sound: Project, 10 models');
    expect((await vantfell(['migrate', 'status', '-C', folder])).out).toContain('the models fit them');
    const samples = await vantfell(['export', 'samples', '--rows', '2', '-C', folder, '--json']);
    expect(samples.code).toBe(0);
    expect(JSON.parse(samples.out)).toMatchObject({ written: expect.arrayContaining([]) });
    const tried = await vantfell(['trial', '-C', folder, '--json']);
    const { failed, passed } = JSON.parse(tried.out) as { failed: number; passed: number };
    expect([tried.code, failed, passed > 300]).toEqual([0, 0, true]);

    const order = { customer_id: 1, parent_id: 1, tag_ids: [2], total_sum: '1.50' };
    const made = await send(folder, 'POST', '/orders', order);
    expect([made.status, made.body.data ?? made.body]).toEqual([
      201,
      expect.objectContaining({ ...order, state: 'new' }),
    ]);
    const [one] = (await send(folder, 'GET', '/customers?include=orders&sort=full_name&limit=1')).body.data;
    expect((one!.orders as { data: unknown[] }).data).toHaveLength(2);
    expect((await send(folder, 'GET', '/youngs')).body.data).toHaveLength(1);
    // Rules that no model can say are those of the database.
    expect(await send(folder, 'POST', '/children', { code: 'XY', owner_id: 1, weight: 13 })).toMatchObject({
      status: 422,
      body: { errors: [{ rule: 'database', detail: expect.stringContaining('a rule of the database') }] },
    });
    expect((await send(folder, 'POST', '/children', { code: 'XY', owner_id: 99_999_999_999, weight: 1 })).status).toBe(
      422,
    );
    expect((await send(folder, 'GET', '/customers/99999999999')).status).toBe(404);
    expect((await send(folder, 'GET', '/children/%E6%97%A5')).status).toBe(404);
    expect((await send(folder, 'DELETE', '/customers/1')).status).toBe(409);
  }, 300_000);

  test('keys of several columns are taken, with what refers to them', async () => {
    const address = await database(kind, 'several');
    await make(address, SEVERAL(kind));
    const { folder, said } = await adopted(address);
    const notes = said.notes.map(({ at, text }) => `${at}: ${text}`);
    expect(notes.sort()).toEqual([
      'crates.RackNo: refers to Racks as well: it is a part of the relation shelf_place',
      'gifts.rack: refers to Shelf Places, and is the key as well: a field, no relation',
      'halves.rack: refers to Shelf Places by 2 columns, some of which may be null, or stand in another relation: ' +
        'a field, no relation',
    ]);
    const keys = said.models.map(({ model }) => {
      const text = readFileSync(join(folder, `models/${model}.yaml`), 'utf8');
      return `${model}: ${/^key: (.*)$/m.exec(text)?.[1]}`;
    });
    expect(keys.sort()).toEqual([
      'crate: serial',
      'gift: [rack, lvl]',
      'half: serial',
      'note: serial',
      'price: [wine, since]',
      expect.stringMatching(/^rack: /),
      'rate: { fields: [grp, id], name: key }',
      'seal: [shelf_place, code]',
      'shelf-place: [rack, level]',
    ]);
    expect((await vantfell(['check', '-C', folder])).out).toContain('sound: Project, 9 models');
    expect((await vantfell(['export', 'samples', '--rows', '9', '-C', folder])).code).toBe(0);
    const tried = await vantfell(['trial', '-C', folder, '--json']);
    const { failed, passed, failures } = JSON.parse(tried.out) as { failed: number; passed: number; failures: unknown };
    expect([failures, tried.code, failed, passed > 300]).toEqual([[], 0, 0, true]);

    const service = await openService(folder);
    const ask = asking(service);
    try {
      const seal = (await ask('GET', '/seals/1,1,A%252C1?include=shelf_place.rack')).body.data;
      expect(seal).toMatchObject({ shelf_place_id: '1,1', code: 'A,1', shelf_place: { rack: { name: 'north' } } });
      const made = await ask('POST', '/crates', { shelf_place_id: '1,2', bottles: 3 });
      expect([made.status, made.body.data]).toEqual([
        201,
        expect.objectContaining({ shelf_place_id: '1,2', bottles: 3 }),
      ]);
      expect((await ask('POST', '/crates', { shelf_place_id: '9,9', bottles: 3 })).status).toBe(422);
      expect((await ask('POST', '/prices', { wine: 'red', since: '2026-01-01', price: '1.00' })).status).toBe(409);
      expect((await ask('PATCH', '/prices/red,2026-01-01', { price: '10.00' })).body.data.price).toBe('10.00');
      expect((await ask('DELETE', '/shelf-places/1,2')).status).toBe(409);
      expect((await ask('DELETE', `/crates/${String(made.body.data.id)}`)).status).toBe(204);
      expect((await ask('DELETE', '/shelf-places/1,2')).status).toBe(204);
      expect((await ask('GET', '/notes?words=cold')).body.data).toMatchObject([{ shelf_place_id: null }]);
      expect((await ask('GET', '/rates/1,1')).body.data).toEqual({ key: '1,1', grp: 1, id: 1, rate: 5 });
    } finally {
      await service.close();
    }
  }, 300_000);

  test('a shop that declares no references, with a view and a trigger, goes on as it was', async () => {
    const address = await database(kind, 'shop');
    await make(address, SHOP(kind));
    const { folder, said } = await adopted(address);
    expect(said.models.map(({ model, endpoints }) => `${model}: ${endpoints.length}`).sort()).toEqual([
      'article: 6',
      'order-head: 6',
      'order-line: 6',
      'sold-per-article: 1',
    ]);
    expect(said.notes.filter(({ what }) => what === 'look').map(({ at, text }) => `${at}: ${text}`)).toEqual([
      'OrderLines.OrderID: looks like a reference to OrderHeads; as a relation: order: ' +
        '{ to: order-head, column: OrderID }',
      'OrderLines.ArticleID: looks like a reference to Articles; as a relation: article: ' +
        '{ to: article, column: ArticleID }',
    ]);
    expect((await vantfell(['export', 'samples', '--rows', '9', '-C', folder])).code).toBe(0);
    const model = join(folder, 'models/order-line.yaml');
    const declared = readFileSync(model, 'utf8').replace(/^ {2}(order|article)_id: .*\n/gm, '');
    const relations =
      'relations:\n  order: { to: order-head, column: OrderID }\n  article: { to: article, column: ArticleID }\n';
    writeFileSync(model, declared.replace('[order_id, line_no]', '[order, line_no]') + relations);
    const service = await openService(folder);
    const ask = asking(service);
    try {
      expect((await ask('GET', '/order-lines/1,1?include=article,order')).body.data).toMatchObject({
        article: { article_name: 'Rope, 40 m' },
        order: { user: 'ada' },
      });
      const line = { order_id: 1, line_no: 2, article_id: 2, qty: 3 };
      expect(await ask('POST', '/order-lines', line)).toMatchObject({
        status: 201,
        body: { data: { id: '1,2', ...line } },
      });
      expect((await ask('GET', '/articles/2')).body.data).toMatchObject({ in_stock: 2, unit_price: '24.50' });
      expect((await ask('GET', '/sold-per-articles?sort=article_id')).body.data).toEqual([
        { article_id: 1, sold: expect.anything() },
        { article_id: 2, sold: expect.anything() },
      ]);
      expect((await ask('POST', '/order-lines', { ...line, line_no: 3, qty: 0 })).status).toBe(422);
    } finally {
      await service.close();
    }
  }, 300_000);

  test('what another program changes meanwhile is seen at once', async () => {
    const address = await database(kind, 'meanwhile');
    await make(
      address,
      `CREATE TABLE teas (id bigint PRIMARY KEY, name varchar(20) NOT NULL); INSERT INTO teas VALUES (0, 'x')`,
    );
    const { folder } = await adopted(address);
    const service = await openService(folder);
    const ask = asking(service);
    const other = await openStore(address, { asItIs: true });
    const run = (sql: string) => other.transaction((transaction) => transaction.run({ sql }, []));
    try {
      for (let at = 1; at <= 60; at += 1) {
        await run(`INSERT INTO teas (id, name) VALUES (${at}, 'tea ${at}')`);
        expect((await ask('GET', '/teas?total=true&limit=1&sort=-id')).body).toMatchObject({
          data: [{ id: at, name: `tea ${at}` }],
          page: { total: at + 1 },
        });
        await run(`UPDATE teas SET name = 'changed' WHERE id = ${at}`);
        expect((await ask('GET', `/teas/${at}`)).body.data).toEqual({ id: at, name: 'changed' });
      }
      const tag = await service
        .fetch(new Request('http://x.example/teas/7'))
        .then(({ headers }) => headers.get('etag')!);
      await run('DELETE FROM teas WHERE id = 7');
      const headers = { 'if-match': tag, 'content-type': 'application/json' };
      const late = new Request('http://x.example/teas/7', { method: 'PATCH', headers, body: '{"name":"mine"}' });
      expect((await service.fetch(late)).status).toBe(404);
      // What is new beside the models is nobody's business; what goes is an error until it is there again.
      await run('ALTER TABLE teas ADD COLUMN colour varchar(20)');
      await run('CREATE TABLE cups (id integer PRIMARY KEY)');
      expect((await ask('POST', '/teas', { id: 100, name: 'late' })).status).toBe(201);
      await run('ALTER TABLE teas RENAME TO gone');
      expect((await ask('GET', '/teas/1')).status).toBe(500);
      expect((await vantfell(['check', '-C', folder])).out).toContain('the database has no table teas');
      await run('ALTER TABLE gone RENAME TO teas');
      expect((await ask('GET', '/teas/1')).status).toBe(200);
    } finally {
      await other.close();
      await service.close();
    }
  }, 300_000);

  test('nothing is made in it before that is allowed, and what needs it says so', async () => {
    const address = await database(kind, 'own');
    await make(address, 'CREATE TABLE teas (id varchar(10) PRIMARY KEY, name varchar(20) NOT NULL)');
    const { folder } = await adopted(address);
    expect((await send(folder, 'POST', '/teas', { id: '1', name: 'Äneas' })).status).toBe(201);
    const folded = `/teas?filter=${encodeURIComponent("CASEI(name) = 'äneas'")}`;
    expect((await send(folder, 'GET', folded)).status).toBe(400);
    const keyed = [
      'send',
      'POST',
      '/teas',
      '{"id":"2","name":"x"}',
      '-H',
      'Idempotency-Key: 1',
      '--json',
      '-C',
      folder,
    ];
    expect(JSON.parse((await vantfell(keyed)).out)).toMatchObject({ status: 400 });
    const model = join(folder, 'models/tea.yaml');
    writeFileSync(model, `${readFileSync(model, 'utf8')}journal: true\n`);
    const checked = await vantfell(['check', '-C', folder]);
    expect([checked.code, checked.out]).toEqual([1, expect.stringContaining('vantfell migrate own')]);
    expect((await vantfell(['seed', '-C', folder])).code).toBe(1);
    expect(await tablesOf(address)).toEqual(['teas']);

    const asked = await vantfell(['migrate', 'own', '-C', folder]);
    expect([asked.code, asked.err]).toEqual([2, expect.stringContaining('vantfell_journal')]);
    expect(await tablesOf(address)).toEqual(['teas']);
    expect((await vantfell(['migrate', 'own', '--yes', '-C', folder])).code).toBe(0);
    expect(await tablesOf(address)).toContain('vantfell_journal');
    expect((await vantfell(['check', '-C', folder])).code).toBe(0);
    expect((await send(folder, 'GET', folded)).body.data).toHaveLength(1);
    expect(JSON.parse((await vantfell(keyed)).out)).toMatchObject({ status: 201 });
    expect((await send(folder, 'GET', '/teas/2/journal')).body.data).toHaveLength(1);
    for (const what of ['run', 'undo']) {
      const ran = await vantfell(['migrate', what, '-C', folder]);
      expect([what, ran.code, ran.err]).toEqual([what, 1, expect.stringContaining('are not changed')]);
    }
    // What is new in the database comes into the project as it is.
    await make(address, 'CREATE TABLE cups (id integer PRIMARY KEY, teas varchar(10) REFERENCES teas (id))');
    const more = await vantfell(['adopt', address, '--into', folder, '--json']);
    expect(JSON.parse(more.out)).toMatchObject({ models: [{ model: 'cup' }] });
    // The journal goes on where the tables are taken over.
    expect((await vantfell(['migrate', 'draft', '--yes', '-C', folder])).code).toBe(0);
    await vantfell(['migrate', 'run', '-C', folder]);
    expect((await send(folder, 'PATCH', '/teas/2', { name: 'y' })).status).toBe(200);
    expect((await send(folder, 'GET', '/teas/2/journal')).body.data).toHaveLength(2);
  }, 300_000);

  test('three hundred tables are adopted and served', async () => {
    const address = await database(kind, 'many');
    const tables = Array.from(
      { length: 300 },
      (_none, at) =>
        `CREATE TABLE thing_${at} (id integer PRIMARY KEY, name varchar(20), ` +
        `other_id integer REFERENCES thing_${Math.max(0, at - 1)} (id));`,
    );
    await make(address, tables.join('\n'));
    const { folder, said } = await adopted(address, '--except', 'thing_1,thing_29*');
    expect(said.models).toHaveLength(288);
    expect((await send(folder, 'GET', '/thing-250s')).status).toBe(200);
  }, 300_000);

  test('models that do not fit it are told, with the nearest name', async () => {
    const address = await database(kind, 'fit');
    await make(address, 'CREATE TABLE teas (id integer PRIMARY KEY, name varchar(20) NOT NULL, made date)');
    const { folder } = await adopted(address);
    const model = join(folder, 'models/tea.yaml');
    const text = readFileSync(model, 'utf8');
    for (const [from, to, said] of [
      ['name: {', 'nme: {', 'did you mean name?'],
      ['name: {', 'strength: { column: NAME,', 'the case of its letters'],
      ['type: date', 'type: boolean', 'can not be read as boolean'],
      ['model: tea', 'model: tea\ntable: Teas', 'the case of its letters'],
      ['model: tea', 'model: tea\ntable: tee', 'did you mean teas?'],
      ['stamps: false', 'stamps: true', 'stamps: false'],
    ] as const) {
      expect(text).toContain(from);
      writeFileSync(model, text.replace(from, to));
      const { code, out } = await vantfell(['check', '-C', folder]);
      expect([to, code, out]).toEqual([to, 1, expect.stringContaining(said)]);
      expect((await vantfell(['send', 'GET', '/teas', '-C', folder])).code).toBe(1);
    }
    // What is described is what is served: a column takes no more than it has room for.
    writeFileSync(model, text.replace('maxLength: 20', 'maxLength: 100'));
    const { out } = await vantfell(['export', 'openapi', '-C', folder]);
    expect(JSON.parse(out)).toMatchObject({
      components: { schemas: { Tea: { properties: { name: { maxLength: 20 } } } } },
    });
  }, 300_000);

  const RUNS = kind === 'sqlite' ? 25 : 8;
  const SEED = Number(process.env.VANTFELL_SEED ?? Date.now() % 1_000_000_000);

  test('models made from tables that were made from models give the same tables', async () => {
    let [tried, parts] = [0, 0];
    for (let seed = SEED; tried < RUNS; seed += 1) {
      const folder = writeProject(randomProject(seed).files);
      try {
        if (errorsIn(folder).length > 0) continue;
        tried += 1;
        const project = readProject(folder) as SoundProject;
        const address = await database(kind, `again_${seed}`);
        const { store } = await openDatabase(project, address);
        try {
          const catalogue = await store.catalogue(true);
          const { models } = adopt(catalogue, {
            apart: new Map(),
            isWanted: () => true,
            modelNames: [],
          });
          const service = { file: 'vantfell.yaml', text: 'service: { name: X }\n' };
          const texts = models.map((model) => ({ file: `models/${model.model}.yaml`, text: adoptedText(model) }));
          const { graph, problems } = compile({ service, models: texts, environment: {} });
          expect([seed, problems.filter(({ severity }) => severity === 'error')]).toEqual([seed, []]);
          // Where they are taken over, at most an index is missing; and they can be made again.
          const found = foundTables(graph!, catalogue, kind === 'sqlite');
          const left = diffSchemas(found, keepingFound(designTables(graph!), found), noDecisions);
          const changes = changeSummaries(left, noDecisions).map(({ subject, text }) => `${subject} ${text}`);
          expect([seed, changes.filter((words) => !words.endsWith(' a new index'))]).toEqual([seed, []]);
          const [is, anew, asFound] = await store.alter(async (alteration) => [
            await alteration.describe(),
            await alteration.describeAnew(designTables(graph!)),
            await alteration.describeAnew(found),
          ]);
          const columns = (all: Description[string] | undefined): string[] =>
            Object.entries(all ?? {})
              .flatMap(([part, words]) => (part.startsWith('column ') ? [`${part} ${words}`] : []))
              .sort();
          if (kind !== 'sqlite')
            for (const { name } of found) expect([seed, columns(asFound[name])]).toEqual([seed, columns(is[name])]);
          const wanted = without(is, (table) => table.startsWith('vantfell_'));
          for (const [table, all] of Object.entries(wanted))
            for (const [part, words] of Object.entries(all)) {
              parts += 1;
              expect([seed, table, part, plainly(anew[table]?.[part])]).toEqual([seed, table, part, plainly(words)]);
            }
        } finally {
          await store.close();
        }
      } finally {
        dropProject(folder);
      }
    }
    expect(parts).toBeGreaterThan(RUNS * 20);
  }, 600_000);
});

/**
 * Models have no words for an index from high to low. On SQLite a uuid is a text, which must not be empty, and one
 * check of a boolean, which is a number there, is enough.
 */
const plainly = (words = ''): string =>
  words
    .replaceAll(/ desc\b/gi, '')
    .replaceAll(/check\(length\([^)]+\)>= 1\)/g, '')
    .replaceAll(' ', '')
    .replaceAll(/check\([^()]*in\(0,1\)\)/g, '');

test('a file that other programs have written anything into is read as it is, and told', async () => {
  const address = await database('sqlite', 'anything');
  await make(address, ANYTHING);
  const { folder, said } = await adopted(address);
  expect(said.notes.map(({ at, text }) => `${at}: ${text}`)).toEqual([
    'things.qty: it holds "many", which is not a whole number: a text',
    'things.made: it holds "12/05/2026", which is not a date and time: a text',
    'things.price: it holds "n/a", which is not a number: a text',
    'things.day: it holds "2.1.2026", which is not a date and time: a text',
    'things.ok: it holds "yes", which is not 0 or 1: a text',
    'things.bytes: text, with bytes in it, has no form in JSON',
    'things.ref: it holds "nope", which is no UUID: a string',
    'things.size: it holds "big", which is not a number: a text',
  ]);
  const [first, second] = (await send(folder, 'GET', '/things')).body.data;
  expect(first).toEqual({
    ...{ id: 1, qty: '5', made: '2026-01-02 03:04:05', price: '12.5', day: '2026-01-02', ok: '1', ref: 'nope' },
    size: '1.5',
  });
  expect(second).toMatchObject({ qty: 'many', made: '12/05/2026', price: 'n/a', size: 'big' });
  expect((await send(folder, 'GET', '/things?qty=many&sort=-made')).body.data).toMatchObject([{ id: 2 }]);
});

test.each(serverKinds)(
  'an account of %s that may only read serves it',
  async (kind) => {
    const address = await database(kind, 'reading');
    await make(
      address,
      `CREATE TABLE teas (id integer PRIMARY KEY, name varchar(20)); INSERT INTO teas VALUES (1, 'x')`,
    );
    const readers = await readingOnly(kind, address);
    const { folder, said } = await adopted(readers);
    expect(said.models).toMatchObject([{ model: 'tea', endpoints: ['list', 'read'] }]);
    const service = await openService(folder);
    try {
      const ask = asking(service);
      expect((await ask('GET', '/teas')).body.data).toEqual([{ id: 1, name: 'x' }]);
      expect((await ask('GET', '/teas/1')).status).toBe(200);
      expect((await ask('POST', '/teas', { name: 'y' })).status).toBe(405);
    } finally {
      await service.close();
    }
    const model = join(folder, 'models/tea.yaml');
    writeFileSync(model, readFileSync(model, 'utf8').replace('[list, read]', '[list, read, create]'));
    expect((await vantfell(['check', '-C', folder])).out).toContain('the account may not change teas');
    expect((await vantfell(['migrate', 'own', '--yes', '-C', folder])).code).toBe(3);
    const texts = ['vantfell.yaml', '.gitignore', 'models/tea.yaml'].map((file) =>
      readFileSync(join(folder, file), 'utf8'),
    );
    expect(texts.join('')).not.toContain('secret');
    expect(readFileSync(join(folder, '.env'), 'utf8')).toContain('secret');
  },
  300_000,
);

test('a schema of PostgreSQL may have any name, and a trial needs none of it', async () => {
  const address = await database('postgres', 'schemas');
  await make(address, 'CREATE SCHEMA "Odd Name"; CREATE TABLE "Odd Name".teas (id integer PRIMARY KEY, name text)');
  const { folder, said } = await adopted(address, '--schema', 'Odd Name');
  expect(said.models).toMatchObject([{ model: 'tea' }]);
  expect((await send(folder, 'POST', '/teas', { id: 1, name: 'x' })).status).toBe(201);
  expect((await vantfell(['trial', '-C', folder])).code).toBe(0);
  const none = await vantfell(['adopt', address, join(folderWith(), 'x'), '--schema', 'nowhere']);
  expect([none.code, none.err]).toEqual([1, expect.stringContaining('the schema nowhere has no table')]);
});

test('a file is read as it is: not a byte of it changes', async () => {
  const address = await database('sqlite', 'reading');
  const file = address.slice('sqlite:'.length);
  await make(
    address,
    'PRAGMA user_version = 7; CREATE TABLE teas (id integer PRIMARY KEY); INSERT INTO teas VALUES (1)',
  );
  const before = readFileSync(file);
  const { folder } = await adopted(address);
  expect((await vantfell(['check', '-C', folder])).code).toBe(0);
  expect((await send(folder, 'GET', '/teas/1')).status).toBe(200);
  expect(readFileSync(file).equals(before)).toBe(true);
  const missing = await vantfell(['adopt', 'sqlite:/no/such/file.db', join(folderWith(), 'x')]);
  expect([missing.code, missing.err]).toEqual([3, expect.stringContaining('there is no such file')]);
});

/** The address for somebody who may read alone. */
async function readingOnly(kind: StoreKind, address: string): Promise<string> {
  const url = new URL(address);
  const name = `reader_${Date.now() % 1_000_000}`;
  const database = url.pathname.slice(1);
  await make(
    address,
    kind === 'postgres'
      ? `CREATE USER ${name} PASSWORD 'secret words'; GRANT SELECT ON teas TO ${name}`
      : `CREATE USER ${name} IDENTIFIED BY 'secret words'; GRANT SELECT ON ${database}.teas TO ${name}`,
  );
  [url.username, url.password] = [name, 'secret words'];
  return url.href;
}

const without = (description: Description, is: (table: string) => boolean): Description =>
  Object.fromEntries(Object.entries(description).filter(([table]) => !is(table)));

async function tablesOf(address: string): Promise<string[]> {
  const store = await openStore(address, { asItIs: true });
  try {
    return (await store.catalogue(false)).tables.map(({ name }) => name);
  } finally {
    await store.close();
  }
}
