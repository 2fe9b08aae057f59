import { join } from 'node:path';
import { readFileSync, writeFileSync } from 'node:fs';
import { draftMigration } from '../../core/migrations/draft.ts';
import { migrationStoreOf } from '../../core/migrations/migration-store.ts';
import { makeOwnTables } from '../../core/migrations/own-tables.ts';
import type { Migration } from '../../core/migrations/migration.ts';
import { kindOfAddress } from '../../core/model/service.ts';
import type { Store } from '../../core/store/contract.ts';
import { columnCalled, tableCalled } from '../../core/tables/catalogue.ts';
import type { Catalogue } from '../../core/tables/catalogue.ts';
import { foundTables } from '../../core/tables/found.ts';
import { migrationsTable } from '../../core/tables/own-tables.ts';
import { noDecisions } from '../../core/tables/schema-diff.ts';
import type { SchemaDiff } from '../../core/tables/schema-diff.ts';
import type { Table } from '../../core/tables/table.ts';
import { onStanding } from '../../project/database.ts';
import { EXIT, Failure } from '../../project/failure.ts';
import { readMigrations, writeMigration } from '../../project/migrations.ts';
import { storeAddress } from '../../project/project.ts';
import type { SoundProject } from '../../project/project.ts';
import { SERVICE_FILE } from '../../project/read.ts';
import { shownStore } from '../../project/shown-path.ts';
import { ddls } from '../../store/ddl.ts';
import type { Context } from '../command.ts';
import { soundProject } from '../load-project.ts';
import { THEIRS_REMARK } from '../adopt/service-text.ts';
import { confirm } from '../terminal/ask.ts';
import type { WrittenMigration } from './show-draft.ts';

/** The first migration of tables that were taken over, as it was written. */
export interface TakenOver {
  readonly written: WrittenMigration;
  readonly files: readonly string[];
}

