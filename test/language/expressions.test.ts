import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import Database from 'libsql';
import { createConnection } from 'mariadb';
import pg from 'pg';
import { evaluate } from '../../src/core/expression/evaluate.ts';
import type { RecordValues } from '../../src/core/expression/evaluate.ts';
import { fromJson, toJson } from '../../src/core/expression/json.ts';
import { allLetters, letters } from '../../src/core/expression/letters.ts';
import { parse } from '../../src/core/expression/parse.ts';
import { print } from '../../src/core/expression/print.ts';
import { toSql } from '../../src/core/expression/sql.ts';
import type { Bound } from '../../src/core/expression/sql.ts';
import type { Syntax } from '../../src/core/expression/syntax.ts';
import { typed } from '../../src/core/expression/type.ts';
import { followModels } from '../../src/core/migrations/follow.ts';
import type { Expression } from '../../src/core/model/expression.ts';
import type { Field } from '../../src/core/model/field.ts';
import { modelOf } from '../../src/core/model/graph.ts';
import type { Model } from '../../src/core/model/model.ts';
import type { FieldValue } from '../../src/core/model/scalar.ts';
import { isNested } from '../../src/core/model/types.ts';
import { designTables } from '../../src/core/tables/design.ts';
import { formatDecimal, parseDecimal, rescale } from '../../src/core/text/decimal.ts';
import { mariadbExpressions } from '../../src/store/mariadb/expression.ts';
import { placed } from '../../src/store/mariadb/placeholders.ts';
import { DRIVER, SESSION } from '../../src/store/mariadb/session.ts';
import { postgresExpressions } from '../../src/store/postgres/expression.ts';
import { sqliteDialect } from '../../src/store/sqlite/dialect.ts';
import { sqliteExpressions } from '../../src/store/sqlite/expression.ts';
import { openSqlite } from '../../src/store/sqlite/open.ts';
import { conditionDepth, conditions, notes, numbers, things, words } from '../kit/expressions/generate.ts';
import { graph, problems, relatedIn, scopeOver } from '../kit/expressions/world.ts';
import type { World } from '../kit/expressions/world.ts';
import { hasMariadb, newMariadb, startMariadb } from '../kit/mariadb.mjs';
import type { TestMariadb } from '../kit/mariadb.mjs';
import { newDatabase, startPostgres } from '../kit/postgres.mjs';
import type { TestPostgres } from '../kit/postgres.mjs';

const RUNS = Number(process.env.EXPRESSION_RUNS ?? 250);
const NOW = new Date('2026-06-12T14:30:00.000Z');
const CALLER = { key: '00000000-0000-4000-8000-000000000001', roles: ['steward'] };

/** A database that expressions are asked of: every one over all rows, in the order of their keys. */
interface Asked {
  ask(expression: Expression): Promise<unknown[]>;
  close(): Promise<void>;
}

const uuid = (n: number): string => `00000000-0000-4000-8000-${String(n).padStart(12, '0')}`;
const world = makeWorld();
const input = (values: RecordValues) => ({ values, now: NOW, caller: CALLER, related: relatedIn(world) });
const model = modelOf(graph, 'thing');

let server: TestPostgres;
let mariadbServer: TestMariadb | undefined;
/** MariaDB is tried where there is one. */
const STORES = ['SQLite', 'PostgreSQL', ...(hasMariadb ? ['MariaDB'] : [])];
const asked = new Map<string, Asked>();
const folder = mkdtempSync(join(tmpdir(), 'vantfell-expressions-'));

beforeAll(async () => {
  expect(problems.filter(({ severity }) => severity === 'error')).toEqual([]);
  server = await startPostgres();
  asked.set('SQLite', await sqlite());
  asked.set('PostgreSQL', await postgres(await newDatabase(server, 'expressions')));
  if (!hasMariadb) return;
  mariadbServer = await startMariadb();
  asked.set('MariaDB', await mariadb(await newMariadb(mariadbServer, 'expressions')));
});

afterAll(async () => {
  for (const database of asked.values()) await database.close();
  await server.stop();
  await mariadbServer?.stop();
  rmSync(folder, { recursive: true });
});

