import Database from 'libsql';
import type { Alteration, Transaction } from '../../core/store/contract.ts';
import { StoreError } from '../../core/store/contract.ts';
import type { Table } from '../../core/tables/table.ts';
import { quoteName } from '../quote.ts';
import { describe } from './describe.ts';
import type { SchemaRow } from './describe.ts';
import { createIndexes } from '../table-sql.ts';
import { createTable } from './tables.ts';

type Connection = InstanceType<typeof Database>;

/** Work on tables, inside a transaction that has begun. */
export function alterationOn(
  connection: Connection,
  transaction: Transaction,
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
        throw new StoreError({ kind: 'refused' }, (error as Error).message, 'see to what it tells of', error);
      }
    },
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
 * A table that is made anew loses the triggers and indexes that somebody else gave it, and views stand in the way of
 * that: they are taken down before, and put up again after.
 */
function runScript(connection: Connection, sql: string, known: ReadonlySet<string>): void {
  const before = schemaOf(connection);
  const others = before.filter(
    ({ type, name }) =>
      // A script that works on views itself finds them as they are.
      (type === 'view' && !/\bVIEW\b/i.test(sql)) || type === 'trigger' || (type === 'index' && !known.has(name)),
  );
  for (const { name } of others.filter(({ type }) => type === 'view')) connection.exec(`DROP VIEW ${quoteName(name)}`);
  connection.exec(sql);
  if (!connection.inTransaction) {
    const remedy = 'take BEGIN, COMMIT and ROLLBACK out of it: what it does is kept whole, or not at all';
    throw new StoreError({ kind: 'refused' }, 'the script ends the transaction that it runs in', remedy);
  }
  const after = schemaOf(connection);
  const standing = new Set(after.map(({ name }) => name));
  const pagesOf = (rows: readonly SchemaRow[]) =>
    new Map(rows.filter(({ type }) => type === 'table').map(({ name, page }) => [name, page]));
  const [old, now] = [pagesOf(before), pagesOf(after)];
  for (const { type, name, table, sql: statement } of others) {
    // What stood on a table that is gone goes with it; and on one that is the same, the script itself dropped it.
    const isNew = now.has(table) && now.get(table) !== old.get(table);
    if (!standing.has(name) && (type === 'view' || isNew)) connection.exec(statement);
  }
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
