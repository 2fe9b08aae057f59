import type { Migration } from '../../core/migrations/migration.ts';
import type { Store } from '../../core/store/contract.ts';
import { openBare, told } from '../../project/database.ts';
import { readMigrations } from '../../project/migrations.ts';
import { kindOf, storeAddress } from '../../project/project.ts';
import type { SoundProject } from '../../project/project.ts';

/** Opens a project's database without changing it, and reads the project's migrations. */
export async function onDatabase<Result>(
  project: SoundProject,
  work: (store: Store, migrations: readonly Migration[]) => Promise<Result>,
): Promise<Result> {
  const address = storeAddress(project);
  const migrations = readMigrations(project.folder, kindOf(address));
  const store = await openBare(address);
  try {
    return await work(store, migrations);
  } catch (error) {
    throw told(error, address);
  } finally {
    await store.close();
  }
}

/** The tables can't be changed while somebody uses them: who that is. */
export const waitsText = (whom: string): string => `it waits for ${whom}; others are let by meanwhile`;