function makeWorld(): World {
  const sample = <Value>(values: fc.Arbitrary<Value>, count: number): Value[] =>
    fc.sample(values, { numRuns: count, seed: 11 });
  const made = sample(things, 40).map(
    (values, n) => ({ id: uuid(n), up_id: n % 3 === 0 ? null : uuid((n * 7) % 40), ...values }) as RecordValues,
  );
  const marks = ['a', 'ab', 'stove', 'É', 'z'].map((name, n): RecordValues => ({
    name,
    weight: n === 4 ? null : n * 3,
  }));
  const noted = sample(notes, 60).map((values, n): RecordValues => ({
    id: uuid(1000 + n),
    thing_id: n % 9 === 0 ? null : uuid((n * 5) % 40),
    ...values,
  }));
  const cards = [...Array(13).keys()].map((n): RecordValues => ({
    id: uuid(2000 + n),
    thing_id: uuid(n * 3),
    text: n % 4 === 0 ? null : `Card ${n}`,
  }));
  const links = made.flatMap(({ id }, n) =>
    marks.filter((_mark, m) => (n * 3 + m) % 4 === 0).map(({ name }): [FieldValue, FieldValue] => [id!, name!]),
  );
  return { records: { thing: made, mark: marks, note: noted, card: cards, member: [] }, links };
}

const inserts = () =>
  graph.models.flatMap((each) => (world.records[each.name] ?? []).map((values) => ({ each, values })));

/** The columns of a record, and what a driver is given for them: JSON as a text, the rest as `written` has it. */
function rowOf(each: Model, values: RecordValues, written: (value: FieldValue) => FieldValue = (value) => value) {
  const bound = each.fields.map((field) => {
    const value = values[field.member] ?? null;
    return value !== null && isNested(field.type) ? JSON.stringify(value) : written(value);
  });
  return { columns: each.fields.map(({ column }) => `"${column}"`).join(', '), bound };
}

function statement(expression: Expression, dialect: typeof sqliteExpressions, placeholder: (n: number) => string) {
  const bounds: Bound[] = [];
  let aliases = 0;
  const sql = toSql(expression, model, 't0', {
    models: graph,
    dialect,
    place: (bound) => placeholder(bounds.push(bound)),
    alias: () => `t${(aliases += 1)}`,
  });
  // Drivers give numbers as doubles, and a decimal may have more digits.
  const shown = expression.type.kind === 'decimal' ? `CAST(${sql} AS TEXT)` : sql;
  return { sql: `SELECT ${shown} FROM "things" AS t0 ORDER BY t0."id"`, bounds };
}

function valueOf(bound: Bound): string | number | boolean | null {
  if (bound.kind === 'constant') return bound.value as string;
  if (bound.kind === 'role') return CALLER.roles.includes(bound.role);
  if (bound.kind === 'now') return NOW.toISOString();
  if (bound.kind === 'today') return NOW.toISOString().slice(0, 10);
  return CALLER.key;
}

async function sqlite(): Promise<Asked> {
  const file = join(folder, 'data.db');
  const store = openSqlite(file);
  await followModels(store, designTables(graph), new Map());
  await store.close();
  const database = new Database(file);
  database.exec('PRAGMA foreign_keys = OFF');
  for (const { each, values } of inserts()) {
    const columns = each.fields.map(({ column }) => `"${column}"`).join(', ');
    const bound = each.fields.map((field) => sqliteDialect.bind(field, values[field.member] ?? null));
    database.prepare(`INSERT INTO "${each.table}" (${columns}) VALUES (${bound.map(() => '?').join(', ')})`).run(bound);
  }
  for (const [near, far] of world.links) database.prepare('INSERT INTO things_marks VALUES (?, ?)').run([near, far]);
  return {
    ask(expression) {
      const { sql, bounds } = statement(expression, sqliteExpressions, (n) => `?${n}`);
      const bound = bounds.map((one) => sqliteDialect.bindKind(one.type, valueOf(one)));
      const rows = database.prepare(sql).raw(true).all(bound) as [unknown][];
      return Promise.resolve(rows.map(([value]) => plainOf(expression, value, true)));
    },
    close: () => Promise.resolve(void database.close()),
  };
}