const THEIRS = /^(tables:[ \t]*)(['"]?)theirs\2/m;

/**
 * Takes over the tables of a database that was there before the models, once that is allowed: as they stand, they are
 * the first migration, which this database need not run. Undefined where it is not allowed.
 */
export async function takeOver(context: Context, unfitted: SoundProject): Promise<TakenOver | undefined> {
  const address = storeAddress(unfitted);
  const kind = kindOfAddress(address);
  const project = await soundProject(context, { fitted: true });
  refuseOtherStores(project, kind);
  if (readMigrations(project.folder, kind).length > 0) {
    const message = 'the tables are not taken over yet, and there are migrations already';
    throw new Failure(EXIT.foundWrong, message, 'delete migrations/; the first draft writes it anew');
  }
  return onStanding(address, async (store) => {
    const catalogue = await store.catalogue(false);
    const tables = foundTables(unfitted.graph, catalogue, store.ddl.madeAnew !== undefined);
    await refuseOtherProject(store, catalogue, tables);
    const names = tables.map(({ name }) => `\n  ${name}`).join('');
    const which = tables.length === 1 ? 'one table' : `${tables.length} tables`;
    const question =
      `Migrations of this project may change ${which} of ${shownStore(store.address)} from now on:${names}\n` +
      "Nothing in them changes now. Beside them, the tool's own tables are made. Go on?";
    if (!(await confirm(context, question, 'say --yes if that is meant'))) return undefined;
    const drafted = draftMigration({
      ...{ number: 1, before: [], after: tables, decisions: noDecisions },
      ddls: new Map([[kind, ddls[kind]]]),
    });
    // Where the account may not do that, nothing is written.
    await keepAsFound(store, tables, drafted.name);
    const files = writeMigration(project.folder, drafted);
    writeSettings(project.folder);
    return { written: { drafted, summaries: [], isAdopted: true, isDivisible: false }, files };
  });
}

/** Types of one kind of database say nothing to another. */
function refuseOtherStores({ graph }: SoundProject, kind: string): void {
  const others = graph.service.stores.filter((one) => one !== kind);
  if (others.length === 0) return;
  const message = `the tables are of ${kind}, and stores: names ${others.join(', ')} as well`;
  throw new Failure(EXIT.foundWrong, message, `say \`stores: [${kind}]\`, or leave it out`);
}

/**
 * Another database with the same tables, as that of production, need not run the first migration. False where it has
 * them, and nobody says so.
 */
export async function standsAsFound(context: Context, store: Store, [first]: readonly Migration[]): Promise<boolean> {
  if (first === undefined) return true;
  const catalogue = await store.catalogue(false);
  const isThere = first.after.some(({ name }) => tableCalled(catalogue, name) !== undefined);
  if (!isThere || (await isKnown(store, catalogue))) return true;
  const others = first.after.flatMap((table) => otherwise(table, catalogue));
  if (others.length > 0) {
    const message = `${store.address} has not run ${first.name}, and its tables are others than those:`;
    throw new Failure(EXIT.foundWrong, [message, ...others].join('\n  '), 'see to them, or name another database');
  }
  const question = `${shownStore(store.address)} has the tables of ${first.name} already. Does it count as run there?`;
  if (!(await confirm(context, question, 'say --yes if that is meant'))) return false;
  await keepAsFound(store, first.after, first.name);
  return true;
}

/** One database has one project whose migrations change it. The same one may have been broken off here. */
async function refuseOtherProject(store: Store, catalogue: Catalogue, tables: readonly Table[]): Promise<void> {
  if (!(await isKnown(store, catalogue))) return;
  const known = migrationStoreOf(store);
  if (JSON.stringify(await known.snapshot(store)) === JSON.stringify(tables)) return;
  const message = `the tables of ${shownStore(store.address)} are those of another project already`;
  throw new Failure(EXIT.foundWrong, message, 'change its models, and draft there');
}

/** Whether the tool remembers anything of the tables. */
async function isKnown(store: Store, catalogue: Catalogue): Promise<boolean> {
  if (tableCalled(catalogue, migrationsTable.name) === undefined) return false;
  const known = migrationStoreOf(store);
  return (await known.history(store)).length > 0 || (await known.snapshot(store)) !== undefined;
}

function otherwise(table: Table, catalogue: Catalogue): string[] {
  const there = tableCalled(catalogue, table.name);
  if (there === undefined) return [`${table.name} is missing`];
  return table.columns.flatMap(({ name, found }) => {
    const column = columnCalled(there, name);
    if (column === undefined) return [`${table.name}.${name} is missing`];
    const is = column.words.type;
    return found === undefined || is === found.type ? [] : [`${table.name}.${name} is ${is}, not ${found.type}`];
  });
}

const keepAsFound = (store: Store, tables: readonly Table[], name: string): Promise<void> =>
  store.alter(async (alteration) => {
    await makeOwnTables(alteration, store);
    await migrationStoreOf(store).keepSnapshot(alteration, tables);
    await migrationStoreOf(store).keepDrafted(alteration, name);
  });

function writeSettings(folder: string): void {
  const file = join(folder, SERVICE_FILE);
  const text = readFileSync(file, 'utf8');
  const said = text.replace(THEIRS_REMARK, '# The tables were there before the models. Migrations change them now.');
  writeFileSync(file, said.replace(THEIRS, '$1$2taken-over$2'));
}

/**
 * SQLite makes a table anew for most changes. Throws where that would lose columns that somebody else has added since
 * it was taken over.
 */
export async function refuseLostColumns(store: Store, plan: SchemaDiff): Promise<void> {
  const anew = store.ddl.madeAnew?.(plan) ?? [];
  if (anew.length === 0) return;
  const catalogue = await store.catalogue(false);
  for (const table of anew) {
    const there = tableCalled(catalogue, table.name)?.columns ?? [];
    const known = [...table.columns, ...(table.beside?.columns ?? [])];
    const lost = there.filter(({ name }) => known.every((column) => column.name !== name));
    if (lost.length === 0) continue;
    const names = lost.map(({ name }) => name).join(', ');
    throw new Failure(
      EXIT.foundWrong,
      `SQLite would have to make ${table.name} anew, and lose what was added to it since: ${names}`,
      'drop it first, and add it as a field; or make the change by hand',
    );
  }
}
