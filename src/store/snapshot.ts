import type { Store } from '../core/store/contract.ts';
import { lettersTable } from '../core/tables/own-tables.ts';
import { quoteName } from './quote.ts';

/** The rows of a database as they were at a moment, to come back to. */
export interface Snapshot {
  restore(): Promise<void>;
}

const KEPT = 'kept_';

/**
 * Keeps a copy of all rows beside them, in tables of its own: only for a database that is thrown away afterwards. To come
 * back takes some milliseconds, where a database made anew would take a hundred times that.
 */
export async function takeSnapshot(store: Store): Promise<Snapshot> {
  const isPostgres = store.kind === 'postgres';
  const tables = await store.alter(async (alteration) => {
    const all = (await alteration.tables()).filter((name) => name !== lettersTable.name);
    for (const name of all) {
      await alteration.script(`CREATE TABLE ${quoteName(KEPT + name)} AS SELECT * FROM ${quoteName(name)}`);
    }
    // Rows that refer to each other in a circle can then be put back one table after the other.
    if (isPostgres) await alteration.script(DEFERRABLE);
    return all;
  });
  const names = tables.map(quoteName);
  const empty = isPostgres
    ? ['SET CONSTRAINTS ALL DEFERRED', `TRUNCATE ${names.join(', ')}`]
    : names.map((name) => `DELETE FROM ${name}`);
  const fill = tables.map((name) => `INSERT INTO ${quoteName(name)} SELECT * FROM ${quoteName(KEPT + name)}`);
  const script = [...empty, ...fill].join(';\n');
  return { restore: () => store.alter((alteration) => alteration.script(script)) };
}

const DEFERRABLE = `DO $$ DECLARE one record; BEGIN
  FOR one IN SELECT conrelid::regclass AS relation, conname FROM pg_constraint WHERE contype = 'f' LOOP
    EXECUTE format('ALTER TABLE %s ALTER CONSTRAINT %I DEFERRABLE INITIALLY IMMEDIATE', one.relation, one.conname);
  END LOOP;
END $$`;