async function postgres(url: string): Promise<Asked> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  const typeOf = ({ type }: Field): string =>
    isNested(type)
      ? 'json'
      : ((
          {
            integer: 'bigint',
            number: 'float8',
            boolean: 'boolean',
            decimal: 'numeric',
            date: 'date',
            time: 'time(3)',
            'date-time': 'timestamptz(3)',
            uuid: 'uuid',
          } as Record<string, string>
        )[type] ?? 'text COLLATE "C"');
  for (const each of graph.models) {
    await client.query(
      `CREATE TABLE "${each.table}" (${each.fields.map((field) => `"${field.column}" ${typeOf(field)}`).join(', ')})`,
    );
  }
  await client.query('CREATE TABLE things_marks (thing_id uuid, mark_id text COLLATE "C")');
  await client.query(
    'CREATE TABLE vantfell_letters (letter text COLLATE "C" PRIMARY KEY, ' +
      'casei text, accenti text, lower text, upper text)',
  );
  await client.query('INSERT INTO vantfell_letters SELECT * FROM json_populate_recordset(null::vantfell_letters, $1)', [
    JSON.stringify([...allLetters().values()]),
  ]);
  for (const { each, values } of inserts()) {
    const { columns, bound } = rowOf(each, values);
    await client.query(
      `INSERT INTO "${each.table}" (${columns}) VALUES (${bound.map((_v, n) => `$${n + 1}`).join(', ')})`,
      bound,
    );
  }
  for (const link of world.links) await client.query('INSERT INTO things_marks VALUES ($1, $2)', [...link]);
  await client.query("SET timezone = 'America/Lima'");
  return {
    async ask(expression) {
      const { sql, bounds } = statement(expression, postgresExpressions, (n) => `$${n}`);
      const { rows } = await client.query<[unknown]>({ text: sql, values: bounds.map(valueOf), rowMode: 'array' });
      return rows.map(([value]) => plainOf(expression, value, false));
    },
    close: () => client.end(),
  };
}

async function mariadb(url: string): Promise<Asked> {
  const connection = await createConnection({ ...connectionOf(url), initSql: [...SESSION] });
  const typeOf = ({ type, scale }: Field): string =>
    isNested(type)
      ? 'json'
      : ((
          {
            integer: 'bigint',
            number: 'double',
            boolean: 'boolean',
            decimal: `decimal(18,${scale})`,
            date: 'date',
            time: 'time(3)',
            'date-time': 'datetime(3)',
            uuid: 'uuid',
          } as Record<string, string>
        )[type] ?? 'longtext');
  const moment = (value: FieldValue): FieldValue =>
    typeof value === 'string' ? value.replace(/^(\d{4}-\d\d-\d\d)T(.*)Z$/, '$1 $2') : value;
  for (const each of graph.models) {
    const columns = each.fields.map((field) => `"${field.column}" ${typeOf(field)}`).join(', ');
    await connection.query(`CREATE TABLE "${each.table}" (${columns})`);
  }
  await connection.query('CREATE TABLE things_marks (thing_id uuid, mark_id longtext)');
  const names = ['letter', 'casei', 'accenti', 'lower', 'upper'] as const;
  await connection.query(
    `CREATE TABLE vantfell_letters (letter varchar(4) PRIMARY KEY, ${names
      .slice(1)
      .map((name) => `"${name}" text`)
      .join(', ')})`,
  );
  const rows = [...allLetters().values()].map((letter) => names.map((name) => letter[name]));
  await connection.batch(`INSERT INTO vantfell_letters VALUES (?, ?, ?, ?, ?)`, rows);
  for (const { each, values } of inserts()) {
    const { columns, bound } = rowOf(each, values, moment);
    await connection.execute(
      `INSERT INTO "${each.table}" (${columns}) VALUES (${bound.map(() => '?').join(', ')})`,
      bound,
    );
  }
  for (const link of world.links) await connection.execute('INSERT INTO things_marks VALUES (?, ?)', [...link]);
  return {
    async ask(expression) {
      const { sql, bounds } = statement(expression, mariadbExpressions, (n) => `?${n}`);
      const { text, order } = placed(sql.replace(' AS TEXT)', ' AS CHAR)'));
      const all = bounds.map((one) => (one.type.kind === 'date-time' ? moment(valueOf(one)) : valueOf(one)));
      const found = await connection.execute<[unknown][]>(
        text,
        order.map((at) => all[at]),
      );
      return found.map(([value]) => plainOf(expression, value, false));
    },
    close: () => connection.end(),
  };
}

const connectionOf = (url: string) => {
  const { hostname, port, username, pathname } = new URL(url);
  return { host: hostname, port: Number(port), user: username, database: pathname.slice(1), ...DRIVER };
};

