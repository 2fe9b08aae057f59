import Database from 'libsql';
import { codeOf, firstDrop } from '../../core/migrations/ends-transaction.ts';
import { StoreError } from '../../core/store/contract.ts';
import type { Alteration, Transaction } from '../../core/store/contract.ts';
import type { Table } from '../../core/tables/table.ts';
import { keptWhole, scriptEnded } from '../base/options.ts';
import { quoteName } from '../sql/quote.ts';
import { createIndexes } from '../sql/tables.ts';
import { describe } from './describe.ts';
import type { SchemaRow } from './describe.ts';
import { letGo } from './tables-mark.ts';
import type { TablesMark } from './tables-mark.ts';
import { createTable } from './tables.ts';

type Connection = InstanceType<typeof Database>;

/** Work on tables, inside a transaction that has begun. */
export function alterationOn(
  connection: Connection,
  transaction: Transaction,
  held: TablesMark,
): Alteration & { checkReferences(): void } {
  return {
    ...transaction,
    tables: () =>
      Promise.resolve(
        schemaOf(connection)
          .filter(({ type, name }) => type === 'table' && !name.startsWith('sqlite_'))
          .map(({ name }) => name),
      ),
    async script(sql, known = new Set()) {
      try {
        await Promise.resolve(runScript(connection, sql, known));
      } catch (error) {
        if (error instanceof StoreError) throw error;
        throw new StoreError({ kind: 'refused' }, (error as Error).message, '', error);
      }
    },
    ...keptWhole,
    letGo: (isGone) => letGo(transaction, isGone),
    hold: (version) => held.begin(transaction, version),
    describe: () => Promise.resolve(describe(schemaOf(connection))),
    describeAnew(tables) {
      const scratch = new Database(':memory:');
      try {
        for (const statement of tables.flatMap(statementsFor)) scratch.exec(statement);
        return Promise.resolve(describe(schemaOf(scratch)));
      } finally {
        scratch.close();
      }
    },
    checkReferences: () => checkReferences(connection),
  };
}

const statementsFor = (table: Table): string[] => [createTable(table), ...createIndexes(table)];

function schemaOf(connection: Connection): SchemaRow[] {
  const text =
    "SELECT type, tbl_name, name, sql, rootpage FROM sqlite_schema WHERE sql IS NOT NULL ORDER BY type = 'view', rowid";
  const rows = connection.prepare(text).raw(true).all([]) as [string, string, string, string, number][];
  return rows.map(([type, table, name, sql, page]) => ({ type, table, name, sql, page }));
}

/**
 * A table that is made anew loses the triggers and indexes that somebody else gave it, and views and triggers that
 * mention it stand in the way of that: they are taken down before the first table goes, and put up again at the end.
 * Until then SQLite itself changes the names that they mention along with the tables'.
 */
function runScript(connection: Connection, sql: string, known: ReadonlySet<string>): void {
  const at = firstDrop(sql);
  // What is unsound before is nobody's fault now.
  const old = at < 0 ? undefined : unsoundness(connection);
  connection.exec(at < 0 ? sql : sql.slice(0, at));
  refuseEnded(connection);
  if (at < 0) return;
  const before = schemaOf(connection);
  const code = codeOf(sql);
  const others = before.filter(({ type, name }) => {
    // A script that works on views itself finds them as they are.
    if (type === 'view' || type === 'trigger') return !new RegExp(`\\b${type}\\b`, 'i').test(code);
    return type === 'index' && !known.has(name);
  });
  for (const { type, name } of others)
    if (type !== 'index') connection.exec(`DROP ${type} IF EXISTS ${quoteName(name)}`);
  connection.exec(sql.slice(at));
  refuseEnded(connection);
  putUp(connection, others, before);
  for (const [what, message] of unsoundness(connection)) if (old?.has(what) !== true) throw notOurs(message);
}

const notOurs = (message: string): StoreError =>
  new StoreError(
    { kind: 'refused' },
    message,
    'change or drop that first: it is not of this tool, and would be broken',
  );

/** What stood on a table that is gone goes with it; and on one that is the same, the script itself dropped it. */
function putUp(connection: Connection, others: readonly SchemaRow[], before: readonly SchemaRow[]): void {
  const after = schemaOf(connection);
  const standing = new Set(after.map(({ name }) => name));
  const pagesOf = (rows: readonly SchemaRow[]) =>
    new Map(rows.filter(({ type }) => type === 'table').map(({ name, page }) => [name, page]));
  const [old, now] = [pagesOf(before), pagesOf(after)];
  const views = new Set(others.filter(({ type }) => type === 'view').map(({ name }) => name));
  // A trigger may stand on a view.
  const inOrder = [...others].sort((one, other) => Number(one.type === 'trigger') - Number(other.type === 'trigger'));
  for (const { type, name, table, sql } of inOrder) {
    const isNew = now.has(table) && (now.get(table) !== old.get(table) || type === 'trigger');
    if (standing.has(name) || !(type === 'view' || isNew || views.has(table))) continue;
    try {
      connection.exec(sql);
    } catch (error) {
      throw notOurs(`the ${type} ${name} on ${table}: ${(error as Error).message}`);
    }
  }
}

/**
 * What SQLite says of views and triggers that do not fit the tables, by what was asked: it looks at all views when a
 * table gets a name, and at the triggers of a table when a statement on it is prepared.
 */
function unsoundness(connection: Connection): ReadonlyMap<string, string> {
  const faults = new Map<string, string>();
  const attempt = (what: string, said: string, work: () => unknown): void => {
    try {
      work();
    } catch (error) {
      faults.set(what, said + (error as Error).message);
    }
  };
  connection.exec('SAVEPOINT sound; CREATE TABLE vantfell_sound (a)');
  attempt('views', '', () => connection.exec('ALTER TABLE vantfell_sound RENAME TO vantfell_is_sound'));
  connection.exec('ROLLBACK TO sound; RELEASE sound');
  for (const { table, name } of schemaOf(connection).filter(({ type }) => type === 'trigger')) {
    const on = quoteName(table);
    const columns = connection.prepare('SELECT name FROM pragma_table_info(?1)').raw(true).all([table]) as [string][];
    const same = columns.map(([column]) => `${quoteName(column)} = ${quoteName(column)}`).join(', ');
    const [first = '', ...more] = columns.map(([column]) => quoteName(column));
    const nulls = ['NULL', ...more.map(() => 'NULL')].join(', ');
    const insert = `INSERT INTO ${on} (${[first, ...more].join(', ')}) VALUES (${nulls})`;
    const said = `the trigger ${name} on ${table}: `;
    for (const sql of [insert, `UPDATE ${on} SET ${same}`, `DELETE FROM ${on}`]) {
      // What can't be done to a view could not be done before.
      attempt(`${name} ${sql.slice(0, 6)}`, said, () => connection.prepare(`EXPLAIN ${sql}`));
    }
  }
  return faults;
}

function refuseEnded(connection: Connection): void {
  if (!connection.inTransaction) throw scriptEnded();
}

function checkReferences(connection: Connection): void {
  const broken = connection.prepare('PRAGMA foreign_key_check').raw(true).all([]) as [string, number, string, number][];
  const [first] = broken;
  if (first === undefined) return;
  const [table, , target] = first;
  const rows = broken.length === 1 ? '1 row refers' : `${broken.length} rows refer`;
  throw new StoreError(
    { kind: 'refused' },
    `${rows} to a record that is not there, as from ${table} to ${target}`,
    'give those rows another reference, or null, or delete them; then run it again',
  );
}
