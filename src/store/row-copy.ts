import type { Store } from '../core/store/contract.ts';
import { lettersTable } from '../core/tables/own-tables.ts';
import { watchScript } from './sql/changed-rows.ts';
import type { RestoreConnection } from './sql/changed-rows.ts';

/** The rows of a database as they were at a moment, to come back to. */
export interface RowCopy {
  /** Puts the rows back that have changed since. */
  restore(): Promise<void>;
  close(): Promise<void>;
}

/**
 * Keeps a copy of all rows beside them, and the keys of those that change, in tables of its own: only for a database
 * that is thrown away afterwards. To come back costs what was changed, whatever the size of the rest.
 */
export async function copyRows(store: Store, address: string): Promise<RowCopy> {
  const connection = await restoreConnection(store, address);
  try {
    const tables = (await connection.tables()).filter(({ name }) => name !== lettersTable.name);
    const { prepare, changed, restore, whole } = watchScript(tables, connection);
    await connection.run(prepare);
    return {
      async restore() {
        const names = await connection.names(changed);
        if (names.length === 0) return;
        const scripts = [...names.map((name) => restore.get(name)!), ...(connection.unwatched?.(names) ?? [])];
        await connection.run(connection.isFree ? scripts.join(';\n') : whole);
      },
      close: () => connection.close(),
    };
  } catch (error) {
    await connection.close();
    throw error;
  }
}

async function restoreConnection({ kind }: Store, address: string): Promise<RestoreConnection> {
  if (kind === 'postgres') return (await import('./postgres/restore.ts')).restoreOn(address);
  if (kind === 'mariadb') return (await import('./mariadb/restore.ts')).restoreOn(address);
  return (await import('./sqlite/restore.ts')).restoreOn(address);
}