/** What a driver gives, as the same thing whichever driver it was: conditions as booleans, numbers as numbers. */
function plainOf({ type }: Expression, value: unknown, inUnits: boolean): unknown {
  if (value === null) return null;
  if (type.kind === 'boolean') return Boolean(value);
  if (type.kind === 'decimal') {
    const decimal = parseDecimal(value as string)!;
    // SQLite keeps whole numbers of the smallest unit.
    const { digits } = inUnits ? decimal : rescale(decimal, type.scale)!;
    return formatDecimal({ digits, scale: type.scale });
  }
  // A zero has no sign.
  return type.kind === 'integer' || type.kind === 'number' ? Number(value) + 0 : value;
}

const inJavaScript = (expression: Expression): unknown[] =>
  world.records.thing!.map((values) => evaluate(expression, input(values)));

const withoutSpots = (syntax: Syntax): unknown =>
  JSON.parse(JSON.stringify(syntax, (key, value: unknown) => (key === 'spot' ? undefined : value)));

test('printing and parsing again gives the same tree', () => {
  fc.assert(
    fc.property(fc.oneof(conditions, numbers, words), (syntax) => {
      expect(withoutSpots(parse(print(syntax)))).toEqual(withoutSpots(syntax));
    }),
    { numRuns: 1000 },
  );
});

test('the JSON encoding and back gives the same tree', () => {
  const plainNumbers = (syntax: Syntax): unknown =>
    JSON.parse(
      JSON.stringify(withoutSpots(syntax), (key, value: unknown) =>
        key === 'written' ? String(Number(value)) : value,
      ),
    );
  fc.assert(
    fc.property(conditions, (syntax) => {
      expect(plainNumbers(fromJson(JSON.parse(JSON.stringify(toJson(syntax)))))).toEqual(plainNumbers(syntax));
    }),
    { numRuns: 500 },
  );
});

/** A condition within a condition may be too much for SQLite: the service answers that the filter is too complex. */
const refusedAsTooDeep =
  (syntax: Syntax) =>
  (error: Error): undefined => {
    if (conditionDepth(syntax) < 2 || !error.message.includes('parser stack overflow')) throw error;
  };

describe.each(STORES)('%s and JavaScript agree on', (name) => {
  const agree = async (syntax: Syntax): Promise<void> => {
    const expression = typed(syntax, scopeOver('thing'));
    const wanted = inJavaScript(expression);
    const ask = async (): Promise<unknown> => asked.get(name)!.ask(expression);
    const found = await ask().catch(refusedAsTooDeep(syntax));
    if (found === undefined) return;
    expect({ written: print(syntax), values: found }).toEqual({ written: print(syntax), values: wanted });
  };

  test('conditions', async () => {
    await fc.assert(fc.asyncProperty(conditions, agree), { numRuns: RUNS });
  }, 600_000);
  test('numbers', async () => {
    await fc.assert(fc.asyncProperty(numbers, agree), { numRuns: RUNS });
  }, 600_000);
  test('texts', async () => {
    await fc.assert(fc.asyncProperty(words, agree), { numRuns: RUNS });
  }, 600_000);
});

test.each(STORES)('powers are the same in %s, to 15 digits, and null beyond what there is', async (name) => {
  const bases = ['whole', 'real', 'price', '2', '0', '-8', '0.5', '1e300'];
  for (const base of bases) {
    for (const exponent of ['count', '2', '-1', '0', '0.5', '1024', '1e9', 'real']) {
      const expression = typed(parse(`${base} ^ ${exponent}`), scopeOver('thing'));
      const found = (await asked.get(name)!.ask(expression)) as (number | null)[];
      inJavaScript(expression).forEach((wanted, row) => {
        const close =
          wanted === null
            ? found[row] === null
            : Math.abs(Number(found[row]) - Number(wanted)) <= Math.abs(Number(wanted)) * 1e-14;
        expect({ base, exponent, row, wanted, found: found[row], close }).toMatchObject({ close: true });
      });
    }
  }
});

test('a letter is folded the same whatever it stands in', () => {
  expect([letters.casei('ÉΣß'), letters.accenti('Éé e\u0301'), letters.lower('ΣΑΣ'), letters.upper('ßﬁ')]).toEqual([
    'éσss',
    'Ee e',
    'σασ',
    'SSFI',
  ]);
});
