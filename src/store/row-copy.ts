import type { Store } from '../core/store/contract.ts';
import { lettersTable } from '../core/tables/own-tables.ts';
import { quoteName } from './sql/quote.ts';

/** The rows of a database as they were at a moment, to come back to. */
export interface RowCopy {
  restore(): Promise<void>;
}

const KEPT = 'kept_';

/**
 * Keeps a copy of all rows beside them, in tables of its own: only for a database that is thrown away afterwards. To
 * come back takes some milliseconds, where a database made anew would take a hundred times that.
 */
export async function copyRows(store: Store): Promise<RowCopy> {
  const tables = await store.alter(async (alteration) => {
    const all = (await alteration.tables()).filter((name) => name !== lettersTable.name);
    for (const name of all) {
      await alteration.script(`CREATE TABLE ${quoteName(KEPT + name)} AS SELECT * FROM ${quoteName(name)}`);
    }
    return all;
  });
  const names = tables.map(quoteName);
  const fill = tables.map((name) => `INSERT INTO ${quoteName(name)} SELECT * FROM ${quoteName(KEPT + name)}`);
  // SQLite doesn't look after references while tables are altered, but for the end.
  const emptied = store.kind === 'postgres' ? await emptying(store, names) : names.map((name) => `DELETE FROM ${name}`);
  const script = [...emptied, ...fill].join(';\n');
  return { restore: () => store.alter((alteration) => alteration.script(script)) };
}

/** What empties tables of PostgreSQL that refer to each other, in any order. */
async function emptying(store: Store, names: readonly string[]): Promise<string[]> {
  const quick = ['SET LOCAL synchronous_commit = off', UNLOOKED];
  try {
    await store.alter((alteration) => alteration.script(UNLOOKED));
    return [...quick, ...names.map((name) => `DELETE FROM ${name}`)];
  } catch {
    // Only a superuser may leave references alone for a while. Others empty all tables at once, which takes longer.
    await store.alter((alteration) => alteration.script(DEFERRABLE));
    return ['SET LOCAL synchronous_commit = off', 'SET CONSTRAINTS ALL DEFERRED', `TRUNCATE ${names.join(', ')}`];
  }
}

/** For the rest of a transaction, rows are not looked after by what their tables declare. */
const UNLOOKED = "SET LOCAL session_replication_role = 'replica'";

/** Rows that refer to each other in a circle can then be put back one table after the other. */
const DEFERRABLE = `DO $$ DECLARE one record; BEGIN
  FOR one IN SELECT conrelid::regclass AS relation, conname FROM pg_constraint WHERE contype = 'f' LOOP
    EXECUTE format('ALTER TABLE %s ALTER CONSTRAINT %I DEFERRABLE INITIALLY IMMEDIATE', one.relation, one.conname);
  END LOOP;
END $$`;
