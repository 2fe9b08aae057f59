import { kindOfAddress } from '../core/model/service.ts';
import { mkdirSync } from 'node:fs';
import { dirname } from 'node:path';
import { defaultFills } from '../core/migrations/defaults.ts';
import { refuseHalfDone } from '../core/migrations/half-done.ts';
import { followModels } from '../core/migrations/follow.ts';
import type { Answers } from '../core/migrations/follow.ts';
import { lastSnapshot, secondSteps } from '../core/migrations/migration.ts';
import type { Migration } from '../core/migrations/migration.ts';
import { refuseMissing } from '../core/migrations/missing.ts';
import { makeOwnTables } from '../core/migrations/own-tables.ts';
import { historyIn, newerOf, runMigrations, waitingOf } from '../core/migrations/run.ts';
import { SchemaMismatch } from '../core/migrations/schema-mismatch.ts';
import { StoreError } from '../core/store/contract.ts';
import type { Store } from '../core/store/contract.ts';
import { changeSummaries } from '../core/tables/change-summary.ts';
import { designTables } from '../core/tables/design.ts';
import type { Catalogue } from '../core/tables/catalogue.ts';
import { keepingFound, rememberingForms } from '../core/tables/found.ts';
import { diffSchemas, noDecisions } from '../core/tables/schema-diff.ts';
import type { Table } from '../core/tables/table.ts';
import type { StoreOptions } from '../store/base/options.ts';
import { openStore } from '../store/open.ts';
import { EXIT, Failure } from './failure.ts';
import { readMigrations, secondStepText } from './migrations.ts';
import { isFile, runtime, storeAddress } from './project.ts';
import type { SoundProject } from './project.ts';

/** An open store whose tables are what the models need, and what was done to that end, in words. */
export interface OpenDatabase {
  readonly store: Store;
  readonly done: readonly string[];
}

/**
 * Opens a project's database: its own, or the one at `address`. A young project's tables follow the models, which
 * throws `Undecided` where `answers` don't tell how. One with migrations must have run them all; an empty database
 * runs them now.
 */
export async function openDatabase(
  project: SoundProject,
  address = storeAddress(project),
  answers?: Answers,
  options?: StoreOptions,
): Promise<OpenDatabase> {
  const { fitted, service } = project.graph;
  if (fitted !== undefined && service.isTheirs)
    return { store: await openBare(address, { ...options, asItIs: true }), done: [] };
  const isStanding = (service.isTheirs || service.isTakenOver) && address === storeAddress(project);
  if (isStanding && fitted === undefined) throw new Error('the project was not fitted to its database');
  // A throwaway database of tables that were there has tables of the models' own.
  const migrations = service.isTakenOver && !isStanding ? [] : readMigrations(project.folder, kindOfAddress(address));
  // Fitting has compared the two, and made rules narrower since.
  const tables = fitted === undefined ? wantedTables(project, migrations) : lastSnapshot(migrations);
  const store = await openBare(address, options);
  try {
    if (migrations.length > 0) return { store, done: await inStep(store, migrations, tables) };
    return { store, done: await followModels(store, tables, defaultFills(project.graph), answers) };
  } catch (error) {
    await store.close();
    throw told(error, address);
  }
}

/** What the models want of the tables; throws where that is not what the last migration has left. */
function wantedTables({ graph }: SoundProject, migrations: readonly Migration[]): readonly Table[] {
  if (migrations.length === 0) return designTables(graph);
  const last = lastSnapshot(migrations);
  const tables = keepingFound(designTables(graph), last);
  refuseOtherModels(last, tables, migrations.at(-1)!.name);
  return tables;
}

/**
 * What a database says of tables that were taken over, once they are as migrations have left them; an empty one runs
 * those.
 */
export async function takenOverCatalogue(project: SoundProject): Promise<Catalogue> {
  const address = storeAddress(project);
  const migrations = readMigrations(project.folder, kindOfAddress(address));
  if (migrations.length === 0) {
    const remedy = 'bring migrations/ back, as from version control; or say `tables: theirs`';
    throw new Failure(EXIT.foundWrong, 'the tables were taken over, and the project has no migrations', remedy);
  }
  const tables = wantedTables(project, migrations);
  return onBare(address, async (store) => {
    await inStep(store, migrations, tables);
    return rememberingForms(await store.catalogue(false), tables);
  });
}

