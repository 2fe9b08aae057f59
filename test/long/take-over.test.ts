// Tables that were there before their models, and that migrations change from then on.
import { cpSync, existsSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { parse, stringify } from 'yaml';
import type { StoreKind } from '../../src/core/model/service.ts';
import type { Catalogue } from '../../src/core/tables/catalogue.ts';
import { openStore } from '../../src/store/open.ts';
import { adopted, asking, make, openService } from '../kit/adopted.ts';
import { AWKWARD, KINDS, SEVERAL, SHOP, VALUES } from '../kit/awkward.ts';
import { kinds, testDatabases } from '../kit/databases.ts';
import { folderWith, vantfell } from '../kit/program.ts';

const database = testDatabases();

interface Drafted {
  readonly written: readonly string[];
  readonly changes: readonly { subject: string; text: string; risks: unknown[] }[];
}

async function ran(folder: string, ...words: string[]): Promise<unknown> {
  const { code, out, err } = await vantfell([...words, '--json', '-C', folder]);
  expect([words, code, code === 0 ? '' : err + out]).toEqual([words, 0, '']);
  return JSON.parse(out);
}

const draft = (folder: string, ...words: string[]): Promise<Drafted> =>
  ran(folder, 'migrate', 'draft', ...words) as Promise<Drafted>;

/** Every list of a project, as its service answers. */
async function listsOf(folder: string): Promise<Record<string, unknown>> {
  const service = await openService(folder);
  try {
    const ask = asking(service);
    const { links } = (await ask('GET', '/')).body.data as unknown as { links: Record<string, string> };
    const paths = Object.values(links).filter((path) => !/^\/(openapi|health)/.test(path));
    const lists: Record<string, unknown> = {};
    for (const path of paths) lists[path] = (await ask('GET', path)).body;
    expect(paths.length).toBeGreaterThan(0);
    return lists;
  } finally {
    await service.close();
  }
}

async function catalogueOf(address: string): Promise<Catalogue> {
  const store = await openStore(address, { asItIs: true });
  try {
    return await store.catalogue(true);
  } finally {
    await store.close();
  }
}

/** Tables of others than the tool, by their columns; the order of those says nothing. */
async function columnsOf(address: string): Promise<string[]> {
  const { tables } = await catalogueOf(address);
  return tables
    .filter(({ name }) => !name.startsWith('vantfell_'))
    .flatMap(({ name, columns }) =>
      columns.map((column) => `${name}.${column.name} ${JSON.stringify([column.words, column.nullable])}`),
    )
    .sort();
}

/** Changes what a model declares. */
function change(folder: string, model: string, how: (declared: Declared) => void): void {
  const file = join(folder, 'models', `${model}.yaml`);
  const declared = parse(readFileSync(file, 'utf8')) as Declared;
  how(declared);
  writeFileSync(file, stringify(declared));
}

interface Declared {
  fields: Record<string, Record<string, unknown>>;
  relations: Record<string, Record<string, unknown>>;
  [more: string]: unknown;
}

/** The same project over another database. */
function over(folder: string, address: string): string {
  const other = join(folderWith(), 'other');
  cpSync(folder, other, { recursive: true });
  const file = join(other, 'vantfell.yaml');
  writeFileSync(file, readFileSync(file, 'utf8').replace(/^store: .*$/m, `store: ${JSON.stringify(address)}`));
  return other;
}

const SQL = new Map<string, (kind: StoreKind) => string>([
  ['kinds', (kind) => KINDS[kind]],
  ['awkward', (kind) => AWKWARD[kind]],
  ['several', SEVERAL],
  ['shop', SHOP],
]);

/** What a value of a type becomes in another one. */
const OTHER = new Map<string, readonly [string, (value: unknown) => unknown]>([
  ['integer', ['number', (value) => value]],
  ['number', ['string', String]],
  ['decimal', ['string', String]],
  ['boolean', ['integer', Number]],
  ['string', ['text', (value) => value]],
  ['text', ['string', (value) => value]],
  ['date', ['date-time', (value) => `${String(value)}T00:00:00.000Z`]],
  ['time', ['string', String]],
  ['date-time', ['string', String]],
  ['uuid', ['string', String]],
  ['array', ['json', (value) => value]],
]);

describe.each(kinds)('tables of %s that are taken over', (kind) => {
  test.each([...SQL.keys()])(
    'stay as they stand: %s',
    async (name) => {
      const address = await database(kind, `over_${name}`);
      await make(address, SQL.get(name)!(kind));
      const { folder } = await adopted(address);
      const [lists, columns] = [await listsOf(folder), await columnsOf(address)];
      const { written, changes } = await draft(folder, '--yes');
      expect(written[0]).toBe('0001-first-tables');
      // Lists want indexes that nobody had, and no more.
      expect(changes.filter(({ text }) => text !== 'a new index' && !text.startsWith('unique now'))).toEqual([]);
      expect(await ran(folder, 'migrate', 'run')).toEqual({ ran: written.slice(1) });
      expect(await ran(folder, 'migrate', 'status')).toMatchObject({ drift: [], changes: [] });
      expect(await listsOf(folder)).toEqual(lists);
      expect(await columnsOf(address)).toEqual(columns);
      expect(await draft(folder)).toEqual({ written: [], changes: [] });

      // From nothing, migrations make what was found.
      const empty = await database(kind, `over_${name}_anew`);
      const anew = over(folder, empty);
      await ran(anew, 'migrate', 'run');
      expect(await ran(anew, 'migrate', 'status')).toMatchObject({ drift: [], changes: [] });
      expect(Object.keys(await listsOf(anew))).toEqual(Object.keys(lists));
      // One kind of database lets parts of a key be null.
      const bare = (line: string): string => line.replace(/,(true|false)\]$/, '');
      const known = new Set(columns.map(bare));
      expect((await columnsOf(empty)).map(bare).filter((line) => !known.has(line))).toEqual([]);
      if (name !== 'kinds') return;
      const service = await openService(anew);
      try {
        const { given } = VALUES[kind];
        const made = await asking(service)('POST', '/kinds', given);
        expect([made.status, made.body]).toEqual([201, { data: expect.objectContaining(given) }]);
      } finally {
        await service.close();
      }
    },
    300_000,
  );

  test('get types of the tool where a field gets another, and are what they were when that is taken back', async () => {
    const address = await database(kind, 'over_types');
    // What the database works out itself holds on to the columns that it is made of.
    await make(address, KINDS[kind].replace(/, g (?:integer|int) (?:GENERATED ALWAYS )?AS \([^)]*\) STORED/, ''));
    const { folder } = await adopted(address);
    const [lists, columns] = [await listsOf(folder), await columnsOf(address)];
    await draft(folder, '--yes');
    const becomes = new Map<string, (value: unknown) => unknown>();
    change(folder, 'kind', ({ fields }) => {
      for (const [member, field] of Object.entries(fields)) {
        if (field.readOnly === true) continue;
        const type = String(field.type);
        const [other, value] = OTHER.get(type) ?? [type, (same: unknown) => same];
        becomes.set(member, value);
        const { required, column } = field;
        fields[member] = {
          type: other,
          ...(required === true && { required }),
          ...(column !== undefined && { column }),
        };
      }
    });
    expect((await draft(folder)).changes.length).toBeGreaterThan(15);
    await ran(folder, 'migrate', 'run');
    const [, before] = Object.entries(lists).find(([path]) => path === '/kinds')!;
    const [was] = (before as { data: Record<string, unknown>[] }).data;
    const expected = Object.entries(was!).map(([member, value]) => [
      member,
      value === null ? null : (becomes.get(member)?.(value) ?? value),
    ]);
    const after = await listsOf(folder);
    const [is] = (after['/kinds'] as { data: Record<string, unknown>[] }).data;
    expect(is).toEqual(Object.fromEntries(expected));
    expect(await ran(folder, 'migrate', 'status')).toMatchObject({ drift: [] });
    await ran(folder, 'migrate', 'undo', '--yes');
    expect(await columnsOf(address)).toEqual(columns);
    await ran(folder, 'migrate', 'run');
    expect(await listsOf(folder)).toEqual(after);
  }, 300_000);

  test('follow what the models become, and come back', async () => {
    const address = await database(kind, 'over_changes');
    await make(address, AWKWARD[kind]);
    const { folder } = await adopted(address);
    await draft(folder, '--yes');
    await ran(folder, 'migrate', 'run');
    const [lists, columns] = [await listsOf(folder), await columnsOf(address)];
    change(folder, 'customer', ({ fields, relations }) => {
      const { group, grosse: _gone, ...others } = fields;
      for (const name of Object.keys(fields)) delete fields[name];
      Object.assign(fields, others, {
        circle: { ...group, column: 'circle' },
        visits_made: { type: 'integer', required: true, default: 0 },
      });
      relations.visits = { from: 'visit.customer' };
    });
    change(folder, 'child', ({ relations }) => {
      relations.visits = { from: 'visit.child' };
    });
    writeFileSync(
      join(folder, 'models', 'visit.yaml'),
      'model: visit\nfields:\n  words: { type: string, required: true, maxLength: 80 }\n' +
        'relations:\n  customer: { to: customer, required: true }\n  child: { to: child, onDelete: clear }\n',
    );
    const said = await draft(folder, '--rename', 'customer.group=customer.circle', '--drop', 'customer.grosse');
    expect(said.changes.map(({ subject }) => subject)).toEqual(
      expect.arrayContaining(['customer.group', 'customer.grosse', 'customer.visits_made', 'visit']),
    );
    await ran(folder, 'migrate', 'run');
    expect(await ran(folder, 'migrate', 'status')).toMatchObject({ drift: [], changes: [] });
    const service = await openService(folder);
    try {
      const ask = asking(service);
      const children = (await ask('GET', '/children')).body.data;
      const visit = { words: 'ü, it was wet', customer_id: 1, child_id: children[0]!.code };
      const made = await ask('POST', '/visits', visit);
      const found = await ask('GET', `/customers?include=visits&filter=${encodeURIComponent('visits_made = 0')}`);
      expect([
        made.status === 201 || made.body,
        found.status,
        JSON.stringify(found.body).includes('it was wet'),
      ]).toEqual([true, 200, true]);
    } finally {
      await service.close();
    }
    await ran(folder, 'migrate', 'undo', '--yes');
    expect(await columnsOf(address)).toEqual(columns);
    const bare = (text: unknown): string => JSON.stringify(text).replaceAll(/,"grosse":(null|-?\d+)/g, '');
    rmSync(join(folder, 'models', 'visit.yaml'));
    change(folder, 'child', ({ relations }) => delete relations.visits);
    change(folder, 'customer', (declared) => {
      const { circle, visits_made: _gone, ...others } = declared.fields;
      const { column: _column, ...group } = circle!;
      declared.fields = { ...others, group, grosse: { type: 'integer', column: 'größe' } };
      delete declared.relations.visits;
    });
    rmSync(join(folder, 'migrations', said.written[0]!), { recursive: true, force: true });
    expect(readdirSync(join(folder, 'migrations'))).toHaveLength(2);
    expect(
      Object.values(await listsOf(folder))
        .map(bare)
        .sort(),
    ).toEqual(Object.values(lists).map(bare).sort());
  }, 300_000);

  test('are taken over in another database that has them, once that is said, and not where they differ', async () => {
    const [address, other, third] = await Promise.all(['one', 'two', 'three'].map((name) => database(kind, name)));
    for (const one of [address!, other!, third!]) await make(one, SEVERAL(kind));
    await make(third!, 'ALTER TABLE crates DROP COLUMN bottles');
    const { folder } = await adopted(address!);
    const before = await listsOf(folder);
    const asked = await vantfell(['migrate', 'draft', '-C', folder]);
    expect([asked.code, asked.err]).toEqual([2, expect.stringContaining('say --yes if that is meant')]);
    expect([existsSync(join(folder, 'migrations')), (await catalogueOf(address!)).tables.length]).toEqual([false, 9]);
    const { written } = await draft(folder, '--yes');
    const [first, ...rest] = written;
    const elsewhere = over(folder, other!);
    expect((await vantfell(['check', '-C', elsewhere])).code).toBe(0);
    expect((await vantfell(['send', 'GET', '/crates', '-C', elsewhere])).err).toContain('migrate run');
    const run = await vantfell(['migrate', 'run', '-C', elsewhere]);
    expect([run.code, run.err]).toEqual([2, expect.stringContaining(`has the tables of ${first} already`)]);
    expect(await ran(elsewhere, 'migrate', 'run', '--yes')).toEqual({ ran: rest });
    expect(await listsOf(elsewhere)).toEqual(before);
    const wrong = await vantfell(['migrate', 'run', '--yes', '-C', over(folder, third!)]);
    expect([wrong.code, wrong.err]).toEqual([1, expect.stringContaining('crates.bottles is missing')]);
    await ran(folder, 'migrate', 'run');
    const undo = await vantfell(['migrate', 'undo', '--all', '--yes', '-C', folder]);
    expect([undo.code, undo.err]).toEqual([1, expect.stringContaining('were there before the models, and do not go')]);
    expect(await listsOf(folder)).toEqual(before);
    const tried = await vantfell(['trial', '-C', folder, '--json']);
    expect([tried.code, (JSON.parse(tried.out) as { failed: number }).failed]).toEqual([0, 0]);
  }, 300_000);
});
