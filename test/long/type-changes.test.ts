import { readFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { countRisks, isStopped } from '../../src/core/migrations/count.ts';
import { indexNames } from '../../src/core/migrations/follow.ts';
import { makeOwnTables } from '../../src/core/migrations/own-tables.ts';
import { typeNames } from '../../src/core/model/types.ts';
import type { TypeName } from '../../src/core/model/types.ts';
import { StoreError } from '../../src/core/store/contract.ts';
import type { Store } from '../../src/core/store/contract.ts';
import { changeSummaries } from '../../src/core/tables/change-summary.ts';
import { conversionOf } from '../../src/core/tables/conversion.ts';
import { scriptText } from '../../src/core/tables/ddl.ts';
import { diffSchemas, noDecisions } from '../../src/core/tables/schema-diff.ts';
import type { Decisions } from '../../src/core/tables/schema-diff.ts';
import type { Column, Table } from '../../src/core/tables/table.ts';
import { openStore } from '../../src/store/open.ts';
import { kinds as stores, testDatabases } from '../kit/databases.ts';
import { kinds, nastyValues } from '../kit/tables/nasty.ts';
import type { Kind } from '../kit/tables/nasty.ts';
import { isBeyondSqlite, says } from '../kit/tables/says.ts';

const database = testDatabases();

const column = (name: string, { type, scale }: Kind, rest: Partial<Column> = {}): Column => ({
  name,
  member: name,
  type,
  scale,
  nullable: true,
  serial: false,
  checks: [],
  ...rest,
});
const KEY = column('id', { type: 'integer', scale: 0 }, { nullable: false });

function table(name: string, columns: readonly Column[], more: Partial<Table> = {}): Table {
  return {
    name,
    of: name,
    columns: [KEY, ...columns],
    primaryKey: 'id',
    unique: [],
    indexes: [],
    references: [],
    ...more,
  };
}

const shown = ({ type, scale }: Kind): string => (type === 'decimal' ? `decimal(${scale})` : type);
const pairs = kinds
  .flatMap((from) => kinds.map((to) => [from, to] as const))
  .filter(([from, to]) => from !== to && conversionOf(from, to) !== undefined);

describe.each(stores)('%s', (kind) => {
  let store: Store;
  beforeAll(async () => {
    store = await openStore(await database(kind, 'types'));
    await store.alter((alteration) => makeOwnTables(alteration, store));
  });
  afterAll(() => store.close());

  const change = (from: readonly Table[], to: readonly Table[], how: Decisions = noDecisions): Promise<void> =>
    store.alter((alteration) =>
      alteration.script(
        scriptText('a change', store.ddl.diff(diffSchemas(from, to, how))),
        indexNames(from),
        'a change',
      ),
    );
  const refused = (work: Promise<unknown>): Promise<boolean> =>
    work.then(
      () => false,
      (error: unknown) => {
        if (error instanceof StoreError && error.fault.kind === 'refused') return true;
        throw error;
      },
    );

  const stoppedBy = async (
    from: readonly Table[],
    to: readonly Table[],
    how: Decisions = noDecisions,
  ): Promise<number> => {
    const counted = await countRisks(changeSummaries(diffSchemas(from, to, how), how), {
      reader: store,
      ddl: store.ddl,
    });
    return counted
      .filter(isStopped)
      .flatMap(({ risks }) => risks)
      .reduce((sum, { count = 0 }) => sum + count, 0);
  };

  /** The values of a column by their keys, as the service reads them. */
  async function read(name: string, { type, scale }: Kind, member = 'v'): Promise<Map<number, unknown>> {
    const { dialect } = store;
    const spec = { type, scale, rules: { required: false } } as never;
    const json = dialect.text(dialect.array([dialect.name('id'), dialect.value(spec, dialect.name(member))]));
    const rows = await store.all(
      { sql: `SELECT ${json} FROM ${dialect.name(name)} WHERE ${dialect.name(member)} IS NOT NULL` },
      [],
    );
    return new Map(rows.map(([text]) => JSON.parse(String(text)) as [number, unknown]));
  }

  async function fill(name: string, from: Kind, values: readonly (string | number | boolean)[]): Promise<void> {
    const { dialect } = store;
    const sql =
      `INSERT INTO ${dialect.name(name)} (id, v) ` + `VALUES (${dialect.placeholder(1)}, ${dialect.placeholder(2)})`;
    await store.transaction(async (transaction) => {
      for (const [at, value] of values.entries()) {
        await transaction.run({ sql }, [at, dialect.bind(from as never, value)]);
      }
      await transaction.run({ sql }, [values.length, null]);
    });
  }

  const drop = (keys: readonly number[]): Promise<void> =>
    store.alter((alteration) => alteration.script(`DELETE FROM ts WHERE id IN (${[-1, ...keys].join(', ')})`));

  const expected = (from: Kind, to: Kind, values: Map<number, unknown>): Map<number, unknown> =>
    new Map(
      [...values].flatMap(([key, value]) => {
        const now = says(from, to, value as string);
        const lost = kind === 'sqlite' && isBeyondSqlite(from, to, value as string);
        return now === undefined || lost ? [] : [[key, now] as const];
      }),
    );

  test.each(pairs.map(([from, to]) => [shown(from), shown(to), from, to] as const))(
    '%s to %s: what is counted is what happens, and what goes over says the same',
    async (_from, _to, from, to) => {
      const [before, after] = [[table('ts', [column('v', from)])], [table('ts', [column('v', to)])]];
      await store.alter((alteration) => alteration.script(store.ddl.drop(['ts', 'others'])));
      await change([], before);
      await fill('ts', from, nastyValues(from));
      const old = await read('ts', from);
      const fits = expected(from, to, old);
      const unfit = [...old.keys()].filter((key) => !fits.has(key));
      expect(await stoppedBy(before, after)).toBe(unfit.length);
      if (unfit.length > 0) {
        expect(await refused(change(before, after))).toBe(true);
        expect(await read('ts', from)).toEqual(old);
      }
      await drop(unfit);
      await change(before, after);
      expect(await read('ts', to)).toEqual(fits);
      // And back: each says again what it said.
      const back = expected(to, from, fits);
      expect(await stoppedBy(after, before)).toBe(fits.size - back.size);
      await drop([...fits.keys()].filter((key) => !back.has(key)));
      await change(after, before);
      expect(await read('ts', from)).toEqual(back);
    },
  );

  test.each(pairs.map(([from, to]) => [shown(from), shown(to), from, to] as const))(
    '%s moves to %s in another table: the same goes over, and the rest stops it',
    async (_from, _to, from, to) => {
      const to_ts = { column: 'ts_id', table: 'ts', key: 'id', onDelete: 'restrict' } as const;
      const link = column('ts_id', { type: 'integer', scale: 0 });
      const before = [table('ts', [column('v', from)]), table('others', [link], { references: [to_ts] })];
      const after = [table('ts', []), table('others', [link, column('w', to)], { references: [to_ts] })];
      const how = { ...noDecisions, renames: new Map([['ts.v', 'others.w']]) };
      await store.alter((alteration) => alteration.script(store.ddl.drop(['others', 'ts'])));
      await change([], before);
      await fill('ts', from, nastyValues(from));
      await store.alter((alteration) => alteration.script('INSERT INTO others (id, ts_id) SELECT id, id FROM ts'));
      const old = await read('ts', from);
      const fits = expected(from, to, old);
      const unfit = [...old.keys()].filter((key) => !fits.has(key));
      expect(await stoppedBy(before, after, how)).toBe(unfit.length);
      if (unfit.length > 0) {
        expect(await refused(change(before, after, how))).toBe(true);
        expect(await read('ts', from)).toEqual(old);
      }
      await store.alter((alteration) =>
        alteration.script(`UPDATE ts SET v = NULL WHERE id IN (${[-1, ...unfit].join(', ')})`),
      );
      await change(before, after, how);
      expect(await read('others', to, 'w')).toEqual(fits);
    },
  );
});

test('the table of the docs names the pairs of types that have a way, and no others', () => {
  const page = readFileSync(new URL('../../docs/migrations.md', import.meta.url), 'utf8');
  const names = (cell: string): string[] => [...cell.matchAll(/`([a-z-]+)`/g)].map(([, name]) => name!);
  const listed = new Set<string>();
  for (const [, from = '', to = ''] of page.matchAll(/^\| ([^|]+)\| ([^|]+)\| [^|]+\|$/gm)) {
    if (!names(from).every((name) => typeNames.includes(name as never))) continue;
    const targets = /one another|another scale/.test(to) ? names(from) : names(to);
    for (const one of names(from)) for (const other of targets) listed.add(`${one} ${other}`);
    if (names(from).join() === 'integer' && names(to).join() === 'boolean') listed.add('boolean integer');
  }
  const column = (type: TypeName) => ({ type, scale: 2 });
  for (const one of typeNames) {
    for (const other of typeNames) {
      const hasWay = conversionOf(column(one), column(other)) !== undefined;
      if (one !== other) expect([one, other, listed.has(`${one} ${other}`)]).toEqual([one, other, hasWay]);
    }
  }
});
