import { StoreError } from '../store/contract.ts';
import type { Alteration, HalfDone, Store } from '../store/contract.ts';
import { changeSummaries } from '../tables/change-summary.ts';
import type { ChangeSummary } from '../tables/change-summary.ts';
import { stateTable } from '../tables/own-tables.ts';
import { diffSchemas, isSameDesign } from '../tables/schema-diff.ts';
import type { Table } from '../tables/table.ts';
import { countRisks, fillable, isStopped, summaryText } from './count.ts';
import { endsTransaction } from './ends-transaction.ts';
import { indexNames } from './follow.ts';
import { backName, forwardName, halfDoneRemedy, halfDoneText, migrationOf } from './half-done.ts';
import { migrationStoreOf } from './migration-store.ts';
import { checksumOf, secondSteps, statusesOf } from './migration.ts';
import type { Migration, Ran } from './migration.ts';
import { makeOwnTables } from './own-tables.ts';
import { SchemaMismatch } from './schema-mismatch.ts';
import type { CountedSummary } from './schema-mismatch.ts';
import { stepBack } from './way-back.ts';

/** Reports the progress of a run. */
export interface RunOptions {
  readonly now: () => Date;
  readonly onStart?: (name: string) => void;
  /** Told whom a migration waits for. */
  readonly onWait?: (whom: string) => void;
  /** Second steps at the end wait for services of older versions to stop. */
  readonly leavesSecondSteps?: boolean;
}

/**
 * Reads which migrations a database has run. One that followed the models, and has the tables of a migration's end,
 * counts as having run all up to it.
 */
export async function historyOf(store: Store, migrations: readonly Migration[], now: () => Date): Promise<Ran[]> {
  return store.alter((alteration) => historyIn(alteration, store, migrations, now));
}

/** The same, inside of work on the tables. */
export async function historyIn(
  alteration: Alteration,
  store: Store,
  migrations: readonly Migration[],
  now: () => Date,
): Promise<Ran[]> {
  const migrationStore = migrationStoreOf(store);
  // Reading an empty database leaves it empty.
  if ((await alteration.tables()).length === 0) return [];
  await makeOwnTables(alteration, store);
  const history = await migrationStore.history(alteration);
  const snapshot = await migrationStore.snapshot(alteration);
  if (history.length > 0 || snapshot === undefined || migrations.length === 0) return history;
  const at = placeOf(snapshot, migrations, await migrationStore.drafted(alteration), store.address);
  for (const migration of migrations.slice(0, at + 1)) {
    await migrationStore.note(alteration, ranNow(migration, 1, now));
  }
  await migrationStore.keepSnapshot(alteration, undefined);
  return migrationStore.history(alteration);
}

/** The migration that a database following the models is at. More than one may end with the same tables. */
function placeOf(
  snapshot: readonly Table[],
  migrations: readonly Migration[],
  drafted: string | undefined,
  address: string,
): number {
  const places = migrations.flatMap(({ after }, at) => (isSameDesign(snapshot, after) ? [at] : []));
  const known = places.find((at) => migrations[at]!.name === drafted);
  if (known !== undefined) return known;
  const exact = places.filter((at) => JSON.stringify(migrations[at]!.after) === JSON.stringify(snapshot));
  const remedy = 'start over with vantfell migrate run --from-empty --samples; or name another database';
  if (places.length === 0) {
    const message = `the database ${address} followed the models, and stands where no migration ends`;
    throw new SchemaMismatch(message, remedy);
  }
  if (exact.length === 1) return exact[0]!;
  const [first, last] = [places[0]!, places.at(-1)!];
  // Between two of them, values may have moved between existing names.
  const between = migrations.slice(first + 1, last + 1);
  if (between.every(({ renames }) => renames.size === 0)) return last;
  const message =
    `the database ${address} followed the models, and nobody can tell after which migration it stands: ` +
    `${migrations[first]!.name} and ${migrations[last]!.name} end with the same tables`;
  throw new SchemaMismatch(message, remedy);
}

const ranNow = (migration: Migration, batch: number, now: () => Date): Ran => ({
  number: migration.number,
  name: migration.name,
  batch,
  ranAt: now().toISOString(),
  checksum: checksumOf(migration),
  servicesGoOn: migration.servicesGoOn,
});

/** What a newer version of the project has run, and services of this one can go on with. */
export const newerOf = (migrations: readonly Migration[], history: readonly Ran[]): string[] =>
  statusesOf(migrations, history).flatMap(({ state, name, ran }) =>
    state === 'missing' && ran!.servicesGoOn ? [name] : [],
  );

/**
 * The migrations that have not run. Throws if the database has run others than the project has, but for `known` ones.
 */
