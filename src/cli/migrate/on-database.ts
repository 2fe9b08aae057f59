import { kindOfAddress } from '../../core/model/service.ts';
import type { Migration } from '../../core/migrations/migration.ts';
import type { Store } from '../../core/store/contract.ts';
import { onBare } from '../../project/database.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { readMigrations } from '../../project/migrations.ts';
import { storeAddress } from '../../project/project.ts';
import type { SoundProject } from '../../project/project.ts';

/** Opens a project's database without changing it, and reads the project's migrations. */
export async function onDatabase<Result>(
  project: SoundProject,
  work: (store: Store, migrations: readonly Migration[]) => Promise<Result>,
): Promise<Result> {
  const address = storeAddress(project);
  const migrations = readMigrations(project.folder, kindOfAddress(address));
  return onBare(address, (store) => work(store, migrations));
}

/** The tables can't be changed while somebody uses them: who that is. */
export const waitsText = (whom: string): string => `it waits for ${whom}; others are let by meanwhile`;

/** Tables that were there before the models are not changed. */
export function refuseTheirs({ graph }: SoundProject): void {
  if (!graph.service.isTheirs) return;
  throw new Failure(
    EXIT.foundWrong,
    'the tables of this project were there before its models, and are not changed',
    'vantfell migrate draft takes them over, if that is meant; or change them as they were made, and check the models',
  );
}
