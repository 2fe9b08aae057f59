import type { Alteration, Store } from '../store/contract.ts';
import { isOwn, migrationsTable, stateTable } from '../tables/own-tables.ts';
import { isView } from '../tables/table.ts';
import type { Table } from '../tables/table.ts';
import { strangersTable } from './follow.ts';
import { migrationStoreOf } from './migration-store.ts';
import type { Migration } from './migration.ts';
import { snapshotIn } from './run.ts';
import { SchemaMismatch } from './schema-mismatch.ts';

/**
 * Drops every table that the tool made: those of the models, as recorded in the database, and its own. Throws if
 * somebody else's table has a name of `wanted`.
 */
export async function dropAll(store: Store, migrations: readonly Migration[], wanted: readonly Table[]): Promise<void> {
  await store.alter(async (alteration) => {
    const standing = await alteration.tables();
    const made = await madeTables(alteration, store, migrations);
    const ours = new Set(made.map(({ name }) => name));
    const isOurs = (name: string): boolean => ours.has(name) || isOwn(name);
    const needed = new Set(wanted.map(({ name }) => name.toLowerCase()));
    const stranger = standing.find((name) => !isOurs(name) && needed.has(name.toLowerCase()));
    if (stranger !== undefined) throw strangersTable(store.address, stranger);
    const names = standing.filter(isOurs);
    if (names.length === 0) return;
    // Before its own table is dropped.
    if (standing.includes(stateTable.name)) await alteration.letGo(() => true);
    const views = made.filter(isView).map(({ name }) => `DROP VIEW IF EXISTS ${store.dialect.name(name)};\n`);
    await alteration.script(`${views.join('')}${store.ddl.drop(names)}`);
  });
}

/**
 * The tables that the tool made in a database, as recorded there: those of its last migration, or of the models that
 * it followed.
 */
async function madeTables(
  alteration: Alteration,
  store: Store,
  migrations: readonly Migration[],
): Promise<readonly Table[]> {
  const standing = await alteration.tables();
  const migrationStore = migrationStoreOf(store);
  const history = standing.includes(migrationsTable.name) ? await migrationStore.history(alteration) : [];
  if (history.length === 0) return (await snapshotIn(alteration, store)) ?? [];
  const names = new Set(history.map(({ name }) => name));
  const missing = history.find((ran) => !migrations.some(({ name }) => name === ran.name));
  if (missing !== undefined) {
    const message =
      `the database ${store.address} has run ${missing.name}, which migrations/ ` +
      `does not hold: nobody can tell which tables are the tool's`;
    throw new SchemaMismatch(message, 'bring its folder back, as from version control; or drop the tables by hand');
  }
  return migrations.filter(({ name }) => names.has(name)).at(-1)!.after;
}