export function waitingOf(
  migrations: readonly Migration[],
  history: readonly Ran[],
  address: string,
  known: readonly string[] = [],
): Migration[] {
  const statuses = statusesOf(migrations, history);
  const missing = statuses
    .filter(({ state, name }) => state === 'missing' && !known.includes(name))
    .map(({ name }) => name);
  if (missing.length > 0) {
    const message =
      `the database ${address} is ahead: it has run ` + `${missing.join(', ')}, which migrations/ does not hold`;
    const remedy =
      'get the newer version of the project; or bring the migration back and take it back with vantfell migrate undo';
    throw new SchemaMismatch(message, remedy);
  }
  const waiting = new Set(statuses.filter(({ state }) => state === 'waiting').map(({ name }) => name));
  return migrations.filter(({ name }) => waiting.has(name));
}

/** Throws if a migration differs from the one that ran. */
function refuseChanged(migrations: readonly Migration[], history: readonly Ran[]): void {
  const changed = statusesOf(migrations, history).find(({ state }) => state === 'changed');
  if (changed === undefined) return;
  const remedy = 'bring the file back as it was, as from version control; what is to change is for a new migration';
  throw new SchemaMismatch(`${changed.name} was changed after it ran (${changed.ran!.checksum} then)`, remedy);
}

/**
 * Runs the migrations that have not run, each in its own transaction, so a failure keeps those before it. Two
 * programs at once take turns, and each sees what the other has done. Returns the names of those that it ran.
 */
export async function runMigrations(
  store: Store,
  migrations: readonly Migration[],
  options: RunOptions,
): Promise<string[]> {
  const { now, onStart, onWait, leavesSecondSteps = false } = options;
  const migrationStore = migrationStoreOf(store);
  const history = await historyOf(store, migrations, now);
  refuseChanged(migrations, history);
  const batch = Math.max(0, ...history.map((ran) => ran.batch)) + 1;
  const names: string[] = [];
  const left = leavesSecondSteps ? secondSteps(migrations) : [];
  const waiting = waitingOf(migrations, history, store.address).filter((one) => !left.includes(one));
  waiting.forEach(({ name, forward }) => refuseEnding(name, forward));
  if (waiting.length > 0) await store.alter((alteration) => makeOwnTables(alteration, store));
  for (const migration of waiting) {
    onStart?.(migration.name);
    const before = migrations[migrations.indexOf(migration) - 1]?.after ?? [];
    try {
      const ran = await store.alter(
        async (alteration) => {
          const history = await migrationStore.history(alteration);
          const ranBy = new Set(history.map(({ name }) => name));
          if (ranBy.has(migration.name)) return false;
          refuseGap(migrations, migration, ranBy);
          if (!migration.servicesGoOn) {
            // Those that know it have met its tables before. Where it comes late, nobody knows who does.
            const isLate = history.some(({ number }) => number > migration.number);
            await alteration.letGo((version) => isLate || version < migration.number);
          }
          await alteration.script(migration.forward, indexNames(before), forwardName(migration));
          await migrationStore.note(alteration, ranNow(migration, batch, now));
          return true;
        },
        { onWait },
      );
      if (ran) names.push(migration.name);
    } catch (error) {
      throw await explained(error, store, migration, before);
    }
  }
  return names;
}

/** A migration needs all earlier ones: another program may have undone one of them. */
function refuseGap(migrations: readonly Migration[], { name }: Migration, ran: ReadonlySet<string>): void {
  const before = migrations.slice(
    0,
    migrations.findIndex((one) => one.name === name),
  );
  const gap = before.findLast((one) => !ran.has(one.name));
  if (gap === undefined) return;
  const message = `${name} can not run: another program has taken ${gap.name} back meanwhile`;
  throw new SchemaMismatch(message, 'see vantfell migrate status, and run them again');
}

/** What stopped a migration: the rows, if they can be found; otherwise the database's message. */
async function explained(
  error: unknown,
  store: Store,
  migration: Migration,
  before: readonly Table[],
): Promise<unknown> {
  if (!isRefused(error)) return error;
  const file = `${migration.name}/${store.kind}.forward.sql`;
  const half = leftHalfDone(error);
  if (half !== undefined) return stoppedHalfWay(half, error, file);
  const stopping = await stoppingRows(store, summariesOf(migration, before));
  if (stopping.length > 0) return stoppedByRows(migration, stopping);
  const message = `${migration.name} stopped, and nothing of it was kept: ${error.message}`;
  return new SchemaMismatch(message, otherRemedy(error, file));
}

function summariesOf({ renames, after }: Migration, before: readonly Table[]): ChangeSummary[] {
  const decisions = { renames, fills: new Map(), defaults: new Map() };
  return changeSummaries(diffSchemas(before, after, decisions), decisions);
}

function stoppedByRows({ name }: Migration, stopping: readonly CountedSummary[]): SchemaMismatch {
  const fill = fillable(stopping);
  const again = fill === undefined ? '' : `; or delete the migration and draft it again with --fill ${fill}=…`;
  return new SchemaMismatch(
    `${name} stopped, and nothing of it was kept:${linesOf(stopping)}`,
    `mend those rows${again}`,
  );
}