/** Opens a store as it is. */
export async function openBare(address: string, options?: StoreOptions): Promise<Store> {
  try {
    if (isFile(address)) mkdirSync(dirname(address.slice('sqlite:'.length)), { recursive: true });
    return await openStore(address, options);
  } catch (error) {
    throw told(error, address);
  }
}

/** Works on a database as it stands, and closes it. */
export async function onBare<Result>(
  address: string,
  work: (store: Store) => Promise<Result>,
  options?: StoreOptions,
): Promise<Result> {
  const store = await openBare(address, options);
  try {
    return await work(store);
  } catch (error) {
    throw told(error, address);
  } finally {
    await store.close();
  }
}

/** The same on one that was there before the project: it must be there, and keeps its form. */
export const onStanding = <Result>(address: string, work: (store: Store) => Promise<Result>): Promise<Result> =>
  onBare(address, work, { asItIs: true });

/** An error of the database as one that people can do something about. */
export function told(error: unknown, address: string): unknown {
  if (error instanceof SchemaMismatch) return new Failure(EXIT.foundWrong, error.message, error.remedy);
  if (error instanceof StoreError && error.fault.kind !== 'defect') {
    return new Failure(EXIT.options, error.message, error.remedy);
  }
  if (error instanceof Failure || (error as NodeJS.ErrnoException).code === undefined) return error;
  const message = `the database ${address} can not be used: ${(error as Error).message}`;
  return new Failure(EXIT.options, message, 'name another with store: in vantfell.yaml');
}

function refuseOtherModels(snapshot: readonly Table[], tables: readonly Table[], name: string): void {
  const summaries = changeSummaries(diffSchemas(snapshot, tables, noDecisions), noDecisions);
  if (summaries.length === 0) return;
  const lines = summaries.map(({ subject, text }) => `\n  ${subject}: ${text}`).join('');
  const remedy = 'vantfell migrate draft writes that as a migration, and vantfell migrate run runs it';
  throw new Failure(EXIT.foundWrong, `the models have changed since ${name}:${lines}`, remedy);
}

/**
 * Sees that a database has run every migration, and holds the store to the tables that those left; an empty database,
 * which nobody can lose anything of, runs them.
 */
async function inStep(store: Store, migrations: readonly Migration[], tables: readonly Table[]): Promise<string[]> {
  const isEmpty = (await store.alter((alteration) => alteration.tables())).length === 0;
  const ran = isEmpty ? await runMigrations(store, migrations, { now: runtime.now }) : [];
  const said = await store.alter(async (alteration) => {
    // An older version of the tool had fewer of its own.
    await makeOwnTables(alteration, store);
    refuseHalfDone(await alteration.halfDone(), store.address);
    const history = await historyIn(alteration, store, migrations, runtime.now);
    const newer = newerOf(migrations, history);
    const all = waitingOf(migrations, history, store.address, newer);
    const later = all.filter((one) => secondSteps(migrations).includes(one));
    const waiting = all.filter((one) => !later.includes(one));
    if (waiting.length > 0) {
      const names = waiting.map(({ name }) => name).join(', ');
      const verb = waiting.length === 1 ? 'has' : 'have';
      throw new SchemaMismatch(
        `the database ${store.address} is behind: ${names} ${verb} not run`,
        'run what waits: vantfell migrate run',
      );
    }
    refuseMissing(await alteration.tables(), tables, store.address);
    await alteration.hold(migrations.at(-1)!.number);
    return besideWords(newer, later);
  });
  return [...ran.map((name) => `ran ${name}`), ...said];
}

/** What a database has run beyond this version of the project, or has yet to run. */
function besideWords(newer: readonly string[], later: readonly Migration[]): string[] {
  return [
    ...(newer.length === 0 ? [] : [`a newer version has run ${newer.join(', ')}; this one can go on with that`]),
    ...(later.length === 0 ? [] : [secondStepText(later.map(({ name }) => name))]),
  ];
}