/** The script that a failure has left half done. */
const leftHalfDone = ({ fault }: StoreError): HalfDone | undefined =>
  fault.kind === 'refused' ? fault.halfDone : undefined;

function stoppedHalfWay(half: HalfDone, { message }: StoreError, file: string): SchemaMismatch {
  const text = `${migrationOf(half)} stopped, ${halfDoneText(half)}: ${message}`;
  return new SchemaMismatch(text, `mend what it tells of, or the rest of ${file}; ${halfDoneRemedy(half)}`);
}

const isRefused = (error: unknown): error is StoreError =>
  error instanceof StoreError && error.fault.kind === 'refused';

/** What a database says to do, or where to look. */
const otherRemedy = ({ remedy }: StoreError, file: string): string =>
  remedy === '' ? `see to what it tells of, or to ${file}` : remedy;

/** The changes that rows prevent; none where rows cannot be counted. */
async function stoppingRows(store: Store, summaries: readonly ChangeSummary[]): Promise<CountedSummary[]> {
  const counted = await countRisks(summaries, { reader: store, ddl: store.ddl }).catch(() => []);
  return counted.filter(isStopped);
}

const linesOf = (summaries: readonly CountedSummary[]): string =>
  summaries.map((summary) => `\n  ${summaryText(summary)}`).join('');

/** The migrations that an undo reverts, the last one first. */
export function undoable(
  migrations: readonly Migration[],
  history: readonly Ran[],
  last: number | 'batch' | 'all',
): Migration[] {
  refuseChanged(migrations, history);
  const newest = [...history].reverse();
  const chosen =
    last === 'all'
      ? newest
      : last === 'batch'
        ? newest.filter(({ batch }) => batch === newest[0]?.batch)
        : newest.slice(0, last);
  return chosen.map(({ name }) => {
    const migration = migrations.find((one) => one.name === name);
    if (migration !== undefined) return migration;
    throw new SchemaMismatch(
      `${name} ran, but migrations/ does not hold it`,
      'bring its folder back, as from version control',
    );
  });
}

/** A migration is committed as a whole or not at all: it cannot end its transaction. */
function refuseEnding(name: string, sql: string): void {
  const words = endsTransaction(sql);
  if (words === undefined) return;
  throw new SchemaMismatch(
    `${name} holds ${words}, which ends the transaction that it runs in`,
    'take that out of its SQL',
  );
}

/**
 * Undoes migrations, each in its own transaction. Returns the names of those that it undid, without those of another
 * program.
 */
export async function undoMigrations(
  store: Store,
  migrations: readonly Migration[],
  chosen: readonly Migration[],
  { onStart, onWait }: Omit<RunOptions, 'now'> = {},
): Promise<string[]> {
  const migrationStore = migrationStoreOf(store);
  const names: string[] = [];
  chosen.forEach(({ name, back }) => refuseEnding(name, back));
  for (const migration of chosen) {
    onStart?.(migration.name);
    try {
      const undone = await store.alter(
        async (alteration) => {
          const history = await migrationStore.history(alteration);
          if (!history.some(({ name }) => name === migration.name)) return false;
          refuseInside(history, migration.name);
          await alteration.letGo((version) => version >= migration.number);
          await alteration.script(migration.back, indexNames(migration.after), backName(migration));
          await migrationStore.forget(alteration, migration.name);
          return true;
        },
        { onWait },
      );
      if (undone) names.push(migration.name);
    } catch (error) {
      if (!isRefused(error)) throw error;
      const half = leftHalfDone(error);
      if (half !== undefined) throw stoppedHalfWay(half, error, `${migration.name}/${store.kind}.back.sql`);
      const { plan, decisions } = stepBack(migrations, migration);
      const stopping = await stoppingRows(store, changeSummaries(plan, decisions));
      const why = stopping.length === 0 ? ` ${error.message}` : linesOf(stopping);
      const file = `${migration.name}/${store.kind}.back.sql`;
      const remedy = stopping.length === 0 ? otherRemedy(error, file) : `mend those rows, or edit ${file}`;
      throw new SchemaMismatch(`${migration.name} can not be taken back, and all of it still stands:${why}`, remedy);
    }
  }
  return names;
}

/** Later migrations depend on earlier ones. */
function refuseInside(history: readonly Ran[], name: string): void {
  const last = history.at(-1)!;
  if (last.name === name) return;
  const message = `${name} can not be taken back before ${last.name}, which another program has run meanwhile`;
  throw new SchemaMismatch(message, 'see vantfell migrate status, and take that back first');
}

/** The tables of a database that follows the models; undefined if it does not, or is empty. */
export const snapshotOf = (store: Store): Promise<Table[] | undefined> =>
  store.alter((alteration) => snapshotIn(alteration, store));

export const snapshotIn = async (alteration: Alteration, store: Store): Promise<Table[] | undefined> =>
  (await alteration.tables()).includes(stateTable.name) ? migrationStoreOf(store).snapshot(alteration) : undefined;
